"""Tracked keywords, grids of places, and the competitors that a site's ranks are set beside."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "keyword",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id", ondelete="CASCADE"), nullable=False),
        sa.Column("term", sa.String(200), nullable=False),
        sa.Column("engine", sa.String(60), nullable=False),
        sa.Column("language", sa.String(3), nullable=False),
        sa.Column("country", sa.String(2), nullable=False),
        sa.Column("place", sa.String(120), nullable=False),
        sa.Column("device", sa.String(10), nullable=False),
        sa.Column("page", sa.String(4000), nullable=False),
        sa.Column("weight", sa.Integer(), nullable=False),
        sa.Column("tags", sa.JSON(), nullable=False),
        sa.Column("pinned", sa.Boolean(), nullable=False),
        sa.Column("note", sa.String(500), nullable=False),
        sa.Column("volume", sa.Integer(), nullable=True),
        sa.Column("cpc", sa.Integer(), nullable=True),
        sa.Column("interval", sa.String(10), nullable=False),
        sa.Column("checked_at", sa.DateTime(), nullable=True),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.UniqueConstraint(
            *("site_id", "term", "engine", "language", "country", "place", "device"), name="one_keyword_a_look"
        ),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "competitor",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id", ondelete="CASCADE"), nullable=False),
        sa.Column("domain", sa.String(300), nullable=False),
        sa.Column("label", sa.String(120), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.UniqueConstraint("site_id", "domain", name="one_competitor_a_domain"),
    )
    op.create_table(
        "grid",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id", ondelete="CASCADE"), nullable=False),
        sa.Column("label", sa.String(120), nullable=False),
        sa.Column("term", sa.String(200), nullable=False),
        sa.Column("engine", sa.String(60), nullable=False),
        sa.Column("language", sa.String(3), nullable=False),
        sa.Column("country", sa.String(2), nullable=False),
        sa.Column("device", sa.String(10), nullable=False),
        sa.Column("latitude", sa.Float(), nullable=False),
        sa.Column("longitude", sa.Float(), nullable=False),
        sa.Column("spacing", sa.Float(), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("interval", sa.String(10), nullable=False),
        sa.Column("checked_at", sa.DateTime(), nullable=True),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sqlite_autoincrement=True,
    )

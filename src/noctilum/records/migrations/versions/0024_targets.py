"""Targets: figures to be reached by a day."""

import sqlalchemy as sa
from alembic import op

revision = "0024"
down_revision = "0023"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "target",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id", ondelete="CASCADE"), nullable=False),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("metric", sa.String(20), nullable=False),
        sa.Column("over", sa.String(10), nullable=False),
        sa.Column("filter", sa.String(2000), nullable=False),
        sa.Column("tagged", sa.String(60), nullable=False),
        sa.Column("value", sa.Float(), nullable=False),
        sa.Column("starts", sa.Date(), nullable=False),
        sa.Column("by", sa.Date(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sqlite_autoincrement=True,
    )
    op.create_index("target_by_site", "target", ["site_id"])

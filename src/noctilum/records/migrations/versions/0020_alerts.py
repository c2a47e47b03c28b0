"""Alerts: what called out, until it is over or somebody has seen to it."""

import sqlalchemy as sa
from alembic import op

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "alert",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id", ondelete="CASCADE"), nullable=False),
        sa.Column("rule", sa.String(40), nullable=False),
        sa.Column("key", sa.String(4000), nullable=False),
        sa.Column("since", sa.Date(), nullable=True),
        sa.Column("sure", sa.String(20), nullable=False),
        sa.Column("look", sa.String(40), nullable=False),
        sa.Column("facts", sa.JSON(), nullable=False),
        sa.Column("state", sa.String(12), nullable=False),
        sa.Column("until", sa.Date(), nullable=True),
        sa.Column("reason", sa.String(500), nullable=False),
        sa.Column("by", sa.String(300), nullable=True),
        sa.Column("opened_at", sa.DateTime(), nullable=False),
        sa.Column("closed_at", sa.DateTime(), nullable=True),
        sqlite_autoincrement=True,
    )
    op.create_index("alert_by_site", "alert", ["site_id", "rule"])

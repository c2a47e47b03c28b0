"""Trials: planned tests of pages or queries that are changed against a control that is not."""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "trial",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id", ondelete="CASCADE"), nullable=False),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("what", sa.String(2000), nullable=False),
        sa.Column("of", sa.String(10), nullable=False),
        sa.Column("treated", sa.JSON(), nullable=False),
        sa.Column("control", sa.JSON(), nullable=False),
        sa.Column("starts", sa.Date(), nullable=False),
        sa.Column("weeks", sa.Integer(), nullable=False),
        sa.Column("ended_on", sa.Date(), nullable=True),
        sa.Column("log", sa.JSON(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sqlite_autoincrement=True,
    )
    op.create_index("trial_by_site", "trial", ["site_id"])

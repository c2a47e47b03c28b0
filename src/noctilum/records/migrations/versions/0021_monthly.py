"""The monthly check: what was gone through of a client's month, by whom."""

import sqlalchemy as sa
from alembic import op

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "monthly_step",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("client_id", sa.Integer(), sa.ForeignKey("client.id", ondelete="CASCADE"), nullable=False),
        sa.Column("month", sa.Date(), nullable=False),
        sa.Column("step", sa.String(20), nullable=False),
        sa.Column("by", sa.String(300), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.UniqueConstraint("client_id", "month", "step"),
        sqlite_autoincrement=True,
    )

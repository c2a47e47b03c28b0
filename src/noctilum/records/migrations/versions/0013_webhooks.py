"""Addresses that are told when something happens."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "webhook",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("url", sa.String(500), nullable=False),
        sa.Column("label", sa.String(120), nullable=False),
        sa.Column("events", sa.JSON(), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "webhook_post",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("webhook_id", sa.Integer(), sa.ForeignKey("webhook.id", ondelete="CASCADE"), nullable=False),
        sa.Column("key", sa.String(80), nullable=False),
        sa.Column("body", sa.JSON(), nullable=False),
        sa.Column("state", sa.String(10), nullable=False, index=True),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("why", sa.String(300), nullable=False),
        sa.Column("next_try_at", sa.DateTime(), nullable=False),
        sa.Column("told_at", sa.DateTime(), nullable=True),
        sa.UniqueConstraint("webhook_id", "key", name="one_post_an_event"),
        sqlite_autoincrement=True,
    )

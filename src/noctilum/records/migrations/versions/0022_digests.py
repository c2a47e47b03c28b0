"""Digests: who is mailed what calls out, how often, and the mails themselves."""

import sqlalchemy as sa
from alembic import op

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "digest",
        sa.Column("user_id", sa.Integer(), sa.ForeignKey("user.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("every", sa.String(5), nullable=False),
        sa.Column("weekday", sa.Integer(), nullable=False),
        sa.Column("at", sa.String(5), nullable=False),
        sa.Column("time_zone", sa.String(60), nullable=False),
        sa.Column("quiet_from", sa.String(5), nullable=False),
        sa.Column("quiet_to", sa.String(5), nullable=False),
        sa.Column("told_until", sa.DateTime(), nullable=False),
        sa.Column("told_alert", sa.Integer(), nullable=False),
        sa.Column("told", sa.JSON(), nullable=False),
    )
    op.create_table(
        "digest_mail",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("user_id", sa.Integer(), sa.ForeignKey("user.id", ondelete="CASCADE"), nullable=False),
        sa.Column("content", sa.JSON(), nullable=False),
        sa.Column("email", sa.String(300), nullable=False),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("message", sa.String(200), nullable=False, unique=True),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("claim", sa.String(120), nullable=False),
        sa.Column("why", sa.String(600), nullable=False),
        sa.Column("next_try_at", sa.DateTime(), nullable=False),
        sa.Column("queued_at", sa.DateTime(), nullable=False),
        sa.Column("queued_by", sa.String(120), nullable=False),
        sa.Column("sent_at", sa.DateTime(), nullable=True),
        sqlite_autoincrement=True,
    )
    op.create_index("ix_digest_mail_state", "digest_mail", ["state"])

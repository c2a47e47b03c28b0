"""When reports fall due, and to whom their editions go."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("report") as table:
        table.add_column(sa.Column("schedule", sa.String(300), nullable=False, server_default=""))
        table.add_column(sa.Column("paused", sa.Boolean(), nullable=False, server_default="0"))
        table.add_column(sa.Column("next_run_at", sa.DateTime(), nullable=True))
        table.add_column(sa.Column("sending", sa.JSON(), nullable=False, server_default="{}"))
    with op.batch_alter_table("edition") as table:
        table.add_column(sa.Column("looked_at", sa.DateTime(), nullable=True))
        table.add_column(sa.Column("looked_by", sa.String(120), nullable=False, server_default=""))
        table.add_column(sa.Column("sent_at", sa.DateTime(), nullable=True))
        table.add_column(sa.Column("complete", sa.Boolean(), nullable=False, server_default="1"))
    op.create_table(
        "slot",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("report_id", sa.Integer(), sa.ForeignKey("report.id", ondelete="CASCADE"), nullable=False),
        sa.Column("due_at", sa.DateTime(), nullable=False),
        sa.Column("state", sa.String(10), nullable=False, index=True),
        sa.Column("why", sa.String(600), nullable=False),
        sa.Column("edition_id", sa.Integer(), sa.ForeignKey("edition.id", ondelete="SET NULL"), nullable=True),
        sa.Column("tried", sa.Integer(), nullable=False),
        sa.Column("next_try_at", sa.DateTime(), nullable=False),
        sa.UniqueConstraint("report_id", "due_at", name="one_slot_a_time"),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "delivery",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("edition_id", sa.Integer(), sa.ForeignKey("edition.id", ondelete="CASCADE"), nullable=False),
        sa.Column("email", sa.String(300), nullable=False),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("state", sa.String(10), nullable=False, index=True),
        sa.Column("message", sa.String(200), nullable=False, unique=True),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("claim", sa.String(120), nullable=False),
        sa.Column("why", sa.String(600), nullable=False),
        sa.Column("next_try_at", sa.DateTime(), nullable=False),
        sa.Column("queued_at", sa.DateTime(), nullable=False),
        sa.Column("queued_by", sa.String(120), nullable=False),
        sa.Column("sent_at", sa.DateTime(), nullable=True),
        sa.UniqueConstraint("edition_id", "email", name="one_mail_a_recipient"),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "unsubscribed",
        sa.Column("report_id", sa.Integer(), sa.ForeignKey("report.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("email", sa.String(300), primary_key=True),
        sa.Column("at", sa.DateTime(), nullable=False),
    )

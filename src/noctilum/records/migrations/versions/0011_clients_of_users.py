"""Which clients a user works for, tokens that only read, and the log of changes."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("user") as table:
        table.add_column(sa.Column("some", sa.Boolean(), nullable=False, server_default="0"))
    with op.batch_alter_table("token") as table:
        table.add_column(sa.Column("reads", sa.Boolean(), nullable=False, server_default="0"))
    op.create_table(
        "user_client",
        sa.Column("user_id", sa.Integer(), sa.ForeignKey("user.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("client_id", sa.Integer(), sa.ForeignKey("client.id", ondelete="CASCADE"), primary_key=True),
    )
    op.create_table(
        "audit",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("who", sa.String(300), nullable=False),
        sa.Column("what", sa.String(200), nullable=False),
        sa.Column("where", sa.String(300), nullable=False),
        sa.Column("address", sa.String(60), nullable=False),
        sa.Column("status", sa.Integer(), nullable=False),
    )
    op.create_index("audit_by_time", "audit", ["at"])

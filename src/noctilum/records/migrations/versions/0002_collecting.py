"""Give sources schedules and scopes; add notices, file mappings and erasures."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("client") as batch_op:
        batch_op.add_column(sa.Column("keep_months", sa.Integer(), nullable=True))
    with op.batch_alter_table("source") as batch_op:
        batch_op.add_column(sa.Column("scope", sa.String(length=300), nullable=False, server_default=""))
        batch_op.add_column(sa.Column("counted", sa.Boolean(), nullable=False, server_default=sa.true()))
        batch_op.add_column(sa.Column("part_of", sa.Integer(), nullable=True))
        batch_op.add_column(sa.Column("schedule", sa.String(length=300), nullable=False, server_default=""))
        batch_op.add_column(sa.Column("paused", sa.Boolean(), nullable=False, server_default=sa.false()))
        batch_op.add_column(sa.Column("next_run_at", sa.DateTime(), nullable=True))
        batch_op.add_column(sa.Column("retry_at", sa.DateTime(), nullable=True))
        batch_op.add_column(sa.Column("failures", sa.Integer(), nullable=False, server_default="0"))
        batch_op.add_column(sa.Column("settings", sa.JSON(), nullable=False, server_default="{}"))
    op.create_table(
        "notice",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("code", sa.String(length=60), nullable=False),
        sa.Column("text", sa.String(), nullable=False),
        sa.Column("source_id", sa.Integer(), nullable=True),
        sa.Column("site_key", sa.String(length=200), nullable=True),
        sa.Column("seen_at", sa.DateTime(), nullable=True),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "file_mapping",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("mapping", sa.JSON(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("name"),
    )
    op.create_table(
        "erasure",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("who", sa.String(length=120), nullable=False),
        sa.Column("what", sa.String(length=300), nullable=False),
        sa.Column("went", sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    with op.batch_alter_table("job") as batch_op:
        batch_op.add_column(sa.Column("lane", sa.String(length=200), nullable=False, server_default=""))
        batch_op.add_column(sa.Column("log", sa.JSON(), nullable=False, server_default="[]"))
        batch_op.add_column(sa.Column("result", sa.JSON(), nullable=False, server_default="{}"))

"""Keep saved sets and dated notes."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "saved_set",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("item", sa.String(length=10), nullable=False),
        sa.Column("client_id", sa.Integer(), nullable=True),
        sa.Column("rule", sa.String(length=4000), nullable=False),
        sa.Column("members", sa.JSON(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["client_id"], ["client.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("name", "client_id", name="one_set_a_name"),
    )
    op.create_table(
        "dated_note",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("first", sa.Date(), nullable=False),
        sa.Column("last", sa.Date(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("text", sa.String(length=1000), nullable=False),
        sa.Column("client_id", sa.Integer(), nullable=True),
        sa.Column("site_id", sa.Integer(), nullable=True),
        sa.Column("page", sa.String(length=4000), nullable=True),
        sa.Column("set_name", sa.String(length=80), nullable=True),
        sa.Column("origin", sa.String(length=200), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["client_id"], ["client.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("dated_note_by_day", "dated_note", ["first"])

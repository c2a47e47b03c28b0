"""The worklist: what is to be done about a page, query, keyword, set or site, and which calendar of it a user has."""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "work",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("site_id", sa.Integer(), sa.ForeignKey("site.id", ondelete="CASCADE"), nullable=False),
        sa.Column("of", sa.String(10), nullable=False),
        sa.Column("key", sa.String(4000), nullable=False),
        sa.Column("todo", sa.String(1000), nullable=False),
        sa.Column("why", sa.String(2000), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("owner_id", sa.Integer(), sa.ForeignKey("user.id", ondelete="SET NULL"), nullable=True),
        sa.Column("due", sa.Date(), nullable=True),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("done_on", sa.Date(), nullable=True),
        sa.Column("reason", sa.String(1000), nullable=False),
        sa.Column("baseline", sa.JSON(), nullable=False),
        sa.Column("note_id", sa.Integer(), sa.ForeignKey("dated_note.id", ondelete="SET NULL"), nullable=True),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("changed_at", sa.DateTime(), nullable=False),
        sqlite_autoincrement=True,
    )
    op.create_index("work_by_site", "work", ["site_id", "state"])
    op.add_column("user", sa.Column("calendar", sa.Integer(), nullable=False, server_default="0"))

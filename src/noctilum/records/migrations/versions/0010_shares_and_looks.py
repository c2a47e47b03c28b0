"""Shared pages, and how the agency and its clients look."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("client") as table:
        table.add_column(sa.Column("sender", sa.String(120), nullable=False, server_default=""))
        table.add_column(sa.Column("footer", sa.String(200), nullable=False, server_default=""))
    op.create_table(
        "agency_look",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("logo", sa.LargeBinary(), nullable=True),
        sa.Column("logo_type", sa.String(40), nullable=True),
        sa.Column("sender", sa.String(120), nullable=False),
        sa.Column("footer", sa.String(200), nullable=False),
        sa.Column("credit", sa.Boolean(), nullable=False),
    )
    op.create_table(
        "share",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("report_id", sa.Integer(), sa.ForeignKey("report.id", ondelete="CASCADE"), nullable=False),
        sa.Column("edition_id", sa.Integer(), sa.ForeignKey("edition.id", ondelete="CASCADE"), nullable=True),
        sa.Column("label", sa.String(120), nullable=False),
        sa.Column("nonce", sa.String(40), nullable=False, unique=True),
        sa.Column("password_hash", sa.String(200), nullable=False),
        sa.Column("allowed", sa.JSON(), nullable=False),
        sa.Column("until", sa.DateTime(), nullable=True),
        sa.Column("revoked_at", sa.DateTime(), nullable=True),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("created_by", sa.String(120), nullable=False),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "share_view",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("share_id", sa.Integer(), sa.ForeignKey("share.id", ondelete="CASCADE"), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("address", sa.String(60), nullable=False),
        sa.Column("what", sa.String(40), nullable=False),
    )
    op.create_index("share_view_by_share", "share_view", ["share_id", "at"])

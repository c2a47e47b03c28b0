"""Alert rules that people keep: own ones, and what is changed of those that ship."""

import sqlalchemy as sa
from alembic import op

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "alert_rule",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("name", sa.String(40), nullable=False, unique=True),
        sa.Column("on", sa.Boolean(), nullable=False),
        sa.Column("sites", sa.JSON(), nullable=False),
        sa.Column("lasting", sa.Integer(), nullable=False),
        sa.Column("reading", sa.String(40), nullable=False),
        sa.Column("condition", sa.String(2000), nullable=False),
        sa.Column("window", sa.String(40), nullable=False),
        sa.Column("asked", sa.JSON(), nullable=False),
        sa.Column("key", sa.String(60), nullable=False),
        sa.Column("since", sa.String(60), nullable=False),
        sa.Column("sure", sa.String(20), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sqlite_autoincrement=True,
    )

"""A second factor at signing in."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("user") as table:
        table.add_column(sa.Column("second", sa.LargeBinary(), nullable=True))
        table.add_column(sa.Column("second_on", sa.Boolean(), nullable=False, server_default="0"))
        table.add_column(sa.Column("second_used", sa.Integer(), nullable=False, server_default="0"))

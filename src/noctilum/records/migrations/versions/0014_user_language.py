"""The language that somebody reads the console in."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("user", sa.Column("language", sa.String(20), nullable=False, server_default=""))

"""What is earned on pages of a set, of a site that counts no goals."""

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("site", sa.Column("page_values", sa.JSON(), nullable=False, server_default="[]"))

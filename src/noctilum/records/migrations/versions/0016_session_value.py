"""What a session is worth to a site that counts no goals, in hundredths of the client's currency."""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("site", sa.Column("session_value", sa.Integer(), nullable=True))

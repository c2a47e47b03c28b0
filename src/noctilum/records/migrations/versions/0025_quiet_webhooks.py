"""Webhooks keep quiet hours, as digests do."""

import sqlalchemy as sa
from alembic import op

revision = "0025"
down_revision = "0024"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for name, size, usual in (("time_zone", 60, "UTC"), ("quiet_from", 5, ""), ("quiet_to", 5, "")):
        op.add_column("webhook", sa.Column(name, sa.String(size), nullable=False, server_default=usual))

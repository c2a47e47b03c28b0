"""Keep sign-ins and failed ones, when a token was used and until when it holds, and what a job waits for.

The first user becomes the owner: until now nothing told roles apart.
"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "sign_in",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("user_id", sa.Integer(), sa.ForeignKey("user.id", ondelete="CASCADE"), nullable=False),
        sa.Column("digest", sa.String(length=64), nullable=False, unique=True),
        sa.Column("csrf", sa.String(length=64), nullable=False),
        sa.Column("address", sa.String(length=60), nullable=False),
        sa.Column("agent", sa.String(length=200), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("seen_at", sa.DateTime(), nullable=False),
        sa.Column("until", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "failed_sign_in",
        sa.Column("key", sa.String(length=400), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("last_at", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("key"),
    )
    op.create_table(
        "known_address",
        sa.Column("user_id", sa.Integer(), sa.ForeignKey("user.id", ondelete="CASCADE"), nullable=False),
        sa.Column("address", sa.String(length=60), nullable=False),
        sa.Column("seen_at", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("user_id", "address"),
    )
    with op.batch_alter_table("token") as batch_op:
        batch_op.add_column(sa.Column("used_at", sa.DateTime(), nullable=True))
        batch_op.add_column(sa.Column("until", sa.DateTime(), nullable=True))
    with op.batch_alter_table("job") as batch_op:
        batch_op.add_column(sa.Column("stopping", sa.Boolean(), nullable=False, server_default=sa.false()))
        batch_op.add_column(sa.Column("not_before", sa.DateTime(), nullable=True))
    op.execute("UPDATE user SET role = 'analyst'")
    op.execute("UPDATE user SET role = 'owner' WHERE id = (SELECT min(id) FROM user)")

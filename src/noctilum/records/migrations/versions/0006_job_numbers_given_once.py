"""Never give a job's number again: the shape before this one had forgotten it when it made the table anew."""

from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("job", recreate="always", table_kwargs={"sqlite_autoincrement": True}):
        pass

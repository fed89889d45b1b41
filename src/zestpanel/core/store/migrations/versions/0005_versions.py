"""Candidates whose sound ended: the same request gave another sound from a day on."""

from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.execute("ALTER TABLE candidates ADD COLUMN ended VARCHAR")
    op.execute("ALTER TABLE candidates ADD COLUMN first_id INTEGER")

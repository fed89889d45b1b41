"""A mark in the database's head that says whose it is."""

from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.execute("PRAGMA application_id = 1514492756")

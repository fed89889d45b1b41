"""A mark in the database that says whose it is; when a person let a request that may have been paid be made anew."""

from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.execute("PRAGMA application_id = 1514492756")
    op.execute("ALTER TABLE requests ADD COLUMN decided VARCHAR")

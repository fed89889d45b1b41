"""Each family of measures has a version of its own; a row without them has one for all."""

from alembic import op

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    op.execute("ALTER TABLE measures ADD COLUMN families JSON")

"""What was heard of each clip of a trial, and where and on what somebody sat at a session."""

from alembic import op

revision = "0016"
down_revision = "0015"


def upgrade() -> None:
    op.execute("ALTER TABLE answers ADD COLUMN heard JSON")
    op.execute("ALTER TABLE sessions ADD COLUMN sittings JSON")

"""What is done with a listening test since it was opened, and more of what listeners say of themselves."""

from alembic import op

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    op.execute("ALTER TABLE tests ADD COLUMN conduct JSON")
    op.execute("ALTER TABLE tests ADD COLUMN pool JSON")
    op.execute("ALTER TABLE sessions ADD COLUMN checks JSON")
    op.execute("ALTER TABLE listeners ADD COLUMN about JSON")

"""Voices that a service made of recordings: who may use them, of which, and whether they are deleted there; and
candidates that are held to one language."""

from alembic import op

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    op.execute("ALTER TABLE own_voices ADD COLUMN at_service JSON")
    op.execute("ALTER TABLE candidates ADD COLUMN one_language BOOLEAN NOT NULL DEFAULT 0")

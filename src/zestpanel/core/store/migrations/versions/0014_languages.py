"""The language that a version of a passage was in: a take is of a text in a language."""

from alembic import op

revision = "0014"
down_revision = "0013"


def upgrade() -> None:
    op.execute("ALTER TABLE passage_versions ADD COLUMN language VARCHAR")

"""Impressions of a voice, dated, written or spoken; and what a listener says aloud beside an answer."""

from alembic import op

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    op.execute("""
        CREATE TABLE impressions (
            id INTEGER NOT NULL PRIMARY KEY, engine VARCHAR NOT NULL, voice VARCHAR NOT NULL, words VARCHAR NOT NULL,
            spoken VARCHAR NOT NULL, blind BOOLEAN NOT NULL, created VARCHAR NOT NULL, removed VARCHAR
        )
    """)
    op.execute("CREATE INDEX impressions_by_voice ON impressions (engine, voice)")
    op.execute("ALTER TABLE answers ADD COLUMN spoken VARCHAR")

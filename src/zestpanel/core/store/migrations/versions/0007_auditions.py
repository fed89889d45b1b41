"""Requests made to hear a line or to try an engine: a row each, beside those of runs."""

from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    op.execute("""
        CREATE TABLE auditions (
            id INTEGER NOT NULL PRIMARY KEY,
            engine VARCHAR NOT NULL, model VARCHAR NOT NULL, "plan" VARCHAR NOT NULL, voice VARCHAR NOT NULL,
            text VARCHAR NOT NULL, asked VARCHAR NOT NULL, state VARCHAR NOT NULL, opened VARCHAR NOT NULL,
            closed VARCHAR, requests INTEGER NOT NULL, characters INTEGER NOT NULL, sound_s FLOAT,
            failure_kind VARCHAR, failure_text VARCHAR, clip VARCHAR, reply JSON
        )
    """)
    op.execute("CREATE INDEX auditions_by_request ON auditions (asked)")

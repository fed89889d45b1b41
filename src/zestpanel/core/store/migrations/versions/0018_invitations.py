"""Sessions that are answered elsewhere, and answers that know who gave them as the how manieth."""

from alembic import op

revision = "0018"
down_revision = "0017"


def upgrade() -> None:
    op.execute("ALTER TABLE answers ADD COLUMN client VARCHAR")
    op.execute("ALTER TABLE answers ADD COLUMN sequence INTEGER")
    op.execute("ALTER TABLE answers ADD COLUMN client_clock VARCHAR")
    op.execute("CREATE UNIQUE INDEX answers_by_client ON answers (trial_id, client, sequence)")
    op.execute(
        "CREATE TABLE invitations (id INTEGER NOT NULL PRIMARY KEY, "
        "session_id INTEGER NOT NULL REFERENCES sessions (id), code VARCHAR NOT NULL UNIQUE, secret VARCHAR NOT NULL, "
        "clips VARCHAR NOT NULL, created VARCHAR NOT NULL, ended VARCHAR, came VARCHAR)"
    )

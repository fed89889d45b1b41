"""What was found along a clip, and what a person says of it."""

from alembic import op

revision = "0017"
down_revision = "0016"


def upgrade() -> None:
    op.execute("ALTER TABLE measures ADD COLUMN segments JSON")
    op.execute("ALTER TABLE measures ADD COLUMN curves BLOB")
    op.execute(
        "CREATE TABLE verdicts (id INTEGER NOT NULL PRIMARY KEY, take_id INTEGER NOT NULL REFERENCES takes (id), "
        "kind VARCHAR NOT NULL, start_s FLOAT NOT NULL, end_s FLOAT NOT NULL, real BOOLEAN NOT NULL, "
        "created VARCHAR NOT NULL, removed VARCHAR)"
    )
    op.execute("CREATE INDEX verdicts_by_take ON verdicts (take_id)")

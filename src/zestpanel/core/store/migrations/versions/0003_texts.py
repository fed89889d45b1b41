"""Delivery marks, rights and tags of texts, dialogues and their turns, the pronunciation list, what was really sent."""

from alembic import op

revision = "0003"
down_revision = "0002"

STATEMENTS = """
ALTER TABLE passage_versions ADD COLUMN marks JSON;
ALTER TABLE passages ADD COLUMN tags JSON;
ALTER TABLE passages ADD COLUMN rights VARCHAR;
ALTER TABLE passages ADD COLUMN source VARCHAR;
ALTER TABLE passages ADD COLUMN translation_of INTEGER;
ALTER TABLE passages ADD COLUMN reviewed JSON;
ALTER TABLE passages ADD COLUMN dialogue VARCHAR;
ALTER TABLE passages ADD COLUMN speaker VARCHAR;
ALTER TABLE passages ADD COLUMN gap_s FLOAT;
ALTER TABLE takes ADD COLUMN sent JSON;
CREATE TABLE pronunciations (
    id INTEGER NOT NULL,
    word VARCHAR NOT NULL,
    language VARCHAR NOT NULL,
    engine VARCHAR NOT NULL,
    ipa VARCHAR NOT NULL,
    respelling VARCHAR NOT NULL,
    note VARCHAR NOT NULL,
    changed VARCHAR NOT NULL,
    removed VARCHAR,
    PRIMARY KEY (id)
);
"""


def upgrade() -> None:
    for statement in STATEMENTS.split(";"):
        if statement.strip():
            op.execute(statement)

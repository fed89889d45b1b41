"""The catalogue that is kept for years: statements, notes, set-up log, recordings, voices of one's own."""

from alembic import op

revision = "0002"
down_revision = "0001"

STATEMENTS = """
CREATE TABLE statements (
    id INTEGER NOT NULL,
    engine VARCHAR NOT NULL,
    about VARCHAR NOT NULL,
    item VARCHAR NOT NULL,
    fact VARCHAR NOT NULL,
    value JSON NOT NULL,
    source VARCHAR NOT NULL,
    dated VARCHAR,
    settles BOOLEAN NOT NULL,
    added VARCHAR NOT NULL,
    removed VARCHAR,
    PRIMARY KEY (id)
);

CREATE TABLE voice_notes (
    engine VARCHAR NOT NULL,
    voice VARCHAR NOT NULL,
    favourite BOOLEAN NOT NULL,
    tags JSON NOT NULL,
    words VARCHAR NOT NULL,
    changed VARCHAR NOT NULL,
    PRIMARY KEY (engine, voice)
);

CREATE TABLE setup_log (
    id INTEGER NOT NULL,
    engine VARCHAR NOT NULL,
    at VARCHAR NOT NULL,
    minutes FLOAT NOT NULL,
    words VARCHAR NOT NULL,
    removed VARCHAR,
    PRIMARY KEY (id)
);

CREATE TABLE recordings (
    id INTEGER NOT NULL,
    name VARCHAR NOT NULL,
    clip VARCHAR NOT NULL,
    duration_s FLOAT NOT NULL,
    rate_hz INTEGER NOT NULL,
    language VARCHAR NOT NULL,
    words VARCHAR NOT NULL,
    checks JSON NOT NULL,
    consent JSON,
    from_id INTEGER,
    how VARCHAR NOT NULL,
    created VARCHAR NOT NULL,
    removed VARCHAR,
    PRIMARY KEY (id),
    FOREIGN KEY(from_id) REFERENCES recordings (id)
);

CREATE TABLE own_voices (
    id INTEGER NOT NULL,
    engine VARCHAR NOT NULL,
    voice VARCHAR NOT NULL,
    name VARCHAR NOT NULL,
    language VARCHAR NOT NULL,
    made VARCHAR NOT NULL,
    recording_id INTEGER,
    described JSON NOT NULL,
    created VARCHAR NOT NULL,
    removed VARCHAR,
    PRIMARY KEY (id),
    UNIQUE (engine, voice),
    FOREIGN KEY(recording_id) REFERENCES recordings (id)
);

ALTER TABLE takes ADD COLUMN brought JSON;
"""


def upgrade() -> None:
    for statement in STATEMENTS.split(";"):
        if statement.strip():
            op.execute(statement)

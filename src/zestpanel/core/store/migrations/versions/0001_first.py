"""The first schema."""

from alembic import op

revision = "0001"
down_revision = None

STATEMENTS = """
CREATE TABLE candidates (
    id INTEGER NOT NULL,
    position INTEGER NOT NULL,
    engine VARCHAR NOT NULL,
    model VARCHAR NOT NULL,
    model_version VARCHAR NOT NULL,
    route VARCHAR NOT NULL,
    "plan" VARCHAR NOT NULL,
    voice VARCHAR NOT NULL,
    language VARCHAR NOT NULL,
    settings JSON NOT NULL,
    factory BOOLEAN NOT NULL,
    note VARCHAR NOT NULL,
    created VARCHAR NOT NULL,
    removed VARCHAR,
    PRIMARY KEY (id)
);

CREATE TABLE connectors (
    id INTEGER NOT NULL,
    engine VARCHAR NOT NULL,
    file_name VARCHAR NOT NULL,
    source VARCHAR NOT NULL,
    added VARCHAR NOT NULL,
    PRIMARY KEY (id),
    UNIQUE (engine)
);

CREATE TABLE documents (
    name VARCHAR NOT NULL,
    value JSON NOT NULL,
    PRIMARY KEY (name)
);

CREATE TABLE listeners (
    id INTEGER NOT NULL,
    alias VARCHAR NOT NULL,
    languages JSON NOT NULL,
    hearing VARCHAR NOT NULL,
    kit VARCHAR NOT NULL,
    simulated BOOLEAN NOT NULL,
    created VARCHAR NOT NULL,
    PRIMARY KEY (id),
    UNIQUE (alias)
);

CREATE TABLE log (
    id INTEGER NOT NULL,
    at VARCHAR NOT NULL,
    text VARCHAR NOT NULL,
    PRIMARY KEY (id)
);

CREATE TABLE passages (
    id INTEGER NOT NULL,
    position INTEGER NOT NULL,
    title VARCHAR NOT NULL,
    language VARCHAR NOT NULL,
    created VARCHAR NOT NULL,
    removed VARCHAR,
    PRIMARY KEY (id)
);

CREATE TABLE runs (
    id INTEGER NOT NULL,
    created VARCHAR NOT NULL,
    ended VARCHAR,
    repeats INTEGER NOT NULL,
    seed INTEGER NOT NULL,
    machine VARCHAR NOT NULL,
    PRIMARY KEY (id)
);

CREATE TABLE tests (
    id INTEGER NOT NULL,
    kind VARCHAR NOT NULL,
    settings JSON NOT NULL,
    created VARCHAR NOT NULL,
    closed VARCHAR,
    PRIMARY KEY (id)
);

CREATE TABLE passage_versions (
    id INTEGER NOT NULL,
    passage_id INTEGER NOT NULL,
    number INTEGER NOT NULL,
    text VARCHAR NOT NULL,
    sha256 VARCHAR NOT NULL,
    created VARCHAR NOT NULL,
    PRIMARY KEY (id),
    UNIQUE (passage_id, number),
    FOREIGN KEY(passage_id) REFERENCES passages (id)
);

CREATE TABLE sessions (
    id INTEGER NOT NULL,
    test_id INTEGER NOT NULL,
    listener_id INTEGER NOT NULL,
    trials JSON NOT NULL,
    created VARCHAR NOT NULL,
    finished VARCHAR,
    PRIMARY KEY (id),
    UNIQUE (test_id, listener_id),
    FOREIGN KEY(test_id) REFERENCES tests (id),
    FOREIGN KEY(listener_id) REFERENCES listeners (id)
);

CREATE TABLE requests (
    id INTEGER NOT NULL,
    run_id INTEGER NOT NULL,
    candidate_id INTEGER NOT NULL,
    passage_version_id INTEGER NOT NULL,
    repeat INTEGER NOT NULL,
    attempt INTEGER NOT NULL,
    "plan" VARCHAR NOT NULL,
    state VARCHAR NOT NULL,
    opened VARCHAR NOT NULL,
    closed VARCHAR,
    characters INTEGER NOT NULL,
    failure_kind VARCHAR,
    failure_text VARCHAR,
    PRIMARY KEY (id),
    FOREIGN KEY(run_id) REFERENCES runs (id),
    FOREIGN KEY(candidate_id) REFERENCES candidates (id),
    FOREIGN KEY(passage_version_id) REFERENCES passage_versions (id)
);

CREATE INDEX requests_by_state ON requests (state);

CREATE TABLE takes (
    id INTEGER NOT NULL,
    request_id INTEGER,
    candidate_id INTEGER NOT NULL,
    passage_version_id INTEGER NOT NULL,
    repeat INTEGER NOT NULL,
    obtained VARCHAR NOT NULL,
    clip VARCHAR NOT NULL,
    duration_s FLOAT NOT NULL,
    rate_hz INTEGER NOT NULL,
    channels INTEGER NOT NULL,
    peaks BLOB NOT NULL,
    timing JSON,
    voice_used VARCHAR NOT NULL,
    model_used VARCHAR NOT NULL,
    characters_billed INTEGER,
    created VARCHAR NOT NULL,
    starred BOOLEAN NOT NULL,
    PRIMARY KEY (id),
    FOREIGN KEY(request_id) REFERENCES requests (id),
    FOREIGN KEY(candidate_id) REFERENCES candidates (id),
    FOREIGN KEY(passage_version_id) REFERENCES passage_versions (id)
);

CREATE INDEX takes_by_cell ON takes (candidate_id, passage_version_id);

CREATE TABLE marks (
    id INTEGER NOT NULL,
    take_id INTEGER NOT NULL,
    at_s FLOAT NOT NULL,
    kind VARCHAR NOT NULL,
    note VARCHAR NOT NULL,
    created VARCHAR NOT NULL,
    removed VARCHAR,
    PRIMARY KEY (id),
    FOREIGN KEY(take_id) REFERENCES takes (id)
);

CREATE TABLE measures (
    take_id INTEGER NOT NULL,
    version INTEGER NOT NULL,
    "values" JSON NOT NULL,
    words JSON NOT NULL,
    words_by VARCHAR NOT NULL,
    PRIMARY KEY (take_id),
    FOREIGN KEY(take_id) REFERENCES takes (id)
);

CREATE TABLE ratings (
    id INTEGER NOT NULL,
    listener_id INTEGER NOT NULL,
    candidate_id INTEGER NOT NULL,
    passage_version_id INTEGER NOT NULL,
    session_id INTEGER,
    take_id INTEGER,
    trial INTEGER,
    scale VARCHAR NOT NULL,
    score FLOAT NOT NULL,
    training BOOLEAN NOT NULL,
    heard_share FLOAT,
    plays INTEGER,
    took_s FLOAT,
    origin VARCHAR NOT NULL,
    created VARCHAR NOT NULL,
    withdrawn BOOLEAN NOT NULL,
    PRIMARY KEY (id),
    FOREIGN KEY(listener_id) REFERENCES listeners (id),
    FOREIGN KEY(candidate_id) REFERENCES candidates (id),
    FOREIGN KEY(passage_version_id) REFERENCES passage_versions (id),
    FOREIGN KEY(session_id) REFERENCES sessions (id),
    FOREIGN KEY(take_id) REFERENCES takes (id)
);

CREATE INDEX ratings_by_cell ON ratings (candidate_id, passage_version_id);
"""


def upgrade() -> None:
    for statement in STATEMENTS.split(";"):
        if statement.strip():
            op.execute(statement)

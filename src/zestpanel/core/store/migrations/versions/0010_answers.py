"""Trials, their clips and their answers have tables of their own, so that any kind of listening test fits.

A rating becomes an answer of the same number; one that came in a table gets a test, a session and a trial of its own.
"""

import json
from collections import defaultdict

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    op.execute("""
        CREATE TABLE trials (
            id INTEGER NOT NULL PRIMARY KEY, session_id INTEGER NOT NULL REFERENCES sessions (id),
            place INTEGER NOT NULL, training BOOLEAN NOT NULL, detail JSON NOT NULL, UNIQUE (session_id, place)
        )
    """)
    op.execute("""
        CREATE TABLE stimuli (
            id INTEGER NOT NULL PRIMARY KEY, trial_id INTEGER NOT NULL REFERENCES trials (id), role VARCHAR NOT NULL,
            candidate_id INTEGER NOT NULL REFERENCES candidates (id),
            passage_version_id INTEGER NOT NULL REFERENCES passage_versions (id), take_id INTEGER REFERENCES takes (id)
        )
    """)
    op.execute("CREATE INDEX stimuli_by_trial ON stimuli (trial_id)")
    op.execute("CREATE INDEX stimuli_by_cell ON stimuli (candidate_id, passage_version_id)")
    op.execute("""
        CREATE TABLE answers (
            id INTEGER NOT NULL PRIMARY KEY, trial_id INTEGER NOT NULL REFERENCES trials (id), given JSON NOT NULL,
            heard_share FLOAT, plays INTEGER, took_s FLOAT, note VARCHAR NOT NULL, origin VARCHAR NOT NULL,
            created VARCHAR NOT NULL, withdrawn BOOLEAN NOT NULL
        )
    """)
    op.execute("CREATE INDEX answers_by_trial ON answers (trial_id)")
    _move(op.get_bind())
    op.execute("DROP TABLE ratings")
    op.execute("ALTER TABLE sessions DROP COLUMN trials")


def _move(connection: sa.Connection) -> None:
    """Everything is read, put together, and written in one statement a table."""
    trials: list[tuple] = []
    stimuli: list[tuple] = []
    places: dict[int, int] = defaultdict(int)  # the next one of each session
    at: dict[tuple, int] = {}  # (session, place), or what a table's rating is of -> trial
    whose = dict(tuple(row) for row in connection.exec_driver_sql("SELECT id, candidate_id FROM takes"))

    def trial(session: int, place: int, training: bool, candidate: int, version: int, take: int | None) -> int:
        number = len(trials) + 1
        trials.append((number, session, place, training, "{}"))
        stimuli.append((number, "judged", whose.get(take, candidate), version, take))
        places[session] = max(places[session], place + 1)
        at[(session, place)] = number
        return number

    for session, document in connection.exec_driver_sql("SELECT id, trials FROM sessions ORDER BY id").all():
        for place, (candidate, version, take, training) in enumerate(json.loads(document)):
            trial(session, place, bool(training), candidate, version, take)
    loose: dict[str, int] = {}
    own: dict[tuple[int, str], int] = {}
    answers: list[tuple] = []
    rows = connection.exec_driver_sql("""
        SELECT id, listener_id, candidate_id, passage_version_id, session_id, take_id, trial, score, training,
               heard_share, plays, took_s, origin, created, withdrawn FROM ratings ORDER BY id
    """).all()
    for (number, listener, candidate, version, session, take, place, score, training, heard, plays, took, origin,
         created, withdrawn) in rows:  # fmt: skip
        if session is None:
            if origin not in loose:
                loose[origin] = connection.exec_driver_sql(
                    "INSERT INTO tests (kind, settings, created, closed) VALUES ('ACR', ?, ?, ?)",
                    (json.dumps({"origin": origin}), created, created),
                ).lastrowid
            if (listener, origin) not in own:
                own[listener, origin] = connection.exec_driver_sql(
                    "INSERT INTO sessions (test_id, listener_id, trials, created, finished) VALUES (?, ?, '[]', ?, ?)",
                    (loose[origin], listener, created, created),
                ).lastrowid
            session = own[listener, origin]
            key: tuple = (session, candidate, version, take, place)
        else:
            key = (session, place)
        if key not in at:
            at[key] = trial(session, places[session], bool(training), candidate, version, take)
        answers.append((number, at[key], json.dumps({"score": score}), heard, plays, took, "", origin, created,
                        bool(withdrawn)))  # fmt: skip
    for table, columns, found in (
        ("trials", "id, session_id, place, training, detail", trials),
        ("stimuli", "trial_id, role, candidate_id, passage_version_id, take_id", stimuli),
        ("answers", "id, trial_id, given, heard_share, plays, took_s, note, origin, created, withdrawn", answers),
    ):
        if found:
            marks = ", ".join("?" * (columns.count(",") + 1))
            connection.exec_driver_sql(f"INSERT INTO {table} ({columns}) VALUES ({marks})", found)

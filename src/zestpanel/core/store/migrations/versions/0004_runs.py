"""What a run was made under, what a take was asked for and found to be on arrival, sweeps, kinds of a person's time."""

from alembic import op

revision = "0004"
down_revision = "0003"

STATEMENTS = """
CREATE TABLE sweeps (
    id INTEGER NOT NULL,
    candidate_id INTEGER NOT NULL,
    spec JSON NOT NULL,
    created VARCHAR NOT NULL,
    removed VARCHAR,
    PRIMARY KEY (id)
);
ALTER TABLE candidates ADD COLUMN sweep_id INTEGER REFERENCES sweeps (id);
ALTER TABLE setup_log ADD COLUMN kind VARCHAR;
ALTER TABLE runs ADD COLUMN kind VARCHAR;
ALTER TABLE runs ADD COLUMN network VARCHAR;
ALTER TABLE runs ADD COLUMN conditions JSON;
ALTER TABLE runs ADD COLUMN of_run INTEGER;
ALTER TABLE requests ADD COLUMN beside INTEGER;
ALTER TABLE takes ADD COLUMN run_id INTEGER REFERENCES runs (id);
ALTER TABLE takes ADD COLUMN seed INTEGER;
ALTER TABLE takes ADD COLUMN asked VARCHAR;
ALTER TABLE takes ADD COLUMN copied_from INTEGER;
ALTER TABLE takes ADD COLUMN delivered VARCHAR;
ALTER TABLE takes ADD COLUMN doubts JSON;
ALTER TABLE takes ADD COLUMN accepted BOOLEAN;
ALTER TABLE takes ADD COLUMN note VARCHAR;
ALTER TABLE takes ADD COLUMN removed VARCHAR;
CREATE INDEX takes_by_asked ON takes (asked);
UPDATE takes SET run_id = (SELECT run_id FROM requests WHERE requests.id = takes.request_id);
"""


def upgrade() -> None:
    for statement in STATEMENTS.split(";"):
        if statement.strip():
            op.execute(statement)

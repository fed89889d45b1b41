"""Runs, the journal of their requests, takes with what was measured and marked, and lines asked for outside of runs."""

from __future__ import annotations

from sqlalchemy import JSON, Boolean, Column, Float, ForeignKey, Index, Integer, LargeBinary, String, Table

from zestpanel.core.store.schema.columns import id_of, metadata, own_id

runs = Table(
    "runs",
    metadata,
    own_id(),
    Column("created", String, nullable=False),
    Column("ended", String),
    Column("repeats", Integer, nullable=False),
    Column("seed", Integer, nullable=False),
    Column("machine", String, nullable=False),
    # why it was run: the plain bench, under load, at a set hour, a sweep, or an earlier run once more
    Column("kind", String),
    Column("network", String),
    Column("conditions", JSON),
    Column("of_run", Integer),
)

# The journal: a row is written open before each request and closed after it.
requests = Table(
    "requests",
    metadata,
    own_id(),
    id_of("runs"),
    id_of("candidates"),
    Column("passage_version_id", Integer, ForeignKey("passage_versions.id"), nullable=False),
    Column("repeat", Integer, nullable=False),
    Column("attempt", Integer, nullable=False),
    Column("plan", String, nullable=False),
    Column("state", String, nullable=False),
    Column("opened", String, nullable=False),
    Column("closed", String),
    Column("characters", Integer, nullable=False),
    Column("failure_kind", String),
    Column("failure_text", String),
    # requests to the same engine that were under way when this one began
    Column("beside", Integer),
    # seconds of sound that came, none while that is not known
    Column("sound_s", Float),
    # when a person said that what it asked for may be asked for again, although it may have been paid
    Column("decided", String),
    Index("requests_by_state", "state"),
)

takes = Table(
    "takes",
    metadata,
    own_id(),
    id_of("requests", nullable=True),
    id_of("candidates"),
    Column("passage_version_id", Integer, ForeignKey("passage_versions.id"), nullable=False),
    Column("repeat", Integer, nullable=False),
    Column("obtained", String, nullable=False),
    Column("clip", String, nullable=False),
    Column("duration_s", Float, nullable=False),
    Column("rate_hz", Integer, nullable=False),
    Column("channels", Integer, nullable=False),
    Column("peaks", LargeBinary, nullable=False),
    Column("timing", JSON),
    Column("voice_used", String, nullable=False),
    Column("model_used", String, nullable=False),
    Column("characters_billed", Integer),
    Column("created", String, nullable=False),
    Column("starred", Boolean, nullable=False),
    Column("brought", JSON),
    # the texts of the requests it was made with, as sent; none for clips that came from elsewhere
    Column("sent", JSON),
    Column("run_id", Integer, ForeignKey("runs.id")),
    Column("seed", Integer),
    # what was asked for, as one digest: the same digest would be the same request
    Column("asked", String),
    # an identical take of another cell that this one was served from, without a request
    Column("copied_from", Integer),
    # the file as it was delivered, where the clip is a decoding of it
    Column("delivered", String),
    # what was found odd on arrival, and whether a person lets it count all the same
    Column("doubts", JSON),
    Column("accepted", Boolean),
    Column("note", String),
    Column("removed", String),
    Index("takes_by_cell", "candidate_id", "passage_version_id"),
    Index("takes_by_asked", "asked"),
)

measures = Table(
    "measures",
    metadata,
    Column("take_id", Integer, ForeignKey("takes.id"), primary_key=True),
    Column("version", Integer, nullable=False),
    Column("values", JSON, nullable=False),
    Column("words", JSON, nullable=False),
    Column("words_by", String, nullable=False),
    Column("families", JSON),  # versions by family; NULL where ``version`` stands for all
    Column("segments", JSON),  # stretches: kind, start, end (s), size, what it is about
    Column("curves", LargeBinary),  # packed: see ``measures/tracks.py``
)

marks = Table(
    "marks",
    metadata,
    own_id(),
    id_of("takes"),
    Column("at_s", Float, nullable=False),
    Column("kind", String, nullable=False),
    Column("note", String, nullable=False),
    Column("created", String, nullable=False),
    Column("removed", String),
)

# What a person says of a stretch that a measure found: kept by place and kind, so that it outlives the measure's rules.
verdicts = Table(
    "verdicts",
    metadata,
    own_id(),
    id_of("takes"),
    Column("kind", String, nullable=False),
    Column("start_s", Float, nullable=False),
    Column("end_s", Float, nullable=False),
    Column("real", Boolean, nullable=False),
    Column("created", String, nullable=False),
    Column("removed", String),
    Index("verdicts_by_take", "take_id"),
)

# Lines asked for to hear a voice or to try an engine, outside of runs: written open before, closed after.
auditions = Table(
    "auditions",
    metadata,
    own_id(),
    Column("engine", String, nullable=False),
    Column("model", String, nullable=False),
    Column("plan", String, nullable=False),
    Column("voice", String, nullable=False),
    Column("text", String, nullable=False),
    Column("asked", String, nullable=False),
    Column("state", String, nullable=False),
    Column("opened", String, nullable=False),
    Column("closed", String),
    Column("requests", Integer, nullable=False),
    Column("characters", Integer, nullable=False),
    Column("sound_s", Float),
    Column("failure_kind", String),
    Column("failure_text", String),
    Column("clip", String),
    # what the reply said about itself
    Column("reply", JSON),
    Index("auditions_by_request", "asked"),
)

log = Table("log", metadata, own_id(), Column("at", String, nullable=False), Column("text", String, nullable=False))

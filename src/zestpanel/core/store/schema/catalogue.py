"""What is known of engines and voices, what is on the shortlist, and the recordings voices are made from."""

from __future__ import annotations

from sqlalchemy import JSON, Boolean, Column, Float, ForeignKey, Index, Integer, String, Table, UniqueConstraint

from zestpanel.core.store.schema.columns import metadata, own_id

connectors = Table(
    "connectors",
    metadata,
    own_id(),
    Column("engine", String, unique=True, nullable=False),
    Column("file_name", String, nullable=False),
    Column("source", String, nullable=False),
    Column("added", String, nullable=False),
)

# What the user states of an engine, a model, a plan or a voice, beside what its connector file says.
statements = Table(
    "statements",
    metadata,
    own_id(),
    Column("engine", String, nullable=False),
    Column("about", String, nullable=False),
    Column("item", String, nullable=False),
    Column("fact", String, nullable=False),
    Column("value", JSON, nullable=False),
    Column("source", String, nullable=False),
    Column("dated", String),
    Column("settles", Boolean, nullable=False),
    Column("added", String, nullable=False),
    Column("removed", String),
)

voice_notes = Table(
    "voice_notes",
    metadata,
    Column("engine", String, primary_key=True),
    Column("voice", String, primary_key=True),
    Column("favourite", Boolean, nullable=False),
    Column("tags", JSON, nullable=False),
    Column("words", String, nullable=False),
    Column("changed", String, nullable=False),
)

# What somebody thought of a voice on a day; only ever added to, so that the first one stands beside the later ones.
impressions = Table(
    "impressions",
    metadata,
    own_id(),
    Column("engine", String, nullable=False),
    Column("voice", String, nullable=False),
    Column("words", String, nullable=False),
    Column("spoken", String, nullable=False),
    Column("blind", Boolean, nullable=False),
    Column("created", String, nullable=False),
    Column("removed", String),
    Index("impressions_by_voice", "engine", "voice"),
)

# The time a person spent on an engine; kind says on what, none stands for setting it up.
setup_log = Table(
    "setup_log",
    metadata,
    own_id(),
    Column("engine", String, nullable=False),
    Column("at", String, nullable=False),
    Column("minutes", Float, nullable=False),
    Column("words", String, nullable=False),
    Column("removed", String),
    Column("kind", String),
)

# Recordings that voices are made from; a trimmed or cleaned one is a row of its own that points to where it came from.
recordings = Table(
    "recordings",
    metadata,
    own_id(),
    Column("name", String, nullable=False),
    Column("clip", String, nullable=False),
    Column("duration_s", Float, nullable=False),
    Column("rate_hz", Integer, nullable=False),
    Column("language", String, nullable=False),
    Column("words", String, nullable=False),
    Column("checks", JSON, nullable=False),
    Column("consent", JSON),
    Column("from_id", Integer, ForeignKey("recordings.id")),
    Column("how", String, nullable=False),
    Column("created", String, nullable=False),
    Column("removed", String),
)

own_voices = Table(
    "own_voices",
    metadata,
    own_id(),
    Column("engine", String, nullable=False),
    Column("voice", String, nullable=False),
    Column("name", String, nullable=False),
    Column("language", String, nullable=False),
    Column("made", String, nullable=False),
    Column("recording_id", Integer, ForeignKey("recordings.id")),
    Column("described", JSON, nullable=False),
    Column("created", String, nullable=False),
    Column("removed", String),
    Column("at_service", JSON(none_as_null=True)),
    UniqueConstraint("engine", "voice"),
)

candidates = Table(
    "candidates",
    metadata,
    own_id(),
    Column("position", Integer, nullable=False),
    Column("engine", String, nullable=False),
    Column("model", String, nullable=False),
    Column("model_version", String, nullable=False),
    Column("route", String, nullable=False),
    Column("plan", String, nullable=False),
    Column("voice", String, nullable=False),
    Column("language", String, nullable=False),
    Column("settings", JSON, nullable=False),
    Column("factory", Boolean, nullable=False),
    Column("note", String, nullable=False),
    Column("created", String, nullable=False),
    Column("removed", String),
    # a point of a sweep: heard and measured like any other, but not on the shortlist
    Column("sweep_id", Integer, ForeignKey("sweeps.id")),
    # when the same request began to give another sound; the candidate that goes on names the first of them
    Column("ended", String),
    Column("first_id", Integer),
    Column("one_language", Boolean, nullable=False, server_default="0"),
)

sweeps = Table(
    "sweeps",
    metadata,
    own_id(),
    Column("candidate_id", Integer, nullable=False),
    Column("spec", JSON, nullable=False),
    Column("created", String, nullable=False),
    Column("removed", String),
)

"""The tables of project.sqlite. Takes, ratings and the journal are only ever added to."""

from __future__ import annotations

from sqlalchemy import (
    JSON,
    Boolean,
    Column,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    String,
    Table,
    UniqueConstraint,
)

metadata = MetaData()


def _id() -> Column[int]:
    return Column("id", Integer, primary_key=True)


def _to(table: str, *, nullable: bool = False) -> Column[int]:
    return Column(f"{table.rstrip('s')}_id", Integer, ForeignKey(f"{table}.id"), nullable=nullable)


documents = Table(
    "documents", metadata, Column("name", String, primary_key=True), Column("value", JSON, nullable=False)
)

connectors = Table(
    "connectors",
    metadata,
    _id(),
    Column("engine", String, unique=True, nullable=False),
    Column("file_name", String, nullable=False),
    Column("source", String, nullable=False),
    Column("added", String, nullable=False),
)

# What the user states of an engine, a model, a plan or a voice, beside what its connector file says.
statements = Table(
    "statements",
    metadata,
    _id(),
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
    _id(),
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
    _id(),
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
    _id(),
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
    _id(),
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
    _id(),
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
    _id(),
    Column("candidate_id", Integer, nullable=False),
    Column("spec", JSON, nullable=False),
    Column("created", String, nullable=False),
    Column("removed", String),
)

passages = Table(
    "passages",
    metadata,
    _id(),
    Column("position", Integer, nullable=False),
    Column("title", String, nullable=False),
    Column("language", String, nullable=False),
    Column("created", String, nullable=False),
    Column("removed", String),
    Column("tags", JSON),
    Column("rights", String),
    Column("source", String),
    Column("translation_of", Integer),
    Column("reviewed", JSON),
    # a turn of a dialogue: its dialogue, who says it, and the gap before it where it is not the dialogue's own
    Column("dialogue", String),
    Column("speaker", String),
    Column("gap_s", Float),
)

passage_versions = Table(
    "passage_versions",
    metadata,
    _id(),
    _to("passages"),
    Column("number", Integer, nullable=False),
    Column("text", String, nullable=False),
    Column("sha256", String, nullable=False),
    Column("created", String, nullable=False),
    Column("marks", JSON),
    UniqueConstraint("passage_id", "number"),
)

pronunciations = Table(
    "pronunciations",
    metadata,
    _id(),
    Column("word", String, nullable=False),
    Column("language", String, nullable=False),
    Column("engine", String, nullable=False),
    Column("ipa", String, nullable=False),
    Column("respelling", String, nullable=False),
    Column("note", String, nullable=False),
    Column("changed", String, nullable=False),
    Column("removed", String),
)

runs = Table(
    "runs",
    metadata,
    _id(),
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
    _id(),
    _to("runs"),
    _to("candidates"),
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
    _id(),
    _to("requests", nullable=True),
    _to("candidates"),
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
)

marks = Table(
    "marks",
    metadata,
    _id(),
    _to("takes"),
    Column("at_s", Float, nullable=False),
    Column("kind", String, nullable=False),
    Column("note", String, nullable=False),
    Column("created", String, nullable=False),
    Column("removed", String),
)

tests = Table(
    "tests",
    metadata,
    _id(),
    Column("kind", String, nullable=False),
    Column("settings", JSON, nullable=False),
    Column("created", String, nullable=False),
    Column("closed", String),
    Column("conduct", JSON),
    Column("pool", JSON),  # the takes it may play, fixed when its first listener begins
)

listeners = Table(
    "listeners",
    metadata,
    _id(),
    Column("alias", String, unique=True, nullable=False),
    Column("languages", JSON, nullable=False),
    Column("hearing", String, nullable=False),
    Column("kit", String, nullable=False),
    Column("simulated", Boolean, nullable=False),
    Column("created", String, nullable=False),
    Column("about", JSON),  # accent, audience, age, own voice, forgotten
)

sessions = Table(
    "sessions",
    metadata,
    _id(),
    _to("tests"),
    _to("listeners"),
    Column("created", String, nullable=False),
    Column("finished", String),
    Column("checks", JSON),  # of the level and of headphones, as they went last
    UniqueConstraint("test_id", "listener_id"),
)

# What a listener is asked, in order. detail: what the kind of test drew for it.
trials = Table(
    "trials",
    metadata,
    _id(),
    _to("sessions"),
    Column("place", Integer, nullable=False),
    Column("training", Boolean, nullable=False),
    Column("detail", JSON, nullable=False),
    UniqueConstraint("session_id", "place"),
)

# The clips of a trial, in the order they are heard or switched.
stimuli = Table(
    "stimuli",
    metadata,
    _id(),
    _to("trials"),
    Column("role", String, nullable=False),
    _to("candidates"),
    Column("passage_version_id", Integer, ForeignKey("passage_versions.id"), nullable=False),
    _to("takes", nullable=True),
    Index("stimuli_by_trial", "trial_id"),
    Index("stimuli_by_cell", "candidate_id", "passage_version_id"),
)

# Append-only: a later row for the same trial replaces an earlier one, a row with withdrawn set takes it back.
answers = Table(
    "answers",
    metadata,
    _id(),
    _to("trials"),
    Column("given", JSON, nullable=False),
    Column("heard_share", Float),
    Column("plays", Integer),
    Column("took_s", Float),
    Column("note", String, nullable=False),
    Column("origin", String, nullable=False),
    Column("created", String, nullable=False),
    Column("withdrawn", Boolean, nullable=False),
    # the clip of a remark that was spoken
    Column("spoken", String),
    Index("answers_by_trial", "trial_id"),
)

# Lines asked for to hear a voice or to try an engine, outside of runs: written open before, closed after.
auditions = Table(
    "auditions",
    metadata,
    _id(),
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

log = Table("log", metadata, _id(), Column("at", String, nullable=False), Column("text", String, nullable=False))

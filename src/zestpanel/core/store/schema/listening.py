"""Listening tests: listeners, what they are asked, and what they answer."""

from __future__ import annotations

from sqlalchemy import JSON, Boolean, Column, Float, ForeignKey, Index, Integer, String, Table, UniqueConstraint

from zestpanel.core.store.schema.columns import id_of, metadata, own_id

tests = Table(
    "tests",
    metadata,
    own_id(),
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
    own_id(),
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
    own_id(),
    id_of("tests"),
    id_of("listeners"),
    Column("created", String, nullable=False),
    Column("finished", String),
    Column("checks", JSON),  # of the level and of headphones, as they went last
    Column("sittings", JSON),  # from when to when, on what, where
    UniqueConstraint("test_id", "listener_id"),
)

# What a listener is asked, in order. detail: what the kind of test drew for it.
trials = Table(
    "trials",
    metadata,
    own_id(),
    id_of("sessions"),
    Column("place", Integer, nullable=False),
    Column("training", Boolean, nullable=False),
    Column("detail", JSON, nullable=False),
    UniqueConstraint("session_id", "place"),
)

# The clips of a trial, in the order they are heard or switched.
stimuli = Table(
    "stimuli",
    metadata,
    own_id(),
    id_of("trials"),
    Column("role", String, nullable=False),
    id_of("candidates"),
    Column("passage_version_id", Integer, ForeignKey("passage_versions.id"), nullable=False),
    id_of("takes", nullable=True),
    Index("stimuli_by_trial", "trial_id"),
    Index("stimuli_by_cell", "candidate_id", "passage_version_id"),
)

# Append-only: a later row for the same trial replaces an earlier one, a row with withdrawn set takes it back.
answers = Table(
    "answers",
    metadata,
    own_id(),
    id_of("trials"),
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
    Column("heard", JSON),  # of each lane: the share of it, and how often it was started
    # where it was given, as the how manieth there, and what the clock there said
    Column("client", String),
    Column("sequence", Integer),
    Column("client_clock", String),
    Index("answers_by_trial", "trial_id"),
    Index("answers_by_client", "trial_id", "client", "sequence", unique=True),
)

# Sessions that were written into a file of their own. secret: what their answers are signed with. clips: in which form
# they are in it. ended: from when on its answers are not taken in any more; came: when answers came last.
invitations = Table(
    "invitations",
    metadata,
    own_id(),
    id_of("sessions"),
    Column("code", String, unique=True, nullable=False),
    Column("secret", String, nullable=False),
    Column("clips", String, nullable=False),
    Column("created", String, nullable=False),
    Column("ended", String),
    Column("came", String),
)

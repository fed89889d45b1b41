"""Passages with their versions, the list of pronunciations, and small documents kept whole."""

from __future__ import annotations

from sqlalchemy import JSON, Column, Float, Integer, String, Table, UniqueConstraint

from zestpanel.core.store.schema.columns import id_of, metadata, own_id

documents = Table(
    "documents", metadata, Column("name", String, primary_key=True), Column("value", JSON, nullable=False)
)

passages = Table(
    "passages",
    metadata,
    own_id(),
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
    own_id(),
    id_of("passages"),
    Column("number", Integer, nullable=False),
    Column("text", String, nullable=False),
    Column("sha256", String, nullable=False),
    Column("created", String, nullable=False),
    Column("marks", JSON),
    Column("language", String),  # none: that of the passage, which has not changed since
    UniqueConstraint("passage_id", "number"),
)

pronunciations = Table(
    "pronunciations",
    metadata,
    own_id(),
    Column("word", String, nullable=False),
    Column("language", String, nullable=False),
    Column("engine", String, nullable=False),
    Column("ipa", String, nullable=False),
    Column("respelling", String, nullable=False),
    Column("note", String, nullable=False),
    Column("changed", String, nullable=False),
    Column("removed", String),
)

"""The catalogue in and out: one open, versioned document for everything known of engines; tables for voices and votes.

Format 'zest-catalogue: 1', YAML or JSON: a list of engines, each with its connector file's text as it is, the
statements, notes and set-up log of the user. Round trips are exact. It never holds a key. JSON Schemas: docs/schema/.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from datetime import date
from typing import Any, Final, Literal, Protocol

import yaml
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from zestpanel.core.catalogue.changes import Change, engine_changes
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Engine, Voice
from zestpanel.core.catalogue.key_looks import refuse_keys
from zestpanel.core.catalogue.unsaid import refuse_unsaid
from zestpanel.core.catalogue.yaml_text import Loader
from zestpanel.core.errors import InputError, TableError
from zestpanel.core.store.notes import SETTING_UP, VoiceNote
from zestpanel.core.store.parts import HasNotes, HasShortlist
from zestpanel.core.table_rows import csv_text, table_rows
from zestpanel.core.texts import tr


class CatalogueParts(HasShortlist, HasNotes, Protocol):
    """What is known of engines."""


CATALOGUE_VERSION: Final = 1
LARGEST_MB: Final = 50
_VOICE_COLUMNS: Final = ("engine", "id", "name", "languages", "gender", "age", "tier", "styles", "character", "grade")


class _Document(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class StatedFact(_Document):
    """A statement of the user: see the list of facts for ``about`` and ``fact``."""

    about: Literal["engine", "model", "plan", "voice"]
    item: str = ""
    fact: str
    value: bool | int | float | str | list[str | int]
    source: str = ""
    dated: date | None = None
    settles: bool = False


class NoteOnVoice(_Document):
    voice: str
    favourite: bool = False
    tags: list[str] = []
    words: str = ""


class SetupLine(_Document):
    at: str
    minutes: float
    kind: str = SETTING_UP
    words: str


class EngineEntry(_Document):
    """connector: the connector file's text, word for word; file: its name; voices: as last fetched from the service."""

    file: str
    connector: str
    voices: list[Voice] = []
    statements: list[StatedFact] = []
    notes: list[NoteOnVoice] = []
    setup: list[SetupLine] = []


class Catalogue(_Document):
    format: Literal[1] = Field(alias="zest-catalogue")
    engines: list[EngineEntry]


def export_catalogue(project: CatalogueParts, *, engines: Sequence[str] | None = None) -> Catalogue:
    """Everything known of the engines (all, or those named)."""
    statements, notes = project.notes.statements(), project.notes.voices()
    entries = []
    for name, (_, source, file_name) in project.shortlist.files().items():
        if engines is not None and name not in engines:
            continue
        entries.append(
            EngineEntry(
                file=file_name,
                connector=source,
                voices=project.shortlist.fetched(name),
                statements=[
                    StatedFact(
                        about=s.about,
                        item=s.item,
                        fact=s.fact,
                        value=list(s.statement.value) if isinstance(s.statement.value, tuple) else s.statement.value,
                        source=s.statement.source,
                        dated=s.statement.dated,
                        settles=s.settles,
                    )
                    for s in statements.get(name, [])
                ],
                notes=[
                    NoteOnVoice(voice=n.voice, favourite=n.favourite, tags=list(n.tags), words=n.words)
                    for n in notes.values()
                    if n.engine == name and not n.empty
                ],
                setup=[
                    SetupLine(at=e.at, minutes=e.minutes, words=e.words, kind=e.kind) for e in project.notes.setup(name)
                ],
            )
        )
    return Catalogue.model_validate({"zest-catalogue": CATALOGUE_VERSION, "engines": entries})


def as_json(catalogue: Catalogue) -> str:
    return catalogue.model_dump_json(by_alias=True, exclude_defaults=True, indent=1)


class _Dumper(yaml.CSafeDumper):
    """Writes texts of several lines as they are, so that a connector file can be read within the catalogue."""


def _text(dumper: yaml.CSafeDumper, text: str) -> yaml.ScalarNode:
    return dumper.represent_scalar("tag:yaml.org,2002:str", text, style="|" if "\n" in text else None)


_Dumper.add_representer(str, _text)


def as_yaml(catalogue: Catalogue) -> str:
    data = json.loads(as_json(catalogue))
    return yaml.dump(data, Dumper=_Dumper, allow_unicode=True, sort_keys=False, width=120)


def parse_catalogue(text: str, *, name: str) -> Catalogue:
    """Read a catalogue; every connector file in it is checked too. Raises InputError naming the engine."""
    try:
        data = yaml.load(text, Loader=Loader)  # noqa: S506 ours is a safe loader
    except (yaml.YAMLError, ValueError, RecursionError) as error:
        mark = getattr(error, "problem_mark", None)
        at = tr(", line {line}", line=mark.line + 1) if mark is not None else ""
        raise InputError(tr("{name}: this is neither YAML nor JSON.", name=name + at), kept=_KEPT) from error
    if not isinstance(data, dict) or "zest-catalogue" not in data:
        raise InputError(tr("{name}: this is no catalogue; it lacks 'zest-catalogue: 1'.", name=name), kept=_KEPT)
    if data["zest-catalogue"] != CATALOGUE_VERSION:
        raise InputError(
            tr(
                "{name} is written in catalogue format {number}; this program reads format 1.",
                name=name,
                number=data["zest-catalogue"],
            ),
            kept=_KEPT,
            remedy=tr("Open it with a newer program."),
        )
    try:
        catalogue = Catalogue.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(part) for part in first["loc"])
        raise InputError(f"{name}: {place}: {first['msg'].lower()}.", kept=_KEPT) from error
    for entry in catalogue.engines:
        engine = parse_connector(entry.connector, name=f"{name}, {entry.file}")
        refuse_keys(engine, name=f"{name}, {entry.file}")
        refuse_unsaid(engine, name=f"{name}, {entry.file}")
    return catalogue


def is_catalogue(text: str) -> bool:
    """Whether a text is meant to be a catalogue (and not one connector file)."""
    return any(mark in text[:4000] for mark in ("zest-catalogue:", '"zest-catalogue"'))


def preview(project: CatalogueParts, catalogue: Catalogue) -> list[Change]:
    """What taking the catalogue over would change. Engines that it does not name stay: they are not listed as gone."""
    files = project.shortlist.files()
    out = []
    for entry in catalogue.engines:
        engine = parse_connector(entry.connector, name=entry.file)
        if engine.engine not in files:
            out.append(Change(state="new", about="engine", name=engine.engine, what=f"{len(engine.voices)} voices"))
            continue
        out += [
            Change(state=c.state, about=f"{c.about} of {engine.engine}", name=c.name, what=c.what)
            for c in engine_changes(files[engine.engine][0], engine)
        ]
        out += _note_changes(project, engine.engine, entry)
    return out


def _note_changes(project: CatalogueParts, engine: str, entry: EngineEntry) -> list[Change]:
    mine = next(iter(export_catalogue(project, engines=[engine]).engines))
    out = []
    fresh = [s for s in entry.statements if s not in mine.statements]
    if fresh:
        names = ", ".join(dict.fromkeys(s.fact for s in fresh))
        out.append(Change(state="new", about=tr("statements on {engine}", engine=engine), name=names))
    out += [Change(state="changed", about=tr("note on a voice of {engine}", engine=engine), name=n.voice)
            for n in entry.notes if n not in mine.notes]  # fmt: skip
    return out


def take_over(project: CatalogueParts, catalogue: Catalogue) -> None:
    """Add or replace the engines of a catalogue with their statements, notes and log; nothing of ours is removed."""
    for entry in catalogue.engines:
        engine = parse_connector(entry.connector, name=entry.file)
        before = export_catalogue(project, engines=[engine.engine]).engines
        mine = before[0] if before else EngineEntry(file="", connector="")
        project.shortlist.add_engine(engine, entry.connector, entry.file)
        if entry.voices:
            project.shortlist.put_fetched(engine.engine, entry.voices)
        for stated in entry.statements:
            if stated not in mine.statements:
                project.notes.state(
                    engine.engine,
                    stated.about,
                    stated.item,
                    stated.fact,
                    stated.value,
                    source=stated.source,
                    dated=stated.dated,
                    settles=stated.settles,
                )
        project.notes.put_voices(
            [
                VoiceNote(engine=engine.engine, voice=n.voice, favourite=n.favourite, tags=tuple(n.tags), words=n.words)
                for n in entry.notes
            ]
        )
        have = {(line.at, line.minutes, line.words) for line in mine.setup}
        for line in entry.setup:
            if (line.at, line.minutes, line.words) not in have:
                project.notes.log_setup(engine.engine, line.minutes, line.words, at=line.at, kind=line.kind)


# -- tables


def voices_as_csv(engines: Sequence[Engine]) -> str:
    """Voices of engines, a row each; lists are joined by '; '."""
    rows = [list(_VOICE_COLUMNS)]
    for engine in engines:
        for voice in engine.voices:
            cells = [getattr(voice, column) for column in _VOICE_COLUMNS[1:]]
            rows.append([engine.engine, *("; ".join(c) if isinstance(c, tuple) else str(c) for c in cells)])
    return csv_text(rows)


def voices_from_csv(text: str, *, name: str) -> dict[str, list[Voice]]:
    """Voices by engine. Columns may come in any order; id and languages are needed. Raises TableError."""
    rows = table_rows(text, name=name, kept=_KEPT)
    if not rows or not {"engine", "id", "languages"} <= set(rows[0]):
        raise TableError(
            tr("{name}: a table of voices has the columns engine, id and languages.", name=name), kept=_KEPT
        )
    out: dict[str, list[Voice]] = {}
    for number, row in enumerate(rows, 2):
        stated: dict[str, Any] = {}
        for column in _VOICE_COLUMNS[1:]:
            value = (row.get(column) or "").strip()
            if column in ("languages", "styles", "character"):
                stated[column] = [part.strip() for part in value.split(";") if part.strip()]
            elif value:
                stated[column] = value
        try:
            voice = Voice.model_validate(stated)
        except ValidationError as error:
            field = error.errors()[0]["loc"][0]
            raise TableError(
                tr(
                    "{name}, row {number}: '{field}' is missing or makes no sense.",
                    name=name,
                    number=number,
                    field=field,
                ),
                kept=_KEPT,
            ) from error
        out.setdefault((row["engine"] or "").strip(), []).append(voice)
    return out


_KEPT: Final = tr("Nothing was taken over.")


class Vote(_Document):
    """One row of somebody else's vote table. strength: their figure; votes: how many it rests on."""

    name: str
    strength: float | None = None
    wins: float | None = None
    votes: int | None = None


def votes_from_csv(text: str, *, name: str) -> list[Vote]:
    """A vote table: columns name, and strength or wins, and votes. An outside opinion, never mixed into scores."""
    rows = table_rows(text, name=name, kept=_KEPT)
    columns = set(rows[0]) if rows else set()
    if "name" not in columns or not columns & {"strength", "wins"}:
        raise TableError(tr("{name}: a vote table has the columns name, and strength or wins.", name=name), kept=_KEPT)
    out = []
    for number, row in enumerate(rows, 2):
        try:
            out.append(
                Vote(
                    name=row["name"].strip(),
                    strength=float(row["strength"]) if row.get("strength") else None,
                    wins=float(row["wins"]) if row.get("wins") else None,
                    votes=int(row["votes"]) if row.get("votes") else None,
                )
            )
        except (ValueError, AttributeError) as error:
            raise TableError(
                tr("{name}, row {number}: a figure is no number.", name=name, number=number), kept=_KEPT
            ) from error
    if not any(vote.name for vote in out):
        raise TableError(tr("{name}: no row names anything.", name=name), kept=_KEPT)
    return out

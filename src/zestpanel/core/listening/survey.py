"""Tables as survey forms give them: a row a listener, a column a question. A map says which column is whose, once.

The map is a table itself: ``column,what,passage,candidate``; what is listener, languages, score or nothing.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Final, Literal

from zestpanel.core.catalogue.candidate import candidate_name
from zestpanel.core.errors import InputError, TableError
from zestpanel.core.listening.scales import SCALES
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.shortlist import Shortlist
from zestpanel.core.store.stored import Stored
from zestpanel.core.store.texts import Texts
from zestpanel.core.table_rows import csv_text, numbered_rows
from zestpanel.core.text_files import read_text, write_text
from zestpanel.core.texts import tr

What = Literal["listener", "languages", "score", ""]
WHATS: Final[tuple[What, ...]] = ("listener", "languages", "score", "")
MAP_COLUMNS: Final = ("column", "what", "passage", "candidate")
NEEDED: Final = frozenset({"listener", "passage", "candidate", "score"})
_KEPT: Final = tr("Nothing was read.")
_MOST_MB: Final = 50
_WORDS: Final = {words.casefold(): score for scale in SCALES.values() for score, words in scale.steps.items()}


@dataclass(frozen=True, slots=True, kw_only=True)
class Column:
    """What a column of the form holds. passage and candidate: of a score, by number or name."""

    column: str
    what: What
    passage: str = ""
    candidate: str = ""


def columns_of(text: str) -> list[str]:
    """Names in the first line, as they stand. Raises TableError for a line that is none of a table."""
    lines = text.removeprefix("\ufeff").splitlines()
    head = lines[0] if lines else ""
    delimiter = next((d for d in ("\t", ";") if d in head), ",")
    try:
        return [one.strip() for one in next(csv.reader([head], delimiter=delimiter), [])]
    except csv.Error as error:
        raise TableError(tr("This is no table that can be read ({error}).", error=error), kept=_KEPT) from error


def is_survey(text: str) -> bool:
    """Whether a table is no table of ratings, and may be one of a form."""
    return not {one.lower() for one in columns_of(text)} >= NEEDED


def drafted(columns: Sequence[str], passages: Sequence[str], candidates: Sequence[str]) -> list[Column]:
    """What the columns may be, by their names: one that names a passage and a candidate is a score, the first other one
    the listener."""
    out: list[Column] = []
    has_listener = False
    for name in columns:
        passage, candidate = _named(name, passages), _named(name, candidates)
        if passage and candidate:
            out.append(Column(column=name, what="score", passage=passage, candidate=candidate))
        elif "language" in name.lower():
            out.append(Column(column=name, what="languages"))
        elif not has_listener and not re.search(r"time|date|stamp", name, re.IGNORECASE):
            has_listener = True
            out.append(Column(column=name, what="listener"))
        else:
            out.append(Column(column=name, what=""))
    return out


def _named(column: str, names: Sequence[str]) -> str:
    """The longest of the names that stands in the column's, '' for none."""
    found = [one for one in names if one and one.casefold() in column.casefold()]
    return max(found, key=len, default="")


def ratings_of(text: str, name: str, columns: Sequence[Column]) -> str:
    """The form's answers as a table of ratings. Empty cells are no answers. Raises TableError for a cell that is no
    score, InputError for a map without a listener or without a score."""
    listener = next((one.column for one in columns if one.what == "listener"), None)
    scores = [one for one in columns if one.what == "score"]
    if listener is None or not scores:
        raise InputError(tr("{name}: one column is the listener, and at least one a score.", name=name), kept=_KEPT,
                         remedy=tr("Say which, column by column."))  # fmt: skip
    if bare := next((one for one in scores if not one.passage or not one.candidate), None):
        raise InputError(tr("{name}: whose answer is column '{column}'?", name=name, column=bare.column), kept=_KEPT,
                         remedy=tr("Name a passage and a candidate, or leave the column out."))  # fmt: skip
    spoken = next((one.column.lower() for one in columns if one.what == "languages"), "")
    rows = [["listener", "passage", "candidate", "score", "languages"]]
    needs = [one.column.lower() for one in (*scores, *(c for c in columns if c.what == "listener"))]
    for line, row in numbered_rows(text, name=name, kept=_KEPT, needs=needs, nothing="answers"):
        for one in scores:
            cell = row[one.column.lower()].strip()
            if cell:
                rows.append(
                    [
                        row[listener.lower()].strip(),
                        one.passage,
                        one.candidate,
                        str(_score(cell, f"{name}, row {line}, column {one.column}")),
                        row.get(spoken, ""),
                    ]
                )
    return csv_text(rows)


def _score(cell: str, where: str) -> int:
    """'4', '4 - Good' or 'Good'."""
    if found := re.match(r"\s*(\d+)", cell):
        return int(found[1])
    if cell.casefold() in _WORDS:
        return _WORDS[cell.casefold()]
    raise TableError(tr("{where}: '{cell}' is no score.", where=where, cell=cell), kept=_KEPT)


# -- maps as files


def map_text(columns: Sequence[Column]) -> str:
    return csv_text([list(MAP_COLUMNS), *([c.column, c.what, c.passage, c.candidate] for c in columns)])


def map_of(text: str, name: str) -> list[Column]:
    """Raises TableError."""
    out = []
    for line, row in numbered_rows(text, name=name, kept=_KEPT, needs=MAP_COLUMNS):
        what = next((one for one in WHATS if one == row["what"].strip().lower()), None)
        if what is None:
            raise TableError(
                tr(
                    "{name}, row {line}, column what: '{what}' is not listener, languages, score or empty.",
                    name=name,
                    line=line,
                    what=row["what"],
                ),
                kept=_KEPT,
            )
        out.append(Column(column=row["column"].strip(), what=what, passage=row["passage"].strip(),
                          candidate=row["candidate"].strip()))  # fmt: skip
    return out


def as_ratings(form: Path, map_file: Path) -> Path:
    """A form's answers as a table of ratings beside it. Where there is no map yet one is drafted, to be filled in: then
    InputError says so."""
    text = read_text(form, most_mb=_MOST_MB, kept=_KEPT, error=TableError)
    if not map_file.exists():
        write_text(map_file, map_text(drafted(columns_of(text), (), ())), kept=_KEPT)
        said = tr("{map_file} was written, with a line for each column of {form}.",
                  map_file=map_file.name, form=form.name)  # fmt: skip
        raise InputError(said, kept=_KEPT,
                         remedy=tr("Fill in what, passage and candidate of each, then run this again."))  # fmt: skip
    columns = map_of(read_text(map_file, most_mb=_MOST_MB, kept=_KEPT, error=TableError), map_file.name)
    out = form.with_name(f"{form.stem}-ratings.csv")
    write_text(out, ratings_of(text, form.name, columns), kept=_KEPT)
    return out


# -- maps kept in the project, one for each set of columns

_MAPS: Final[Stored[tuple[tuple[Column, ...], ...]]] = Stored("survey maps", tuple[tuple[Column, ...], ...], ())


def known_or_drafted(shortlist: Shortlist, documents: Documents, texts: Texts, text: str) -> list[Column]:
    """The map that was agreed to for these columns before, else a draft by their names."""
    columns = columns_of(text)
    for kept in _MAPS.read(documents):
        if [one.column for one in kept] == columns:
            return list(kept)
    engines = shortlist.engines()
    names = [candidate_name(c, engines.get(c.engine)) for c in shortlist.candidates()]
    return drafted(columns, [p.title for p in texts.all()], names)


def keep_map(documents: Documents, columns: Sequence[Column]) -> None:
    named = [one.column for one in columns]
    others = [kept for kept in _MAPS.read(documents) if [one.column for one in kept] != named]
    _MAPS.write(documents, (*others, tuple(columns)))

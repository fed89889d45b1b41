"""Tables as survey forms and programs give them, in any shape: a column a clip, a candidate or a scale, or a row a
score. A map says which column is what, once.

The map is a table itself: ``column,what,passage,candidate,scale``; what is one of ``WHATS``, or nothing.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Final, Literal

from zestpanel.core.catalogue.candidate import candidate_name
from zestpanel.core.domain.listening import QUALITY
from zestpanel.core.errors import InputError, TableError
from zestpanel.core.listening.foreign_tables import is_empty, table_of
from zestpanel.core.listening.rating_files import scale_named, score_of
from zestpanel.core.listening.scales import FROM_TABLES, SCALES
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.shortlist import Shortlist
from zestpanel.core.store.stored import Stored
from zestpanel.core.store.texts import Texts
from zestpanel.core.table_rows import csv_text, numbered_rows
from zestpanel.core.text_files import read_text, write_text
from zestpanel.core.texts import tr

What = Literal["listener", "languages", "passage", "candidate", "scale", "score", ""]
WHATS: Final[tuple[What, ...]] = ("listener", "languages", "passage", "candidate", "scale", "score", "")
MAP_COLUMNS: Final = ("column", "what", "passage", "candidate")
NEEDED: Final = frozenset({"listener", "passage", "candidate", "score"})
_KEPT: Final = tr("Nothing was read.")
_MOST_MB: Final = 50
_LOOKED_AT: Final = 200  # rows, from which a draft guesses
_WORDS: Final = {words.casefold(): name for name, scale in SCALES.items() for words in scale.steps.values()}
_NAMED: Final[Mapping[What, str]] = {
    "listener": r"listener|rater|participant|subject|judge|respondent|assessor|evaluator|annotator|worker|user|email",
    "languages": r"languages?",
    "passage": r"passage|sentence|text|utterance|item|script|prompt|line",
    "candidate": r"candidate|voice|system|engine|model|condition|speaker",
    "scale": r"scale|question|criterion|dimension|attribute",
    "score": r"score|rating|mos|value|answer|grade|vote|opinion",
}
_OF_MEANS: Final = re.compile(r"\b(n|sd|std|stdev|se|sem|ci|variance|count)\b")


@dataclass(frozen=True, slots=True, kw_only=True)
class Column:
    """What a column of the form holds. passage, candidate and scale: of a score, by number or name, '' where another
    column says."""

    column: str
    what: What
    passage: str = ""
    candidate: str = ""
    scale: str = ""


def columns_of(text: str) -> list[str]:
    """Names in the first line, as they stand. Raises TableError for a line that is none of a table."""
    return next(iter(_rows(text, 1)), [])


def _rows(text: str, most: int) -> list[list[str]]:
    lines = text.removeprefix("\ufeff").splitlines()
    head = lines[0] if lines else ""
    delimiter = next((d for d in ("\t", ";") if d in head), ",")
    try:
        return [[one.strip() for one in row] for row, _ in zip(csv.reader(lines, delimiter=delimiter), range(most),
                                                               strict=False)]  # fmt: skip
    except csv.Error as error:
        raise TableError(tr("This is no table that can be read ({error}).", error=error), kept=_KEPT) from error


def examples_of(text: str) -> dict[str, list[str]]:
    """By column, the first cells of it that say something."""
    rows = _rows(text, _LOOKED_AT)
    head, cells = rows[0] if rows else [], rows[1:]
    return {name: [row[k] for row in cells if k < len(row) and not is_empty(row[k])] for k, name in enumerate(head)}


def is_survey(text: str) -> bool:
    """Whether a table is no table of ratings, and may be one of a form."""
    return not {one.lower() for one in columns_of(text)} >= NEEDED


def drafted(
    columns: Sequence[str], passages: Sequence[str], candidates: Sequence[str],
    examples: Mapping[str, Sequence[str]] | None = None,
) -> list[Column]:  # fmt: skip
    """What the columns may be, by their names and by what stands in them: one that names a candidate, or a passage and
    a candidate, is a score, the first that is nothing else the listener."""
    seen = examples or {}
    out: list[Column] = []
    for name in columns:
        passage, candidate, cells = _named(name, passages), _named(name, candidates), seen.get(name, ())
        scale = next((one for one, of in SCALES.items() if _key(name) in (_key(one), _key(of.short))), "")
        if candidate and (passage or _are_scores(cells)):
            out.append(Column(column=name, what="score", passage=passage, candidate=candidate, scale=_range(cells)))
        elif scale and _are_scores(cells):
            out.append(Column(column=name, what="score", scale=scale))
        elif (what := _what(name, cells, passages, candidates)) and not any(what == one.what for one in out):
            out.append(Column(column=name, what=what, scale=_range(cells) if what == "score" else ""))
        else:
            out.append(Column(column=name, what=""))
    if not any(one.what == "listener" for one in out):
        no_name = re.compile(r"time|date|stamp|comment|remark|note", re.IGNORECASE)
        first = next((k for k, one in enumerate(out) if not one.what and not no_name.search(one.column)), None)
        if first is not None:
            out[first] = replace(out[first], what="listener")
    return out


def _key(name: str) -> str:
    return " ".join(name.casefold().replace("_", " ").split())


def _what(name: str, cells: Sequence[str], passages: Sequence[str], candidates: Sequence[str]) -> What:
    """By what stands in it, else by its name."""
    for what, known in (("passage", passages), ("candidate", candidates)):
        names = {_key(one) for one in known}
        if cells and names and sum(_key(cell) in names for cell in cells) > len(cells) / 2:
            return what  # type: ignore[return-value]
    if cells and all(cell.casefold() in _WORDS for cell in cells):
        return "score"
    last = re.split(r"[.:/]", _key(name))[-1]
    found = next((what for what, words in _NAMED.items() if re.search(rf"\b({words})\b", last)), "")
    if not found and "name" in _key(name).split():
        return "listener"
    return "" if found == "score" and not _are_scores(cells) and cells else found  # type: ignore[return-value]


def _number(cell: str) -> float | None:
    found = re.match(r"\s*\d+(?:[.,]\d+)?", cell)
    return float(found[0].replace(",", ".")) if found else None


def _are_scores(cells: Sequence[str]) -> bool:
    return bool(cells) and all(_number(cell) is not None or cell.casefold() in _WORDS for cell in cells)


def _range(cells: Sequence[str]) -> str:
    """The scale that numbers beyond 5 are on, '' for others."""
    numbers = [number for cell in cells if (number := _number(cell)) is not None]
    top = max(numbers, default=0.0)
    if top <= 5:
        return ""
    return next((name for name, of in reversed(FROM_TABLES.items()) if top <= of.high), "")


def _named(column: str, names: Sequence[str]) -> str:
    """The longest of the names that stands in the column's, '' for none."""
    found = [one for one in names if one and one.casefold() in column.casefold()]
    return max(found, key=len, default="")


def ratings_of(text: str, name: str, columns: Sequence[Column]) -> str:
    """The form's answers as a table of ratings. Empty cells are no answers. Raises TableError for a cell that is no
    score, InputError for a map without a listener or without a score."""
    where = {what: next((one.column for one in columns if one.what == what), "") for what in WHATS if what != "score"}
    scores = [one for one in columns if one.what == "score"]
    if not where["listener"] or not scores:
        means = any(_OF_MEANS.search(one.column.casefold()) for one in columns)
        outside = tr("Means with a number of listeners are no answers: as name and strength, dropped on the window, "
                     "they are kept as evidence from outside.")  # fmt: skip
        remedy = outside if means else tr("Say which, column by column.")
        raise InputError(tr("{name}: one column is the listener, and at least one a score.", name=name), kept=_KEPT,
                         remedy=remedy)  # fmt: skip
    if bare := next((one for one in scores if not (one.passage or where["passage"]) or
                     not (one.candidate or where["candidate"])), None):  # fmt: skip
        raise InputError(tr("{name}: whose answer is column '{column}'?", name=name, column=bare.column), kept=_KEPT,
                         remedy=tr("Name a passage and a candidate, or the columns that say them."))  # fmt: skip
    rows = [["listener", "passage", "candidate", "score", "languages", "scale"]]
    needs = [one.column.lower() for one in (*scores, *(c for c in columns if c.what == "listener"))]
    for line, row in numbered_rows(text, name=name, kept=_KEPT, needs=needs, nothing="answers"):
        said = {what: row.get(column.lower(), "").strip() if column else "" for what, column in where.items()}
        for one in scores:
            cell, place = row[one.column.lower()].strip(), f"{name}, row {line}, column {one.column}"
            if is_empty(cell):
                continue
            scale = scale_named(one.scale or said["scale"], place) if one.scale or said["scale"] else _of_word(cell)
            score = score_of(cell, scale, place)
            rows.append([said["listener"], one.passage or said["passage"], one.candidate or said["candidate"],
                         f"{score:g}", said["languages"], "" if scale == QUALITY else scale])  # fmt: skip
    return csv_text(rows)


def _of_word(cell: str) -> str:
    """Quality, unless the words are those of another scale."""
    words = cell.casefold()
    own = {step.casefold() for step in SCALES[QUALITY].steps.values()}
    return QUALITY if words in own else _WORDS.get(words, QUALITY)


# -- maps as files


def map_text(columns: Sequence[Column]) -> str:
    rows = ([c.column, c.what, c.passage, c.candidate, c.scale] for c in columns)
    return csv_text([[*MAP_COLUMNS, "scale"], *rows])


def map_of(text: str, name: str) -> list[Column]:
    """Raises TableError."""
    out = []
    for line, row in numbered_rows(text, name=name, kept=_KEPT, needs=MAP_COLUMNS):
        what = next((one for one in WHATS if one == row["what"].strip().lower()), None)
        if what is None:
            raise TableError(
                tr(
                    "{name}, row {line}, column what: '{what}' is not listener, languages, passage, candidate, scale, "
                    "score or empty.",
                    name=name,
                    line=line,
                    what=row["what"],
                ),
                kept=_KEPT,
            )
        out.append(Column(column=row["column"].strip(), what=what, passage=row["passage"].strip(),
                          candidate=row["candidate"].strip(), scale=row.get("scale", "").strip()))  # fmt: skip
    return out


def as_ratings(form: Path, map_file: Path) -> Path:
    """A form's answers as a table of ratings beside it. Where there is no map yet one is drafted, to be filled in: then
    InputError says so."""
    text = table_of(form, kept=_KEPT).text
    if not map_file.exists():
        write_text(map_file, map_text(drafted(columns_of(text), (), (), examples_of(text))), kept=_KEPT)
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
    return drafted(columns, [p.title for p in texts.all()], names, examples_of(text))


def keep_map(documents: Documents, columns: Sequence[Column]) -> None:
    named = [one.column for one in columns]
    others = [kept for kept in _MAPS.read(documents) if [one.column for one in kept] != named]
    _MAPS.write(documents, (*others, tuple(columns)))

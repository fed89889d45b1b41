"""Ratings in from a table: CSV with the columns listener, passage, candidate, score, and where known languages."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Final

from zestpanel.core.catalogue.candidate import candidate_name
from zestpanel.core.domain.listening import QUALITY
from zestpanel.core.errors import TableError
from zestpanel.core.listening.foreign_tables import is_empty, table_of
from zestpanel.core.listening.parts import AnswerParts
from zestpanel.core.listening.scales import FROM_TABLES, SCALES
from zestpanel.core.table_rows import numbered_rows
from zestpanel.core.texts import tr, trn

COLUMNS: Final = ("listener", "passage", "candidate", "score")
SCALE: Final = "scale"  # the scale of a score; may be left out, then it is from 1 to 5
LANGUAGES: Final = "languages"  # the languages a listener speaks, such as 'en fr'; may be left out
_KEPT: Final = tr("No rating was added.")


@dataclass(frozen=True, slots=True)
class Imported:
    """count: ratings that were added; empty: cells that said that there is none."""

    count: int
    empty: int = 0
    note: str = ""

    def says(self, name: str) -> str:
        said = [trn("{count} rating from {name}.", "{count} ratings from {name}.", self.count, count=self.count,
                    name=name)]  # fmt: skip
        if self.empty:
            said.append(trn("{n} empty cell was left out.", "{n} empty cells were left out.", self.empty, n=self.empty))
        return " ".join([*said, self.note]).strip()


def import_ratings(
    project: AnswerParts, path: Path, *, origin: str = "file", simulated: bool = False, languages: Sequence[str] = ()
) -> Imported:
    """Add a table's ratings, all or none. Raises TableError naming file, row and column; see
    ``import_rating_text``."""
    sheet = table_of(path, kept=_KEPT)
    found = import_rating_text(project, sheet.text, path.name, origin=origin, simulated=simulated, languages=languages)
    return replace(found, note=sheet.note)


def import_rating_text(
    project: AnswerParts, text: str, name: str, *, origin: str = "file", simulated: bool = False,
    languages: Sequence[str] = (),
) -> Imported:  # fmt: skip
    """Add the ratings of a table's text, all or none. Raises TableError naming row and column.

    languages: what all listeners of the table speak, where it has no column for it. A listener whose languages are not
    known is kept, but counts in no score until they are stated.

    passage and candidate are given by their number in the project's lists (from 1), or by name when it is unique:
    'Engine · Voice' or 'Engine Voice' for a candidate, the title for a passage. Scores are 1 to 5, or on the scale that
    the table names: its words are scores, too. Scores of each scale are a test of their own.
    """
    rows = rows_of(text, name)
    passages = project.texts.all()
    by_passage: dict[str, list[int]] = {}
    for number, passage in enumerate(passages, 1):
        for key in (str(number), _key(passage.title)):
            by_passage.setdefault(key, []).append(passage.version_id)
    engines = project.shortlist.engines()
    by_candidate: dict[str, list[int]] = {}
    for number, candidate in enumerate(project.shortlist.candidates(), 1):
        called = candidate_name(candidate, engines.get(candidate.engine))
        for key in (str(number), _key(called), _key(called.replace(" · ", " "))):
            by_candidate.setdefault(key, []).append(candidate.id)
    found = []
    spoken: dict[str, list[str]] = {}
    seen: dict[tuple[str, int, int, str], int] = {}
    empty = 0
    for line, row in rows:
        where = tr("{name}, row {line}", name=name, line=line)
        if not row["listener"].strip():
            raise TableError(tr("{where}: the listener is empty.", where=where), kept=_KEPT)
        if is_empty(row["score"]):
            empty += 1
            continue
        scale = scale_named(row.get(SCALE, ""), where)
        score = score_of(row["score"], scale, tr("{where}, column score", where=where))
        passage_id = _one(by_passage, row["passage"], "passage", where)
        candidate_id = _one(by_candidate, row["candidate"], "candidate", where)
        alias = row["listener"].strip()
        earlier = seen.setdefault((alias, passage_id, candidate_id, scale), line)
        if earlier != line:
            raise TableError(
                tr(
                    "{where}: {alias} rates this candidate on this passage in row {earlier} already.",
                    where=where,
                    alias=alias,
                    earlier=earlier,
                ),
                kept=_KEPT,
                remedy=tr("Keep the one that counts; one listener gives one rating a clip."),
            )
        spoken.setdefault(alias, []).extend(_tags(row.get(LANGUAGES, "")))
        found.append((alias, passage_id, candidate_id, score, scale))
    known = {
        alias: project.panel.add_listener(
            alias, languages=list(dict.fromkeys(tags)) or list(languages), simulated=simulated
        ).id
        for alias, tags in spoken.items()
    }
    project.answers.add_ratings(
        [
            {
                "listener_id": known[alias],
                "candidate_id": candidate_id,
                "passage_version_id": passage_id,
                "score": score,
                "origin": origin,
                "scale": scale,
            }
            for alias, passage_id, candidate_id, score, scale in found
        ]
    )
    return Imported(len(found), empty)


def rows_of(text: str, file: str) -> list[tuple[int, dict[str, str]]]:
    """The rows of a table of ratings with the numbers of their lines. Raises TableError."""
    return numbered_rows(text, name=file, kept=_KEPT, needs=COLUMNS, nothing="ratings")


def _tags(cell: str) -> list[str]:
    """Language tags of a cell: 'en, fr' or 'en fr'."""
    return [tag.lower() for tag in cell.replace(",", " ").replace(";", " ").split()]


def scale_named(cell: str, where: str) -> str:
    """The name of a scale as it is stored; quality for none. Raises TableError."""
    wanted = _key(cell)
    if not wanted or wanted in ("score", _key(QUALITY)):
        return QUALITY
    every = SCALES | FROM_TABLES
    found = next((one for one, scale in every.items() if wanted in (_key(one), _key(scale.short))), None)
    found = found or next((one for one in FROM_TABLES if wanted.replace("-", " to ").replace("–", " to ") == one), None)
    if found is None:
        raise TableError(tr("{where}, column scale: '{cell}' is no scale that is known here.", where=where, cell=cell),
                         kept=_KEPT, remedy=tr("Known are: {names}.", names=", ".join(every)))  # fmt: skip
    return found


def score_of(cell: str, scale: str, where: str) -> float:
    """'4', '4,5', '4 - Good' or 'Good', on a scale. Raises TableError."""
    of = SCALES.get(scale) or FROM_TABLES[scale]
    words = {_key(step): float(score) for score, step in of.steps.items()}
    if (said := words.get(_key(cell))) is not None:
        return said
    number = re.match(r"\s*[-+−]?\d+(?:[.,]\d+)?", cell)
    score = float(number[0].replace(",", ".").replace("−", "-")) if number else math.nan
    if not of.low <= score <= of.high:
        wider = next((one for one, other in reversed(FROM_TABLES.items()) if other.low <= score <= other.high), None)
        remedy = tr("If the scale goes from {low} to {high}, say so in a column scale: {wider}.",
                    low=FROM_TABLES[wider].low, high=FROM_TABLES[wider].high, wider=wider) if wider else (
                    tr("Or one of its words: {words}.", words=", ".join(of.steps.values())))  # fmt: skip
        raise TableError(
            tr("{where}: '{cell}' is not a number from {low} to {high}.", where=where, cell=cell.strip()[:40],
               low=of.low, high=of.high), kept=_KEPT, remedy=remedy,
        )  # fmt: skip
    return score


def _one(known: dict[str, list[int]], cell: str, what: str, where: str) -> int:
    ids = known.get(_key(cell), [])
    if len(set(ids)) != 1:
        problem = tr("names several") if ids else tr("names no")
        raise TableError(
            tr(
                "{where}, column {what}: '{cell}' {problem} {what2}{x} of the project.",
                where=where,
                what=what,
                cell=cell,
                problem=problem,
                what2=what,
                x="s" if ids else "",
            ),
            kept=_KEPT,
            remedy=tr("Use its number in the list."),
        )
    return ids[0]


def _key(text: str) -> str:
    return " ".join(text.casefold().split())

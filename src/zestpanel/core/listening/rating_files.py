"""Ratings in from a table: CSV with the columns listener, passage, candidate, score, and where known languages."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Final

from zestpanel.core.catalogue.candidate import candidate_name
from zestpanel.core.errors import TableError
from zestpanel.core.listening.parts import AnswerParts
from zestpanel.core.table_rows import numbered_rows
from zestpanel.core.text_files import read_text
from zestpanel.core.texts import tr

COLUMNS: Final = ("listener", "passage", "candidate", "score")
LANGUAGES: Final = "languages"  # the languages a listener speaks, such as 'en fr'; may be left out
_KEPT: Final = tr("No rating was added.")


def import_ratings(
    project: AnswerParts, path: Path, *, origin: str = "file", simulated: bool = False, languages: Sequence[str] = ()
) -> int:
    """Add a table's ratings, all or none; returns how many. Raises TableError naming file, row and column; see
    ``import_rating_text``."""
    text = read_text(path, most_mb=50, kept=_KEPT, error=TableError)
    return import_rating_text(project, text, path.name, origin=origin, simulated=simulated, languages=languages)


def import_rating_text(
    project: AnswerParts, text: str, name: str, *, origin: str = "file", simulated: bool = False,
    languages: Sequence[str] = (),
) -> int:  # fmt: skip
    """Add the ratings of a table's text, all or none; returns how many. Raises TableError naming row and column.

    languages: what all listeners of the table speak, where it has no column for it. A listener whose languages are not
    known is kept, but counts in no score until they are stated.

    passage and candidate are given by their number in the project's lists (from 1), or by name when it is unique:
    'Engine · Voice' or 'Engine Voice' for a candidate, the title for a passage. Scores are 1 to 5.
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
    seen: dict[tuple[str, int, int], int] = {}
    for line, row in rows:
        where = tr("{name}, row {line}", name=name, line=line)
        if not row["listener"].strip():
            raise TableError(tr("{where}: the listener is empty.", where=where), kept=_KEPT)
        score = _score(row["score"], where)
        passage_id = _one(by_passage, row["passage"], "passage", where)
        candidate_id = _one(by_candidate, row["candidate"], "candidate", where)
        alias = row["listener"].strip()
        earlier = seen.setdefault((alias, passage_id, candidate_id), line)
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
        found.append((alias, passage_id, candidate_id, score))
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
            }
            for alias, passage_id, candidate_id, score in found
        ]
    )
    return len(found)


def rows_of(text: str, file: str) -> list[tuple[int, dict[str, str]]]:
    """The rows of a table of ratings with the numbers of their lines. Raises TableError."""
    return numbered_rows(text, name=file, kept=_KEPT, needs=COLUMNS, nothing="ratings")


def _tags(cell: str) -> list[str]:
    """Language tags of a cell: 'en, fr' or 'en fr'."""
    return [tag.lower() for tag in cell.replace(",", " ").replace(";", " ").split()]


def _score(cell: str, where: str) -> float:
    try:
        score = float(cell.strip().replace(",", "."))
    except ValueError:
        score = float("nan")
    if not 1 <= score <= 5:
        raise TableError(
            tr("{where}, column score: '{cell}' is not a number from 1 to 5.", where=where, cell=cell), kept=_KEPT
        )
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

"""Answers in a plain table, without a project: what scores, preferences and agreement they give."""

from __future__ import annotations

from collections import defaultdict
from pathlib import Path
from typing import Any, Final

import numpy as np

from zestpanel.core.analysis.statistics.agreement import intraclass_correlation, krippendorff_alpha
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.listening import Listener, Rating
from zestpanel.core.errors import NotEnoughData, TableError
from zestpanel.core.listening.foreign_tables import is_empty, table_of
from zestpanel.core.listening.kind import Found
from zestpanel.core.listening.kinds.preference import FIRST, NEITHER, SECOND, preference_found
from zestpanel.core.listening.scales import FROM_TABLES
from zestpanel.core.listening.scores import Score, score_ratings
from zestpanel.core.table_rows import numbered_rows
from zestpanel.core.texts import tr

_KEPT: Final = tr("Nothing was computed.")
LINE: Final = "multi-stimulus"  # the scale of places from 0 to 100
CATEGORY: Final = 25.0  # what a category of a 5-point scale is on it
RATINGS: Final = ("listener", "passage", "candidate", "score")
_LEFT_OUT: Final = ("training", "anchor", "trap", "gold")  # roles whose answers are no scores
_SAID: Final = {
    "first": FIRST, "1": FIRST, "a": FIRST, "second": SECOND, "2": SECOND, "b": SECOND, "neither": NEITHER,
    "none": NEITHER, "0": NEITHER, "no preference": NEITHER, "equal": NEITHER,
}  # fmt: skip


def _rows(path: Path, needs: tuple[str, ...], nothing: str) -> list[tuple[int, dict[str, str]]]:
    text = table_of(path, kept=_KEPT).text
    return numbered_rows(text, name=path.name, kept=_KEPT, needs=needs, nothing=nothing)


def _ratings(path: Path) -> list[dict[str, Any]]:
    """Rows with a score as a number; those of training, anchors and traps left out, and those that are said not to
    count. Places on a line are brought to categories. Raises TableError."""
    out = []
    for line, row in _rows(path, RATINGS, "ratings"):
        if row.get("role", "").strip().lower() in _LEFT_OUT or row.get("counts", "").strip().lower() == "no":
            continue
        scale = row.get("scale", "").strip() or "score"
        known = FROM_TABLES.get("0 to 100" if scale == LINE else scale)
        low, high = (float(known.low), float(known.high)) if known is not None else (1.0, 5.0)
        if is_empty(row["score"]):
            continue
        try:
            score = float(row["score"].strip().replace(",", "."))
        except ValueError:
            score = float("nan")
        if not low <= score <= high:
            raise TableError(
                tr(
                    "{name}, row {line}, column score: '{row}' is not a number from {low} to {high}.",
                    name=path.name,
                    line=line,
                    row=row["score"],
                    low=f"{low:g}",
                    high=f"{high:g}",
                ),
                kept=_KEPT,
            )
        for column in RATINGS[:3]:
            if not row[column].strip():
                raise TableError(
                    tr("{name}, row {line}: the {column} is empty.", name=path.name, line=line, column=column),
                    kept=_KEPT,
                )
        score = 1 + (score - low) / known.category if known is not None else score
        out.append(
            {
                **{c: row[c].strip() for c in RATINGS[:3]},
                "score": score,
                "scale": scale,
                "version": int(version) if (version := row.get("passage_version", "").strip()).isdecimal() else 0,
            }
        )
    return out


def scores_of_table(path: Path) -> dict[str, list[tuple[str, Score]]]:
    """(candidate, score) by scale, the best first, under the one model that a project's scores are under. Every
    listener counts: a table without a project states no languages. Places on a line come in categories, 1 to 5; see
    ``on_the_line``. Raises TableError."""
    rows = _ratings(path)
    out: dict[str, list[tuple[str, Score]]] = {}
    for scale in dict.fromkeys(row["scale"] for row in rows):
        of = [row for row in rows if row["scale"] == scale]
        # numbers decide what is drawn together: texts in the order a project has them, where the table says so
        of.sort(key=lambda row: row["version"])
        numbers = {c: {name: k for k, name in enumerate(dict.fromkeys(row[c] for row in of), 1)} for c in RATINGS[:3]}
        names = {k: name for name, k in numbers["candidate"].items()}
        found = score_ratings(
            [
                Rating(id=k, listener_id=numbers["listener"][row["listener"]],
                       candidate_id=numbers["candidate"][row["candidate"]],
                       passage_version_id=numbers["passage"][row["passage"]], score=row["score"], scale=scale,
                       training=False, origin="file", trial=None, session_id=None)
                for k, row in enumerate(of)
            ],
            [Candidate(id=k, engine=name, model="", model_version="", route="", plan="", voice="", language="en")
             for k, name in names.items()],
            [Listener(id=k, alias=name, languages=("en",), hearing="", kit="", simulated=False)
             for name, k in numbers["listener"].items()],
            dict.fromkeys(numbers["passage"].values(), "en"),
        )  # fmt: skip
        out[scale] = sorted(((names[c], s) for c, s in found.by_candidate.items()), key=lambda one: -one[1].mean)
    return out


def preference_of_table(path: Path) -> Found:
    """From columns first, second, answer; or winner, loser and, where there are equal rows, count. Raises TableError,
    NotEnoughData."""
    text = table_of(path, kept=_KEPT).text
    head = text.partition("\n")[0].lower()
    votes: list[tuple[str, str, str]] = []
    if "winner" in head:
        for line, row in numbered_rows(text, name=path.name, kept=_KEPT, needs=("winner", "loser"), nothing="votes"):
            count = row.get("count", "1").strip() or "1"
            if not count.isdecimal() or int(count) > 1_000_000:
                raise TableError(
                    tr(
                        "{name}, row {line}, column count: '{count}' is no number of votes.",
                        name=path.name,
                        line=line,
                        count=count,
                    ),
                    kept=_KEPT,
                )
            votes += [(row["winner"].strip(), row["loser"].strip(), FIRST)] * int(count)
    else:
        for line, row in numbered_rows(text, name=path.name, kept=_KEPT, needs=("first", "second", "answer"),
                                       nothing="votes"):  # fmt: skip
            answer, first, second = row["answer"].strip(), row["first"].strip(), row["second"].strip()
            said = FIRST if answer == first else SECOND if answer == second else _SAID.get(answer.lower())
            if said is None:
                raise TableError(
                    tr("{name}, row {line}, column answer: '{answer}' is neither first, second, neither nor one "
"of the two.", name=path.name, line=line, answer=answer), kept=_KEPT,
                )  # fmt: skip
            votes.append((first, second, said))
    if odd := next(((a, b) for a, b, _ in votes if a == b or not a or not b), None):
        raise TableError(
            tr("{name}: '{odd}' is compared with '{odd2}'.", name=path.name, odd=odd[0], odd2=odd[1]),
            kept=_KEPT,
            remedy=tr("A vote is between two different candidates."),
        )
    return preference_found(votes, ordered="winner" not in head)


def agreement_of_table(path: Path) -> dict[str, dict[str, float | int | str | None]]:
    """By scale: Krippendorff's alpha over all ratings, and ICC(2,1) and ICC(2,k) over the clips that all listeners have
    rated. Raises TableError."""
    rows = _ratings(path)
    out: dict[str, dict[str, float | int | str | None]] = {}
    for scale in dict.fromkeys(row["scale"] for row in rows):
        cells: dict[tuple[str, str], dict[str, list[float]]] = defaultdict(lambda: defaultdict(list))
        for row in rows:
            if row["scale"] == scale:
                cells[row["passage"], row["candidate"]][row["listener"]].append(row["score"])
        listeners = list(dict.fromkeys(name for of in cells.values() for name in of))
        table = np.array([[np.mean(of[name]) if name in of else np.nan for name in listeners] for of in cells.values()])
        one: dict[str, float | int | str | None] = {"clips": len(table), "listeners": len(listeners)}
        try:
            one["alpha"] = krippendorff_alpha(table)
        except NotEnoughData as error:
            one |= {"alpha": None, "why": error.what}
        whole = table[~np.isnan(table).any(axis=1)]
        try:
            icc = intraclass_correlation(whole)
            one |= {"icc_single": icc.single, "icc_average": icc.average, "complete_clips": icc.items}
        except NotEnoughData as error:
            one |= {"icc_single": None, "icc_average": None, "why": error.what}
        out[scale] = one
    return out


def on_the_line(score: float) -> float:
    """A score in categories as a place from 0 to 100."""
    return CATEGORY * (score - 1)


def as_given(scale: str, score: float) -> float:
    """A score in categories on the scale that the table has it on."""
    known = FROM_TABLES.get("0 to 100" if scale == LINE else scale)
    return score if known is None else known.low + known.category * (score - 1)

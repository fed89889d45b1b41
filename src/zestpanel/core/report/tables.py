"""The evidence as tables: rows of text for CSV files and for the clipboard."""

from __future__ import annotations

import csv
import math
from pathlib import Path

from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.domain.money import Money, shown
from zestpanel.core.evidence.registry import exported
from zestpanel.core.own_files import written_beside
from zestpanel.core.table_rows import as_text


def _money(value: Money | None) -> str:
    return "" if value is None else shown(value.amount).replace(",", "")


def _plain(value: float | None, places: int) -> str:
    """A figure, '' for none; a wait that never ended is named."""
    return "" if value is None else "gave up" if math.isinf(value) else f"{value:.{places}f}"


def evidence_table(evaluation: Evaluation) -> list[list[str]]:
    """One row a candidate, in ranking order; the first row names the columns with their units, in English in every
    language of the interface. Missing is empty. Every figure that is declared for exports has its column."""
    shown = exported()
    head = [
        "candidate", "detail", "model version", "route", "plan", "language", "takes", "how sure", "95 % low",
        "95 % high", "listeners", "passages", "ratings", "not told apart", *(one.column for one in shown), "failed",
        "requests", "characters a minute", "per 1,000 characters", "per finished minute", "per episode", "per month",
        "currency", "gates failed", "gates unknown", "rights denied", "place in its language", "total",
        *(f"weight of {one.name}" for one in evaluation.criteria),
    ]  # fmt: skip
    rows = [head]
    for ranked in evaluation.ranking:
        row = evaluation.rows[ranked.candidate_id]
        score, s, cost = evaluation.score_in(ranked.candidate_id, ranked.language), row.summary, row.cost
        language = evaluation.scores.of_language(ranked.language)
        crossed = score.crossed if score else None
        total = cost.month.total
        rows.append(
            [
                row.name,
                row.detail,
                row.candidate.model_version,
                row.candidate.route,
                row.plan.name,
                row.candidate.language,
                str(len(s.takes)),
                "nobody has heard this" if score is None else "preliminary" if score.preliminary else "",
                _plain(crossed.low if crossed else None, 2),
                _plain(crossed.high if crossed else None, 2),
                str(score.listeners if score else 0),
                str(score.passages if score else 0),
                str(score.ratings if score else 0),
                score.letters if score else "",
                *(one.exported(row, language) for one in shown),
                str(sum(s.failures.values())),
                str(s.requests),
                "" if s.rates.assumed else f"{s.rates.characters_per_minute:.0f}",
                _money(cost.per_thousand),
                _money(cost.per_minute),
                _money(cost.per_episode),
                _money(total if cost.month.covers else None),
                total.currency if total else "",
                "; ".join(g.code for g in row.gates if g.verdict == "no"),
                "; ".join(g.code for g in row.gates if g.verdict == "unknown"),
                "; ".join(row.rights_denied),
                str(ranked.place or ""),
                _plain(ranked.total, 3),
                *(f"{one.weight:g}" for one in evaluation.criteria),
            ]
        )
    return rows


def write_csv(path: Path, rows: list[list[str]]) -> None:
    """Write beside and move into place; UTF-8 with a mark, as spreadsheets expect."""
    with written_beside(path) as part, part.open("x", encoding="utf-8-sig", newline="") as file:
        csv.writer(file).writerows([[as_text(cell) for cell in row] for row in rows])

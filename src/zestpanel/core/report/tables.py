"""The evidence as tables: rows of text for CSV files and for the clipboard."""

from __future__ import annotations

import csv
import math
from collections.abc import Sequence
from pathlib import Path
from typing import Final

from zestpanel.core.choice.decided import Decision
from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.choice.ranking import Criterion
from zestpanel.core.domain.money import Money, shown
from zestpanel.core.evidence.registry import exported, figures
from zestpanel.core.own_files import written_beside
from zestpanel.core.table_rows import as_text


def _money(value: Money | None) -> str:
    return "" if value is None else shown(value.amount).replace(",", "")


def _plain(value: float | None, places: int) -> str:
    """A figure, '' for none; a wait that never ended is named."""
    return "" if value is None else "gave up" if math.isinf(value) else f"{value:.{places}f}"


def evidence_table(evaluation: Evaluation) -> list[list[str]]:
    """One row a candidate and language, in ranking order; the first row names the columns with their units, in English
    in every language of the interface. Missing is empty. Every figure that is declared for exports has its column."""
    shown = exported(name for row in evaluation.rows.values() for _, name in row.tests)
    head = [
        "candidate", "detail", "model version", "route", "plan", "language", "takes", "how sure", "95 % low",
        "95 % high", "listeners", "passages", "ratings", "not told apart", *(one.column for one in shown), "failed",
        "requests", "characters a minute", "per 1,000 characters", "per finished minute", "per episode", "per month",
        "currency", "gates failed", "gates unknown", "rights denied",
    ]  # fmt: skip
    rows = [head]
    order = [(tag, one.candidate_id) for tag in evaluation.languages()
             if (standing := evaluation.in_language(tag)) is not None for one in standing.ranking]  # fmt: skip
    for tag, number in order:
        row = evaluation.rows[number]
        score, s, cost = evaluation.score_in(number, tag), row.summary, row.cost
        language = evaluation.scores.of_language(tag)
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
                row.unheard or ("preliminary" if score is not None and score.preliminary else ""),
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
            ]
        )
    return rows


_BOUNDS: Final = ("weight", "not acceptable", "good enough")


def choice_table(evaluation: Evaluation, decided: Sequence[Decision]) -> list[list[str]]:
    """One row a role and candidate, in ranking order: places, totals, chances, must-haves, what was decided, and by
    which weights and bounds. In English; missing is empty."""
    names = list(dict.fromkeys(c.name for one in evaluation.standings for c in one.criteria if c.weight > 0 or c.bars))
    head = [
        "role", "language", "share of minutes %", "candidate", "detail", "place", "total", "total low", "total high",
        "chance of first place", "month in this role", "currency", "gates failed", "gates unknown", "decision", "why",
        "by", "decided", *(f"{part} of {name}" for name in names for part in _BOUNDS),
    ]  # fmt: skip
    chosen = {(one.role, one.candidate_id): one for one in decided}
    runners = {(one.role, one.runner_up_id): "runner-up" for one in decided if one.runner_up_id is not None}
    rows = [head]
    for standing in evaluation.standings:
        role, weighed = standing.role, {c.name: c for c in standing.criteria}
        for ranked in standing.ranking:
            row, key = standing.rows[ranked.candidate_id], (standing.key, ranked.candidate_id)
            decision, month = chosen.get(key), row.cost.own
            rows.append([
                role.name if role else "", standing.language, f"{role.share_percent:f}" if role else "", row.name,
                row.detail, str(ranked.place or ""), _plain(ranked.total, 3), _plain(ranked.low, 3),
                _plain(ranked.high, 3), "1.000" if ranked.alone else _plain(ranked.first, 3), _money(month),
                month.currency if month else "", "; ".join(g.code for g in row.gates if g.verdict == "no"),
                "; ".join(g.code for g in row.gates if g.verdict == "unknown"),
                "chosen" if decision else runners.get(key, ""), decision.why if decision else "",
                decision.by if decision else "", decision.decided if decision else "",
                *(cell for name in names for cell in _weighed(weighed.get(name))),
            ])  # fmt: skip
    return rows


def _weighed(criterion: Criterion | None) -> tuple[str, str, str]:
    if criterion is None:
        return "", "", ""
    factor = figures()[criterion.name].factor
    return f"{criterion.weight:g}", f"{criterion.worst * factor:g}", f"{criterion.best * factor:g}"


def write_csv(path: Path, rows: list[list[str]]) -> None:
    """Write beside and move into place; UTF-8 with a mark, as spreadsheets expect."""
    with written_beside(path) as part, part.open("x", encoding="utf-8-sig", newline="") as file:
        csv.writer(file).writerows([[as_text(cell) for cell in row] for row in rows])

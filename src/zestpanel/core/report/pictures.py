"""Charts of a evaluation: the same ones on the pages and in the decision record."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal

from zestpanel.core.choice.evidence import Evaluation, cost_curve
from zestpanel.core.choice.unlisted import UnlistedPlan
from zestpanel.core.domain.money import Money
from zestpanel.core.report.charts import (
    Curve,
    ScoreLine,
    WaitLine,
    score_chart,
    volume_chart,
    wait_chart,
)
from zestpanel.core.report.drawing import Picture
from zestpanel.core.texts import tr

_MOST_UNLISTED = 6
_CURVE_COLOURS = ("ink", "leaf", "plum", "deep-zest", "wave")


def scores_picture(evaluation: Evaluation, *, width: float, language: str) -> Picture | None:
    """Scores of one language, best first; None when there are none."""
    found = evaluation.scores.of_language(language)
    if found is None:
        return None
    scores = sorted((s for s in found.scores.values() if s.candidate_id in evaluation.rows), key=lambda s: -s.mean)
    lines = [
        ScoreLine(
            candidate_id=score.candidate_id,
            name=evaluation.rows[score.candidate_id].name,
            detail=evaluation.rows[score.candidate_id].detail,
            mean=score.mean,
            crossed=score.crossed,
            by_listener=score.by_listener,
            counts=score.counts,
            letters=score.letters,
            note=tr(", preliminary") if score.preliminary else "",
        )
        for score in scores
    ]
    return score_chart(lines, width) if lines else None


def waits_picture(evaluation: Evaluation, *, width: float, first_sound: bool) -> Picture | None:
    lines = []
    for row in evaluation.rows.values():
        found = row.summary.first_sound if first_sound else row.summary.whole_clip
        if found.n or row.summary.cold:
            lines.append(
                WaitLine(
                    candidate_id=row.candidate.id,
                    name=row.name,
                    detail=row.detail,
                    points=found.points,
                    cold=() if first_sound else row.summary.cold,
                    median=found.median,
                    p95=found.p95,
                    gave_up=found.gave_up,
                )
            )
    title = tr("Wait to first sound") if first_sound else tr("Wait for the whole clip")
    return wait_chart(lines, width, title=title) if lines else None


def _named(name: str, *, barred: bool) -> str:
    """A plan that a must-have bars is named with that."""
    return tr("barred: {barred}", barred=name) if barred else name


def volume_picture(
    evaluation: Evaluation, *, width: float, height: float = 290, unlisted: Sequence[UnlistedPlan] = ()
) -> Picture | None:
    """One curve a plan (the first candidate on it stands for it), up to three times the channel's volume. unlisted:
    plans nobody is on, dashed, their pace being assumed; the cheapest few of them are drawn."""
    at = float(evaluation.brief.minutes_per_month)
    if at <= 0:
        return None
    minutes = [at * 3 * k / 60 for k in range(61)]
    seen: dict[tuple[str, str], Curve] = {}
    for row in evaluation.rows.values():
        key = (row.candidate.engine, row.plan.name)
        if key in seen:
            continue
        costs = cost_curve(row.plan.tariff, row, evaluation.brief, minutes)
        if any(c is not None for c in costs):
            index = len(seen)
            seen[key] = Curve(
                candidate_id=row.candidate.id,
                label=_named(f"{row.candidate.engine}, {row.plan.name}", barred=row.barred_at_any_volume),
                costs=tuple(costs),
                colour=_CURVE_COLOURS[index % len(_CURVE_COLOURS)],
                dashed=index >= len(_CURVE_COLOURS),
            )
    for other in unlisted[:_MOST_UNLISTED]:
        curve = other.curve(evaluation.brief)
        own = evaluation.brief.in_own_currency(Money(Decimal(1), other.plan.tariff.currency))
        if curve is not None and own is not None:
            found = curve.at([Decimal(repr(minute)) for minute in minutes])
            drawn = tuple(None if cost is None else float(cost * own.amount) for cost in found)
            colour = _CURVE_COLOURS[len(seen) % len(_CURVE_COLOURS)]
            named = _named(other.name, barred=other.barred_at_any_volume)
            seen[other.engine, other.plan.name] = Curve(candidate_id=0, label=named, costs=drawn, colour=colour,
                                                        dashed=True)  # fmt: skip
    if not seen:
        return None
    return volume_chart(
        minutes, list(seen.values()), at=at, currency=evaluation.brief.currency, width=width, height=height
    )

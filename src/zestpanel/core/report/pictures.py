"""Charts of a standing: the same ones on the pages and in the decision record."""

from __future__ import annotations

from zestpanel.core.choice.evidence import Standing, cost_curve
from zestpanel.core.report.charts import (
    Curve,
    Point,
    ScoreLine,
    WaitLine,
    score_chart,
    trade_off_chart,
    volume_chart,
    wait_chart,
)
from zestpanel.core.report.drawing import Picture

_CURVE_COLOURS = ("ink", "leaf", "plum", "deep-zest", "wave")


def scores_picture(standing: Standing, *, width: float, language: str | None = None) -> Picture | None:
    """Scores, best first, of one language (or of all); None when there are none."""
    rows = [
        row
        for row in standing.rows.values()
        if row.score is not None and (language is None or row.candidate.language.split("-")[0] == language)
    ]
    rows.sort(key=lambda row: -(row.score.mean if row.score else 0))
    lines = [
        ScoreLine(
            candidate_id=row.candidate.id,
            name=row.name,
            detail=row.detail,
            mean=row.score.mean,
            crossed=row.score.crossed,
            by_listener=row.score.by_listener,
            counts=row.score.counts,
            letters=row.score.letters,
            note=", preliminary" if row.score.preliminary else "",
        )
        for row in rows
        if row.score is not None
    ]
    return score_chart(lines, width) if lines else None


def waits_picture(standing: Standing, *, width: float, first_sound: bool) -> Picture | None:
    lines = []
    for row in standing.rows.values():
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
                )
            )
    title = "Wait to first sound" if first_sound else "Wait for the whole clip"
    return wait_chart(lines, width, title=title) if lines else None


def trade_off_picture(standing: Standing, *, width: float = 560, height: float = 330) -> Picture | None:
    points = []
    for row in standing.rows.values():
        total = row.cost.month.total
        if row.score is None or total is None or not row.cost.month.covers or total.currency != standing.brief.currency:
            continue
        crossed = row.score.crossed
        points.append(
            Point(
                candidate_id=row.candidate.id,
                label=row.name,
                quality=row.score.mean,
                low=crossed.low if crossed else row.score.mean,
                high=crossed.high if crossed else row.score.mean,
                cost=float(total.amount),
                passes=row.passes,
                on_frontier=row.candidate.id in standing.on_frontier,
            )
        )
    return trade_off_chart(points, standing.brief.currency, width, height) if points else None


def volume_picture(standing: Standing, *, width: float, height: float = 290) -> Picture | None:
    """One curve a plan (the first candidate on it stands for it), up to three times the channel's volume."""
    at = float(standing.brief.minutes_per_month)
    if at <= 0:
        return None
    minutes = [at * 3 * k / 60 for k in range(61)]
    seen: dict[tuple[str, str], Curve] = {}
    for row in standing.rows.values():
        key = (row.candidate.engine, row.plan.name)
        if key in seen or row.plan.tariff.currency != standing.brief.currency:
            continue
        costs = cost_curve(row.plan.tariff, row, standing.brief, minutes)
        if any(c is not None for c in costs):
            index = len(seen)
            seen[key] = Curve(
                candidate_id=row.candidate.id,
                label=f"{row.candidate.engine}, {row.plan.name}",
                costs=tuple(costs),
                colour=_CURVE_COLOURS[index % len(_CURVE_COLOURS)],
                dashed=index >= len(_CURVE_COLOURS),
            )
    if not seen:
        return None
    return volume_chart(
        minutes, list(seen.values()), at=at, currency=standing.brief.currency, width=width, height=height
    )

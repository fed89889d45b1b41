"""The map of a role's candidates: any figure against any other, intervals drawn, the frontier joined."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import dataclass
from typing import Final

from zestpanel.core.choice.ranking import frontier
from zestpanel.core.choice.row import Row
from zestpanel.core.choice.standing import Standing
from zestpanel.core.domain.brief import Brief
from zestpanel.core.evidence.declared import Figure
from zestpanel.core.evidence.registry import figures
from zestpanel.core.report.charts import nice_ticks, number
from zestpanel.core.report.drawing import Dot, Line, Path, Picture, Region, Shape, Text, text_width
from zestpanel.core.texts import capital, tr, word

ACROSS, UP = "cost", "quality"  # what is shown until somebody chooses other figures
MOST_NAMED: Final = 12  # more than so many are named only where they matter; all say their names when pointed at
_LABEL: Final = 12.0
_SMALL: Final = 11.0
_LINE: Final = 13.0
_FAR: Final = 5  # rings about a dot on which a place for its name is looked for


@dataclass(frozen=True, slots=True, kw_only=True)
class Point:
    """A dot. low and high: its interval upwards, None for none. matters: it is named before others are."""

    candidate_id: int
    label: str
    x: float
    y: float
    low: float | None
    high: float | None
    passes: bool
    on_frontier: bool
    matters: bool
    says: str


def trade_off_picture(
    standing: Standing,
    *,
    across: str = ACROSS,
    up: str = UP,
    width: float = 560,
    height: float = 330,
    chosen: Collection[int] = (),
) -> Picture | None:
    """One figure against another, by name; who lacks either is in ``not_on_the_map``. chosen: always named."""
    x, y = figures()[across], figures()[up]
    points, brief, best = [], standing.brief, _frontier(standing, x, y)
    for row in standing.rows.values():
        one, other = x.read(row, standing.scored), y.read(row, standing.scored)
        if not _on_it(one.value) or not _on_it(other.value):
            continue
        assert one.value is not None
        assert other.value is not None
        between = None if other.low is None or other.high is None else (other.low, other.high)
        said = y.in_words(other.value, brief)
        if between is not None:
            said = tr("{said} ({low} to {high})", said=said, low=y.in_words(between[0], brief),
                      high=y.in_words(between[1], brief))  # fmt: skip
        points.append(
            Point(
                candidate_id=row.candidate.id, label=row.name, x=one.value * x.factor, y=other.value * y.factor,
                low=between[0] * y.factor if between else None, high=between[1] * y.factor if between else None,
                passes=row.passes, on_frontier=row.candidate.id in best,
                matters=row.candidate.id in best or row.candidate.id in chosen,
                says=f"{row.name}: {said}, {x.in_words(one.value, brief)}",
            )
        )  # fmt: skip
    return _chart(points, _axis(x, brief), _axis(y, brief), width, height) if points else None


def not_on_the_map(standing: Standing, *, across: str = ACROSS, up: str = UP) -> list[str]:
    """Candidates that lack one of the two figures, each with which."""
    x, y = figures()[across], figures()[up]
    out = []
    for row in standing.rows.values():
        reasons = [_why_not(one, row) for one in (y, x) if not _on_it(one.read(row, standing.scored).value)]
        if reasons:
            out.append(f"{row.name} ({'; '.join(reasons)})")
    return out


def _why_not(figure: Figure, row: Row) -> str:
    if figure.name == UP and row.score is None:
        return word(row.unheard)
    if figure.name == ACROSS and row.cost.why_not:
        return row.cost.why_not
    return tr("{words} missing", words=word(figure.words))


def _on_it(value: float | None) -> bool:
    return value is not None and math.isfinite(value)


def _frontier(standing: Standing, x: Figure, y: Figure) -> set[int]:
    """Of those that pass: who is not beaten in both; nobody where a figure has no better end."""
    if not x.better or not y.better:
        return set()
    read = {row.candidate.id: (x.read(row, standing.scored).value, y.read(row, standing.scored).value)
            for row in standing.rows.values()}  # fmt: skip
    return frontier([
        (number_, up if y.better == "higher" else -up, across if x.better == "lower" else -across)
        for number_, (across, up) in read.items()
        if across is not None and up is not None and math.isfinite(across) and math.isfinite(up)
    ])  # fmt: skip


def _axis(figure: Figure, brief: Brief) -> str:
    unit = figure.unit(brief).strip()
    return capital(word(figure.words)) + (f", {unit}" if unit else "")


def _ends(values: Sequence[float], *, zero: bool) -> tuple[float, float]:
    """Where an axis begins and ends: it fits the data, from 0 on where that is near."""
    low, high = min(values), max(values)
    pad = (high - low) * 0.08 or abs(high) * 0.08 or 1.0
    begin = 0.0 if zero and 0 <= low < 0.6 * high else low - pad
    return begin, high + pad


def _chart(points: Sequence[Point], across: str, up: str, width: float, height: float) -> Picture:
    """Those that a must-have excludes are hollow; names stand beside their dots, with a line where they are not."""
    left, right, top, bottom = 46.0, 20.0, 26.0, 40.0
    begin, most = _ends([p.x for p in points], zero=True)
    heights = [one for p in points for one in (p.y, p.low, p.high) if one is not None]
    low, high = _ends(heights, zero=False)

    def x(value: float) -> float:
        return left + (value - begin) / (most - begin) * (width - left - right)

    def y(value: float) -> float:
        return top + (high - value) / (high - low) * (height - top - bottom)

    shapes: list[Shape] = []
    for tick in nice_ticks(begin, most):
        shapes.append(Line(x1=x(tick), y1=top, x2=x(tick), y2=height - bottom))
        shapes.append(
            Text(x=x(tick), y=height - bottom + 16, text=number(tick), colour="quiet", size=_SMALL, anchor="middle")
        )
    for tick in nice_ticks(low, high, 7):
        shapes.append(Line(x1=left, y1=y(tick), x2=width - right, y2=y(tick)))
        shapes.append(Text(x=left - 8, y=y(tick) + 4, text=number(tick), colour="quiet", size=_SMALL, anchor="end"))
    shapes.append(Text(x=width - right, y=height - 6, text=f"{across} →", colour="quiet", size=_SMALL, anchor="end"))
    shapes.append(Text(x=0, y=12, text=f"↑ {up}", colour="quiet", size=_SMALL))
    best = sorted((p for p in points if p.on_frontier), key=lambda p: (p.x, p.y))
    if len(best) > 1:
        shapes.append(Path(points=tuple((x(p.x), y(p.y)) for p in best), colour="zest", width=1.5, dashed=True))
    for p in points:
        if p.low is not None and p.high is not None:
            shapes.append(Line(x1=x(p.x), y1=y(p.low), x2=x(p.x), y2=y(p.high), colour="wave"))
        colour = "ink" if p.passes else "plum"
        shapes.append(Dot(x=x(p.x), y=y(p.y), radius=5, colour=colour, hollow=not p.passes))
    named = [p for p in points if p.matters or len(points) <= MOST_NAMED]
    shapes += _names(sorted(named, key=lambda p: (not p.matters, -p.y)), [(x(p.x), y(p.y)) for p in points],
                     lambda p: (x(p.x), y(p.y)), (left, top, width, height - bottom))  # fmt: skip
    regions = tuple(
        Region(x=x(p.x) - 9, y=y(p.y) - 9, width=18, height=18, candidate_id=p.candidate_id, says=p.says)
        for p in points
    )
    title = tr("{up} against {across}", up=up, across=across)
    return Picture(width=width, height=height, shapes=tuple(shapes), regions=regions, title=title)


Box = tuple[float, float, float, float]  # left, top, right, bottom


def _names(
    points: Sequence[Point], dots: Sequence[tuple[float, float]], at: Callable[[Point], tuple[float, float]],
    frame: Box,
) -> Iterator[Shape]:  # fmt: skip
    """Each name where it lies over no dot and no other name; none where there is no such place."""
    taken: list[Box] = [(dx - 6, dy - 6, dx + 6, dy + 6) for dx, dy in dots]
    for p in points:
        px, py = at(p)
        size = text_width(p.label, _LABEL)
        for box in _places(px, py, size):
            inside = box[0] >= frame[0] and box[2] <= frame[2] and box[1] >= frame[1] - _LINE and box[3] <= frame[3]
            if inside and not any(_overlap(box, other) for other in taken):
                taken.append(box)
                if min(abs(box[0] - px), abs(box[2] - px), abs((box[0] + box[2]) / 2 - px)) > 14 \
                        or min(abs(box[1] - py), abs(box[3] - py)) > _LINE:  # fmt: skip
                    end = min(max(px, box[0]), box[2]), box[3] if box[3] < py else box[1]
                    yield Line(x1=px, y1=py, x2=end[0], y2=end[1], colour="rule")
                yield Text(x=box[0], y=box[3] - 3, text=p.label, size=_LABEL, colour="ink" if p.passes else "plum")
                break


def _places(x: float, y: float, size: float) -> Iterator[Box]:
    """Beside the dot, then above and below it, on ever wider rings."""
    half = _LINE / 2 + 1
    for ring in range(_FAR):
        off = 9 + 14 * ring
        rise = _LINE * ring
        for cx, cy in ((x + off, y), (x - off - size, y), (x + off, y - rise), (x - off - size, y - rise),
                       (x + off, y + rise), (x - off - size, y + rise), (x - size / 2, y - off - 6),
                       (x - size / 2, y + off + 6)):  # fmt: skip
            yield cx, cy - half, cx + size, cy + half


def _overlap(a: Box, b: Box) -> bool:
    return a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3]

"""The program's charts as pictures: drawn the same on screen and in the decision record."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from zestpanel.core.analysis.statistics.intervals import Interval
from zestpanel.core.analysis.timing.waits import in_words
from zestpanel.core.report.drawing import Box, Dot, Dots, Line, Path, Picture, Region, Shape, Text
from zestpanel.core.texts import tr
from zestpanel.core.waiting import in_turns

_LABEL: Final = 12.0
_SMALL: Final = 11.0
_ROW: Final = 34.0


@dataclass(frozen=True, slots=True, kw_only=True)
class ScoreLine:
    candidate_id: int
    name: str
    detail: str
    mean: float
    crossed: Interval | None
    by_listener: Interval | None
    counts: tuple[int, ...]
    letters: str
    note: str = ""


def nice_ticks(low: float, high: float, most: int = 6) -> list[float]:
    """Round tick values (1, 2, 2.5 or 5 times a power of ten) within [low, high], at most so many."""
    if not high > low:
        return [low]
    raw = (high - low) / max(1, most - 1)
    power = 10.0 ** math.floor(math.log10(raw))
    step = next(m * power for m in (1, 2, 2.5, 5, 10) if m * power >= raw * (1 - 1e-9))
    first = math.ceil(low / step - 1e-9)
    count = math.floor(high / step + 1e-9) - first + 1
    return [round((first + i) * step, 10) for i in range(max(0, count))]


def number(value: float) -> str:
    """A tick's number: no needless zeros."""
    return f"{value:,.10g}".replace("-", "−")


def fitted(text: str, size: float, width: float) -> str:
    """The text, shortened with an ellipsis where it would be wider than the place for it."""
    most = max(4, int(width / (0.52 * size)))
    return text if len(text) <= most else text[: most - 1].rstrip() + "…"


def score_chart(lines: Sequence[ScoreLine], width: float = 720.0, *, scale: dict[int, str] | None = None) -> Picture:
    """Mean opinion scores: the crossed interval as a bar, the listeners' t interval as a thin line, the spread of
    ratings as small columns, letters at the right."""
    names = scale or {1: tr("Bad"), 2: tr("Poor"), 3: tr("Fair"), 4: tr("Good"), 5: tr("Excellent")}
    left, right, top = 200.0, 170.0, 30.0
    span = width - left - right
    height = top + _ROW * len(lines) + 30

    def x(value: float) -> float:
        return left + (min(5.2, max(0.8, value)) - 1) / 4 * span

    shapes: list[Shape] = []
    for value, name in names.items():
        shapes.append(Line(x1=x(value), y1=top - 8, x2=x(value), y2=height - 26, colour="rule"))
        shapes.append(
            Text(x=x(value), y=height - 10, text=f"{value} {name}", colour="quiet", size=_SMALL, anchor="middle")
        )
    shapes.append(Text(x=width - right + 14, y=top - 14, text=tr("ratings 1–5"), colour="quiet", size=_SMALL))
    shapes.append(Text(x=width - 6, y=top - 14, text=tr("alike"), colour="quiet", size=_SMALL, anchor="end"))
    regions = []
    for index, line in enumerate(lines):
        y = top + _ROW * index + _ROW / 2
        shapes.append(Text(x=0, y=y - 2, text=fitted(line.name, 13, left - 14), size=13))
        shapes.append(Text(x=0, y=y + 12, text=fitted(line.detail, _SMALL, left - 14), colour="quiet", size=_SMALL))
        if line.by_listener:
            shapes.append(
                Line(x1=x(line.by_listener.low), y1=y + 7, x2=x(line.by_listener.high), y2=y + 7, colour="wave")
            )
        if line.crossed:
            low, high = x(line.crossed.low), x(line.crossed.high)
            shapes.append(Line(x1=low, y1=y, x2=high, y2=y, colour="ink", width=2))
            shapes += [Line(x1=e, y1=y - 4, x2=e, y2=y + 4, colour="ink", width=2) for e in (low, high)]
        shapes.append(Dot(x=x(line.mean), y=y, radius=5, colour="zest"))
        shapes.append(Dot(x=x(line.mean), y=y, radius=5, colour="ink", hollow=True))
        most = max(1, *line.counts)
        for category, count in enumerate(line.counts):
            bar = 20 * count / most
            shapes.append(Box(x=width - right + 14 + category * 13, y=y + 10 - bar, width=10, height=bar, fill="wave"))
        shapes.append(Text(x=width - 6, y=y + 4, text=line.letters, anchor="end", size=13, serif=True))
        shapes.append(Text(x=width - right + 86, y=y + 4, text=f"{line.mean:.2f}", size=13))
        interval = (
            tr(", 95 % {low} to {high}", low=f"{line.crossed.low:.2f}", high=f"{line.crossed.high:.2f}")
            if line.crossed
            else ""
        )
        regions.append(
            Region(
                x=0,
                y=y - _ROW / 2,
                width=width,
                height=_ROW,
                candidate_id=line.candidate_id,
                says=tr(
                    "{name}: {mean}{interval}, {counts} ratings{note}",
                    name=line.name,
                    mean=f"{line.mean:.2f}",
                    interval=interval,
                    counts=sum(line.counts),
                    note=line.note,
                ),
            )
        )
    return Picture(
        width=width, height=height, shapes=tuple(shapes), regions=tuple(regions), title=tr("Mean opinion scores")
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class WaitLine:
    candidate_id: int
    name: str
    detail: str
    points: tuple[float, ...]
    cold: tuple[float, ...]
    median: float | None
    p95: float | None
    gave_up: int = 0


def wait_chart(lines: Sequence[WaitLine], width: float = 720.0, *, title: str) -> Picture:
    """Waits in seconds, every request a dot, cold ones hollow; the median as a bar, p95 as a tick where it may be
    stated."""
    left, right, top = 200.0, 110.0, 22.0
    highest = max([max((*line.points, *line.cold), default=0.0) for line in lines] or [0.0]) * 1.05 or 1.05
    span, height = width - left - right, top + _ROW * len(lines) + 30

    def x(value: float) -> float:
        return left + min(1.0, value / highest) * span  # what never ended stands at the edge

    shapes: list[Shape] = []
    for tick in nice_ticks(0, highest):
        shapes.append(Line(x1=x(tick), y1=top - 6, x2=x(tick), y2=height - 26))
        shapes.append(
            Text(x=x(tick), y=height - 10, text=f"{number(tick)} s", colour="quiet", size=_SMALL, anchor="middle")
        )
    shapes.append(Text(x=width - 4, y=top - 8, text=tr("median"), colour="quiet", size=_SMALL, anchor="end"))
    regions = []
    for index, line in enumerate(in_turns(lines, 5)):
        y = top + _ROW * index + _ROW / 2
        shapes.append(Text(x=0, y=y - 2, text=fitted(line.name, 13, left - 14), size=13))
        shapes.append(Text(x=0, y=y + 12, text=fitted(line.detail, _SMALL, left - 14), colour="quiet", size=_SMALL))
        across = left + span * np.minimum(np.asarray(line.points, dtype=float) / highest, 1.0)
        down = y + np.arange(len(across)) * 7 % 11 - 5
        shapes.append(Dots(points=tuple(zip(across.tolist(), down.tolist(), strict=True))))
        for point in line.cold:
            shapes.append(Dot(x=x(point), y=y, radius=3, colour="plum", hollow=True))
        if line.median is not None:
            shapes.append(
                Line(x1=x(line.median), y1=y - 10, x2=x(line.median), y2=y + 10, colour="deep-zest", width=2.5)
            )
            shapes.append(Text(x=width - 4, y=y + 4, text=in_words(line.median), anchor="end", size=13))
        if line.p95 is not None:
            shapes.append(Line(x1=x(line.p95), y1=y - 7, x2=x(line.p95), y2=y + 7, colour="ink"))
        p95 = (
            tr("too few for 95 of 100")
            if line.p95 is None
            else tr("95 of 100: {in_words}", in_words=in_words(line.p95))
        )
        p95 += tr(", {gave_up} gave up waiting", gave_up=line.gave_up) if line.gave_up else ""
        regions.append(
            Region(
                x=0,
                y=y - _ROW / 2,
                width=width,
                height=_ROW,
                candidate_id=line.candidate_id,
                says=tr(
                    "{name}: {points} warm and {cold} cold requests, {p95}",
                    name=line.name,
                    points=len(line.points),
                    cold=len(line.cold),
                    p95=p95,
                ),
            )
        )
    return Picture(width=width, height=height, shapes=tuple(shapes), regions=tuple(regions), title=title)


@dataclass(frozen=True, slots=True, kw_only=True)
class Curve:
    candidate_id: int
    label: str
    costs: tuple[float | None, ...]
    colour: str
    dashed: bool = False


def volume_chart(
    minutes: Sequence[float],
    curves: Sequence[Curve],
    *,
    at: float,
    currency: str,
    width: float = 720.0,
    height: float = 290.0,
) -> Picture:
    """Money a month against finished minutes a month; a curve ends where its plan stops."""
    left, right, top, bottom = 50.0, 190.0, 14.0, 40.0
    known = [c for curve in curves for c in curve.costs if c is not None]
    most, longest = (max(known or [1.0]) * 1.05) or 1.0, max(minutes)

    def x(value: float) -> float:
        return left + value / longest * (width - left - right)

    def y(value: float) -> float:
        return top + (1 - value / most) * (height - top - bottom)

    shapes: list[Shape] = []
    for tick in nice_ticks(0, longest):
        shapes.append(
            Text(x=x(tick), y=height - bottom + 16, text=number(tick), colour="quiet", size=_SMALL, anchor="middle")
        )
    for tick in nice_ticks(0, most):
        shapes.append(Line(x1=left, y1=y(tick), x2=width - right, y2=y(tick)))
        shapes.append(Text(x=left - 8, y=y(tick) + 4, text=number(tick), colour="quiet", size=_SMALL, anchor="end"))
    shapes.append(Line(x1=x(at), y1=top, x2=x(at), y2=height - bottom, colour="zest", width=2))
    shapes.append(Text(x=x(at) + 5, y=top + 10, text=tr("this channel"), colour="deep-zest", size=_SMALL))
    shapes.append(
        Text(
            x=width - right,
            y=height - 6,
            text=tr("finished minutes a month"),
            colour="quiet",
            size=_SMALL,
            anchor="end",
        )
    )
    shapes.append(
        Text(x=0, y=height - 6, text=tr("↑ {currency} a month", currency=currency), colour="quiet", size=_SMALL)
    )
    ends = []
    for curve in curves:
        points = tuple((x(m), y(c)) for m, c in zip(minutes, curve.costs, strict=True) if c is not None)
        if points:
            shapes.append(Path(points=points, colour=curve.colour, dashed=curve.dashed, width=1.8))
            stops = curve.costs[-1] is None
            if stops:
                shapes.append(Dot(x=points[-1][0], y=points[-1][1], radius=3.5, colour=curve.colour, square=True))
            ends.append((points[-1][1], curve, stops, points[-1][0]))
    last = top
    for py, curve, stops, px in sorted(ends, key=lambda e: e[0]):
        ty = max(py + 4, last + 13)
        last = ty
        shapes.append(
            Line(
                x1=max(px, width - right) if not stops else px,
                y1=py,
                x2=width - right + 8,
                y2=ty - 4,
                colour="rule",
                dashed=stops,
            )
        )
        label = fitted(curve.label + (tr(", stops") if stops else ""), _LABEL, right - 14)
        shapes.append(Text(x=width - right + 12, y=ty, text=label, size=_LABEL, colour=curve.colour))
    return Picture(width=width, height=height, shapes=tuple(shapes), title=tr("Money a month against volume"))

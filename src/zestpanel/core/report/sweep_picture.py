"""A sweep as a picture: a small plot for each measure, the spread of repeats as a bar, unstable points hollow."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from zestpanel.core.analysis.sweeps.results import PointResult, SweepResult, swept
from zestpanel.core.report.charts import nice_ticks, number
from zestpanel.core.report.drawing import Box, Dot, Line, Path, Picture, Region, Shape, Text
from zestpanel.core.texts import tr

_SMALL: Final = 11.0
_PLOT_HEIGHT: Final = 118.0


def sweep_picture(result: SweepResult, *, across: str, width: float, columns: int = 3) -> Picture | None:
    """One plot a measure, values of the setting from left to right (those of a second setting one after the other).

    A click on a point's column leads to its candidate. The band is where the sweep is unstable by the rule.
    """
    points = [p for p in result.points if p.measures]
    names = [name for name in swept() if any(name in p.measures for p in points)]
    if not points or not names:
        return None
    shapes: list[Shape] = []
    regions: list[Region] = []
    wide = width / columns
    for index, name in enumerate(names):
        left, top = (index % columns) * wide, (index // columns) * _PLOT_HEIGHT
        _plot(shapes, regions, result.points, name, left, top, wide - 16)
    rows = -(-len(names) // columns)
    height = rows * _PLOT_HEIGHT + 18
    shapes.append(Text(x=0, y=height - 3, text=across, colour="quiet", size=_SMALL))
    return Picture(
        width=width,
        height=height,
        shapes=tuple(shapes),
        regions=tuple(regions),
        title=tr("Sweep over {across}", across=across),
    )


def value_words(point: PointResult) -> str:
    return ", ".join(
        f"{v:g}" if isinstance(v, float | int) and not isinstance(v, bool) else str(v) for v in point.values
    )


def _plot(
    shapes: list[Shape], regions: list[Region], points: Sequence[PointResult], name: str, left: float, top: float,
    width: float,
) -> None:  # fmt: skip
    words, places = swept()[name]
    found = [p.measures[name] for p in points if name in p.measures]
    low, high = min(s.low for s in found), max(s.high for s in found)
    if name in ("words_wrong", "failed"):
        low, high = 0.0, max(high, 1.0)
    room = (high - low) * 0.12 or max(abs(high) * 0.05, 0.5)
    low, high = low - (0 if name in ("words_wrong", "failed") else room), high + room
    plot_left, plot_top, base = left + 46, top + 22, top + _PLOT_HEIGHT - 26
    step = (width - 52) / len(points)

    def y(value: float) -> float:
        return base - (value - low) / (high - low) * (base - plot_top)

    shapes.append(Text(x=left, y=top + 12, text=words, size=12, bold=True))
    line = []
    for k, point in enumerate(points):
        x = plot_left + (k + 0.5) * step
        if point.unstable:
            shapes.append(Box(x=x - step / 2, y=plot_top, width=step, height=base - plot_top, fill="shade"))
    for tick in nice_ticks(low, high, 4):
        shapes.append(Line(x1=plot_left, y1=y(tick), x2=left + width - 6, y2=y(tick)))
        shapes.append(Text(x=plot_left - 5, y=y(tick) + 4, text=number(tick), colour="quiet", size=10, anchor="end"))
    for k, point in enumerate(points):
        x = plot_left + (k + 0.5) * step
        spread = point.measures.get(name)
        if len(points) <= 12 or k % 3 == 0:
            shapes.append(
                Text(x=x, y=base + 14, text=value_words(point)[:10], size=10, anchor="middle", bold=point.here,
                     colour="ink" if point.here else "quiet")
            )  # fmt: skip
        said = f"{words} –"
        if spread is not None:
            colour = "plum" if point.unstable else "deep-zest" if point.here else "ink"
            shapes.append(Line(x1=x, y1=y(spread.low), x2=x, y2=y(spread.high), colour=colour, width=2))
            for value in spread.values:
                shapes.append(Dot(x=x, y=y(value), radius=2, colour="wave"))
            shapes.append(Dot(x=x, y=y(spread.median), radius=4, colour=colour, hollow=bool(point.unstable)))
            line.append((x, y(spread.median)))
            n = len(spread.values)
            said = tr(
                "{words} {median} ({low} to {high}, {n} repeats)",
                words=words,
                median=f"{spread.median:.{places}f}",
                low=f"{spread.low:.{places}f}",
                high=f"{spread.high:.{places}f}",
                n=n,
            )
        why = tr("; unstable: {unstable}", unstable=", ".join(point.unstable)) if point.unstable else ""
        here = tr(", the candidate's own") if point.here else ""
        regions.append(
            Region(x=x - step / 2, y=top, width=step, height=_PLOT_HEIGHT, candidate_id=point.candidate_id,
                   says=f"{value_words(point)}{here}: {said}{why}".replace("-", "−"))
        )  # fmt: skip
    if len(line) > 1:
        shapes.append(Path(points=tuple(line), colour="quiet", width=1))

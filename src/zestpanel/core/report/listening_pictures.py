"""Pictures of listening tests: what the answers say, kind by kind, and what a planned test will tell."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Final

from zestpanel.core.listening.kind import Axis, Bar, Found, Versus
from zestpanel.core.listening.power import Told
from zestpanel.core.report.charts import fitted, nice_ticks, number
from zestpanel.core.report.drawing import Box, Dot, Line, Path, Picture, Region, Shape, Text, text_width
from zestpanel.core.texts import tr

_ROW: Final = 28.0
_TALL_ROW: Final = 42.0  # of names in two lines
_SMALL: Final = 11.0
_LEFT, _RIGHT, _TOP = 250.0, 120.0, 10.0
_AXIS_HEIGHT: Final = 38.0
_WIDEST, _NARROWEST = 64.0, 38.0  # of a pair's square, which must hold '12 : 10'


def bars_picture(found: Found, width: float) -> Picture | None:
    """Estimates with their intervals on one axis; None where the kind has no picture."""
    if not found.bars or found.axis is None:
        return None
    axis = found.axis
    row = _TALL_ROW if any(len(_lines(bar.name)) > 1 for bar in found.bars) else _ROW
    height = _TOP + row * len(found.bars) + _AXIS_HEIGHT
    span = width - _LEFT - _RIGHT

    def x(value: float) -> float:
        share = (value - axis.low) / (axis.high - axis.low)
        return _LEFT + min(1.0, max(0.0, share)) * span

    shapes = _axis(axis, x, height, width)
    regions = []
    for k, bar in enumerate(found.bars):
        y = _TOP + row * k + row / 2
        shapes += _bar(bar, x, y, width)
        regions.append(Region(x=0, y=y - row / 2, width=width, height=row, says=f"{bar.name}: {bar.says}",
                              candidate_id=bar.candidate_ids[0] if bar.candidate_ids else None))  # fmt: skip
    return Picture(width=width, height=height, shapes=tuple(shapes), regions=tuple(regions), title=axis.words)


def versus_picture(versus: Versus, width: float) -> Picture | None:
    """Who was compared with whom: a square for each pair that was, the row's wins to the left of the column's."""
    count = len(versus.names)
    side = min(_WIDEST, (width - _LEFT) / max(1, count))
    if count < 2 or side < _NARROWEST:
        return None
    top = 22.0
    shapes: list[Shape] = [Text(x=0, y=14, text=tr("row to column, won"), colour="quiet", size=_SMALL)]
    regions = []
    for a, name in enumerate(versus.names):
        y = top + a * _ROW
        shapes.append(Text(x=0, y=y + 18, text=fitted(f"{a + 1}  {name}", 13, _LEFT - 14), size=13))
        shapes.append(Text(x=_LEFT + (a + 0.5) * side, y=14, text=str(a + 1), colour="quiet", size=_SMALL,
                           anchor="middle"))  # fmt: skip
        for b, other in enumerate(versus.names):
            won, lost, even = versus.wins[a][b], versus.wins[b][a], versus.ties[a][b]
            x = _LEFT + b * side
            if a == b or not won + lost + even:
                continue
            fill = "zest-pale" if won > lost else "rule" if won == lost else "shade"
            shapes.append(Box(x=x + 1, y=y + 1, width=side - 2, height=_ROW - 2, fill=fill))
            shapes.append(Text(x=x + side / 2, y=y + 18, text=f"{won} : {lost}", size=12, anchor="middle"))
            behind = versus.candidate_ids[a] if versus.candidate_ids else None
            regions.append(
                Region(
                    x=x,
                    y=y,
                    width=side,
                    height=_ROW,
                    candidate_id=behind,
                    says=tr(
                        "{name} to {other}: {won} to {lost}, {even} without a preference",
                        name=name,
                        other=other,
                        won=won,
                        lost=lost,
                        even=even,
                    ),
                )
            )
    height = top + count * _ROW + 6
    return Picture(width=width, height=height, shapes=tuple(shapes), regions=tuple(regions),
                   title=tr("Who was compared with whom"))  # fmt: skip


def _ticks(axis: Axis) -> list[float]:
    if axis.step is None:
        return nice_ticks(axis.low, axis.high)
    count = int((axis.high - axis.low) / axis.step + 1e-9)
    return [axis.low + k * axis.step for k in range(count + 1)]


def _axis(axis: Axis, x: Callable[[float], float], height: float, width: float) -> list[Shape]:
    bottom = height - _AXIS_HEIGHT + 4
    shapes: list[Shape] = []
    for tick in _ticks(axis):
        shapes.append(Line(x1=x(tick), y1=_TOP - 6, x2=x(tick), y2=bottom))
        shapes.append(Text(x=x(tick), y=bottom + 14, text=number(tick), colour="quiet", size=_SMALL, anchor="middle"))
    if axis.even is not None:
        shapes.append(Line(x1=x(axis.even), y1=_TOP - 6, x2=x(axis.even), y2=bottom, colour="ink", dashed=True))
    words = fitted(axis.words, _SMALL, width - _LEFT)
    shapes.append(Text(x=_LEFT, y=height - 6, text=words, colour="quiet", size=_SMALL))
    return shapes


def _lines(name: str) -> list[tuple[str, float]]:
    """A name, or the two names of a pair in two lines where one is too narrow, with how far each is moved down."""
    for between in (" / ", " over "):
        first, found, second = name.partition(between)
        if found and text_width(name, 13) > _LEFT - 14:
            return [(first, -7.0), (f"{between.strip()} {second}", 7.0)]
    return [(name, 0.0)]


def _bar(bar: Bar, x: Callable[[float], float], y: float, width: float) -> list[Shape]:
    shapes: list[Shape] = [
        Text(x=0, y=y + 4 + shift, text=fitted(line, 13, _LEFT - 14), size=13) for line, shift in _lines(bar.name)
    ]
    if bar.low is not None and bar.high is not None:
        shapes.append(Line(x1=x(bar.low), y1=y, x2=x(bar.high), y2=y, colour="ink", width=2))
        shapes += [Line(x1=e, y1=y - 4, x2=e, y2=y + 4, colour="ink", width=2) for e in (x(bar.low), x(bar.high))]
    shapes += [Dot(x=x(bar.value), y=y, radius=5, colour="zest"),
               Dot(x=x(bar.value), y=y, radius=5, colour="ink", hollow=True)]  # fmt: skip
    whole = abs(bar.value) >= 10
    shapes.append(
        Text(x=width - _RIGHT + 16, y=y + 4, text=f"{bar.value:.0f}" if whole else f"{bar.value:.2f}", size=13)
    )
    shapes.append(Text(x=width - 6, y=y + 4, text=bar.note, anchor="end", size=13, serif=len(bar.note) < 4))
    return shapes


_SIDE: Final = 190.0


def listener_picture(points: Sequence[tuple[float, float]], width: float) -> Picture | None:
    """A listener's scores over the mean of the others', a dot a clip: along the line who hears as they do, level who
    rates few differences, a cloud who does not go along, downwards who has the scale upside down."""
    if not points:
        return None
    values = [value for point in points for value in point]
    low, high = min(values), max(values)
    low, high = (low, high) if high > low else (low - 1, high + 1)
    left, top, gap = 46.0, 8.0, (high - low) * 0.06

    def at(value: float) -> float:
        return _SIDE * (value - low + gap) / (high - low + 2 * gap)

    bottom = top + _SIDE
    shapes: list[Shape] = [Box(x=left, y=top, width=_SIDE, height=_SIDE, fill="shade"),
                           Line(x1=left, y1=bottom, x2=left + _SIDE, y2=top, dashed=True)]  # fmt: skip
    for tick in nice_ticks(low, high, 5):
        shapes.append(Text(x=left + at(tick), y=bottom + 14, text=number(tick), colour="quiet", size=_SMALL,
                           anchor="middle"))  # fmt: skip
        shapes.append(Text(x=left - 6, y=bottom - at(tick) + 4, text=number(tick), colour="quiet", size=_SMALL,
                           anchor="end"))  # fmt: skip
    shapes += [Dot(x=left + at(others), y=bottom - at(own), radius=3.5, colour="zest") for others, own in points]
    shapes.append(Text(x=left, y=bottom + 30, text=tr("mean of the others; upwards: this listener"), colour="quiet",
                       size=_SMALL))  # fmt: skip
    return Picture(width=width, height=bottom + 38, shapes=tuple(shapes), regions=(),
                   title=tr("A listener beside the others"))  # fmt: skip


def power_picture(told: Told, width: float, *, listeners: int, height: float = 150.0) -> Picture | None:
    """The smallest difference told over the number of listeners; the planned number is marked."""
    known = [(n, value) for n, value in told.least if value is not None]
    if not known:
        return None
    left, right, top, bottom = 44.0, 20.0, 20.0, 36.0
    last = max(max(n for n, _ in told.least), listeners)
    highest = max(value for _, value in known)

    def x(n: float) -> float:
        return left + (n - 2) / max(1, last - 2) * (width - left - right)

    def y(value: float) -> float:
        return top + (highest - value) / max(1e-9, highest - told.floor) * (height - top - bottom)

    shapes: list[Shape] = []
    for tick in nice_ticks(told.floor, highest, 5):
        shapes += [
            Line(x1=left, y1=y(tick), x2=width - right, y2=y(tick)),
            Text(x=left - 6, y=y(tick) + 4, text=number(tick), colour="quiet", size=_SMALL, anchor="end"),
        ]
    for tick in nice_ticks(5, last, 8):
        shapes.append(Text(x=x(tick), y=height - bottom + 14, text=number(tick), colour="quiet", size=_SMALL,
                           anchor="middle"))  # fmt: skip
    for name, least in told.others.items():
        points = tuple((x(n), y(value)) for n, value in least if value is not None and value <= highest)
        if len(points) > 1:
            shapes.append(Path(points=points, colour="quiet", dashed=True))
            shapes.append(Text(x=points[-1][0], y=points[-1][1] + 12, text=name, colour="quiet", size=_SMALL,
                               anchor="end"))  # fmt: skip
    shapes.append(Path(points=tuple((x(n), y(value)) for n, value in known), width=2))
    shapes.append(Text(x=0, y=10, text=tr("↑ {words}, 8 times in 10", words=told.words), colour="quiet", size=_SMALL))
    shapes.append(Text(x=width - right, y=height - 4, text=tr("listeners"), colour="quiet", size=_SMALL, anchor="end"))
    if told.floor < told.worth < highest:
        shapes.append(Line(x1=left, y1=y(told.worth), x2=width - right, y2=y(told.worth), colour="leaf", dashed=True))
    at = dict(known).get(listeners)
    says = tr("nothing is told apart")
    if at is not None:
        says = (
            tr("{listeners} listeners: {at}", listeners=listeners, at=f"{at:.2f}")
            if at < 10
            else tr("{listeners} listeners: {at}", listeners=listeners, at=f"{at:.0f}")
        )
        shapes += [Dot(x=x(listeners), y=y(at), radius=5, colour="zest"),
                   Dot(x=x(listeners), y=y(at), radius=5, colour="ink", hollow=True),
                   Text(x=x(listeners) + 9, y=y(at) - 6, text=says, size=12)]  # fmt: skip
    region = Region(x=0, y=0, width=width, height=height, says=says)
    return Picture(width=width, height=height, shapes=tuple(shapes), regions=(region,), title=told.words)

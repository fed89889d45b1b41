"""Pictures of timings: every point, against length, over the day, under load, and one request in full."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Final

from zestpanel.core.analysis.timing.against_length import LengthFit
from zestpanel.core.analysis.timing.playback import Stall
from zestpanel.core.analysis.timing.points import PHASES, TimingPoint
from zestpanel.core.analysis.timing.rows import TimingRow
from zestpanel.core.analysis.timing.waits import in_words
from zestpanel.core.domain.take import Timing
from zestpanel.core.report.charts import fitted, nice_ticks, number
from zestpanel.core.report.drawing import Box, Dot, Dots, Line, Path, Picture, Region, Shape, Text
from zestpanel.core.texts import tr
from zestpanel.core.waiting import in_turns

_ROW, _SMALL = 38.0, 11.0
_LEVEL_WORDS: Final = "requests at once"


def _unit(phase: str) -> str:
    return "" if phase == "real-time factor" else " s"


def _stated(value: float, unit: str) -> str:
    return in_words(value) if math.isinf(value) else f"{value:.2f}{unit}"


def points_picture(
    rows: Sequence[TimingRow], names: Mapping[int, tuple[str, str]], phase: str, *, width: float
) -> Picture | None:
    """Every warm request a dot, cold ones hollow; the median as a bar in the band of its 95 % interval.

    names: (name, detail) by candidate id. A row for each set of circumstances; the load is told under the name.
    """
    rows = [row for row in rows if row.warm.n or row.cold]
    if not rows:
        return None
    left, right, top = 210.0, 150.0, 26.0
    highest = max([v for row in rows for v in (*row.warm.points, *row.cold)] or [1.0]) * 1.05
    span, height = width - left - right, top + _ROW * len(rows) + 30
    unit = _unit(phase)

    def x(value: float) -> float:
        return left + min(1.0, value / highest) * span  # what never ended stands at the edge

    shapes: list[Shape] = []
    for tick in nice_ticks(0, highest):
        shapes.append(Line(x1=x(tick), y1=top - 6, x2=x(tick), y2=height - 26))
        words = f"{number(tick)}{unit}"
        # on both ends: a picture of many rows is looked at a part at a time
        for y in (top - 10, height - 10):
            shapes.append(Text(x=x(tick), y=y, text=words, colour="quiet", size=_SMALL, anchor="middle"))
    shapes.append(Text(x=width - 70, y=top - 10, text=tr("median"), colour="quiet", size=_SMALL, anchor="end"))
    shapes.append(Text(x=width - 4, y=top - 10, text=tr("95 of 100"), colour="quiet", size=_SMALL, anchor="end"))
    regions = []
    for index, row in enumerate(in_turns(rows, 5)):
        y = top + _ROW * index + _ROW / 2
        name, detail = names.get(row.candidate_id, ("", ""))
        level = row.circumstances.at_once
        second = tr("{level} at once", level=level) if level else detail
        shapes.append(Text(x=0, y=y - 2, text=fitted(name, 13, left - 14), size=13))
        shapes.append(Text(x=0, y=y + 12, text=fitted(second, _SMALL, left - 14), colour="quiet", size=_SMALL))
        if row.median is not None:
            low, high = x(row.median.low), x(row.median.high)
            shapes.append(Box(x=low, y=y - 11, width=max(1.0, high - low), height=22, fill="zest-pale"))
        shapes.append(Dots(points=tuple((x(v), y + (k * 7 % 13) - 6) for k, v in enumerate(row.warm.points))))
        for k, point in enumerate(row.cold):
            shapes.append(Dot(x=x(point), y=y + (k * 5 % 11) - 5, radius=3, colour="plum", hollow=True))
        median, p95 = row.warm.median, row.warm.p95
        if median is not None:
            shapes.append(Line(x1=x(median), y1=y - 11, x2=x(median), y2=y + 11, colour="deep-zest", width=2.5))
            shapes.append(Text(x=width - 70, y=y + 4, text=_stated(median, unit), anchor="end", size=13))
        if p95 is not None:
            shapes.append(Line(x1=x(p95), y1=y - 7, x2=x(p95), y2=y + 7, colour="ink"))
        words = tr("too few") if p95 is None else _stated(p95, unit)
        shapes.append(
            Text(x=width - 4, y=y + 4, text=words, anchor="end", size=13 if p95 else _SMALL,
                 colour="ink" if p95 is not None else "quiet")
        )  # fmt: skip
        sure = tr(", too few for an interval")
        if row.median is not None:
            sure = tr(
                ", 95 % {stated} to {stated2}",
                stated=_stated(row.median.low, unit),
                stated2=_stated(row.median.high, unit),
            )
        void = tr("; {void} typed or slept through, not counted", void=row.void) if row.void else ""
        void += (
            tr("; {gave_up} gave up waiting, counted as later than any", gave_up=row.warm.gave_up)
            if row.warm.gave_up
            else ""
        )
        regions.append(
            Region(
                x=0,
                y=y - _ROW / 2,
                width=width,
                height=_ROW,
                candidate_id=row.candidate_id,
                says=tr(
                    "{name}: {n} warm{sure}, {cold} cold{void}. {says}",
                    name=name,
                    n=row.warm.n,
                    sure=sure if row.warm.n else "",
                    cold=len(row.cold),
                    void=void,
                    says=row.circumstances.says(),
                ),
            )
        )
    return Picture(width=width, height=height, shapes=tuple(shapes), regions=tuple(regions), title=PHASES[phase][0])


class _Frame:
    """A plot with axes from 0: left values, bottom values, and a title over it."""

    def __init__(self, width: float, height: float, most_x: float, most_y: float, title: str) -> None:
        self.width, self.height, self.title = width, height, title
        self.left, self.right, self.top, self.bottom = 44.0, 12.0, 30.0, 34.0
        self.most_x, self.most_y = most_x or 1.0, most_y or 1.0
        self.shapes: list[Shape] = [Text(x=0, y=14, text=title, size=13, bold=True)]
        self.regions: list[Region] = []

    def x(self, value: float) -> float:
        return self.left + value / self.most_x * (self.width - self.left - self.right)

    def y(self, value: float) -> float:
        return self.height - self.bottom - value / self.most_y * (self.height - self.top - self.bottom)

    def axes(self, ticks_x: Sequence[float], words_x: str, unit_y: str) -> None:
        for tick in nice_ticks(0, self.most_y, 4):
            y = self.y(tick)
            self.shapes.append(Line(x1=self.left, y1=y, x2=self.width - self.right, y2=y))
            words = f"{number(tick)}{unit_y}"
            self.shapes.append(Text(x=self.left - 6, y=y + 4, text=words, colour="quiet", size=_SMALL, anchor="end"))
        for tick in ticks_x:
            place = self.x(tick)
            words = number(tick)
            y = self.height - self.bottom + 14
            self.shapes.append(Text(x=place, y=y, text=words, colour="quiet", size=_SMALL, anchor="middle"))
        middle = (self.left + self.width - self.right) / 2
        self.shapes.append(
            Text(x=middle, y=self.height - 5, text=words_x, colour="quiet", size=_SMALL, anchor="middle")
        )

    def picture(self) -> Picture:
        return Picture(
            width=self.width, height=self.height, shapes=tuple(self.shapes), regions=tuple(self.regions),
            title=self.title,
        )  # fmt: skip


def _dots(frame: _Frame, points: Sequence[TimingPoint], at: Mapping[int, float], phase: str) -> None:
    _, pick = PHASES[phase]
    warm: list[tuple[float, float]] = []
    for point in points:
        value = pick(point)
        if value is None or point.take.id not in at:
            continue
        x, y = frame.x(at[point.take.id]), frame.y(value)
        if point.timing.cold:
            frame.shapes.append(Dot(x=x, y=y, radius=3, colour="plum", hollow=True))
        else:
            warm.append((x, y))
    frame.shapes.append(Dots(points=tuple(warm), radius=2.5))


def _most(points: Sequence[TimingPoint], phase: str) -> float:
    return 1.08 * max((v for p in points if (v := PHASES[phase][1](p)) is not None), default=1.0)


def length_picture(
    points: Sequence[TimingPoint], characters: Mapping[int, int], fit: LengthFit | None, phase: str, *,
    width: float, height: float = 220,
) -> Picture | None:  # fmt: skip
    """Wait against length of text. characters: by take id. The fitted line is drawn where it may be stated."""
    points = [p for p in points if p.usable and p.take.id in characters]
    if not points:
        return None
    longest = max(characters[p.take.id] for p in points) * 1.05
    frame = _Frame(width, height, longest, _most(points, phase), tr("Against length of text"))
    frame.axes(nice_ticks(0, longest, 5), "characters", _unit(phase))
    _dots(frame, points, {p.take.id: float(characters[p.take.id]) for p in points}, phase)
    if fit is not None and fit.low_s > 0:
        ends = [(0.0, max(0.0, fit.at(0))), (longest, max(0.0, fit.at(longest)))]
        frame.shapes.append(Path(points=tuple((frame.x(a), frame.y(b)) for a, b in ends), colour="deep-zest", width=2))
    return frame.picture()


def hours_picture(points: Sequence[TimingPoint], phase: str, *, width: float, height: float = 220) -> Picture | None:
    """Waits over the hours of the day, all days laid over each other."""
    points = [p for p in points if p.usable]
    if not points:
        return None
    frame = _Frame(width, height, 24, _most(points, phase), tr("Over the day"))
    frame.axes([0, 6, 12, 18, 24], tr("hour of the day, this machine's time"), _unit(phase))
    _dots(frame, points, {p.take.id: p.hour for p in points}, phase)
    return frame.picture()


def load_picture(rows: Sequence[TimingRow], phase: str, *, width: float, height: float = 220) -> Picture | None:
    """One candidate's waits at 1, 2, 4 and 8 requests at once, every point drawn, medians joined."""
    rows = [row for row in rows if row.circumstances.at_once and row.warm.n]
    if not rows:
        return None
    highest = 1.08 * max([v for row in rows for v in row.warm.points] or [1.0])
    frame = _Frame(width, height, 5, highest, tr("Under load"))
    frame.axes([], _LEVEL_WORDS, _unit(phase))
    place = {1: 1.0, 2: 2.0, 4: 3.0, 8: 4.0}
    line = []
    for row in sorted(rows, key=lambda r: r.circumstances.at_once):
        at = place.get(row.circumstances.at_once, 4.6)
        y = frame.height - frame.bottom + 14
        words = str(row.circumstances.at_once)
        frame.shapes.append(Text(x=frame.x(at), y=y, text=words, colour="quiet", size=_SMALL, anchor="middle"))
        for k, value in enumerate(row.warm.points):
            x = frame.x(at) + (k * 7 % 13) - 6
            frame.shapes.append(Dot(x=x, y=frame.y(value), radius=2.5, colour="wave"))
        if row.warm.median is not None and not math.isinf(row.warm.median):
            line.append((frame.x(at), frame.y(row.warm.median)))
    frame.shapes.append(Path(points=tuple(line), colour="deep-zest", width=2))
    return frame.picture()


_PHASE_NAMES: Final = (
    (tr("connection"), "rule"),
    (tr("request sent"), "quiet"),
    (tr("first byte"), "wave"),
    (tr("first sound"), "zest"),
    (tr("whole clip"), "leaf"),
    (tr("decoded"), "plum"),
)


def request_picture(
    timing: Timing, duration_s: float, stalls: Sequence[Stall], head_start_s: float, *, width: float
) -> Picture:
    """One request in full: its phases one under the other, and below them the sound as it came against playback.

    The stepped line is the sound that had come; the straight one is a playback that begins ``head_start_s`` after the
    first sound; where the straight one would pass the stepped one it stalls.
    """
    marks = [timing.connected_s, timing.sent_s, timing.first_byte_s, timing.first_sound_s, timing.last_byte_s,
             timing.decoded_s]  # fmt: skip
    played = (timing.first_sound_s or timing.last_byte_s) + head_start_s + duration_s + sum(s.lasts_s for s in stalls)
    most = max(timing.decoded_s, played if len(timing.chunks) > 1 else 0.0) * 1.02
    left, right, top = 110.0, 60.0, 12.0
    streamed = len(timing.chunks) > 1
    row, plot = 20.0, 120.0 if streamed else 0.0
    height = top + row * len(marks) + (plot + 34 if streamed else 0) + 26

    def x(value: float) -> float:
        return left + value / most * (width - left - right)

    shapes: list[Shape] = []
    for tick in nice_ticks(0, most):
        shapes.append(Line(x1=x(tick), y1=top, x2=x(tick), y2=height - 22))
        words = f"{number(tick)} s"
        shapes.append(Text(x=x(tick), y=height - 7, text=words, colour="quiet", size=_SMALL, anchor="middle"))
    regions, before = [], 0.0
    for index, ((name, colour), at) in enumerate(zip(_PHASE_NAMES, marks, strict=True)):
        y = top + row * index + 6
        shapes.append(Text(x=0, y=y + 9, text=name, size=12, colour="ink" if at is not None else "quiet"))
        if at is None:
            shapes.append(Text(x=left, y=y + 9, text=tr("no such phase here"), size=_SMALL, colour="quiet"))
            continue
        shapes.append(
            Box(x=x(min(before, at)), y=y, width=max(2.0, x(at) - x(min(before, at))), height=10, fill=colour)
        )
        shapes.append(Text(x=x(at) + 6, y=y + 9, text=f"{at:.3f} s", size=_SMALL))
        says = tr(
            "{name}: at {at} s, {x} ms after the phase before",
            name=name,
            at=f"{at:.3f}",
            x=f"{max(0.0, at - before) * 1000:.1f}",
        )
        regions.append(Region(x=0, y=y - 4, width=width, height=row, says=says))
        before = at
    if streamed:
        base = height - 26

        def sound_y(value: float) -> float:
            return base - value / duration_s * plot

        words = tr("seconds of sound that had come, and playback")
        shapes.append(Text(x=0, y=base - plot - 8, text=words, size=_SMALL, colour="quiet"))
        steps = []
        for k, (at, sound) in enumerate(timing.chunks):
            after = timing.chunks[k + 1][1] if k + 1 < len(timing.chunks) else duration_s
            steps += [(x(at), sound_y(sound)), (x(at), sound_y(after))]
        shapes.append(Path(points=(*steps, (x(most), steps[-1][1])), colour="leaf", width=2))
        begun = timing.chunks[0][0] + head_start_s
        line, sound_at = [(x(begun), sound_y(0))], 0.0
        for stall in stalls:
            line.append((x(stall.at_s), sound_y(stall.of_sound_s)))
            line.append((x(stall.at_s + stall.lasts_s), sound_y(stall.of_sound_s)))
            shapes.append(
                Box(x=x(stall.at_s), y=base - plot, width=max(2.0, x(stall.at_s + stall.lasts_s) - x(stall.at_s)),
                    height=plot, fill="zest-pale")
            )  # fmt: skip
            begun, sound_at = stall.at_s + stall.lasts_s, stall.of_sound_s
        line.append((x(begun + duration_s - sound_at), sound_y(duration_s)))
        shapes.append(Path(points=tuple(line), colour="ink", width=1.5, dashed=True))
    return Picture(
        width=width, height=height, shapes=tuple(shapes), regions=tuple(regions), title=tr("One request in full")
    )

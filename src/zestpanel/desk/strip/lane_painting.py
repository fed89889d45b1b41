"""What the strip shows: the words, and the lanes below them with their waves, pauses, joins, marks and names."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, QTimer
from PyQt6.QtGui import QFont, QFontMetricsF, QPainter, QPaintEvent, QPen, QPixmap, QPolygonF
from PyQt6.QtWidgets import QWidget

from zestpanel.core.analysis.faults import Fault
from zestpanel.core.domain.take import Curve, Mark
from zestpanel.core.texts import tr
from zestpanel.desk.brush import empty_picture, painting
from zestpanel.desk.state import DeskState
from zestpanel.desk.strip.layout import LEAD_PX, TextColumns, lane_columns
from zestpanel.desk.theme.tokens import theme

MOST_DRAWING_S = 0.008  # of lanes in one turn
_STEP_PX = 3.0


class PaintedLanes(QWidget):
    """Under the lanes, which lay out what is painted here."""

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self._words: list[str] = []
        self._columns: TextColumns | None = None
        self._px_per_s = 60.0
        self._peaks: list[NDArray[np.float32]] = []
        self._level = 1.0  # of all lanes: what is drawn as high as there is room
        self._laid_lanes = 0
        self._widest: tuple[object, float] = (None, 0.0)
        self._pictures: dict[tuple[int, bool], QPixmap] = {}  # of what stands still, by lane and whether it is heard
        self._made_for: object = None
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(1)
        self._later.timeout.connect(self.update)
        self._laid = 0  # counts what was laid out anew
        self._marks: dict[int, list[Mark]] = {}
        self._faults: dict[int, list[Fault]] = {}
        self._offset = 0.0
        self._dragged: tuple[int, int] | None = None  # words, from and to, while the hand goes across them

    @property
    def whole(self) -> bool:
        """Whether every lane is drawn as it is now."""
        on = self._state.player.mixer.on
        return all((index, index == on) in self._pictures for index in range(len(self._state.tray.lanes)))

    # -- measures

    @property
    def _left(self) -> float:
        names = tuple(self._state.tray.lane_name(lane) for lane in self._state.tray.lanes)
        if self._widest[0] != (names, theme.scale):
            metrics = QFontMetricsF(self._name_font(bold=True))
            widest = max((metrics.horizontalAdvance(name) for name in names), default=10.0)
            self._widest = ((names, theme.scale), widest)
        longest = self._widest[1]
        return theme.px(20) + 35 + min(theme.px(180), longest) + theme.px(16)

    def _name_font(self, *, bold: bool) -> QFont:
        hidden = self._state.labels_hidden
        return theme.font("lead" if hidden else "body", serif=hidden, bold=bold)

    @property
    def _lane_height(self) -> int:
        return theme.px(25)

    @property
    def _top(self) -> int:
        return theme.px(26)

    def _x_of_time(self, index: int, time_s: float) -> float:
        if self._columns is None:
            return LEAD_PX + time_s * self._px_per_s
        axis = self._state.player.mixer.lanes[index].axis
        return float(self._columns.x_of(axis.place_at(time_s)))

    def _looped(self) -> tuple[float, float] | None:
        """Places of the text that are marked: those under the hand, else those that are heard over and over."""
        if self._dragged is not None and self._dragged[0] != self._dragged[1]:
            return float(min(self._dragged)), float(max(self._dragged) + 1)
        return self._state.player.mixer.loop

    # -- paint

    def paintEvent(self, event: QPaintEvent) -> None:
        with painting(self) as painter:
            mixer = self._state.player.mixer
            laid = len(self._state.tray.lanes)
            if not laid or self._laid_lanes != laid or len(mixer.lanes) != laid:  # something else is heard meanwhile
                return
            self._paint_heard_lane(painter, mixer.on)
            with self._along_the_text(painter):
                self._paint_loop(painter)
            for index, picture in self._still().items():
                painter.drawPixmap(0, self._top + index * self._lane_height, picture)
            with self._along_the_text(painter):
                self._paint_words(painter)
                self._paint_head(painter)
            if self.hasFocus():
                painter.setPen(QPen(theme.colour("focus"), 2.0))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(QRectF(self.rect()).adjusted(2, 1, -2, -1))

    @contextmanager
    def _along_the_text(self, painter: QPainter) -> Iterator[None]:
        """Within this block what is painted stands where the text is, and nowhere over the names."""
        painter.save()
        painter.setClipRect(QRectF(self._left - 6, 0, self.width() - self._left - 8, self.height()))
        painter.translate(self._left - self._offset, 0)
        yield
        painter.restore()

    def _still(self) -> dict[int, QPixmap]:
        """Of each lane its wave, pauses, joins, marks and name, painted once: a playing strip is painted many times a
        second, and of a swap only the two lanes look different that were and are heard. The heard lane comes first;
        what there is no time for now comes in a turn of its own, just after this one."""
        tray, on, ratio = self._state.tray, self._state.player.mixer.on, self.devicePixelRatioF()
        names = [tray.lane_name(lane) for lane in tray.lanes]
        pinned = [tray.is_pinned(index) for index in range(len(names))]
        made_for = (self._laid, self._offset, self.width(), ratio, theme.looks, names, pinned)
        if self._made_for != made_for:
            self._made_for = made_for
            self._pictures.clear()
        began, out = time.perf_counter(), {}
        for index in sorted(range(len(names)), key=lambda index: index != on):
            key, heard = (index, index == on), index == on
            if key not in self._pictures and time.perf_counter() - began < MOST_DRAWING_S:
                self._pictures[key] = self._picture_of(index, names[index], on=heard)
            picture = self._pictures.get(key) or self._pictures.get((index, not heard))
            if key not in self._pictures:
                self._later.start()
            if picture is not None:
                out[index] = picture
        return out

    def _picture_of(self, index: int, name: str, *, on: bool) -> QPixmap:
        picture = empty_picture(QSize(self.width(), self._lane_height), self.devicePixelRatioF())
        with painting(picture) as painter:
            painter.translate(0, -self._top - index * self._lane_height)
            with self._along_the_text(painter):
                together = on and bool(self._state.tray.contour) and self._state.tray.contours_together
                if not together:  # its wave would hide the others' curves
                    self._paint_wave(painter, index, on=on)
                self._paint_contour(painter, index, together=together)
                self._paint_pauses(painter, index)
                self._paint_joins(painter, index)
                self._paint_faults(painter, index)
                self._paint_marks(painter, index, self._marks.get(self._state.tray.lanes[index].take.id, []))
            self._paint_name(painter, index, name, on=on)
        return picture

    def _paint_heard_lane(self, painter: QPainter, on: int) -> None:
        y = self._top + on * self._lane_height
        painter.fillRect(QRectF(20, y, self.width() - 40, self._lane_height), theme.colour("sheet"))
        painter.fillRect(QRectF(20, y, 3, self._lane_height), theme.colour("zest"))

    def _paint_loop(self, painter: QPainter) -> None:
        places = self._looped()
        if places is None or self._columns is None:
            return
        left, right = (float(self._columns.x_of(place)) for place in places)
        bottom = self._top + self._lane_height * len(self._state.tray.lanes)
        painter.fillRect(QRectF(left - 3, 2, right - left, bottom - 2), theme.colour("zest-pale"))

    def _paint_pauses(self, painter: QPainter, index: int) -> None:
        """Long pauses, each with its seconds where there is room for them."""
        painter.setPen(QPen(theme.colour("plum"), 1.0))
        painter.setFont(theme.font("small"))
        metrics = QFontMetricsF(painter.font())
        middle = self._top + (index + 0.5) * self._lane_height
        for start, end in self._state.tray.lanes[index].pauses:
            left, right = self._x_of_time(index, start), self._x_of_time(index, end)
            for x in (left, right):
                painter.drawLine(QLineF(x, middle - 5, x, middle + 5))
            painter.drawLine(QLineF(left, middle, right, middle))
            words = f"{end - start:.1f} s"
            if metrics.horizontalAdvance(words) + 4 <= right - left:
                painter.drawText(QPointF((left + right - metrics.horizontalAdvance(words)) / 2, middle - 3), words)

    def _paint_joins(self, painter: QPainter, index: int) -> None:
        """Where a text that was sent in pieces was put together."""
        painter.setPen(QPen(theme.colour("ink"), 1.0, Qt.PenStyle.DotLine))
        painter.setFont(theme.font("small"))
        top = self._top + index * self._lane_height
        for at in self._state.tray.lanes[index].joins:
            x = self._x_of_time(index, at)
            painter.drawLine(QLineF(x, top + 1, x, top + self._lane_height - 1))
            painter.drawText(QPointF(x + 3, top + self._lane_height - 3), tr("join"))

    def _paint_name(self, painter: QPainter, index: int, name: str, *, on: bool) -> None:
        y = self._top + index * self._lane_height
        key = QRectF(27, y + 4, theme.px(20), self._lane_height - 8)
        painter.setPen(QPen(theme.colour("rule")))
        painter.setBrush(theme.colour("sheet"))
        painter.drawRoundedRect(key, 3, 3)
        painter.setFont(theme.font("small"))
        painter.setPen(theme.colour("ink"))
        painter.drawText(key, Qt.AlignmentFlag.AlignCenter, str(index + 1))
        if self._state.tray.is_pinned(index):
            painter.fillRect(QRectF(key.right() + 2, key.top(), 3, key.height()), theme.colour("leaf"))
        font = self._name_font(bold=on)
        painter.setFont(font)
        room = self._left - key.right() - theme.px(12)
        text = QFontMetricsF(font).elidedText(name, Qt.TextElideMode.ElideRight, room)
        painter.drawText(QRectF(key.right() + 8, y, room, self._lane_height), Qt.AlignmentFlag.AlignVCenter, text)

    def _paint_words(self, painter: QPainter) -> None:
        """Words of the passage; in real time they stand where the heard clip says them."""
        mixer = self._state.player.mixer
        painter.setFont(theme.font("lead", serif=True))
        here = int(np.floor(mixer.place + 1e-6))
        metrics = QFontMetricsF(painter.font())
        last = -1e9
        axis = mixer.lanes[mixer.on].axis
        for k, word in enumerate(self._words):
            if self._columns is not None:
                x = float(self._columns.edges[k])
            else:
                x = self._x_of_time(mixer.on, axis.time_at(float(k)))
                if not axis.aligned or x < last:
                    continue
            width = metrics.horizontalAdvance(word)
            last = x + width + 4
            box = QRectF(x - 3, 3, width + 6, self._top - 7)
            if k == here:
                painter.fillRect(box, theme.colour("zest"))
            painter.setPen(theme.colour("paper" if k == here and theme.dark else "ink"))
            painter.drawText(QPointF(x, self._top - theme.px(9)), word)

    def _paint_wave(self, painter: QPainter, index: int, *, on: bool) -> None:
        painter.setPen(QPen(theme.colour("deep-zest" if on else "wave"), 1.6))
        lane = self._state.player.mixer.lanes[index]
        xs, values = lane_columns(
            self._peaks[index], lane.axis, self._columns, px_per_s=self._px_per_s, step_px=_STEP_PX
        )
        seen = slice(
            *np.searchsorted(xs, (self._offset - 8, self._offset + self.width()))
        )  # they go from left to right
        xs, values = xs[seen], values[seen] / self._level
        middle = self._top + (index + 0.5) * self._lane_height
        half = self._lane_height / 2 - 3
        heights = np.maximum(0.6, np.minimum(1.0, values**0.7) * half)
        bars = [QLineF(x, middle - h, x, middle + h) for x, h in zip(xs.tolist(), heights.tolist(), strict=True)]
        if bars:
            painter.drawLines(*bars)

    def _paint_head(self, painter: QPainter) -> None:
        mixer = self._state.player.mixer
        x = self._x_of_time(mixer.on, mixer.time_s)
        bottom = self._top + self._lane_height * len(self._state.tray.lanes)
        painter.setPen(QPen(theme.colour("ink"), 1.2))
        painter.drawLine(QLineF(x, self._top, x, bottom))

    def _paint_faults(self, painter: QPainter, index: int) -> None:
        """What a machine found, as a line under the place; its kind in words where there is room before the next."""
        y = self._top + (index + 1) * self._lane_height - 2.5
        painter.setFont(theme.font("small"))
        metrics = QFontMetricsF(painter.font())
        painter.setPen(QPen(theme.colour("plum"), 2.0))
        places = [(self._x_of_time(index, one.of.start_s), self._x_of_time(index, one.of.end_s), one.kind.words)
                  for one in self._faults.get(self._state.tray.lanes[index].take.id, [])]  # fmt: skip
        for k, (left, right, words) in enumerate(places):
            painter.drawLine(QLineF(left, y, max(right, left + theme.px(5)), y))
            room = (places[k + 1][0] if k + 1 < len(places) else self._width_of_text()) - left
            wide = metrics.horizontalAdvance(words) + theme.px(6)
            if wide < room:
                box = QRectF(left, y - metrics.height() - 1, wide, metrics.height())
                painter.fillRect(box, theme.colour("paper"))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _width_of_text(self) -> float:
        return self.width() - self._left + self._offset

    def _paint_contour(self, painter: QPainter, index: int, *, together: bool) -> None:
        """Pitch or level, all lanes on one scale; broken where there is none. together: with those of the other lanes,
        each along its own words."""
        name, lanes = self._state.tray.contour, self._state.tray.lanes
        curves = [lane.measured.curves.get(name) for lane in lanes]
        known = [one.values[np.isfinite(one.values)] for one in curves if one is not None]
        own = curves[index] if name else None
        if own is None or not any(len(one) for one in known):
            return
        every = np.concatenate(known)
        low, high = (float(v) for v in np.percentile(every, (2 if name == "pitch" else 30, 99)))
        box = QRectF(0, self._top + index * self._lane_height + 2.0, 1, self._lane_height - 4.0)
        if together:
            painter.setPen(QPen(theme.colour("quiet"), 0.8))
            for other, curve in enumerate(curves):
                if other != index and curve is not None:
                    self._paint_curve(painter, other, curve, box, (low, high))
        painter.setPen(QPen(theme.colour("deep-zest" if together else "zest"), 2.0 if together else 1.6))
        self._paint_curve(painter, index, own, box, (low, high))

    def _paint_curve(self, painter: QPainter, index: int, curve: Curve, box: QRectF, ends: tuple[float, float]) -> None:
        """Of a clip, along its own words, between the ends of the scale as the box is high."""
        line, (low, high) = QPolygonF(), ends
        for k, value in enumerate(curve.values):
            if np.isfinite(value):
                share = min(1.0, max(0.0, (float(value) - low) / max(0.1, high - low)))
                x = self._x_of_time(index, (k + 0.5) * curve.step_s)
                line.append(QPointF(x, box.top() + box.height() * (1 - share)))
                continue
            painter.drawPolyline(line)
            line = QPolygonF()
        painter.drawPolyline(line)

    def _paint_marks(self, painter: QPainter, index: int, marks: list[Mark]) -> None:
        painter.setFont(theme.font("small", serif=True, italic=True))
        metrics = QFontMetricsF(painter.font())
        y = self._top + (index + 1) * self._lane_height - theme.px(13)
        for mark in marks:
            x = self._x_of_time(index, mark.at_s)
            box = QRectF(x, y, metrics.horizontalAdvance(mark.kind) + 8, theme.px(15))
            painter.setPen(QPen(theme.colour("plum")))
            painter.setBrush(theme.colour("paper"))
            painter.drawRoundedRect(box, 2, 2)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, mark.kind)

"""Painting the words and the lanes, and what a click on them does."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from zestpanel.core.domain.passage import words_with_places
from zestpanel.core.domain.take import Mark
from zestpanel.core.texts import tr
from zestpanel.desk.brush import painting
from zestpanel.desk.state import DeskState
from zestpanel.desk.strip.lane_keys import LaneKeys
from zestpanel.desk.strip.layout import LEAD_PX, TextColumns, lane_columns, text_columns, typical_spans
from zestpanel.desk.theme.tokens import theme

_STEP_PX = 3.0


class Lanes(QWidget):
    """Word row and lanes. A click on a word plays from it in the clip that is on; one on a lane swaps to it there."""

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self._words: list[str] = []
        self._columns: TextColumns | None = None
        self._px_per_s = 60.0
        self._peaks: list[NDArray[np.float32]] = []
        self._drawn: list[tuple[NDArray[np.float64], NDArray[np.float32]]] = []
        self._widest: tuple[object, float] = (None, 0.0)
        self._bars: dict[int, tuple[tuple[int, int], list[QLineF]]] = {}
        self._marks: dict[int, list[Mark]] = {}
        self._offset = 0.0
        self._dragged: tuple[int, int] | None = None  # words, from and to, while the hand goes across them
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)  # a click leaves the keys where they are
        self._keys = LaneKeys(state)
        state.tray.changed.connect(self._new_tray)
        state.tray.marks_changed.connect(self._new_marks)
        state.labels_changed.connect(self._new_tray)
        state.player.moved.connect(self._follow)
        state.player.changed.connect(self.update)
        state.player.changed.connect(self._tell)
        theme.changed.connect(self._new_tray)

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

    def needed_height(self) -> int:
        return self._top + self._lane_height * len(self._state.tray.lanes) + theme.px(8)

    def sizeHint(self) -> QSize:
        return QSize(400, self.needed_height())

    # -- what is shown

    def _new_tray(self) -> None:
        passage = self._state.passage()
        self._words = [w for w, _, _ in words_with_places(passage.text)] if passage else []
        lanes = self._state.player.mixer.lanes
        self._peaks = [lane.envelope for lane in lanes]
        self._offset = 0.0
        self._lay_out()
        self._new_marks()
        self._tell()
        self.setMinimumHeight(self.needed_height())
        self.updateGeometry()
        self.update()

    def _tell(self) -> None:
        """What a screen reader is told: the words, and which lane is heard of which."""
        passage, mixer = self._state.passage(), self._state.player.mixer
        names = [self._state.tray.lane_name(lane) for lane in self._state.tray.lanes]
        said = "; ".join(f"{k + 1} {name}{', heard' if k == mixer.on else ''}" for k, name in enumerate(names))
        self.setAccessibleName(tr("Lanes: {said}. {words}", said=said, words=passage.text if passage else ""))

    def _tell_word(self) -> None:
        """The word that is walked to, and in which lane."""
        word, mixer = self._keys.word(), self._state.player.mixer
        if 0 <= word < len(self._words) and mixer.on < len(self._state.tray.lanes):
            name = self._state.tray.lane_name(self._state.tray.lanes[mixer.on])
            self.setAccessibleDescription(
                tr(
                    "word {word} of {words}, {words2}, {name}",
                    word=word + 1,
                    words=len(self._words),
                    words2=self._words[word],
                    name=name,
                )
            )

    def _new_marks(self) -> None:
        self._marks = self._state.tray.marks()
        self.update()

    def _lay_out(self) -> None:
        self._bars.clear()
        lanes = self._state.player.mixer.lanes
        if not lanes or not self._words or len(self._peaks) != len(lanes):  # other lanes are just being laid out
            self._columns, self._drawn = None, []
            return
        room = max(200.0, self.width() - self._left - 20)
        if self._state.tray.real_time:
            self._columns = None
            self._px_per_s = max(24.0, (room - 2 * LEAD_PX) / max(lane.duration_s for lane in lanes))
        else:
            metrics = QFontMetricsF(theme.font("lead", serif=True))
            widths = [metrics.horizontalAdvance(word) + theme.px(8) for word in self._words]
            spans = typical_spans([lane.axis for lane in lanes], len(self._words))
            self._columns = text_columns(widths, list(spans), available=room)
        # one scale for all lanes: they are heard at one loudness and drawn so, the rare highest peaks cut
        top = max((float(np.percentile(p, 99)) for p in self._peaks if len(p)), default=1.0) or 1.0
        self._drawn = [
            (xs, values / top)
            for lane, peaks in zip(lanes, self._peaks, strict=True)
            for xs, values in [lane_columns(peaks, lane.axis, self._columns, px_per_s=self._px_per_s, step_px=_STEP_PX)]
        ]

    def resizeEvent(self, event: object) -> None:
        self._lay_out()

    def _width(self) -> float:
        if self._columns is not None:
            return self._columns.width
        longest = max((lane.duration_s for lane in self._state.player.mixer.lanes), default=0.0)
        return longest * self._px_per_s + 2 * LEAD_PX

    def _x_of_time(self, index: int, time_s: float) -> float:
        if self._columns is None:
            return LEAD_PX + time_s * self._px_per_s
        axis = self._state.player.mixer.lanes[index].axis
        return float(self._columns.x_of(axis.place_at(time_s)))

    def _follow(self) -> None:
        """Keep the place that is heard in sight when the text is wider than the window."""
        mixer = self._state.player.mixer
        room = self.width() - self._left - 20
        if mixer.lanes and self._width() > room:
            x = self._x_of_time(mixer.on, mixer.time_s)
            if not self._offset + 40 <= x <= self._offset + room - 80:
                self._offset = min(max(0.0, x - 120), self._width() - room)
        self.update()

    # -- keys and the mouse

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._keys.press(event, len(self._words)):
            self._tell_word()
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: object) -> None:
        self._tell_word()
        self.update()

    def focusOutEvent(self, event: object) -> None:
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        room = self.width() - self._left - 20
        if self._width() > room:
            step = event.angleDelta().x() or event.angleDelta().y()
            self._offset = min(max(0.0, self._offset - step), self._width() - room)
            self.update()
            event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        mixer = self._state.player.mixer
        if not mixer.lanes or event.button() != Qt.MouseButton.LeftButton:
            return
        x, y = event.position().x() - self._left + self._offset, event.position().y()
        lane = int((y - self._top) // self._lane_height)
        if y >= self._top and 0 <= lane < len(self._state.tray.lanes) and lane != mixer.on:
            self._state.tray.swap_to(lane)
        if event.position().x() < self._left:
            return
        if self._columns is None:
            self._state.player.seek(max(0.0, (x - LEAD_PX) / self._px_per_s))
        elif y < self._top:
            word = self._columns.word_at(x)
            if word is None:
                return
            self._dragged = (word, word)
            self._state.player.seek_place(float(word))
        else:
            self._state.player.seek_place(float(self._columns.place_of(x)))
        self._state.player.play()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragged is None or self._columns is None:
            return
        word = self._columns.word_at(event.position().x() - self._left + self._offset)
        if word is not None and word != self._dragged[1]:
            self._dragged = (self._dragged[0], word)
            self.update()

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:
        """Words that were dragged across are heard over and over; a click on one takes that away."""
        dragged, self._dragged = self._dragged, None
        if dragged is not None and dragged[0] != dragged[1]:
            self._state.tray.set_loop((float(min(dragged)), float(max(dragged) + 1)))
        elif dragged is not None and self._state.player.mixer.loop is not None:
            place = float(dragged[0])
            self._state.tray.set_loop(None)
            self._state.player.seek_place(place)

    def _looped(self) -> tuple[float, float] | None:
        """Places of the text that are marked: those under the hand, else those that are heard over and over."""
        if self._dragged is not None and self._dragged[0] != self._dragged[1]:
            return float(min(self._dragged)), float(max(self._dragged) + 1)
        return self._state.player.mixer.loop

    def x_of_word(self, index: int) -> float:
        """Middle of a word's column in this widget's pixels, for whoever points at it."""
        assert self._columns is not None
        edges = self._columns.edges
        return self._left - self._offset + float(edges[index] + edges[index + 1]) / 2

    # -- paint

    def paintEvent(self, event: QPaintEvent) -> None:
        with painting(self) as painter:
            mixer = self._state.player.mixer
            laid = len(self._state.tray.lanes)
            if not laid or len(self._drawn) != laid or len(mixer.lanes) != laid:  # something else is heard meanwhile
                return
            self._paint_heard_lane(painter, mixer.on)
            painter.save()
            painter.setClipRect(QRectF(self._left - 6, 0, self.width() - self._left - 8, self.height()))
            painter.translate(self._left - self._offset, 0)
            self._paint_loop(painter)
            self._paint_words(painter)
            for index in range(len(self._state.tray.lanes)):
                self._paint_wave(painter, index, on=index == mixer.on)
                self._paint_pauses(painter, index)
                self._paint_joins(painter, index)
            self._paint_head(painter)
            for index, lane in enumerate(self._state.tray.lanes):
                self._paint_marks(painter, index, self._marks.get(lane.take.id, []))
            painter.restore()
            if self.hasFocus():
                painter.setPen(QPen(theme.colour("focus"), 2.0))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(QRectF(self.rect()).adjusted(2, 1, -2, -1))
            for index, lane in enumerate(self._state.tray.lanes):
                self._paint_name(painter, index, self._state.tray.lane_name(lane), on=index == mixer.on)

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
        key = (self._top, self._lane_height)
        if index not in self._bars or self._bars[index][0] != key:
            self._bars[index] = (key, self._bars_of(index))
        if bars := self._bars[index][1]:
            painter.drawLines(*bars)

    def _bars_of(self, index: int) -> list[QLineF]:
        """Made once for a lane: a playing strip is painted many times a second."""
        xs, values = self._drawn[index]
        middle = self._top + (index + 0.5) * self._lane_height
        half = self._lane_height / 2 - 3
        heights = np.maximum(0.6, np.minimum(1.0, values**0.7) * half)
        return [QLineF(x, middle - h, x, middle + h) for x, h in zip(xs.tolist(), heights.tolist(), strict=True)]

    def _paint_head(self, painter: QPainter) -> None:
        mixer = self._state.player.mixer
        x = self._x_of_time(mixer.on, mixer.time_s)
        bottom = self._top + self._lane_height * len(self._state.tray.lanes)
        painter.setPen(QPen(theme.colour("ink"), 1.2))
        painter.drawLine(QLineF(x, self._top, x, bottom))

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

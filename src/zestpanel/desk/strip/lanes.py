"""Painting the words and the lanes, and what a click on them does."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import (
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy

from zestpanel.core.domain.passage import words_with_places
from zestpanel.core.texts import tr
from zestpanel.desk.state import DeskState
from zestpanel.desk.strip.lane_keys import LaneKeys
from zestpanel.desk.strip.lane_painting import PaintedLanes
from zestpanel.desk.strip.layout import LEAD_PX, text_columns, typical_spans
from zestpanel.desk.theme.tokens import theme


class Lanes(PaintedLanes):
    """Word row and lanes. A click on a word plays from it in the clip that is on; one on a lane swaps to it there."""

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)  # a click leaves the keys where they are
        self._keys = LaneKeys(state)
        state.tray.changed.connect(self._new_tray)
        state.tray.marks_changed.connect(self._new_marks)
        state.evaluation_changed.connect(self._new_marks)
        state.labels_changed.connect(self._new_tray)
        state.player.moved.connect(self._follow)
        state.player.changed.connect(self.update)
        state.player.changed.connect(self._tell)
        theme.changed.connect(self._new_tray)

    # -- measures

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
        self._marks, self._faults = self._state.tray.marks(), self._state.tray.faults()
        self._laid += 1
        self.update()

    def _lay_out(self) -> None:
        self._laid += 1
        lanes = self._state.player.mixer.lanes
        if not lanes or not self._words or len(self._peaks) != len(lanes):  # other lanes are just being laid out
            self._columns, self._laid_lanes = None, 0
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
        self._level = max((float(np.percentile(p, 99)) for p in self._peaks if len(p)), default=1.0) or 1.0
        self._laid_lanes = len(lanes)

    def resizeEvent(self, event: object) -> None:
        self._lay_out()

    def _width(self) -> float:
        if self._columns is not None:
            return self._columns.width
        longest = max((lane.duration_s for lane in self._state.player.mixer.lanes), default=0.0)
        return longest * self._px_per_s + 2 * LEAD_PX

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

    def x_of_word(self, index: int) -> float:
        """Middle of a word's column in this widget's pixels, for whoever points at it."""
        assert self._columns is not None
        edges = self._columns.edges
        return self._left - self._offset + float(edges[index] + edges[index + 1]) / 2

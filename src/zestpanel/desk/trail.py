"""The trail: the eight steps at the left, each with its state in a few words."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from zestpanel.core.texts import tr
from zestpanel.desk.brush import painting
from zestpanel.desk.plain_tips import plain_tip
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.viewmodels.steps import STEPS, TITLES, step_states


class Trail(QWidget):
    """chosen: a step was asked for, by its key."""

    chosen = pyqtSignal(str)

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.setObjectName("trail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("The trail: eight steps"))
        self._state = state
        self._on = "renders"
        self._states = step_states(state.bench, state.evaluation)
        for signal in (state.bench_changed, state.runs.changed, state.evaluation_changed):
            signal.connect(self.refresh)
        theme.changed.connect(self._resize)

    def refresh(self) -> None:
        self._states = step_states(self._state.bench, self._state.evaluation)
        self.setToolTip(plain_tip("\n".join(f"{words}: {self._states[key].words}" for key, words in TITLES.items())))
        self.update()

    def _resize(self) -> None:
        self.updateGeometry()

    def set_on(self, step: str) -> None:
        self._on = step
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(theme.px(206), self._row * len(STEPS) + 20)

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(206), 100)

    @property
    def _row(self) -> int:
        return max(theme.px(28), min(theme.px(56), (self.height() - 20) // len(STEPS)))

    def box_of(self, index: int) -> QRectF:
        return QRectF(0, 10 + index * self._row, self.width(), self._row)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = int((event.position().y() - 10) // self._row)
        if 0 <= index < len(STEPS):
            self.chosen.emit(STEPS[index].key)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        keys = list(TITLES)
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()), 0)
        if step:
            self.chosen.emit(keys[min(len(keys) - 1, max(0, keys.index(self._on) + step))])
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        with painting(self) as painter:
            x = theme.px(24)
            painter.setPen(QPen(theme.colour("rule"), 2))
            first, last = self.box_of(0), self.box_of(len(STEPS) - 1)
            painter.drawLine(QPointF(x, first.top() + theme.px(16)), QPointF(x, last.top() + theme.px(16)))
            for index, (key, words) in enumerate(TITLES.items()):
                self._step(painter, self.box_of(index), key, words, x)
            if self.hasFocus():
                index = list(TITLES).index(self._on)
                painter.setPen(QPen(theme.colour("focus"), 1))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(self.box_of(index).adjusted(6, 0, -6, -4), 4, 4)

    def _step(self, painter: QPainter, box: QRectF, key: str, words: str, x: int) -> None:
        stand, on = self._states[key], key == self._on
        centre, r = QPointF(x, box.top() + theme.px(16)), theme.px(6)
        pen = QPen(theme.colour("ink" if on else "quiet"), 1.8)
        if stand.stale:
            pen.setDashPattern([2, 1.6])
        painter.setPen(pen)
        painter.setBrush(theme.colour("zest" if on else "paper"))
        painter.drawEllipse(centre, r, r)
        if not on and stand.share > 0:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("quiet"))
            span = round(min(1.0, stand.share) * 360 * 16)
            painter.drawPie(QRectF(x - r, centre.y() - r, 2 * r, 2 * r), 90 * 16, -span)
        left = x + theme.px(19)
        painter.setFont(theme.font("lead", bold=on))
        painter.setPen(theme.colour("ink"))
        painter.drawText(QPointF(left, box.top() + theme.px(21)), words)
        if self._row < theme.px(40):
            return  # no room for the second line: its words are in the tool tip
        painter.setFont(theme.font("small"))
        painter.setPen(theme.colour("deep-zest" if stand.stale else "quiet"))
        shown = QFontMetricsF(painter.font()).elidedText(
            stand.words, Qt.TextElideMode.ElideRight, self.width() - left - 6
        )
        painter.drawText(QPointF(left, box.top() + theme.px(37)), shown)

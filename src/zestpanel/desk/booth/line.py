"""Samples as numbered tokens on one common line from 0 to 100: the order and the distances are seen at once.

A token that is not placed yet waits below the line. Arrows move the chosen one, the mouse drags any; Shift goes by
tens.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from zestpanel.core.listening.kind import HIGH, LOW
from zestpanel.core.listening.told import Told
from zestpanel.desk.brush import painting
from zestpanel.desk.theme.tokens import theme

_TOKEN: Final = 26.0  # pixels across, at 100 %
_MARGIN: Final = 34.0
_FLOORS: Final = 4  # tokens over one another at one place


class PlacingLine(QWidget):
    """moved: a token stands elsewhere. chosen: a token was clicked, by its index."""

    moved = pyqtSignal()
    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("line")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.places: list[int | None] = []
        self._bands: tuple[str, ...] = ()
        self._on = 0
        self._held: int | None = None
        self._active = True
        self.told = Told()
        self.setMouseTracking(True)

    def begin(self, count: int, bands: Sequence[str], told: Told) -> None:
        """So many tokens, none placed. bands: names of equal parts of the line, the best first."""
        self.told = told
        self.places = [None] * count
        self._bands = tuple(reversed(bands))
        self._on = 0
        self._told()
        self.updateGeometry()

    def set_active(self, active: bool) -> None:
        """Whether tokens can be moved: only once something can be heard."""
        self._active = active
        self.update()

    @property
    def on(self) -> int:
        """Index of the chosen token."""
        return self._on

    def choose(self, at: int) -> None:
        self._on = at
        self._told()

    @property
    def whole(self) -> bool:
        return bool(self.places) and None not in self.places

    def step(self, by: int) -> None:
        """Move the chosen token; the first step sets one that is not placed in the middle."""
        if not self._active or not self.places:
            return
        now = self.places[self._on]
        self.put(self._on, (LOW + HIGH) // 2 if now is None else now + by)

    def put(self, at: int, place: int) -> None:
        self.places[at] = min(HIGH, max(LOW, place))
        self._on = at
        self._told()
        self.moved.emit()

    def _told(self) -> None:
        """What a screen reader says of it."""
        said = [
            self.told.tr(
                "sample {k} {x}", k=k + 1, x=self.told.tr("not placed") if p is None else self.told.tr("at {p}", p=p)
            )
            for k, p in enumerate(self.places)
        ]
        self.setAccessibleName(
            self.told.tr(
                "Line from {low} to {high}: {said}. Sample {on} is chosen",
                low=LOW,
                high=HIGH,
                said=", ".join(said),
                on=self._on + 1,
            )
        )
        self.update()

    # -- where things are

    def sizeHint(self) -> QSize:
        return QSize(theme.px(760), theme.px(_TOKEN * (_FLOORS + 1) + 76))

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(420), self.sizeHint().height())

    def _line_y(self) -> float:
        return theme.px(_TOKEN * _FLOORS + 10)

    def _x(self, place: float) -> float:
        margin = theme.px(_MARGIN)
        return margin + (self.width() - 2 * margin) * (place - LOW) / (HIGH - LOW)

    def _place_at(self, x: float) -> int:
        margin = theme.px(_MARGIN)
        return round(LOW + (HIGH - LOW) * (x - margin) / max(1.0, self.width() - 2 * margin))

    def centres(self) -> list[QPointF]:
        """Middle of each token: those that would lie over one another stand above, those not placed wait below."""
        size, out = theme.px(_TOKEN), []
        below = [k for k, place in enumerate(self.places) if place is None]
        evaluation: list[tuple[float, int]] = []
        for k, place in enumerate(self.places):
            if place is None:
                x = self.width() / 2 + (below.index(k) - (len(below) - 1) / 2) * size * 1.4
                out.append(QPointF(x, self._line_y() + theme.px(46) + size / 2))
                continue
            x, floor = self._x(place), 0
            while any(abs(x - other) < size and floor == at for other, at in evaluation) and floor < _FLOORS - 1:
                floor += 1
            evaluation.append((x, floor))
            out.append(QPointF(x, self._line_y() - size / 2 - floor * size))
        return out

    # -- hand and eye

    def mousePressEvent(self, event: QMouseEvent) -> None:
        reach = theme.px(_TOKEN) * 0.7
        near = [(abs(c.x() - event.position().x()) + abs(c.y() - event.position().y()), k)
                for k, c in enumerate(self.centres())]  # fmt: skip
        if near and min(near)[0] <= reach:
            self._held = min(near)[1]
            self.chosen.emit(self._held)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is not None and self._active:
            self.put(self._held, self._place_at(event.position().x()))

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:
        self._held = None

    def paintEvent(self, _: QPaintEvent) -> None:
        with painting(self) as painter:
            self._paint_line(painter)
            for k, centre in enumerate(self.centres()):
                self._paint_token(painter, k, centre)

    def _paint_line(self, painter: QPainter) -> None:
        y, share = self._line_y(), (HIGH - LOW) / max(1, len(self._bands))
        painter.setFont(theme.font("small"))
        for k, name in enumerate(self._bands):
            left, right = self._x(LOW + k * share), self._x(LOW + (k + 1) * share)
            painter.setPen(QPen(theme.colour("quiet"), 1))
            painter.drawText(QRectF(left, y + theme.px(16), right - left, theme.px(20)),
                             Qt.AlignmentFlag.AlignCenter, name)  # fmt: skip
        painter.setPen(QPen(theme.colour("ink"), 1.5))
        painter.drawLine(QPointF(self._x(LOW), y), QPointF(self._x(HIGH), y))
        for k in range(len(self._bands) + 1):
            x = self._x(LOW + k * share)
            painter.drawLine(QPointF(x, y), QPointF(x, y + theme.px(7)))
            painter.drawText(QRectF(x - 20, y + theme.px(6), 40, theme.px(14)), Qt.AlignmentFlag.AlignCenter,
                             f"{LOW + k * share:.0f}")  # fmt: skip

    def _paint_token(self, painter: QPainter, k: int, centre: QPointF) -> None:
        size = theme.px(_TOKEN)
        on = k == self._on
        place = self.places[k]
        if place is not None:
            painter.setPen(QPen(theme.colour("ink" if on else "rule"), 1))
            painter.drawLine(QPointF(centre.x(), centre.y() + size / 2), QPointF(centre.x(), self._line_y()))
        painter.setPen(QPen(theme.colour("ink" if self._active else "rule"), 1.5))
        painter.setBrush(theme.colour("ink" if on else "paper"))
        painter.drawRoundedRect(QRectF(centre.x() - size / 2 + 2, centre.y() - size / 2 + 2, size - 4, size - 4), 5, 5)
        painter.setPen(theme.colour("paper" if on else "ink" if self._active else "quiet"))
        painter.setFont(theme.font("body", bold=True))
        painter.drawText(QRectF(centre.x() - size / 2, centre.y() - size / 2, size, size),
                         Qt.AlignmentFlag.AlignCenter, str(k + 1))  # fmt: skip

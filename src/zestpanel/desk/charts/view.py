"""A widget that shows one picture of the core."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from functools import lru_cache
from typing import Any, Final

from PyQt6 import sip
from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QFont,
    QFontMetricsF,
    QGuiApplication,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
)
from PyQt6.QtWidgets import QMenu, QSizePolicy, QToolTip, QWidget

from zestpanel.core.report.drawing import Box, Dot, Dots, Line, Path, Picture, Region, Shape, Text, reach
from zestpanel.core.texts import tr
from zestpanel.desk.brush import painting
from zestpanel.desk.plain_tips import plain_tip
from zestpanel.desk.theme.tokens import theme

_FEW_ROWS: Final = 30
_MANY_SHAPES: Final = 400
Aside = Callable[[Callable[[], Any], Callable[[Any], None], str], None]  # work, what is done with its result, topic
_STEPS: Final = {Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1}


class ChartView(QWidget):
    """Shows a picture made for its width. A click on a candidate's place, or a cell's, tells which; the menu copies the
    picture.

    Where there are places that say something the keys walk them: arrows from one to the next, Enter as a click.
    """

    candidate_chosen = pyqtSignal(int)
    cell_chosen = pyqtSignal(int, int)  # a candidate and a passage

    def __init__(
        self, make: Callable[[float], Picture | None], *, least: float = 420.0, aside: Aside | None = None
    ) -> None:
        """least: the width in pixels at 100 % below which the picture is not made narrower. aside: how a picture of
        very many shapes is made off the interface thread; make touches no widget then."""
        super().__init__()
        self._make, self.least, self._aside = make, least, aside
        self._picture: Picture | None = None
        self._reaches: list[tuple[float, float]] = []  # of each shape: which of them are in sight is asked often
        self._again = QTimer(self)  # several changes of the width in a row make one picture
        self._again.setSingleShot(True)
        self._again.setInterval(0)
        self._again.timeout.connect(self._remake)
        self._at: int | None = None  # the region that the keys have walked to
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        theme.changed.connect(self._remake)

    def refresh(self) -> None:
        """Make the picture again, for the width there is."""
        self._again.stop()
        self._put(_with_reaches(self._make(self._room())))

    def refresh_for(self, rows: int) -> None:
        """Likewise, for a picture of so many rows: of more than some off the interface thread. Until it is made the
        earlier one stays."""
        if rows > _FEW_ROWS and self._aside is not None:
            self._make_aside(self._aside)
        else:
            self.refresh()

    def _make_aside(self, aside: Aside) -> None:
        self._again.stop()
        make, room = self._make, self._room()
        aside(lambda: _with_reaches(make(room)), self._put, f"chart {id(self)}")

    def _remake(self) -> None:
        if self._aside is not None and self._picture is not None and len(self._picture.shapes) > _MANY_SHAPES:
            self._make_aside(self._aside)
        else:
            self.refresh()

    def _room(self) -> float:
        return max(self.least, self.width() / theme.scale)

    def _put(self, made: tuple[Picture | None, list[tuple[float, float]]]) -> None:
        if sip.isdeleted(self):
            return  # it came too late
        self._picture, self._reaches = made
        self.setFixedHeight(round(self._picture.height * theme.scale) if self._picture else 0)
        if self._picture is not None:
            said = "; ".join(region.says for region in self._picture.regions)
            self.setAccessibleName(f"{self._picture.title}. {said}")
        places = len(self._picture.regions) if self._picture is not None else 0
        self._at = None if self._at is None or not places else min(self._at, places - 1)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus if places else Qt.FocusPolicy.NoFocus)
        self.update()

    def resizeEvent(self, event: object) -> None:
        if self._picture is not None and abs(self._picture.width - self.width() / theme.scale) > 1:
            self._again.start(0)

    def sizeHint(self) -> QSize:
        return QSize(640, round(self._picture.height * theme.scale) if self._picture else 0)

    def picture(self) -> Picture | None:
        return self._picture

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._picture is not None:
            with painting(self) as painter:
                painter.scale(theme.scale, theme.scale)
                exposed = event.rect()
                top, bottom = exposed.top() / theme.scale, exposed.bottom() / theme.scale
                paint(painter, [shape for shape, (least, most) in zip(self._picture.shapes, self._reaches, strict=True)
                                if most >= top and least <= bottom])  # fmt: skip
                if self.hasFocus():
                    self._paint_focus(painter, self._picture)

    def _paint_focus(self, painter: QPainter, picture: Picture) -> None:
        painter.setPen(QPen(theme.colour("focus"), 2.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self._at is None:
            painter.drawRect(QRectF(1, 1, picture.width - 2, picture.height - 2))
        else:
            one = picture.regions[self._at]
            painter.drawRect(QRectF(one.x, one.y, one.width, one.height).adjusted(1, 1, -1, -1))

    # -- by keys

    def keyPressEvent(self, event: QKeyEvent) -> None:
        regions = self._picture.regions if self._picture else ()
        step = _STEPS.get(Qt.Key(event.key()))
        if step is not None and regions:
            self._walk_to(0 if self._at is None else min(len(regions) - 1, max(0, self._at + step)))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._at is not None:
            self._choose(regions[self._at])
        else:
            super().keyPressEvent(event)

    def _walk_to(self, place: int) -> None:
        assert self._picture is not None
        self._at = place
        one = self._picture.regions[place]
        self.setAccessibleDescription(one.says)
        corner = QPoint(round((one.x + one.width / 2) * theme.scale), round((one.y + one.height) * theme.scale))
        QToolTip.showText(self.mapToGlobal(corner), plain_tip(one.says), self)
        self.update()

    def focusInEvent(self, event: object) -> None:
        self.update()

    def focusOutEvent(self, event: object) -> None:
        self._at = None
        QToolTip.hideText()
        self.update()

    # -- by the mouse

    def _region(self, position: QPointF) -> Region | None:
        x, y = position.x() / theme.scale, position.y() / theme.scale
        regions = self._picture.regions if self._picture else ()
        return next((r for r in regions if r.x <= x <= r.x + r.width and r.y <= y <= r.y + r.height), None)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        region = self._region(event.position())
        self.setCursor(
            Qt.CursorShape.PointingHandCursor if region and region.candidate_id else Qt.CursorShape.ArrowCursor
        )
        QToolTip.showText(event.globalPosition().toPoint(), plain_tip(region.says) if region else "", self)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        region = self._region(event.position())
        if event.button() == Qt.MouseButton.LeftButton and region:
            self._choose(region)

    def _choose(self, region: Region) -> None:
        if region.candidate_id is not None and region.passage_id is not None:
            self.cell_chosen.emit(region.candidate_id, region.passage_id)
        elif region.candidate_id is not None:
            self.candidate_chosen.emit(region.candidate_id)

    def contextMenuEvent(self, event: object) -> None:
        menu = QMenu(self)
        action = menu.addAction(tr("Copy picture"))
        assert action is not None
        action.triggered.connect(self.copy)
        menu.popup(event.globalPos())  # type: ignore[attr-defined]

    def copy(self) -> None:
        clipboard = QGuiApplication.clipboard()
        if self._picture is not None and clipboard is not None:
            image = QImage(round(self._picture.width * 2), round(self._picture.height * 2), QImage.Format.Format_ARGB32)
            image.fill(theme.colour("paper"))
            painter = QPainter(image)
            painter.scale(2, 2)
            paint(painter, self._picture.shapes)
            painter.end()
            clipboard.setImage(image)


def _with_reaches(picture: Picture | None) -> tuple[Picture | None, list[tuple[float, float]]]:
    return picture, [reach(shape) for shape in picture.shapes] if picture else []


def paint(painter: QPainter, shapes: Iterable[Shape]) -> None:
    """Draw shapes in order."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for shape in shapes:
        _shape(painter, shape)


def _shape(painter: QPainter, shape: Shape) -> None:
    match shape:
        case Line():
            painter.setPen(_pen(shape.colour, shape.width, dashed=shape.dashed))
            painter.drawLine(QPointF(shape.x1, shape.y1), QPointF(shape.x2, shape.y2))
        case Path():
            painter.setPen(_pen(shape.colour, shape.width, dashed=shape.dashed))
            painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in shape.points]))
        case Box():
            colour = QColor(theme.colour(shape.fill))
            colour.setAlphaF(shape.strength)
            painter.fillRect(QRectF(shape.x, shape.y, shape.width, shape.height), colour)
        case Dot():
            painter.setPen(_pen(shape.colour, 1.5) if shape.hollow else Qt.PenStyle.NoPen)
            painter.setBrush(Qt.BrushStyle.NoBrush if shape.hollow else theme.colour(shape.colour))
            r = shape.radius
            if shape.square:
                painter.drawRect(QRectF(shape.x - r, shape.y - r, 2 * r, 2 * r))
            else:
                painter.drawEllipse(QPointF(shape.x, shape.y), r, r)
        case Dots():
            _dots(painter, shape)
        case Text():
            font = _font(round(shape.size), shape.serif, shape.bold)
            painter.setFont(font)
            painter.setPen(theme.colour(shape.colour))
            x = shape.x
            if shape.anchor != "start":
                width = QFontMetricsF(font).horizontalAdvance(shape.text)
                x -= width / 2 if shape.anchor == "middle" else width
            painter.drawText(QPointF(x, shape.y), shape.text)


def _dots(painter: QPainter, shape: Dots) -> None:
    """One mark, put in many places: to draw each as a point of a round pen takes thirty times as long."""
    fine = painter.deviceTransform().m11()  # of the device's pixels to those of the picture
    mark = _mark(theme.colour(shape.colour).rgba(), shape.radius, fine)
    whole = QRectF(0, 0, mark.width(), mark.height())
    places = [QPainter.PixmapFragment.create(QPointF(x, y), whole, 1 / fine, 1 / fine) for x, y in shape.points]
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.drawPixmapFragments(places, mark)  # type: ignore[arg-type]  # the stubs want an array, which takes none


@lru_cache(maxsize=60)
def _mark(colour: int, radius: float, fine: float) -> QPixmap:
    side = 2 * math.ceil(radius * fine + 1)
    mark = QPixmap(side, side)
    mark.fill(Qt.GlobalColor.transparent)
    with painting(mark) as brush:
        brush.setPen(Qt.PenStyle.NoPen)
        brush.setBrush(QColor.fromRgba(colour))
        brush.drawEllipse(QPointF(side / 2, side / 2), radius * fine, radius * fine)
    return mark


@lru_cache(maxsize=60)
def _font(size: int, serif: bool, bold: bool) -> QFont:
    font = QFont(theme.font(serif=serif, bold=bold))
    font.setPixelSize(size)
    return font


def _pen(colour: str, width: float, *, dashed: bool = False) -> QPen:
    pen = QPen(theme.colour(colour), width)
    if dashed:
        pen.setDashPattern([4, 3])
    return pen

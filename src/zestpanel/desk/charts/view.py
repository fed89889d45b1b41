"""A widget that shows one picture of the core."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QFont,
    QFontMetricsF,
    QGuiApplication,
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PyQt6.QtWidgets import QMenu, QSizePolicy, QToolTip, QWidget

from zestpanel.core.report.drawing import Box, Dot, Line, Path, Picture, Region, Shape, Text
from zestpanel.desk.brush import painting
from zestpanel.desk.theme.tokens import theme


class ChartView(QWidget):
    """Shows a picture made for its width. A click on a candidate's place emits its id; the menu copies the picture."""

    candidate_chosen = pyqtSignal(int)

    def __init__(self, make: Callable[[float], Picture | None], *, least: float = 420.0) -> None:
        """least: the width in pixels at 100 % below which the picture is not made narrower."""
        super().__init__()
        self._make, self._least = make, least
        self._picture: Picture | None = None
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        theme.changed.connect(self.refresh)

    def refresh(self) -> None:
        """Make the picture again, for the width there is."""
        self._picture = self._make(max(self._least, self.width() / theme.scale))
        self.setFixedHeight(round(self._picture.height * theme.scale) if self._picture else 0)
        if self._picture is not None:
            said = "; ".join(region.says for region in self._picture.regions)
            self.setAccessibleName(f"{self._picture.title}. {said}")
        self.update()

    def resizeEvent(self, event: object) -> None:
        if self._picture is not None and abs(self._picture.width - self.width() / theme.scale) > 1:
            self.refresh()

    def sizeHint(self) -> QSize:
        return QSize(640, round(self._picture.height * theme.scale) if self._picture else 0)

    def picture(self) -> Picture | None:
        return self._picture

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._picture is not None:
            with painting(self) as painter:
                painter.scale(theme.scale, theme.scale)
                paint(painter, self._picture)

    def _region(self, position: QPointF) -> Region | None:
        x, y = position.x() / theme.scale, position.y() / theme.scale
        regions = self._picture.regions if self._picture else ()
        return next((r for r in regions if r.x <= x <= r.x + r.width and r.y <= y <= r.y + r.height), None)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        region = self._region(event.position())
        self.setCursor(
            Qt.CursorShape.PointingHandCursor if region and region.candidate_id else Qt.CursorShape.ArrowCursor
        )
        QToolTip.showText(event.globalPosition().toPoint(), region.says if region else "", self)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        region = self._region(event.position())
        if event.button() == Qt.MouseButton.LeftButton and region and region.candidate_id is not None:
            self.candidate_chosen.emit(region.candidate_id)

    def contextMenuEvent(self, event: object) -> None:
        menu = QMenu(self)
        action = menu.addAction("Copy picture")
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
            paint(painter, self._picture)
            painter.end()
            clipboard.setImage(image)


def paint(painter: QPainter, picture: Picture) -> None:
    """Draw a picture's shapes in order."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for shape in picture.shapes:
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
            painter.fillRect(QRectF(shape.x, shape.y, shape.width, shape.height), theme.colour(shape.fill))
        case Dot():
            painter.setPen(_pen(shape.colour, 1.5) if shape.hollow else Qt.PenStyle.NoPen)
            painter.setBrush(Qt.BrushStyle.NoBrush if shape.hollow else theme.colour(shape.colour))
            r = shape.radius
            if shape.square:
                painter.drawRect(QRectF(shape.x - r, shape.y - r, 2 * r, 2 * r))
            else:
                painter.drawEllipse(QPointF(shape.x, shape.y), r, r)
        case Text():
            font = QFont(theme.font(serif=shape.serif, bold=shape.bold))
            font.setPixelSize(round(shape.size))
            painter.setFont(font)
            painter.setPen(theme.colour(shape.colour))
            width = QFontMetricsF(font).horizontalAdvance(shape.text)
            x = shape.x - {"start": 0.0, "middle": width / 2, "end": width}[shape.anchor]
            painter.drawText(QPointF(x, shape.y), shape.text)


def _pen(colour: str, width: float, *, dashed: bool = False) -> QPen:
    pen = QPen(theme.colour(colour), width)
    if dashed:
        pen.setDashPattern([4, 3])
    return pen

"""Painting the grid's cells and headers."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QLineF, QModelIndex, QPointF, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen, QPixmap, QPixmapCache
from PyQt6.QtWidgets import QHeaderView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from zestpanel.core.project.takes import Take
from zestpanel.desk.cells import Cell
from zestpanel.desk.grid.model import CELL_ROLE, RUNNING_ROLE
from zestpanel.desk.theme.tokens import theme

CELL_WIDTH, CELL_HEIGHT = 106, 56


class CellPainter(QStyledItemDelegate):
    """A cell: waveform, length, number of takes, marks; or in words why there is none."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(theme.px(CELL_WIDTH), theme.px(CELL_HEIGHT))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(option.rect)
        selected = bool(option.state & QStyle.StateFlag.State_Selected)
        if selected:
            painter.fillRect(box.adjusted(1, 1, -1, -2), theme.colour("sheet"))
        painter.setPen(QPen(theme.colour("rule")))
        painter.drawLine(QLineF(box.bottomLeft(), box.bottomRight()))
        cell: Cell = index.data(CELL_ROLE)
        inner = box.adjusted(theme.px(5), theme.px(6), -theme.px(5), -theme.px(6))
        if index.data(RUNNING_ROLE):
            self._words(painter, inner, "running", "deep-zest", box=True)
        elif cell.state == "there":
            self._take(painter, inner, cell, selected)
        elif cell.state == "missing":
            self._words(painter, inner, "not rendered", "quiet", box=True)
        elif cell.state == "stale":
            self._words(painter, inner, "stale: text changed", "deep-zest")
        else:
            self._words(painter, inner, cell.text, "plum" if cell.state in ("failed", "open") else "quiet")
        if selected:
            painter.setPen(QPen(theme.colour("zest"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box.adjusted(1, 1, -1, -1))
        painter.restore()

    def _take(self, painter: QPainter, inner: QRectF, cell: Cell, selected: bool) -> None:
        take = cell.take
        assert take is not None
        foot = theme.px(16)
        wave = QRectF(inner.left(), inner.top(), inner.width(), inner.height() - foot)
        painter.drawPixmap(wave.topLeft(), self._wave(take, wave, "deep-zest" if selected else "ink"))
        base = QRectF(inner.left(), inner.bottom() - foot, inner.width(), foot)
        painter.setFont(theme.font("small"))
        painter.setPen(theme.colour("quiet"))
        painter.drawText(base, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom, f"{take.duration_s:.1f} s")
        count = f"×{cell.takes}" + (" ★" if take.starred else "")
        painter.drawText(base, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom, count)
        flag = "other voice" if cell.odd_voice else (f"{cell.marks} mark{'s' * (cell.marks > 1)}" if cell.marks else "")
        if not flag and cell.doubts:
            flag = "odd"
        if not flag and cell.text:
            flag = "1 failed"
        if flag:
            painter.setFont(theme.font("small", bold=True))
            painter.setPen(theme.colour("plum"))
            room = base.adjusted(
                QFontMetricsF(theme.font("small")).horizontalAdvance(f"{take.duration_s:.1f} s") + theme.px(5),
                0,
                -QFontMetricsF(theme.font("small")).horizontalAdvance(count) - theme.px(3),
                0,
            )
            shown = QFontMetricsF(painter.font()).elidedText(flag, Qt.TextElideMode.ElideRight, room.width() + 2)
            painter.drawText(room, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom, shown)

    def _wave(self, take: Take, box: QRectF, colour: str) -> QPixmap:
        """The take's waveform, drawn once for its size and colour."""
        widget = self.parent()
        ratio = widget.devicePixelRatioF() if isinstance(widget, QWidget) else 1.0
        key = f"wave {take.id} {box.width():.0f} {box.height():.0f} {theme.colour(colour).name()} {ratio}"
        found = QPixmapCache.find(key)
        if found is not None:
            return found
        picture = QPixmap(round(box.width() * ratio), round(box.height() * ratio))
        picture.setDevicePixelRatio(ratio)
        picture.fill(Qt.GlobalColor.transparent)
        values = np.frombuffer(take.peaks, dtype=np.uint8).astype(float) / 255
        columns = max(8, int(box.width() / 2.6))
        edges = np.linspace(0, len(values), columns + 1).astype(int)[:-1]
        heights = np.maximum(0.5, np.maximum.reduceat(values, edges) ** 0.75 * box.height() / 2)
        xs = (np.arange(columns) + 0.5) * box.width() / columns
        y = box.height() / 2
        brush = QPainter(picture)
        brush.setRenderHint(QPainter.RenderHint.Antialiasing)
        brush.setPen(QPen(theme.colour(colour), 1.4))
        brush.drawLines(*[QLineF(x, y - h, x, y + h) for x, h in zip(xs.tolist(), heights.tolist(), strict=True)])
        brush.end()
        QPixmapCache.insert(key, picture)
        return picture

    def _words(self, painter: QPainter, inner: QRectF, text: str, colour: str, *, box: bool = False) -> None:
        if box:
            pen = QPen(theme.colour("rule"))
            pen.setDashPattern([3, 3])
            painter.setPen(pen)
            painter.setBrush(theme.colour("zest-pale") if colour == "deep-zest" else Qt.BrushStyle.NoBrush)
            painter.drawRect(inner.adjusted(0, theme.px(5), 0, -theme.px(8)))
        painter.setFont(theme.font("small"))
        painter.setPen(theme.colour(colour))
        align = Qt.AlignmentFlag.AlignCenter if box else Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        metrics = QFontMetricsF(painter.font())
        lines = max(1, int(inner.height() // metrics.lineSpacing()))
        shown = metrics.elidedText(text, Qt.TextElideMode.ElideRight, inner.width() * lines * 0.86)
        flags = int(align.value) | int(Qt.TextFlag.TextWordWrap.value)
        painter.drawText(inner.adjusted(0, 0, 0, -theme.px(3) if box else 0), flags, shown)


class TwoLineHeader(QHeaderView):
    """Header sections of two lines: a small number over a title, or a name over its detail."""

    def __init__(self, orientation: Qt.Orientation) -> None:
        super().__init__(orientation)
        self.setSectionsClickable(True)
        self.setHighlightSections(False)

    def sizeHint(self) -> QSize:
        across = self.orientation() == Qt.Orientation.Horizontal
        return QSize(theme.px(CELL_WIDTH), theme.px(44)) if across else QSize(theme.px(168), theme.px(CELL_HEIGHT))

    def paintSection(self, painter: QPainter | None, rect: QRect, index: int) -> None:
        model = self.model()
        if painter is None or model is None or not rect.isValid():
            return
        text = str(model.headerData(index, self.orientation(), Qt.ItemDataRole.DisplayRole) or "")
        first, _, second = text.partition("\n")
        across = self.orientation() == Qt.Orientation.Horizontal
        painter.save()
        box = QRectF(rect).adjusted(theme.px(5) if across else 0, 0, -theme.px(6), 0)
        small, body = theme.font("small"), theme.font("body")
        upper, lower = (small, body) if across else (body, small)
        colours = ("quiet", "ink") if across else ("ink", "quiet")
        middle = box.center().y() + theme.px(2 if across else 0)
        for font, colour, words, y in (
            (upper, colours[0], first, middle - theme.px(4)),
            (lower, colours[1], second, middle + theme.px(12)),
        ):
            painter.setFont(font)
            painter.setPen(theme.colour(colour))
            shown = QFontMetricsF(font).elidedText(words, Qt.TextElideMode.ElideRight, box.width())
            painter.drawText(QPointF(box.left(), y), shown)
        painter.setPen(QPen(theme.colour("rule")))
        painter.drawLine(QLineF(QRectF(rect).bottomLeft(), QRectF(rect).bottomRight()))
        painter.restore()

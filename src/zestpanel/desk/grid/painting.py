"""Painting the grid's cells and headers."""

from __future__ import annotations

import time
from collections import OrderedDict

import numpy as np
from PyQt6.QtCore import QLineF, QModelIndex, QPointF, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QPixmap
from PyQt6.QtWidgets import QHeaderView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from zestpanel.core.domain.take import OBTAINED, Take
from zestpanel.core.texts import tr, trn
from zestpanel.desk.brush import empty_picture, painting
from zestpanel.desk.grid.model import GridModel
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.viewmodels.cells import ASKED_ELSEWHERE, Cell

CELL_WIDTH, CELL_HEIGHT = 106, 56
LOW_HEIGHT = 34  # of a cell that shows a figure instead of a waveform
MOST_KEPT = 600  # pictures of cells, some screens full
MOST_DRAWING_S = 0.008  # of new pictures in one frame, where something is shown there already
MOST_NEW_S = 0.020  # and where nothing is: the rest comes with the next frame
_SELECTED = QStyle.StateFlag.State_Selected.value  # to ask the flags themselves takes ten times as long


class CellPainter(QStyledItemDelegate):
    """A cell: waveform, length, number of takes, marks; or in words why there is none."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(theme.px(CELL_WIDTH), theme.px(CELL_HEIGHT))

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._drawn: OrderedDict[tuple[object, ...], QPixmap] = OrderedDict()
        self._at: dict[tuple[int, int], QPixmap] = {}  # what a place showed last
        self._spent_s = 0.0
        self.late = False
        theme.changed.connect(self._forget)

    def _forget(self) -> None:
        self._drawn.clear()
        self._at.clear()

    def begin_frame(self) -> None:
        """A frame draws new pictures for so long only; cells left over keep what they showed, and ``late`` is set."""
        self._spent_s, self.late = 0.0, False

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Put the cell's picture in its place; it is drawn anew only when something of it has changed."""
        assert painter is not None
        model = index.model()
        assert isinstance(model, GridModel)
        cell, running = model.shown_at(index.row(), index.column())
        rect = option.rect
        selected = bool(option.state.value & _SELECTED)
        widget = self.parent()
        ratio = widget.devicePixelRatioF() if isinstance(widget, QWidget) else 1.0
        take = cell.take
        shade = model.shade_at(index.row(), index.column())
        key = (
            shade,
            cell.state, take.id if take else cell.why, take.starred if take else False, cell.takes, cell.marks,
            cell.odd_voice, bool(cell.doubts), len(cell.failures), selected, running, rect.width(), rect.height(),
            ratio,
        )  # fmt: skip
        picture, place = self._drawn.get(key), (index.row(), index.column())
        if picture is None and self._spent_s > MOST_DRAWING_S and (before := self._at.get(place)) is not None:
            self.late = True
            picture = before
        elif picture is None and self._spent_s > MOST_NEW_S:
            self.late = True
            return
        elif picture is None:
            began = time.perf_counter()
            picture = empty_picture(rect.size(), ratio)
            with painting(picture) as brush:
                box = QRectF(0, 0, rect.width(), rect.height())
                self._draw(brush, box, cell, selected=selected, running=running, shade=shade)
            self._drawn[key] = picture
            if len(self._drawn) > MOST_KEPT:
                self._drawn.popitem(last=False)
            self._spent_s += time.perf_counter() - began
        else:
            self._drawn.move_to_end(key)
        self._at[place] = picture
        if len(self._at) > MOST_KEPT:
            self._at.clear()
        painter.drawPixmap(rect.topLeft(), picture)

    def _draw(
        self, painter: QPainter, box: QRectF, cell: Cell, *, selected: bool, running: bool,
        shade: tuple[str, float | None] | None,
    ) -> None:  # fmt: skip
        if selected:
            painter.fillRect(box.adjusted(1, 1, -1, -2), theme.colour("sheet"))
        painter.setPen(QPen(theme.colour("rule")))
        painter.drawLine(QLineF(box.left(), box.bottom() - 1, box.right(), box.bottom() - 1))
        inner = box.adjusted(theme.px(5), theme.px(6), -theme.px(5), -theme.px(6))
        if running:
            self._words(painter, inner, "running", "deep-zest", box=True)
        elif cell.state == "there" and shade is not None:
            self._figure(painter, box, cell, *shade)
        elif cell.state == "there":
            self._take(painter, inner, cell, selected)
        elif cell.state == "missing":
            self._words(painter, inner, tr("not rendered"), "quiet", box=True)
        elif cell.state == "stale":
            self._words(painter, inner, tr("stale: text changed"), "deep-zest")
        else:
            self._words(
                painter,
                inner,
                cell.why,
                "plum" if cell.state in ("failed", "open") and cell.why != ASKED_ELSEWHERE else "quiet",
            )
        if selected:
            painter.setPen(QPen(theme.colour("zest"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box.adjusted(1, 1, -1, -1))

    def _take(self, painter: QPainter, inner: QRectF, cell: Cell, selected: bool) -> None:
        take = cell.take
        assert take is not None
        foot = theme.px(16)
        wave = QRectF(inner.left(), inner.top(), inner.width(), inner.height() - foot)
        self._wave(painter, take, wave, "deep-zest" if selected else "ink")
        base = QRectF(inner.left(), inner.bottom() - foot, inner.width(), foot)
        painter.setFont(theme.font("small"))
        painter.setPen(theme.colour("quiet"))
        painter.drawText(base, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom, f"{take.duration_s:.1f} s")
        count = f"×{cell.takes}" + (" ★" if take.starred else "")
        painter.drawText(base, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom, count)
        flag = (
            tr("other voice")
            if cell.odd_voice
            else (trn("{marks} mark", "{marks} marks", cell.marks, marks=cell.marks) if cell.marks else "")
        )
        if not flag and (cell.doubts or not take.scored):
            flag = tr("odd") if cell.doubts else OBTAINED.get(take.obtained, "")
        if not flag and cell.failures:
            flag = tr("{failures} failed", failures=len(cell.failures))
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

    def _figure(self, painter: QPainter, box: QRectF, cell: Cell, words: str, share: float | None) -> None:
        """A value on its shade: the darker, the worse; its marks beside it."""
        if share is not None:
            colour = QColor(theme.colour("zest"))
            colour.setAlphaF(0.06 + 0.6 * share)
            painter.fillRect(box.adjusted(1, 1, -1, -2), colour)
        painter.setFont(theme.font("body"))
        painter.setPen(theme.colour("ink" if words else "quiet"))
        inner = box.adjusted(theme.px(8), 0, -theme.px(8), 0)
        painter.drawText(inner, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words or "–")
        if cell.marks:
            painter.setFont(theme.font("small", bold=True))
            painter.setPen(theme.colour("plum"))
            painter.drawText(inner, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, f"{cell.marks} ●")

    def _wave(self, painter: QPainter, take: Take, box: QRectF, colour: str) -> None:
        values = np.frombuffer(take.peaks, dtype=np.uint8).astype(float) / 255
        columns = max(8, int(box.width() / 2.6))
        edges = np.linspace(0, len(values), columns + 1).astype(int)[:-1]
        heights = np.maximum(0.5, np.maximum.reduceat(values, edges) ** 0.75 * box.height() / 2)
        xs = box.left() + (np.arange(columns) + 0.5) * box.width() / columns
        y = box.center().y()
        painter.setPen(QPen(theme.colour(colour), 1.4))
        painter.drawLines(*[QLineF(x, y - h, x, y + h) for x, h in zip(xs.tolist(), heights.tolist(), strict=True)])

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
        self._drawn: dict[tuple[object, ...], QPixmap] = {}

    def sizeHint(self) -> QSize:
        across = self.orientation() == Qt.Orientation.Horizontal
        return QSize(theme.px(CELL_WIDTH), theme.px(44)) if across else QSize(theme.px(168), theme.px(CELL_HEIGHT))

    def paintSection(self, painter: QPainter | None, rect: QRect, index: int) -> None:
        model = self.model()
        if painter is None or model is None or not rect.isValid():
            return
        text = str(model.headerData(index, self.orientation(), Qt.ItemDataRole.DisplayRole) or "")
        key = (text, rect.width(), rect.height(), self.devicePixelRatioF(), theme.looks)
        if key not in self._drawn:
            picture = empty_picture(rect.size(), self.devicePixelRatioF())
            with painting(picture) as brush:
                self._draw(brush, QRect(0, 0, rect.width(), rect.height()), text)
            if len(self._drawn) >= MOST_KEPT:
                self._drawn.clear()
            self._drawn[key] = picture
        painter.drawPixmap(rect.topLeft(), self._drawn[key])

    def _draw(self, painter: QPainter, rect: QRect, text: str) -> None:
        first, _, second = text.partition("\n")
        across = self.orientation() == Qt.Orientation.Horizontal
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

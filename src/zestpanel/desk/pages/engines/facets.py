"""The facets beside the table of voices: values with counts; a click or the space bar chooses one."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import QModelIndex, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QKeyEvent, QPainter, QPen
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from zestpanel.core.catalogue.browsing import FacetValue
from zestpanel.core.texts import tr, word
from zestpanel.desk.pages.engines.chosen_facets import ChosenFacets
from zestpanel.desk.plain_tips import plain_tip
from zestpanel.desk.theme.tokens import theme

FEW: Final = 5  # values shown before "more"
_KIND, _FACET, _VALUE = (Qt.ItemDataRole.UserRole + n for n in range(3))


class _Painter(QStyledItemDelegate):
    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(0, theme.px(30 if index.data(_KIND) == "head" else 24))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if painter is None:
            return
        kind = index.data(_KIND)
        box = QRectF(option.rect).adjusted(2, 0, -theme.px(10), 0)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if option.state & QStyle.StateFlag.State_HasFocus and kind != "head":
            painter.setPen(QPen(theme.colour("focus"), 1))
            painter.drawRoundedRect(QRectF(option.rect).adjusted(1, 1, -theme.px(6), -1), 3, 3)
        if kind == "head":
            painter.setFont(theme.font("small"))
            painter.setPen(theme.colour("quiet"))
            bottom = Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft
            painter.drawText(box.adjusted(0, 0, 0, -theme.px(3)), bottom, str(index.data()))
        elif kind == "more":
            painter.setFont(theme.font("small"))
            painter.setPen(theme.colour("deep-zest"))
            painter.drawText(box.adjusted(theme.px(18), 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, str(index.data()))
        else:
            self._paint_value(painter, box, index.data(_VALUE))
        painter.restore()

    def _paint_value(self, painter: QPainter, box: QRectF, value: FacetValue) -> None:
        size = theme.px(9)
        mark = QRectF(box.left() + 2, box.center().y() - size / 2, size, size)
        painter.setPen(QPen(theme.colour("ink" if value.chosen else "quiet"), 1.2))
        painter.setBrush(theme.colour("zest") if value.chosen else Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(mark, 2, 2)
        painter.setFont(theme.font(bold=value.chosen))
        painter.setPen(theme.colour("ink" if value.count or value.chosen else "quiet"))
        count = f"{value.count:,}"
        wide = QFontMetricsF(theme.font("small")).horizontalAdvance(count) + theme.px(6)
        words = box.adjusted(theme.px(18), 0, -wide, 0)
        shown = QFontMetricsF(painter.font()).elidedText(value.value, Qt.TextElideMode.ElideRight, words.width())
        painter.drawText(words, Qt.AlignmentFlag.AlignVCenter, shown)
        painter.setFont(theme.font("small"))
        painter.setPen(theme.colour("quiet"))
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, count)


class FacetPanel(ChosenFacets, QListWidget):
    """chosen: facet -> values. ``changed`` is emitted when a value was chosen or given up."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.chosen: dict[str, frozenset[str]] = {}
        self._open: set[str] = set()
        self._facets: dict[str, list[FacetValue]] = {}
        self.setItemDelegate(_Painter(self))
        self.setAccessibleName(tr("Facets"))
        self.setProperty("takesSpace", True)  # here it chooses, it does not play
        self.setFixedWidth(theme.px(192))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        self.itemClicked.connect(self._act)

    def show_facets(self, facets: dict[str, list[FacetValue]]) -> None:
        self._facets = facets
        bar = self.verticalScrollBar()
        place, row = (bar.value() if bar else 0), self.currentRow()
        self.clear()
        for name, values in facets.items():
            self._add(word(name), "head", name, None)
            few = values if name in self._open or len(values) <= FEW + 1 else self._few(values)
            for value in few:
                self._add(f"{word(value.value)}, {value.count}", "value", name, value)
            if len(few) < len(values):
                self._add(tr("{values} more", values=len(values) - len(few)), "more", name, None)
        self.setCurrentRow(min(row, self.count() - 1))
        if bar is not None:
            bar.setValue(place)

    @staticmethod
    def _few(values: list[FacetValue]) -> list[FacetValue]:
        return [v for i, v in enumerate(values) if i < FEW or v.chosen]

    def _add(self, text: str, kind: str, facet: str, value: FacetValue | None) -> None:
        item = QListWidgetItem(text)
        item.setData(_KIND, kind)
        item.setData(_FACET, facet)
        item.setData(_VALUE, value)
        if value is not None:
            item.setToolTip(plain_tip(value.value))
        if kind == "head":
            item.setFlags(Qt.ItemFlag.NoItemFlags)
        self.addItem(item)

    def _act(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        facet, kind = item.data(_FACET), item.data(_KIND)
        if kind == "more":
            self._open.add(facet)
            self.show_facets(self._facets)
        elif kind == "value":
            self.toggle(facet, item.data(_VALUE).value)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._act(self.currentItem())
            event.accept()
            return
        super().keyPressEvent(event)

"""The read-only table that is everywhere on the desk: it copies, sorts, and shows fewer rows or columns."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from PyQt6.QtCore import QItemSelectionModel, QModelIndex, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QGuiApplication, QKeyEvent, QKeySequence, QPainter
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QInputDialog,
    QMenu,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from zestpanel.core.table_rows import as_tsv
from zestpanel.core.texts import tr, word
from zestpanel.desk.plain_tips import plain_tip
from zestpanel.desk.theme.tokens import theme

_SEEN = 600  # characters of a cell that can be seen; to cut a longer text to its width takes long


_MARKED = (
    QStyle.StateFlag.State_Selected.value | QStyle.StateFlag.State_HasFocus.value
    | QStyle.StateFlag.State_MouseOver.value
)  # fmt: skip
_NUMBERS = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
_WORDS = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter


class TwoLines(QStyledItemDelegate):
    """Cells whose text has two lines: a name over its detail, smaller and quiet."""

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        first, newline, second = str(index.data() or "").partition("\n")
        if not newline or painter is None:
            super().paint(painter, option, index)
            return
        state = option.state.value
        if state & _MARKED:  # selected or where the keys are: its ground is drawn as any other cell's
            self.initStyleOption(option, index)
            option.text = ""
            style = option.widget.style() if option.widget is not None else None
            if style is not None:
                style.drawControl(QStyle.ControlElement.CE_ItemViewItem, option, painter, option.widget)
        else:  # the line below it, which is all the style sheet draws: to ask the style takes ten times as long
            under = option.rect
            painter.fillRect(under.left(), under.bottom(), under.width(), 1, theme.colour("rule"))
        box = QRectF(option.rect).adjusted(theme.px(8) + 3, theme.px(5), -theme.px(6), -theme.px(5))
        side = Qt.AlignmentFlag.AlignLeft
        if index.data(Qt.ItemDataRole.TextAlignmentRole) == _NUMBERS:  # they end where those of one line do
            side, box = Qt.AlignmentFlag.AlignRight, box.adjusted(0, 0, -theme.px(2) - 3, 0)
        painter.save()
        marked = index.data(Qt.ItemDataRole.ForegroundRole)  # a cell in the warning colour keeps it
        chosen = bool(state & QStyle.StateFlag.State_Selected.value)
        colour = marked.color() if marked is not None else theme.colour("ink")
        bold = marked is not None
        painter.setFont(theme.font(bold=bold))
        painter.setPen(colour)
        painter.drawText(box, Qt.AlignmentFlag.AlignTop | side, theme.cut(first, box.width(), bold=bold))
        painter.setFont(theme.font("small"))
        painter.setPen(theme.colour("ink" if chosen else "quiet"))
        painter.drawText(box, Qt.AlignmentFlag.AlignBottom | side, theme.cut(second, box.width(), "small"))
        painter.restore()


def choose_row(view: QTableView, row: int) -> None:
    """Select a row and no other, whatever keys are held: Qt's own way adds to what is selected while Ctrl is down, as
    it is in Ctrl+Z."""
    model, selection = view.model(), view.selectionModel()
    if model is not None and selection is not None:
        how = QItemSelectionModel.SelectionFlag.ClearAndSelect | QItemSelectionModel.SelectionFlag.Rows
        selection.setCurrentIndex(model.index(row, 0), how)


_SLICE = 40  # rows that are filled in at once; the others follow, so many at a time


class Table(QTableWidget):
    """A read-only table of text. Numbers go to the right; Ctrl+C copies the selected rows, or all, as TSV."""

    row_chosen = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._rows: list[list[str]] = []
        self._head: list[str] = []
        self._sorted: tuple[str, bool] | None = None  # (column, whether from high to low)
        self._only = ""  # rows with these words are shown, all for none
        self._arranged = False  # whether rows were moved or hidden
        self._line = 32
        self._wide: int | None = None
        self._of: object = None  # what is shown, to know it again
        self._fill_on: Iterator[None] = iter(())
        self._more = QTimer(self)
        self._more.setInterval(0)
        self._more.timeout.connect(self._fill_more)
        self._two_lines = TwoLines(self)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setTabKeyNavigation(False)
        vertical, head = self.verticalHeader(), self.horizontalHeader()
        assert vertical is not None
        assert head is not None
        vertical.hide()
        head.setHighlightSections(False)
        head.setStretchLastSection(True)
        head.setSectionsClickable(True)
        head.sectionClicked.connect(self._head_clicked)
        vertical.setSectionsMovable(True)
        head.setResizeContentsPrecision(_SLICE)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.cellActivated.connect(lambda row, _: self.row_chosen.emit(row))

    def show_rows(
        self,
        head: Sequence[str],
        rows: Sequence[Sequence[str]],
        *,
        numbers: Sequence[int] = (),
        bad: Sequence[tuple[int, int]] = (),
        tips: dict[tuple[int, int], str] | None = None,
        wide: int | None = None,
    ) -> None:
        """Fill the table. numbers: columns set to the right; bad: cells in the warning colour, in bold.

        wide: the column that takes what is left of the width; the last one unless said.
        """
        of = (list(head), [list(row) for row in rows], list(numbers), set(bad), dict(tips or {}), wide, theme.looks)
        if of == self._of:
            return  # a page that is gone to again has the table it had
        self._of = of
        self._wide = wide
        self._head, self._rows = list(head), [list(row) for row in rows]
        self.clear()
        self.setRowCount(len(rows))
        self.setColumnCount(len(head))
        two_lines = {column for row in rows for column, cell in enumerate(row) if "\n" in cell}
        for column in range(len(head)):
            self.setItemDelegateForColumn(column, self._two_lines if column in two_lines else None)
        self._line = 44 if two_lines else 32
        for column, name in enumerate(head):
            item = QTableWidgetItem(word(name))
            item.setTextAlignment(_NUMBERS if column in numbers else _WORDS)
            self.setHorizontalHeaderItem(column, item)
        self._fill_on = self._filling(set(numbers), set(bad), dict(tips or {}))
        self._fill_more()
        self.fit()
        self._arrange()

    def _filling(
        self, numbers: set[int], bad: set[tuple[int, int]], tips: dict[tuple[int, int], str]
    ) -> Iterator[None]:
        for r, row in enumerate(self._rows):
            for c, text in enumerate(row):
                item = QTableWidgetItem(text[:_SEEN])
                if c in numbers:
                    item.setTextAlignment(_NUMBERS)
                if (r, c) in bad:
                    item.setForeground(theme.colour("plum"))
                    item.setFont(theme.font(bold=True))
                if tip := tips.get((r, c), text if len(text) > 24 else ""):
                    item.setToolTip(plain_tip(tip))
                self.setItem(r, c, item)
            if r % _SLICE == _SLICE - 1:
                yield

    def selectRow(self, row: int) -> None:
        if self.selectionMode() == QAbstractItemView.SelectionMode.MultiSelection:
            super().selectRow(row)
        else:
            choose_row(self, row)

    def _fill_more(self) -> None:
        if next(self._fill_on, self) is self:
            self._more.stop()
        else:
            self._more.start()

    # -- order and choice of rows and columns: what is shown changes, rows keep their numbers

    def _head_clicked(self, column: int) -> None:
        name = self._head[column]
        if self._sorted == (name, False):
            self.sort_by(name, downwards=True)
        elif self._sorted == (name, True):
            self.sort_by("")
        else:
            self.sort_by(name)

    def sort_by(self, column: str, *, downwards: bool = False) -> None:
        """Show the rows in the order of a column; '' for the order they came in."""
        self._sorted = (column, downwards) if column in self._head and column else None
        self._arrange()

    def show_only(self, words: str) -> None:
        """Show the rows that hold these words; all for none."""
        self._only = words.strip().casefold()
        self._arrange()

    def _arrange(self) -> None:
        """Move rows to where they are to be seen, and hide those that are not wanted."""
        vertical, head = self.verticalHeader(), self.horizontalHeader()
        assert vertical is not None
        assert head is not None
        wanted = self._sorted is not None or bool(self._only)
        if not wanted and not self._arranged:
            return  # they are where they came, which to ask of each takes a while
        self._arranged = wanted
        order = list(range(len(self._rows)))
        column = self._head.index(self._sorted[0]) if self._sorted and self._sorted[0] in self._head else None
        if column is not None and self._sorted is not None:
            keys = [_sort_key(row[column] if column < len(row) else "") for row in self._rows]
            known = [k for k in order if keys[k] is not None]
            known.sort(key=lambda k: keys[k] or (0, 0.0, ""), reverse=self._sorted[1])
            order = known + [k for k in order if keys[k] is None]  # without a value: last either way
        head.setSortIndicatorShown(column is not None)
        if column is not None and self._sorted is not None:
            way = Qt.SortOrder.DescendingOrder if self._sorted[1] else Qt.SortOrder.AscendingOrder
            head.setSortIndicator(column, way)
        for place, row in enumerate(order):
            if (now := vertical.visualIndex(row)) != place:
                vertical.moveSection(now, place)
            self.setRowHidden(row, bool(self._only) and self._only not in " ".join(self._rows[row]).casefold())

    def _shown_rows(self) -> list[int]:
        """Numbers of the rows as they are seen, from above."""
        vertical = self.verticalHeader()
        assert vertical is not None
        return [row for place in range(self.rowCount()) if not self.isRowHidden(row := vertical.logicalIndex(place))]

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        if not self._head:
            return
        menu = QMenu(self)
        self.add_table_actions(menu, max(0, self.columnAt(event.pos().x())))
        menu.popup(event.globalPos())

    def add_table_actions(self, menu: QMenu, column: int) -> None:
        """What every table can do: copy, sort, show fewer rows or columns."""
        menu.addAction(tr("Copy"), self.copy)
        name = self._head[column]
        if name:
            menu.addAction(tr("Sort by {name}, low first", name=word(name)), lambda: self.sort_by(name))
            menu.addAction(
                tr("Sort by {name}, high first", name=word(name)), lambda: self.sort_by(name, downwards=True)
            )
        if self._sorted is not None:
            menu.addAction(tr("In the order they came in"), lambda: self.sort_by(""))
        menu.addAction(tr("Show only rows with …"), self._ask_what_to_show)
        if self._only:
            hidden = len(self._rows) - len(self._shown_rows())
            menu.addAction(tr("Show all rows ({hidden} hidden)", hidden=hidden), lambda: self.show_only(""))
        columns = menu.addMenu(tr("Columns"))
        assert columns is not None
        for k, title in enumerate(self._head):
            if not title:
                continue
            action = columns.addAction(word(title))
            assert action is not None
            action.setCheckable(True)
            action.setChecked(not self.isColumnHidden(k))
            action.triggered.connect(lambda on, at=k: self.setColumnHidden(at, not on))

    def _ask_what_to_show(self) -> None:
        words, good = QInputDialog.getText(self, tr("Show only rows with"), tr("Words in them"), text=self._only)
        if good:
            self.show_only(words)

    def fit(self) -> None:
        vertical = self.verticalHeader()
        assert vertical is not None
        vertical.setDefaultSectionSize(theme.px(self._line))
        head = self.horizontalHeader()
        assert head is not None
        head.setStretchLastSection(self._wide is None)
        for column in range(self.columnCount()):
            stretch = column == self._wide
            mode = QHeaderView.ResizeMode.Stretch if stretch else QHeaderView.ResizeMode.Interactive
            head.setSectionResizeMode(column, mode)
        self.resizeColumnsToContents()
        for column in range(self.columnCount() - (self._wide is None)):  # the last one takes what is left
            self.setColumnWidth(column, min(self.columnWidth(column) + 2, theme.px(330)))

    def height_for_rows(self, most: int = 12) -> int:
        head = self.horizontalHeader()
        assert head is not None
        wide = head.length() > self.viewport().width() > 200
        rows = theme.px(self._line) * min(most, max(1, self.rowCount()))
        return theme.px(34) + rows + 6 + (theme.px(12) if wide else 0)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        else:
            super().keyPressEvent(event)

    def copy(self) -> None:
        selected = {index.row() for index in self.selectedIndexes()}
        chosen = [row for row in self._shown_rows() if not selected or row in selected]
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(as_tsv([self._head, *(self._rows[i] for i in chosen if i < len(self._rows))]))


def _sort_key(cell: str) -> tuple[int, float, str] | None:
    """By the number a cell begins with, else by its words; None for a cell without a value."""
    text = cell.partition("\n")[0].strip()
    if text in ("", "–", "-"):
        return None
    number = re.match(r"[+\-−]?\d[\d,' \u202f]*(?:\.\d+)?", text.removeprefix("×").removeprefix("<").strip())
    if number:
        return 0, float(re.sub(r"[,' \u202f]", "", number[0]).replace("−", "-")), text.casefold()
    return 1, 0.0, text.casefold()

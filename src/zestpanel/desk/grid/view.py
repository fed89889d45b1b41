"""The grid's view: arrow keys walk and go on hearing, Enter plays, a click selects and a second one plays."""

from __future__ import annotations

from PyQt6.QtCore import QModelIndex, Qt, QTimer
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPaintEvent
from PyQt6.QtWidgets import QAbstractItemView, QTableView

from zestpanel.core.texts import tr
from zestpanel.desk.grid.model import GridModel
from zestpanel.desk.grid.painting import CELL_HEIGHT, CELL_WIDTH, LOW_HEIGHT, CellPainter, TwoLineHeader
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.viewmodels.shading import Shading


class GridView(QTableView):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self.grid_model = GridModel(state)
        self.setHorizontalHeader(TwoLineHeader(Qt.Orientation.Horizontal))
        self.setVerticalHeader(TwoLineHeader(Qt.Orientation.Vertical))
        self.setModel(self.grid_model)
        self._cells = CellPainter(self)
        self.setItemDelegate(self._cells)
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        self.setCornerButtonEnabled(False)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setObjectName("benchGrid")
        self.setAccessibleName(tr("Bench grid: candidates by passages"))
        state.selected.connect(self._follow)
        self.grid_model.modelReset.connect(self._follow)
        theme.changed.connect(self._size)
        self._size()
        self._follow()

    def paintEvent(self, event: QPaintEvent) -> None:
        self._cells.begin_frame()
        super().paintEvent(event)
        if self._cells.late:
            QTimer.singleShot(0, self.viewport().update)

    def _size(self) -> None:
        across, down = self.horizontalHeader(), self.verticalHeader()
        assert across is not None
        assert down is not None
        across.setDefaultSectionSize(theme.px(CELL_WIDTH))
        down.setDefaultSectionSize(theme.px(LOW_HEIGHT if self.grid_model.shading is not None else CELL_HEIGHT))
        across.setFixedHeight(theme.px(44))
        down.setFixedWidth(theme.px(172))
        self.viewport().update()

    def put_shading(self, found: Shading | None, columns: list[int]) -> None:
        """Figures instead of waveforms, in low rows; columns: passages in another order than the set's."""
        self.grid_model.put_shading(found, columns)
        self._size()

    def _follow(self) -> None:
        index = self.grid_model.place_of(self._state.candidate_id, self._state.passage_id)
        if index.isValid() and index != self.currentIndex():
            self.setCurrentIndex(index)

    def currentChanged(self, current: QModelIndex, previous: QModelIndex) -> None:
        super().currentChanged(current, previous)
        if current.isValid():
            candidate = self.grid_model.candidate(current.row())
            passage = self.grid_model.passage(current.column())
            if (candidate.id, passage.id) != (self._state.candidate_id, self._state.passage_id):
                self._state.select(candidate.id, passage.id)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        index = self.indexAt(event.position().toPoint())
        if index.isValid():
            self._play(index)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._play(self.currentIndex())
        else:
            super().keyPressEvent(event)

    def _play(self, index: QModelIndex) -> None:
        if index.isValid():
            candidate = self.grid_model.candidate(index.row())
            self._state.select(candidate.id, self.grid_model.passage(index.column()).id, play=True)

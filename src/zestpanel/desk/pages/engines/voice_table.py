"""The table of voices: shows what the index of the core finds."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt

from zestpanel.core.catalogue.browsing import COLUMNS, FacetValue, VoiceIndex, VoiceRow, Wanted
from zestpanel.core.texts import tr, word
from zestpanel.desk.plain_tips import plain_tip


class VoiceModel(QAbstractTableModel):
    """Rows are the index's, in the order found; nothing is copied."""

    def __init__(self) -> None:
        super().__init__()
        self.index_of_voices = VoiceIndex([])
        self.wanted = Wanted()
        self._shown: list[int] = []

    def show(self, found: VoiceIndex) -> None:
        self.beginResetModel()
        self.index_of_voices = found
        self._shown = self.index_of_voices.find(self.wanted)
        self.endResetModel()

    def look_for(self, text: str, facets: dict[str, frozenset[str]] | None = None) -> None:
        """Show what holds all of the text's words and one of the chosen values of each facet."""
        self.wanted.text = text
        if facets is not None:
            self.wanted.facets = {name: chosen for name, chosen in facets.items() if chosen}
        self.beginResetModel()
        self._shown = self.index_of_voices.find(self.wanted)
        self.endResetModel()

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        self.layoutAboutToBeChanged.emit()
        self.wanted.column, self.wanted.descending = column, order == Qt.SortOrder.DescendingOrder
        self._shown = self.index_of_voices.find(self.wanted)
        self.layoutChanged.emit()

    def facets(self) -> dict[str, list[FacetValue]]:
        return self.index_of_voices.facets(self.wanted)

    def counted(self) -> str:
        return self.index_of_voices.counted(self._shown)

    def row(self, index: QModelIndex) -> VoiceRow | None:
        if index.isValid() and index.row() < len(self._shown):
            return self.index_of_voices.rows[self._shown[index.row()]]
        return None

    def place_of(self, engine: str, voice: str) -> int:
        """The row of a voice among those shown, -1 when it is not."""
        rows = self.index_of_voices.rows
        found = (k for k, i in enumerate(self._shown) if (rows[i].engine.engine, rows[i].voice.id) == (engine, voice))
        return next(found, -1)

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's own signature
        return 0 if parent.isValid() else len(self._shown)

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(COLUMNS)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        row = self.row(index)
        if row is None:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return row.cells[index.column()]
        if role == Qt.ItemDataRole.ToolTipRole:
            return plain_tip(self._tip(row, index.column()))
        return None

    @staticmethod
    def _tip(row: VoiceRow, column: int) -> str:
        if column == 0:
            return tr("favourite") if row.favourite else ""
        if column == 1:
            return tr("{cells} on the shortlist", cells=row.cells[column][1:]) if row.cells[column] else ""
        return row.cells[column]

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return word(COLUMNS[section])
        return None

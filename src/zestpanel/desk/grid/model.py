"""The bench as a Qt model."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt

from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.passage import Passage
from zestpanel.core.texts import tr, trn
from zestpanel.desk.plain_tips import plain_tip
from zestpanel.desk.state import DeskState
from zestpanel.desk.viewmodels.cells import Cell
from zestpanel.desk.viewmodels.shading import Shading


class GridModel(QAbstractTableModel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self._candidates: list[Candidate] = state.ordered()
        self._passages: list[Passage] = list(state.bench.passages)
        self._shading: Shading | None = None
        self._columns: list[int] = []  # of passages, where another order than the set's is wanted
        state.bench_changed.connect(self._refresh)
        state.labels_changed.connect(self._refresh)
        state.runs.changed.connect(self._repaint)

    def _refresh(self) -> None:
        place = {passage: k for k, passage in enumerate(self._columns)}
        candidates = self._state.ordered()
        passages = sorted(self._state.bench.passages, key=lambda p: place.get(p.id, len(place)))
        same = [c.id for c in candidates] == [c.id for c in self._candidates] and [p.id for p in passages] == [
            p.id for p in self._passages
        ]
        if same:  # only cells changed: nothing that is looked at moves
            self._candidates, self._passages = candidates, passages
            self._repaint()
            self.headerDataChanged.emit(Qt.Orientation.Vertical, 0, max(0, len(candidates) - 1))
        else:
            self.beginResetModel()
            self._candidates, self._passages = candidates, passages
            self.endResetModel()

    @property
    def shading(self) -> Shading | None:
        """What cells show instead of their waveforms; never while labels are hidden, which it would lift."""
        return None if self._state.labels_hidden else self._shading

    def put_shading(self, found: Shading | None, columns: list[int]) -> None:
        self._shading, self._columns = found, columns
        self._refresh()
        self._repaint()

    def shade_at(self, row: int, column: int) -> tuple[str, float | None] | None:
        """(the cell's value in words, how strongly it is shaded), None without a shading."""
        if self.shading is None:
            return None
        place = self._candidates[row].id, self._passages[column].id
        return self.shading.words(place), self.shading.share(place)

    def _repaint(self) -> None:
        if self._candidates and self._passages:
            self.dataChanged.emit(self.index(0, 0), self.index(len(self._candidates) - 1, len(self._passages) - 1))

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's own signature
        return 0 if parent.isValid() else len(self._candidates)

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self._passages)

    def candidate(self, row: int) -> Candidate:
        return self._candidates[row]

    def passage(self, column: int) -> Passage:
        return self._passages[column]

    def shown_at(self, row: int, column: int) -> tuple[Cell, bool]:
        """(the cell, whether a request of it is under way)."""
        candidate, passage = self._candidates[row].id, self._passages[column].id
        return self._state.bench.cell(candidate, passage), (candidate, passage) in self._state.runs.running

    def place_of(self, candidate_id: int | None, passage_id: int | None) -> QModelIndex:
        row = next((i for i, c in enumerate(self._candidates) if c.id == candidate_id), -1)
        column = next((i for i, p in enumerate(self._passages) if p.id == passage_id), -1)
        return self.index(row, column) if row >= 0 and column >= 0 else QModelIndex()

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        candidate, passage = self._candidates[index.row()], self._passages[index.column()]
        cell, running = self.shown_at(index.row(), index.column())
        match role:
            case Qt.ItemDataRole.ToolTipRole:
                shown = self.shade_at(index.row(), index.column())
                title = (
                    f"{self.shading.title}: {shown[0] or 'none'} {self.shading.unit}; "
                    if shown and self.shading
                    else ""
                )
                return plain_tip(title + describe(cell))
            case Qt.ItemDataRole.AccessibleTextRole:
                name = self._state.name(candidate)
                return f"{name}, {passage.title}: {'running' if running else describe(cell)}"
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            return None
        if orientation == Qt.Orientation.Horizontal:
            passage = self._passages[section]
            if role == Qt.ItemDataRole.ToolTipRole:
                return plain_tip(passage.text)
            number = next((k for k, p in enumerate(self._state.bench.passages, 1) if p.id == passage.id), section + 1)
            return f"{number:02d}\n{passage.title}"
        candidate = self._candidates[section]
        return f"{self._state.name(candidate)}\n{self._state.detail(candidate)}"


def describe(cell: Cell) -> str:
    """A cell in words."""
    match cell.state:
        case "there":
            take = cell.take
            assert take is not None
            parts = [
                trn(
                    "{duration_s} s, {takes} take",
                    "{duration_s} s, {takes} takes",
                    cell.takes,
                    duration_s=f"{take.duration_s:.1f}",
                    takes=cell.takes,
                )
            ]
            if take.how_obtained:
                parts.append(take.how_obtained)
            if cell.odd_voice:
                parts.append(tr("another voice answered: {voice_used}", voice_used=take.voice_used))
            elif cell.doubts:
                parts.append(tr("odd on arrival, not scored: {doubts}", doubts=cell.doubts))
            if take.sent is not None and len(take.sent) > 1:
                parts.append(tr("joined from {sent} requests", sent=len(take.sent)))
            if cell.marks:
                parts.append(trn("{marks} mark", "{marks} marks", cell.marks, marks=cell.marks))
            if cell.failures:
                parts.append(tr("a repeat failed: {why}", why=cell.why))
            return "; ".join(parts)
        case "missing":
            return tr("not rendered yet")
        case "failed":
            return tr("failed: {why}", why=cell.why)
        case "stale":
            return tr("stale: its text, or the way it is sent, was changed since")
        case "open":
            return tr("a request was open when the program ended; it may have been paid")
    return cell.text

"""As sent, at one glance: passages by engines, and what is lost where."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from zestpanel.core.sending.overview import SentCell, overview
from zestpanel.core.texts import tr
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import label

Found = tuple[list[str], dict[tuple[int, str], SentCell]]


class SentOverview(QWidget):
    """chosen: (passage id, candidate id) of a cell that is to be seen in full."""

    chosen = pyqtSignal(int, int)

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state = state
        self._found: Found = ([], {})
        self._passages: list[int] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self._says = label("", "lead", wrap=True)
        column.addWidget(self._says)
        self.table = Table()
        self.table.setAccessibleName(tr("Passages by engines"))
        self.table.setSelectionBehavior(Table.SelectionBehavior.SelectItems)
        self.table.cellActivated.connect(self._activated)
        column.addWidget(self.table, 1)
        self._hint = label(
            tr("Enter on a cell shows it in full: the text as it is sent, and what became of each mark."),
            "small",
            wrap=True,
        )
        column.addWidget(self._hint)

    def refresh(self) -> None:
        """Worked out off the interface thread: at 40 candidates and 60 passages it takes a second."""
        state = self._state
        if state.labels_hidden:
            self._show(([], {}))
            return
        bench, sending = state.bench, state.project.sending
        candidates, engines, passages = list(bench.candidates), dict(bench.engines), list(bench.passages)
        state.background.run(lambda: overview(sending.of, candidates, engines, passages), self._show, state.complain,
                             topic="sent overview")  # fmt: skip

    def _show(self, found: Found) -> None:
        self._found = found
        names, cells = found
        self._passages = [p.id for p in self._state.bench.passages]
        rows, bad, tips = [], [], {}
        for r, passage in enumerate(self._state.bench.passages):
            row = [f"{r + 1:02d}  {passage.title}"]
            for c, name in enumerate(names, 1):
                cell = cells.get((passage.id, name))
                row.append(cell.words if cell is not None else tr("another language"))
                if cell is not None and (cell.lost or cell.too_long):
                    bad.append((r, c))
                    tips[r, c] = cell.words
            rows.append(row)
        self.table.show_rows([tr("Passage"), *names], rows if names else [], bad=bad, tips=tips, wide=0)
        for widget in (self.table, self._hint):
            widget.setVisible(bool(names))
        self._says.setText(self._verdict(names, cells))

    def _verdict(self, names: list[str], cells: dict[tuple[int, str], SentCell]) -> str:
        if self._state.labels_hidden:
            return tr("Labels are hidden, and what is sent would tell them. Show the labels to see it.")
        if not names:
            return tr("Put a voice on the shortlist to see what its engine would get.")
        lost = {name: sum(sum(cell.lost.values()) for (_, of), cell in cells.items() if of == name) for name in names}
        worst = max(names, key=lambda name: lost[name])
        if not lost[worst]:
            return tr("Nothing is lost on the way: every engine gets every mark and word.")
        clean = [name for name in names if not lost[name]]
        kept = tr(" Nothing is lost at {clean}.", clean=", ".join(clean)) if clean else ""
        marks = tr("{lost} marks and words", lost=lost[worst]) if lost[worst] > 1 else tr("one mark or word")
        return tr("{worst} loses most: {marks}.{kept}", worst=worst, marks=marks, kept=kept)

    def _activated(self, row: int, column: int) -> None:
        names, cells = self._found
        if column == 0 or not 0 <= row < len(self._passages):
            return
        cell = cells.get((self._passages[row], names[column - 1]))
        if cell is None:
            self._state.say(tr("No candidate of {names} speaks the language of this passage.", names=names[column - 1]))
        else:
            self.chosen.emit(cell.passage_id, cell.candidate_id)

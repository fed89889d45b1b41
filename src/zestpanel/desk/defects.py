"""All defects that were marked: by candidate, with their rate; each heard, put in words, or taken away."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QInputDialog, QVBoxLayout, QWidget

from zestpanel.core.listening.defects import Defect, Defects, defects
from zestpanel.core.texts import tr, trn
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.hearing import hear_take
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import button, label, open_at

BEFORE_S, AFTER_S = 1.0, 2.0  # heard around a defect


class DefectsDialog(Dialog):
    """Enter plays a defect, from a second before it; Delete takes it away."""

    def __init__(self, parent: QWidget, state: DeskState) -> None:
        super().__init__(parent)
        self._state = state
        self._found: list[Defects] = []
        self._shown: list[Defect] = []
        self._queue: list[Defect] = []
        self._next = QTimer(self)
        self._next.setSingleShot(True)
        self._next.timeout.connect(self._play_next)
        self.setWindowTitle(tr("Defects"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        head = QHBoxLayout()
        head.addWidget(label(tr("Defects"), "name"))
        head.addStretch(1)
        self.whose = QComboBox()
        self.whose.setAccessibleName(tr("Whose defects"))
        self.whose.currentIndexChanged.connect(self._show)
        head.addWidget(self.whose)
        layout.addLayout(head)
        self._says = label("", "quiet", wrap=True)
        layout.addWidget(self._says)
        self.rates = Table()
        self.rates.setAccessibleName(tr("Defects to the minute"))
        layout.addWidget(self.rates)
        self.table = Table()
        self.table.setAccessibleName(tr("Defects"))
        self.table.row_chosen.connect(self.play)
        layout.addWidget(self.table, 1)
        foot = QHBoxLayout()
        self.all = button(tr("Hear one after another"), self.play_all)
        foot.addWidget(self.all)
        foot.addWidget(button(tr("Note …"), self.ask_for_note))
        foot.addWidget(button(tr("Take away"), self.remove, tip=tr("Delete")))
        foot.addStretch(1)
        foot.addWidget(button(tr("Close"), self.accept, role="main"))
        layout.addLayout(foot)
        open_at(self, 900, 560)
        state.tray.marks_changed.connect(self._read)
        self._read()

    def _read(self) -> None:
        project = self._state.project
        self._state.background.run(lambda: defects(project), self._take, self._state.complain, topic="defects")

    def _take(self, found: list[Defects]) -> None:
        self._found = found
        names = {c.id: self._state.name(c) for c in self._state.bench.candidates}
        now = self.whose.currentData()
        self.whose.blockSignals(True)
        self.whose.clear()
        self.whose.addItem(tr("of all candidates"), None)
        for one in found:
            if one.found and one.candidate_id in names:
                self.whose.addItem(names[one.candidate_id], one.candidate_id)
        self.whose.setCurrentIndex(max(0, self.whose.findData(now)))
        self.whose.blockSignals(False)
        rows = [
            [names[one.candidate_id], str(len(one.found)), f"{one.minutes:.1f}",
             tr("not heard") if one.per_minute is None else f"{one.per_minute:.2f}", one.kinds()]
            for one in found if one.candidate_id in names
        ]  # fmt: skip
        self.rates.show_rows(
            [tr("Candidate"), tr("defects"), tr("minutes heard"), tr("per minute"), tr("which")],
            rows,
            numbers=[1, 2, 3],
        )
        self.rates.setFixedHeight(self.rates.height_for_rows(6))
        self._show()

    def _show(self) -> None:
        wanted = self.whose.currentData()
        names = {c.id: self._state.name(c) for c in self._state.bench.candidates}
        self._shown = [d for one in self._found if wanted in (None, one.candidate_id) for d in one.found
                       if one.candidate_id in names]  # fmt: skip
        rows = [[names[d.take.candidate_id], d.passage.title, f"{d.mark.at_s:.1f} s", d.mark.kind, d.mark.note,
                 d.mark.created[:10]] for d in self._shown]  # fmt: skip
        self.table.show_rows(
            [tr("Candidate"), tr("Passage"), tr("at"), tr("kind"), tr("note"), tr("marked")], rows, numbers=[2]
        )
        count = len(self._shown)
        self._says.setText(
            tr("Nothing is marked. While listening, M marks a defect, or one of the keys F2 to F11.")
            if not count
            else trn(
                "{count} defect. Enter plays one, from a second before it.",
                "{count} defects. Enter plays one, from a second before it.",
                count,
                count=count,
            )
        )
        self.all.setEnabled(count > 0)

    # -- hearing

    def play(self, row: int) -> None:
        self._queue = []
        self._hear(self._shown[row])

    def play_all(self) -> None:
        self._queue = list(self._shown)
        self._play_next()

    def _play_next(self) -> None:
        if self._queue:
            self.table.selectRow(self._shown.index(self._queue[0]))
            self._hear(self._queue.pop(0))

    def _hear(self, defect: Defect) -> None:
        def begun() -> None:
            if self._queue:
                self._next.start(round(1000 * (BEFORE_S + AFTER_S)))

        hear_take(self._state, defect.take, at_s=max(0.0, defect.mark.at_s - BEFORE_S), then=begun)

    # -- mending

    def _chosen(self) -> Defect | None:
        row = self.table.currentRow()
        return self._shown[row] if 0 <= row < len(self._shown) else None

    def ask_for_note(self) -> None:
        if (defect := self._chosen()) is None:
            return
        text, good = QInputDialog.getText(self, tr("Note"), f"{defect.mark.kind}, {defect.passage.title}",
                                          text=defect.mark.note)  # fmt: skip
        if good:
            self.put_note(defect, text)

    def put_note(self, defect: Defect, text: str) -> None:
        takes, mark = self._state.project.takes, defect.mark
        self._state.edit(tr("note on a defect"), partial(takes.put_mark_note, mark.id, text.strip()),
                         partial(takes.put_mark_note, mark.id, mark.note))  # fmt: skip
        self._read()

    def remove(self) -> None:
        if (defect := self._chosen()) is None:
            return
        takes, mark = self._state.project.takes, defect.mark
        self._state.edit(tr("taking away '{kind}'", kind=mark.kind), partial(takes.set_mark_removed, mark.id, True),
                         partial(takes.set_mark_removed, mark.id, False))  # fmt: skip
        self._read()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove()
        else:
            super().keyPressEvent(event)

    def done(self, result: int) -> None:
        """The tray is laid out again as it was."""
        self._queue = []
        self._state.player.pause()
        self._state.tray.load()
        super().done(result)

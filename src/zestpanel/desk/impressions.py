"""Impressions of a voice, by day: the first one stays beside what is thought of it later."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from zestpanel.core.store.impressions import LONGEST, Impression, which
from zestpanel.core.texts import tr
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.hearing import hear_clip
from zestpanel.desk.spoken import SpokenRemark
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.when import day_and_hour
from zestpanel.desk.widgets import button, label, open_at


class ImpressionsDialog(Dialog):
    """name: of the voice as it is shown now. While labels are hidden what was said before stays covered."""

    def __init__(self, parent: QWidget, state: DeskState, engine: str, voice: str, name: str) -> None:
        super().__init__(parent)
        self._state, self._engine, self._voice = state, engine, voice
        self._listed: list[Impression] = []
        self.setWindowTitle(tr("Impressions: {name}", name=name))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(tr("Impressions: {name}", name=name), "name"))
        self._about = label("", "quiet", wrap=True)
        layout.addWidget(self._about)
        self.table = Table()
        self.table.setAccessibleName(tr("Impressions"))
        self.table.row_chosen.connect(self._hear)
        delete = QShortcut(QKeySequence(Qt.Key.Key_Delete), self.table)
        delete.setContext(Qt.ShortcutContext.WidgetShortcut)
        delete.activated.connect(self._remove)
        layout.addWidget(self.table, 1)
        self.words = QLineEdit()
        self.words.setMaxLength(LONGEST)
        self.words.setPlaceholderText(tr("What strikes you now, such as: warm, hurries at full stops"))
        self.words.setAccessibleName(tr("What strikes you now"))
        self.spoken = SpokenRemark(lambda clip: hear_clip(state, lambda: clip))
        self.spoken.begun.connect(state.player.pause)
        self.spoken.look()
        layout.addWidget(self.words)
        layout.addWidget(self.spoken)
        layout.addStretch(0)
        foot = QHBoxLayout()
        self.remove = button(tr("Remove"), self._remove)
        self.remove.setAutoDefault(False)
        foot.addWidget(self.remove)
        foot.addStretch(1)
        close = button(tr("Close"), self.accept)
        close.setAutoDefault(False)
        foot.addWidget(close)
        self.add = button(tr("Add impression"), self._add, role="main")
        self.add.setDefault(True)
        foot.addWidget(self.add)
        layout.addLayout(foot)
        open_at(self, 640, 420)
        self._show()
        self.words.setFocus()

    def _show(self) -> None:
        hidden = self._state.labels_hidden
        self._listed = self._state.project.impressions.all().get((self._engine, self._voice), [])
        if not self._listed:
            self._about.setText(tr("None yet. The first one stays as it was given; later ones stand beside it."))
        elif hidden:
            self._about.setText(tr("What was said before stays covered while labels are hidden."))
        else:
            self._about.setText(tr("Enter plays one that was spoken."))
        shown = [] if hidden else self._listed
        rows = [
            [which(k), day_and_hour(one.created) + (tr(", name hidden") if one.blind else ""),
             tr("{words} (and spoken)", words=one.words) if one.words and one.spoken else one.words or tr("spoken")]
            for k, one in enumerate(shown)
        ]  # fmt: skip
        self.table.show_rows(["", tr("Given"), tr("Impression")], rows, wide=2)
        self.table.setVisible(bool(rows))
        self.remove.setVisible(bool(rows))

    def _add(self) -> None:
        project, words, spoken = self._state.project, self.words.text(), self.spoken.finish()
        made: list[int] = []

        def do() -> None:
            if made:
                project.impressions.set_removed(made[0], False)
            else:
                made.append(project.impressions.add(
                    self._engine, self._voice, words, spoken=spoken, blind=self._state.labels_hidden
                ))  # fmt: skip

        if self._state.edit(tr("an impression"), do, lambda: project.impressions.set_removed(made[0], True)):
            self.words.clear()
            self.spoken.clear()
            self._show()

    def _remove(self) -> None:
        row = self.table.currentRow()
        if not 0 <= row < len(self._listed):
            self._state.complain(tr("Choose the impression that is to go."))
            return
        impressions, number = self._state.project.impressions, self._listed[row].id
        if self._state.edit(tr("an impression"), lambda: impressions.set_removed(number, True),
                            lambda: impressions.set_removed(number, False)):  # fmt: skip
            self._show()

    def _hear(self, row: int) -> None:
        one = self._listed[row]
        if one.spoken:
            hear_clip(self._state, lambda: self._state.project.impressions.load(one))

    def done(self, result: int) -> None:
        """What was laid on to be heard goes with the dialog; the tray is as it was."""
        self.spoken.clear()
        if not self._state.tray.lanes:
            self._state.player.pause()
            self._state.tray.load()
        super().done(result)

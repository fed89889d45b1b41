"""A person's recordings: whose they are, in which language, and the files."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QFormLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from zestpanel.core.texts import tr, trn
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import button, label, open_at


class PersonDialog(Dialog):
    """add(name, language, files)."""

    def __init__(self, parent: QWidget, state: DeskState, add: Callable[[str, str, list[Path]], None]) -> None:
        super().__init__(parent)
        self._add = add
        self.files: list[Path] = []
        self.setWindowTitle(tr("A person's recordings"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(tr("A person's recordings"), "name"))
        about = tr(
            "Recordings of your passages by a person are the yardstick of listening tests: a reference to compare "
            "with, and hidden among the voices. They can be rated and never chosen."
        )
        layout.addWidget(label(about, "quiet", wrap=True))
        form = QFormLayout()
        self.name = QLineEdit()
        self.name.setPlaceholderText(tr("such as: our narrator"))
        self.language = QLineEdit(state.bench.brief.languages[0] if state.bench.brief.languages else "")
        form.addRow(tr("Whose"), self.name)
        form.addRow(tr("Language"), self.language)
        row = QHBoxLayout()
        self._chosen = label(tr("none chosen"), "quiet")
        row.addWidget(button(tr("Choose recordings …"), self._choose))
        row.addWidget(self._chosen, 1)
        form.addRow(tr("Files, one a passage"), row)
        layout.addLayout(form)
        layout.addStretch(1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button(tr("Cancel"), self.reject))
        self.go = button(tr("Add"), self.accept, role="main")
        self.go.setEnabled(False)
        self.name.textChanged.connect(lambda words: self.go.setEnabled(bool(words.strip())))
        foot.addWidget(self.go)
        layout.addLayout(foot)
        open_at(self, 560, 330)

    def _choose(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, tr("A person's recordings"), "", tr("Sound and video (*)"))
        self.take([Path(name) for name in names])

    def take(self, paths: list[Path]) -> None:
        self.files = paths
        self._chosen.setText(
            trn("{paths} file", "{paths} files", len(paths), paths=len(paths)) if paths else tr("none chosen")
        )

    def accept(self) -> None:
        super().accept()
        self._add(self.name.text().strip(), self.language.text().strip(), self.files)

"""A page fetched from a web address: its rights are asked for before anything of it is kept."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QComboBox, QFormLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from zestpanel.core.domain.passage import RIGHTS
from zestpanel.core.text.readers.address import read_address
from zestpanel.core.text.readers.script import Script
from zestpanel.core.texts import tr
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import button, label, open_at


class WebDialog(Dialog):
    """take(script, address, rights) is called once, when the page was read."""

    def __init__(self, parent: QWidget, state: DeskState, take: Callable[[Script, str, str], None]) -> None:
        super().__init__(parent)
        self._state, self._take = state, take
        self.setWindowTitle(tr("From a web address"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        form = QFormLayout()
        self.address = QLineEdit()
        self.address.setPlaceholderText(tr("https://"))
        self.address.textChanged.connect(lambda _: self._ready())
        self.rights = QComboBox()
        for key, words in RIGHTS.items():
            self.rights.addItem(tr("whose text is it?") if key == "" else words, key)
        self.rights.currentIndexChanged.connect(lambda _: self._ready())
        form.addRow(tr("Address"), self.address)
        form.addRow(tr("Rights"), self.rights)
        layout.addLayout(form)
        self.words = label(
            tr("Text of others may be used for testing only, unless they allow more."), "small", wrap=True
        )
        layout.addWidget(self.words)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button(tr("Cancel"), self.reject))
        self.fetch = button(tr("Fetch"), self._fetch, role="main")
        foot.addWidget(self.fetch)
        layout.addLayout(foot)
        open_at(self, 520, 180)
        self._ready()

    def _ready(self) -> None:
        there = self.address.text().strip().startswith(("http://", "https://"))
        self.fetch.setEnabled(there and bool(self.rights.currentData()))

    def _fetch(self) -> None:
        address, rights = self.address.text().strip(), str(self.rights.currentData())
        self.fetch.setEnabled(False)
        self.words.setText(tr("Fetching …"))

        def arrived(script: Script) -> None:
            self.accept()
            self._take(script, address, rights)

        def failed(error: Exception) -> None:
            self.words.setText(str(error))
            self._ready()

        self._state.background.run(lambda: read_address(address), arrived, failed, topic="web address")

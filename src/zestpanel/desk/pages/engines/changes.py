"""What an import would change, to be agreed to before anything is taken over."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from zestpanel.core.catalogue.changes import Change
from zestpanel.core.texts import tr
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import button, label, open_at


class ChangesDialog(Dialog):
    def __init__(self, parent: QWidget, title: str, changes: Sequence[Change], take_over: Callable[[], None]) -> None:
        super().__init__(parent)
        self._take_over = take_over
        self.setWindowTitle(title)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(title, "name"))
        counts = Counter(change.state for change in changes)
        words = ", ".join(f"{counts[state]:,} {state}" for state in ("new", "changed", "gone") if counts[state])
        self.summary = label(
            tr("{words}. Nothing is taken over yet; candidates and takes stay in any case.", words=words), "quiet"
        )
        layout.addWidget(self.summary)
        self.table = Table()
        rows = [[c.state, c.about, c.name, c.what] for c in changes]
        self.table.show_rows(["", tr("About"), tr("Name"), tr("From and to")], rows)
        layout.addWidget(self.table, 1)
        foot = QHBoxLayout()
        foot.addWidget(button(tr("Copy table"), self.table.copy))
        foot.addStretch(1)
        foot.addWidget(button(tr("Leave as it is"), self.reject))
        self.agree = button(tr("Take over"), self._agree, role="main")
        foot.addWidget(self.agree)
        layout.addLayout(foot)
        open_at(self, 760, 480)

    def _agree(self) -> None:
        self.accept()
        self._take_over()

"""All that is wrong in the takes, in a dialog of its own: reached from any page."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from zestpanel.core.texts import tr
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.faults_view import FaultsView
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import button, open_at


class DefectsDialog(Dialog):
    def __init__(self, parent: QWidget, state: DeskState) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Faults and defects"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        self.view = FaultsView(state)
        layout.addWidget(self.view, 1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        self.close_it = button(tr("Close"), self.accept, role="main")
        foot.addWidget(self.close_it)
        layout.addLayout(foot)
        open_at(self, 1000, 620)
        self.view.refresh()

    def done(self, result: int) -> None:
        self.view.leave()
        super().done(result)

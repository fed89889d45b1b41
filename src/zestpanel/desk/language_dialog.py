"""The language the window speaks: chosen here, in force from the next start."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from zestpanel.core.texts import LANGUAGES, choose, chosen, tr
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.flow import flow_row
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import button, label


class LanguageDialog(Dialog):
    def __init__(self, parent: QWidget, state: DeskState) -> None:
        super().__init__(parent)
        self._state = state
        self.setWindowTitle(tr("Language of the program"))
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        self.box = QComboBox()
        self.box.setAccessibleName(tr("Language of the program"))
        self.box.addItem(tr("As the system has it"), "")
        for tag, name in LANGUAGES.items():
            self.box.addItem(name, tag)
        self.box.setCurrentIndex(max(0, self.box.findData(chosen())))
        column.addWidget(self.box)
        column.addWidget(label(tr("The texts of the window, from the next start on"), "small", wrap=True))
        self.keep = button(tr("Keep"), self._keep, role="main")
        column.addWidget(flow_row(right=(button(tr("Cancel"), self.reject), self.keep)))
        self.keep.setDefault(True)
        self.box.setFocus()

    def _keep(self) -> None:
        language = str(self.box.currentData())
        try:
            choose(language)
        except OSError as error:
            self._state.complain(tr("The choice cannot be kept ({strerror}).", strerror=error.strerror))
            return
        name = LANGUAGES.get(language) or tr("the system's language")
        self._state.say(tr("The window speaks {language} from the next start on.", language=name))
        self.accept()

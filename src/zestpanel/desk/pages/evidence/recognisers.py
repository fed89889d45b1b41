"""Programs and services that listen: brought in, agreed to, asked, taken off."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.ears import name_of
from zestpanel.core.errors import ZestError
from zestpanel.core.languages import language_name
from zestpanel.core.runs.measuring.hearing import add, hear_takes, kept, remove, unheard
from zestpanel.core.text_files import read_text
from zestpanel.core.texts import tr, trn
from zestpanel.desk.agreeing import ask_first
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import button, label, open_at


class RecognisersDialog(Dialog):
    def __init__(self, parent: QWidget, state: DeskState) -> None:
        super().__init__(parent)
        self.state = state
        self._ears: list[Engine] = []
        self.setWindowTitle(tr("Recognisers and predictors"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.setSpacing(10)
        layout.addWidget(label(tr("Recognisers and predictors"), "name"))
        layout.addWidget(label(
            tr("A recogniser writes down what it hears, in languages that the built-in one does not know; a predictor "
               "gives a figure, which is shown with how far it goes along with your panel and is never weighed. Both "
               "are files like those of engines, with a part 'hears'. Clips of takes are given to them, and neither "
               "texts nor names; what a service bills for it is not counted here."), "quiet", wrap=True))  # fmt: skip
        self.table = Table()
        self.table.setAccessibleName(tr("Recognisers and predictors"))
        self.table.itemSelectionChanged.connect(self._row_changed)
        layout.addWidget(self.table, 1)
        self.wrong = label("", "bad", wrap=True)
        layout.addWidget(self.wrong)
        foot = QHBoxLayout()
        self.add = button(tr("Add a file …"), self._choose)
        self.off = button(tr("Take off"), self._remove)
        self.go = button(tr("Listen"), self._listen, role="main")
        foot.addWidget(self.add)
        foot.addWidget(self.off)
        foot.addStretch(1)
        foot.addWidget(button(tr("Close"), self.reject))
        foot.addWidget(self.go)
        layout.addLayout(foot)
        open_at(self, 720, 420)
        self.refresh()

    def refresh(self) -> None:
        project = self.state.project

        def arrived(found: list[tuple[Engine, int]]) -> None:
            self._ears = [ear for ear, _ in found]
            rows = []
            for ear, waits in found:
                assert ear.hears is not None
                gives = tr("words") if ear.hears.gives == "words" else tr("a figure")
                of = ", ".join(language_name(one) for one in ear.hears.languages) or tr("all languages")
                rows.append([name_of(ear), gives, of, str(waits)])
            head = [tr("Name"), tr("gives"), tr("hears"), tr("takes not heard")]
            self.table.show_rows(head, rows, numbers=[3], wide=2)
            if rows:
                self.table.selectRow(0)
            self._row_changed()

        self.state.background.run(
            lambda: [(ear, len(unheard(project.takes, project.texts, ear)))
                     for ear in kept(project.documents).values()],
            arrived, self._failed, topic="recognisers",
        )  # fmt: skip

    @property
    def ear(self) -> Engine | None:
        row = self.table.currentRow()
        return self._ears[row] if 0 <= row < len(self._ears) else None

    def _row_changed(self) -> None:
        self.off.setEnabled(self.ear is not None)
        self.go.setEnabled(self.ear is not None)

    def _choose(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Add a file"), "", "YAML, JSON (*.yaml *.yml *.json)")
        if name:
            self.take(Path(name))

    def take(self, path: Path) -> None:
        try:
            add(self.state.project.documents, read_text(path, most_mb=5, kept=tr("Nothing was added.")), path.name)
        except ZestError as error:
            self._failed(error)
            return
        self.wrong.setText("")
        self.refresh()

    def _remove(self) -> None:
        if self.ear is not None:
            remove(self.state.project.documents, self.ear.engine)
            self.refresh()

    def _listen(self) -> None:
        if (ear := self.ear) is not None:
            ask_first(self, [ear], lambda: self._listen_to(ear))

    def _listen_to(self, ear: Engine) -> None:
        project, state = self.state.project, self.state

        def arrived(found: tuple[int, list[str]]) -> None:
            done, problems = found
            state.say(trn("{ear} has listened to {n} take.", "{ear} has listened to {n} takes.", done, n=done,
                          ear=name_of(ear)))  # fmt: skip
            for problem in problems[:1]:
                state.complain(problem)
            state.refresh()

        state.background.run(lambda: hear_takes(project.takes, project.texts, ear), arrived, state.complain,
                             topic="listening program", long=True)  # fmt: skip
        self.accept()

    def _failed(self, error: Exception) -> None:
        self.wrong.setText(str(error))

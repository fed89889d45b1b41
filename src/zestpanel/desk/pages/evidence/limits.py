"""The lead's own limit of a figure: a must-have of the choice, set where the figure is looked at."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QComboBox, QLineEdit, QWidget

from zestpanel.core.choice.criteria import limit_set, set_of
from zestpanel.core.evidence.registry import figures
from zestpanel.core.texts import capital, tr, word
from zestpanel.desk.pages.choice.weighing import put_criteria
from zestpanel.desk.pages.engines.notes import FormDialog
from zestpanel.desk.state import DeskState


class LimitDialog(FormDialog):
    """A limit for all roles; emptied, there is none."""

    def __init__(self, parent: QWidget, state: DeskState, name: str, done: Callable[[], None]) -> None:
        self._state, self._figure = state, figures()[name]
        brief = state.project.brief
        words = capital(word(self._figure.words))
        about = tr("What is beyond it is marked wherever the figure is shown, and a voice whose figure is beyond it "
                   "cannot be chosen: the limit is a must-have. Empty for none.")  # fmt: skip
        super().__init__(parent, tr("Your limit: {words}", words=words), about, done)
        self.kind = QComboBox()
        self.kind.addItem(tr("at most"), True)
        self.kind.addItem(tr("at least"), False)
        self.at = QLineEdit()
        stored = set_of(state.project.documents).get(name)
        most = self._figure.better != "higher"
        if stored is not None and stored.bars:
            start = self._figure.start(brief) if self._figure.start else None
            worst = stored.worst if stored.worst is not None or start is None else start.worst
            best = stored.best if stored.best is not None or start is None else start.best
            if worst is not None:
                self.at.setText(f"{worst * self._figure.factor:g}")
            most = worst is None or best is None or worst > best
        self.kind.setCurrentIndex(0 if most else 1)
        unit = self._figure.unit(brief).strip()
        self.form.addRow(tr("Limit, {unit}", unit=unit) if unit else tr("Limit"), self.at)
        self.form.addRow(tr("Which"), self.kind)
        self.at.setFocus()

    def keep(self) -> bool:
        project = self._state.project
        stored = set_of(project.documents)
        made = limit_set(self._figure, self.at.text(), stored.get(self._figure.name), project.brief,
                         most=bool(self.kind.currentData()))  # fmt: skip
        if made != stored.get(self._figure.name):
            put_criteria(project, None, {**stored, self._figure.name: made})
            self._state.refresh()
        return True

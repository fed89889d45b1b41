"""What the choice weighs, in full: of every figure its weight, what is not acceptable, and what is good enough."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QGridLayout, QLineEdit, QWidget

from zestpanel.core.choice.criteria import BOUNDS, CRITERIA, SetTo, criteria_of, set_to
from zestpanel.core.evidence.registry import figures, weighable
from zestpanel.core.texts import capital, tr, word
from zestpanel.desk.pages.engines.notes import FormDialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import label


class WeightsDialog(FormDialog):
    """A line a figure. A field that is emptied is as it was at first."""

    def __init__(self, parent: QWidget, state: DeskState, done: Callable[[], None]) -> None:
        about = tr(
            "A figure with a weight of 0 moves nobody. Between what is not acceptable and what is good enough a figure "
            "counts in proportion; beyond, no more."
        )
        super().__init__(parent, tr("Weights and bounds"), about, done)
        self._state, self.fields = state, dict[tuple[str, str], QLineEdit]()
        grid = QGridLayout()
        grid.setHorizontalSpacing(theme.px(14))
        for column, head in enumerate((tr("Figure"), *BOUNDS.values())):
            grid.addWidget(label(head, "small"), 0, column)
        brief = state.project.brief
        for line, one in enumerate(criteria_of(state.project.documents, brief), 1):
            figure = figures()[one.name]
            words = capital(word(figure.words)) + (f", {unit}" if (unit := figure.unit(brief).strip()) else "")
            grid.addWidget(label(words), line, 0)
            values = {"weight": one.weight, "worst": one.worst * figure.factor, "best": one.best * figure.factor}
            for column, (field, value) in enumerate(values.items(), 1):
                edit = QLineEdit(f"{value:g}")
                edit.setAccessibleName(f"{words}: {BOUNDS[field]}")
                edit.setMaximumWidth(theme.px(110))
                self.fields[one.name, field] = edit
                grid.addWidget(edit, line, column)
        self.form.addRow(grid)
        self.fields[weighable()[0].name, "weight"].setFocus()

    def keep(self) -> bool:
        project = self._state.project
        stored = dict(CRITERIA.read(project.documents))
        for figure in weighable():
            texts = {field: self.fields[figure.name, field].text() for field in SetTo.model_fields}
            stored[figure.name] = set_to(figure, texts, project.brief)
        if stored != CRITERIA.read(project.documents):
            project.edit_document(CRITERIA, stored, label=tr("weights"))
            self._state.refresh()
        return True

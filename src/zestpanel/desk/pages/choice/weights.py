"""What the choice weighs, in full: of every figure its weight, what is not acceptable, what is good enough, and whether
what is not acceptable is a must-have."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QScrollArea, QWidget

from zestpanel.core.choice.criteria import BOUNDS, criteria_of, set_of, set_to
from zestpanel.core.domain.role import Role, SetTo
from zestpanel.core.evidence.registry import known_to
from zestpanel.core.listening.feeding import own_figures
from zestpanel.core.texts import capital, tr, word
from zestpanel.desk.pages.choice.weighing import put_criteria
from zestpanel.desk.pages.engines.notes import FormDialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import label


class WeightsDialog(FormDialog):
    """A line a figure, those that can be weighed at once first. A field that is emptied is as it was at first."""

    def __init__(self, parent: QWidget, state: DeskState, role: Role | None, done: Callable[[], None]) -> None:
        about = tr(
            "A figure with a weight of 0 moves nobody. Between what is not acceptable and what is good enough a figure "
            "counts in proportion; beyond, no more. Ticked, what is not acceptable keeps a voice from being chosen."
        )
        super().__init__(parent, tr("Weights and bounds"), about, done)
        self._state, self._role = state, role
        self.fields = dict[tuple[str, str], QLineEdit]()
        self.bars = dict[str, QCheckBox]()
        inside, must_have = QWidget(), tr("must-have")
        grid = QGridLayout(inside)
        grid.setHorizontalSpacing(theme.px(14))
        for column, head in enumerate((tr("Figure"), *BOUNDS.values(), must_have)):
            grid.addWidget(label(head, "small"), 0, column)
        project = state.project
        brief, stored = project.brief, set_of(project.documents, role)
        known = {one.name: one for one in criteria_of(project.documents, brief, role)}
        every = self._every = sorted(known_to(own_figures(project.panel)), key=lambda one: one.start is None)
        for line, figure in enumerate(every, 1):
            one = known.get(figure.name)
            words = capital(word(figure.words)) + (f", {unit}" if (unit := figure.unit(brief).strip()) else "")
            grid.addWidget(label(words), line, 0)
            values = {field: "" for field in BOUNDS}
            if one is not None:
                values = {"weight": f"{one.weight:g}", "worst": f"{one.worst * figure.factor:g}",
                          "best": f"{one.best * figure.factor:g}"}  # fmt: skip
            for column, (field, value) in enumerate(values.items(), 1):
                edit = QLineEdit(value)
                edit.setAccessibleName(f"{words}: {BOUNDS[field]}")
                edit.setMaximumWidth(theme.px(110))
                self.fields[figure.name, field] = edit
                grid.addWidget(edit, line, column)
            bars = QCheckBox()
            bars.setAccessibleName(f"{words}: {must_have}")
            bars.setChecked(stored.get(figure.name, SetTo()).bars)
            self.bars[figure.name] = bars
            grid.addWidget(bars, line, 4, Qt.AlignmentFlag.AlignCenter)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setWidget(inside)
        area.setMinimumHeight(theme.px(440))
        self.setMinimumSize(theme.px(680), theme.px(600))
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.form.addRow(area)
        self.fields[every[0].name, "weight"].setFocus()

    def keep(self) -> bool:
        project = self._state.project
        stored = set_of(project.documents, self._role)
        for figure in self._every:
            texts = {field: self.fields[figure.name, field].text() for field in BOUNDS}
            made = set_to(figure, texts, project.brief, bars=self.bars[figure.name].isChecked())
            if made != SetTo() or figure.name in stored:
                stored[figure.name] = made
        if stored != set_of(project.documents, self._role):
            put_criteria(project, self._role, stored)
            self._state.refresh()
        return True

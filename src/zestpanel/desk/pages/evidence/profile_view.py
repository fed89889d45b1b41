"""One candidate among the others, figure by figure."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from zestpanel.core.choice.profile import Line, profile, says
from zestpanel.core.report.drawing import Picture
from zestpanel.core.report.where_picture import profile_picture
from zestpanel.core.texts import tr
from zestpanel.desk.charts.view import ChartView
from zestpanel.desk.flow import flow_row
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import label, scrolled


class ProfileView(QWidget):
    """A row leads to where its figure is what it is."""

    figure_chosen = pyqtSignal(str)

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 8)
        layout.setSpacing(8)
        self.whose = QComboBox()
        self.whose.setAccessibleName(tr("Candidate"))
        self.whose.setMinimumContentsLength(22)
        layout.addWidget(flow_row(self.whose))
        key = tr("Pale dots: the other candidates of its language. Green: usual in narration. Broken line: your limit.")
        layout.addWidget(label(key, "small", wrap=True))
        self.says = label("", "lead", wrap=True)
        layout.addWidget(self.says)
        self.lines: list[Line] = []
        self.chart = ChartView(self._picture, least=620.0)
        self.chart.candidate_chosen.connect(self._lead)
        layout.addWidget(scrolled(self.chart), 1)
        self.whose.currentIndexChanged.connect(self._look)
        state.evaluation_changed.connect(self._again)

    def _again(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        names = {c.id: self.state.name(c) for c in self.state.bench.candidates}
        if {self.whose.itemData(k): self.whose.itemText(k) for k in range(self.whose.count())} != names:
            now = self.whose.currentData() or self.state.candidate_id
            self.whose.blockSignals(True)
            self.whose.clear()
            for candidate, name in names.items():
                self.whose.addItem(name, candidate)
            self.whose.setCurrentIndex(max(0, self.whose.findData(now)))
            self.whose.blockSignals(False)
        self._look()

    def _look(self) -> None:
        found, candidate = self.state.evaluation, self.whose.currentData()
        if found is None or candidate is None:
            return
        self.lines = profile(found, candidate, self.state.bench.brief)
        self.says.setText(says(self.lines, self.whose.currentText()))
        self.chart.refresh()

    def _picture(self, width: float) -> Picture | None:
        return profile_picture(self.lines, self.whose.currentText(), width=width)

    def _lead(self, row: int) -> None:
        self.figure_chosen.emit(self.lines[row].figure)

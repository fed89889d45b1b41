"""Where a figure is what it is: candidates by passages, or by kinds of text; a cell plays."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.choice.where import BY, By, Where, choices, where
from zestpanel.core.evidence.registry import figures
from zestpanel.core.report.drawing import Picture
from zestpanel.core.report.where_picture import least_width, where_picture
from zestpanel.core.texts import tr
from zestpanel.desk.charts.view import ChartView
from zestpanel.desk.flow import flow_row
from zestpanel.desk.pages.evidence.limits import LimitDialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import button, label, scrolled

FIRST = "faults"


class WhereView(QWidget):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self._seen: Where | None = None
        self._of: tuple[Evaluation | None, str, By] | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 8)
        layout.setSpacing(8)
        self.figure, self.columns = QComboBox(), QComboBox()
        self.figure.setAccessibleName(tr("Figure"))
        self.figure.setMinimumContentsLength(26)
        self.figure.setMaxVisibleItems(24)
        self.columns.setAccessibleName(tr("Columns"))
        for by, words in BY.items():
            self.columns.addItem(words, by)
        self.limit = button(tr("Your limit …"), self.ask_limit)
        hint = label(
            tr("The stronger, the worse, or the higher where neither end is better. A cell plays."), "small", wrap=True
        )
        layout.addWidget(flow_row(self.figure, self.columns, self.limit))
        layout.addWidget(hint)
        self.says = label("", "lead", wrap=True)
        layout.addWidget(self.says)
        self.chart = ChartView(self._picture)
        self.chart.cell_chosen.connect(self._play)
        layout.addWidget(scrolled(self.chart), 1)
        self.figure.currentIndexChanged.connect(self._look)
        self.columns.currentIndexChanged.connect(self._look)
        state.evaluation_changed.connect(self._again)

    @property
    def seen(self) -> Where | None:
        return self._seen

    def show_figure(self, name: str) -> None:
        self.figure.setCurrentIndex(max(0, self.figure.findData(name)))

    def _again(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        told = choices(self.state.evaluation)
        if [self.figure.itemData(k) for k in range(self.figure.count())] != list(told):
            now = self.figure.currentData() or FIRST
            self.figure.blockSignals(True)
            self.figure.clear()
            for name, words in told.items():
                self.figure.addItem(words, name)
            self.figure.setCurrentIndex(max(0, self.figure.findData(now)))
            self.figure.blockSignals(False)
        self._look()

    def _look(self) -> None:
        found, name, by = self.state.evaluation, self.figure.currentData(), self.columns.currentData()
        if found is None or name is None or self._of == (found, name, by):
            return
        self._of = (found, name, by)
        project, passages, brief = self.state.project, list(self.state.bench.passages), self.state.bench.brief
        self.limit.setEnabled(name in figures())

        def arrived(seen: Where | None) -> None:
            if self._of != (found, name, by):
                return  # another one was chosen meanwhile
            self._seen = seen
            self.says.setText(seen.says(self._names()) if seen is not None else "")
            self.chart.least = 420.0 if seen is None else least_width(seen)
            self.chart.refresh_for(len(passages) * len(found.rows))

        self.state.background.run(lambda: where(project, found, name, passages, brief, by=by), arrived,
                                  self.state.complain, topic="where")  # fmt: skip

    def _names(self) -> dict[int, str]:
        return {c.id: self.state.name(c) for c in self.state.bench.candidates}

    def _picture(self, width: float) -> Picture | None:
        return where_picture(self._seen, self._names(), width=width) if self._seen is not None else None

    def _play(self, candidate_id: int, passage_id: int) -> None:
        self.state.select(candidate_id, passage_id, play=True)

    def ask_limit(self) -> None:
        name = self.figure.currentData()
        if name in figures():
            LimitDialog(self, self.state, name, self.refresh).open()

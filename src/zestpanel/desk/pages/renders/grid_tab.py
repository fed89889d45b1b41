"""The bench grid, and what its cells show: waveforms, or figures with a shade, the best first where wanted."""

from __future__ import annotations

from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from zestpanel.core.texts import tr
from zestpanel.desk.flow import flow_row
from zestpanel.desk.grid.view import GridView
from zestpanel.desk.state import DeskState
from zestpanel.desk.viewmodels.shading import Shading, choices, shading
from zestpanel.desk.widgets import label, yielding


class GridTab(QWidget):
    """The bench grid with what can be done to a cell."""

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        row = QHBoxLayout()
        self.shows = QComboBox()
        self.shows.setAccessibleName(tr("Cells show"))
        for name, words in choices().items():
            self.shows.addItem(words, name)
        self.shows.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.shows.setMinimumContentsLength(16)
        self.sorted = QCheckBox(tr("the best first"))
        row.addWidget(flow_row(label(tr("Cells show"), "quiet"), self.shows, self.sorted))
        self._says = yielding(label("", "small"))
        row.addWidget(self._says, 1)
        layout.addLayout(row)
        self.grid = GridView(state)
        layout.addWidget(self.grid, 1)
        self.shows.currentIndexChanged.connect(self._shade)
        self.sorted.toggled.connect(self._shade)
        state.evaluation_changed.connect(self._shade_again)

    def refresh(self) -> None:
        """The grid follows the bench by itself."""

    def _shade_again(self) -> None:
        if self.shows.currentData():
            self._shade()

    def _shade(self) -> None:
        """What the cells are to show, worked out off this thread."""
        name, project, bench = self.shows.currentData(), self.state.project, self.state.bench
        found = self.state.evaluation
        self.state.background.run(
            lambda: shading(project, bench, name, found), self._put, self.state.complain, topic="shading"
        )

    def _put(self, found: Shading | None) -> None:
        by_it = found is not None and self.sorted.isChecked()
        bench = self.state.bench
        columns = found.order([p.id for p in bench.passages], of_passages=True) if found and by_it else []
        rows = found.order([c.id for c in bench.candidates], of_passages=False) if found and by_it else []
        self.state.put_order(rows)
        self.grid.put_shading(found, columns)
        if found is None:
            self._says.setText("")
            return
        unit = f" ({found.unit})" if found.unit else ""
        what = tr("the more") if found.less_is_better is None else tr("the worse")
        self._says.setText(tr("{title}{unit}: the darker, {what}", title=found.title, unit=unit, what=what))

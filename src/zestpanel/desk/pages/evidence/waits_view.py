"""How long each candidate lets one wait: every request a point."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from zestpanel.core.report.drawing import Picture
from zestpanel.core.report.pictures import waits_picture
from zestpanel.core.texts import tr
from zestpanel.desk.charts.view import ChartView
from zestpanel.desk.sources import behind_waits
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import label, scrolled


class WaitsView(QWidget):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self.whole, self.first = (ChartView(make, aside=state.aside) for make in (self._whole, self._first))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 8)
        layout.addWidget(scrolled(
            label(tr("Wait for the whole clip, warm requests; cold ones hollow"), "strong"), self.whole,
            label(tr("Wait to first sound"), "strong"), self.first,
        ))  # fmt: skip
        for chart in (self.whole, self.first):
            chart.candidate_chosen.connect(self._open)

    def _whole(self, width: float) -> Picture | None:
        found = self.state.evaluation
        return waits_picture(found, width=width, first_sound=False) if found is not None else None

    def _first(self, width: float) -> Picture | None:
        found = self.state.evaluation
        return waits_picture(found, width=width, first_sound=True) if found is not None else None

    def refresh(self) -> None:
        found = self.state.evaluation
        if found is not None:
            self.whole.refresh_for(len(found.rows))
            self.first.refresh_for(len(found.rows))

    def _open(self, candidate_id: int) -> None:
        found = self.state.evaluation
        if found is not None and candidate_id in found.rows:
            behind_waits(self, self.state.project, found.rows[candidate_id]).show()

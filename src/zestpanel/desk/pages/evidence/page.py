"""Step 5, evidence: what is measured, what is wrong in the takes, and where."""

from __future__ import annotations

from zestpanel.core.choice.where import choices
from zestpanel.core.texts import tr
from zestpanel.desk.faults_view import FaultsView
from zestpanel.desk.pages.evidence.likeness_view import LikenessView
from zestpanel.desk.pages.evidence.measures_view import MeasuresView
from zestpanel.desk.pages.evidence.profile_view import ProfileView
from zestpanel.desk.pages.evidence.waits_view import WaitsView
from zestpanel.desk.pages.evidence.where_view import WhereView
from zestpanel.desk.pages.tabbed import TabbedPage
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import EmptyState, button


class EvidencePage(TabbedPage):
    title = tr("Evidence")
    about = tr("Over each candidate's own takes on the channel's passages. Open a row to see the takes behind it.")

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self.measures = MeasuresView(state)
        self.faults = FaultsView(state)
        self.head.addWidget(button(tr("Copy"), self._copy))
        self.where, self.profile = WhereView(state), ProfileView(state)
        self.likeness = LikenessView(state)
        self.waits = WaitsView(state)
        self.add_views(("Measures", "Waits", "Where", "Profile", "Likeness", "Faults"),
                       (self.measures, self.waits, self.where, self.profile, self.likeness, self.faults))  # fmt: skip

        self.profile.figure_chosen.connect(self._where)

    def _where(self, figure: str) -> None:
        if figure in choices(self.state.evaluation):
            self.show_view("Where")
            self.where.show_figure(figure)

    def _copy(self) -> None:
        """The table that is seen, or the picture."""
        views = {
            "Measures": self.measures.table, "Waits": self.waits.whole, "Where": self.where.chart,
            "Profile": self.profile.chart, "Likeness": self.likeness.table, "Faults": self.faults.table,
        }  # fmt: skip
        views[self.view].copy()  # type: ignore[attr-defined]

    def refresh(self) -> None:
        if self.cover_names():
            return
        found = self.state.evaluation
        if found is None:
            return
        if not any(row.summary.takes for row in found.rows.values()):
            self.set_empty(
                EmptyState(
                    tr("Nothing is measured yet: there are no takes."), tr("Renders"), lambda: self.go_to("renders")
                )
            )
            return
        self.set_empty(None)
        self.refresh_view()

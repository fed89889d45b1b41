"""Step 7, cost: every plan in one unit, at the channel's volume."""

from __future__ import annotations

from zestpanel.core.choice.evidence import Standing
from zestpanel.core.choice.other_plans import OtherPlan, cheapest_in_words, other_plans
from zestpanel.core.domain.money import Money, shown
from zestpanel.core.report.pictures import volume_picture
from zestpanel.desk.charts.view import ChartView
from zestpanel.desk.pages.page import Page
from zestpanel.desk.sources import behind_cost
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import EmptyState, Table, button, label


class CostPage(Page):
    title = "Cost"
    about = "Every plan in one unit, at this channel's volume and each candidate's own pace. Open a row for its tariff."

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self.head.addWidget(button("Copy table", lambda: self.table.copy()))
        self._volume = label("", "lead", wrap=True)
        self.verdict = label("", "name", wrap=True)
        self.body.addWidget(self.verdict)
        self.body.addWidget(self._volume)
        self.body.addWidget(label("Money a month against volume, one curve a plan", "strong"))
        self.chart = ChartView(lambda width: volume_picture(state.standing, width=width) if state.standing else None)
        self.chart.candidate_chosen.connect(self._open_candidate)
        self.body.addWidget(self.chart)
        self.table = Table()
        self.table.setAccessibleName("Cost by candidate")
        self.table.row_chosen.connect(self._open)
        self.body.addWidget(self.table)
        self._others_head = label("Under another plan; open a row to buy the candidate under it", "strong")
        self.body.addWidget(self._others_head)
        self.others = Table()
        self.others.setAccessibleName("Cost under other plans")
        self.others.row_chosen.connect(self._buy_under)
        self.body.addWidget(self.others)
        self._other_plans: list[OtherPlan] = []
        self._left_out = label("", "small", wrap=True)
        self.body.addWidget(self._left_out)
        self.body.addStretch(1)
        self._ids: list[int] = []

    def refresh(self) -> None:
        if self.cover_names():
            return
        found = self.state.standing
        if found is None:
            return
        if not found.rows:
            self.set_empty(
                EmptyState(
                    "No candidate yet, so there is nothing to cost.", "Engines & voices", lambda: self.go_to("engines")
                )
            )
            return
        self.set_empty(None)
        brief = found.brief
        words = (
            f"{brief.episodes_per_month} episodes of {brief.episode_minutes.normalize():f} minutes: "
            f"{brief.minutes_per_month.normalize():f} finished minutes a month, rendered on {brief.days_of_work} days."
        )
        if brief.human_price_per_minute is not None:
            human = Money(brief.human_price_per_minute * brief.minutes_per_month, brief.currency)
            words += f" Narrated by a person: {human} a month."
        self._volume.setText(words)
        rows, bad, self._ids = [], [], []
        for index, row in enumerate(found.rows.values()):
            cost, month = row.cost, row.cost.month
            total = month.total if month.covers else None
            if total is None:
                bad.append((index, 2))
            used = "" if month.allowance_used is None else f"{100 * month.allowance_used:.0f} %"
            pace = f"{cost.rates.characters_per_minute:,.0f}" + (" assumed" if cost.rates.assumed else "")
            in_own = _money(cost.own) if cost.own and total and cost.own.currency != total.currency else ""
            dated = f"price of {row.plan.dated:%d %b %Y}" if row.plan.dated else "price without a date"
            rows.append(
                [
                    f"{row.name}\n{row.detail}",
                    f"{row.plan.name}\n{dated}",
                    "\n".join(filter(None, (_money(total) if total else cost.why_not, in_own))),
                    _money(cost.per_episode),
                    _money(cost.per_minute),
                    _money(cost.per_thousand),
                    pace,
                    used,
                ]
            )
            self._ids.append(row.candidate.id)
        self.table.show_rows(
            [
                "Candidate",
                "Plan",
                "month",
                "episode",
                "minute",
                "1,000 char.",
                "char. / min",
                "allowance",
            ],
            rows,
            numbers=[2, 3, 4, 5, 6, 7],
            bad=bad,
        )
        self.table.setFixedHeight(self.table.height_for_rows())
        self._show_others(found)
        self.chart.refresh()
        missing = [
            f"{row.name}, {row.plan.name}: {row.cost.why_not}" for row in found.rows.values() if not row.cost.own
        ]
        rates = "; ".join(
            f"1 {one.currency} = {one.rate.normalize():f} {brief.currency}"
            + (f" on {one.dated:%d %b %Y}" if one.dated else ", undated")
            + (f", {one.source}" if one.source else "")
            for one in brief.exchange_rates
        )
        self._left_out.setText(
            (f"Not drawn: {'; '.join(missing)}. " if missing else "") + (f"Exchange rates: {rates}." if rates else "")
        )

    def _show_others(self, found: Standing) -> None:
        self._other_plans = others = other_plans(found, self.state.bench.engines)
        self.verdict.setText(cheapest_in_words(found, others))
        rows = []
        for one in others:
            saves = "–" if one.saves is None else f"{-one.saves:+,.2f} {found.brief.currency}".replace("-", "−")
            dated = f"price of {one.plan.dated:%d %b %Y}" if one.plan.dated else "price without a date"
            rows.append([f"{one.row.name}\n{one.row.detail}", f"{one.plan.name}\n{dated}",
                         _money(one.cost.own) if one.cost.own else one.cost.why_not, saves, ""])  # fmt: skip
        self._others_head.setVisible(bool(rows))
        self.others.setVisible(bool(rows))
        self.others.show_rows(["Candidate", "Plan", "month", "against now", ""], rows, numbers=[2, 3])
        self.others.setFixedHeight(self.others.height_for_rows())

    def _buy_under(self, index: int) -> None:
        """The plan is a choice on a candidate: its takes, figures and ratings stay."""
        if index >= len(self._other_plans):
            return
        one, shortlist = self._other_plans[index], self.state.project.shortlist
        candidate, before, plan = one.row.candidate.id, one.row.candidate.plan, one.plan.name
        self.state.edit(
            f"plan of {one.row.name}",
            lambda: shortlist.set_plan([candidate], plan),
            lambda: shortlist.set_plan([candidate], before),
        )

    def _open(self, index: int) -> None:
        if index < len(self._ids):
            self._open_candidate(self._ids[index])

    def _open_candidate(self, candidate_id: int) -> None:
        if self.state.standing and candidate_id in self.state.standing.rows:
            behind_cost(self, self.state.standing.rows[candidate_id]).show()


def _money(value: Money | None) -> str:
    return "–" if value is None else f"{shown(value.amount)} {value.currency}"

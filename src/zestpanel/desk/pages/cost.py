"""Step 7, cost: every plan in one unit, at the channel's volume; over the years, for a kept minute, and what if."""

from __future__ import annotations

from decimal import Decimal

from PyQt6.QtWidgets import QHBoxLayout, QSpinBox

from zestpanel.core.choice.costs import CostRow, Costs, WhatIf, costs_of
from zestpanel.core.choice.other_plans import OtherPlan
from zestpanel.core.choice.unlisted import UnlistedPlan
from zestpanel.core.domain.money import Money, shown, summed
from zestpanel.core.money.volume import Rates
from zestpanel.core.report.drawing import Picture
from zestpanel.core.report.pictures import volume_picture
from zestpanel.core.runs.spending.left_to_spend import spent
from zestpanel.core.texts import day, tr
from zestpanel.desk.charts.view import ChartView
from zestpanel.desk.pages.page import Page
from zestpanel.desk.sources import behind_cost, behind_month
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.turns import paint_next_turn
from zestpanel.desk.widgets import EmptyState, button, label

_HEAD = (
    tr("Candidate"),
    tr("Plan"),
    tr("month"),
    tr("1st year"),
    tr("3rd year"),
    tr("episode"),
    tr("minute"),
    tr("kept minute"),
    tr("1,000 char."),
)


class CostPage(Page):
    title = tr("Cost")
    about = tr(
        "Every plan in one unit, at this channel's volume and each candidate's own pace. Open a row for its sum."
    )

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self.head.addWidget(button(tr("Copy table"), lambda: self.table.copy()))
        self.verdict = label("", "name", wrap=True)
        self.body.addWidget(self.verdict)
        self._volume = label("", "lead", wrap=True)
        self.body.addWidget(self._volume)
        self.remarks = label("", "", wrap=True)
        self.body.addWidget(self.remarks)
        self.body.addLayout(self._what_if())
        self.body.addWidget(label(tr("Money a month against volume, one curve a plan"), "strong"))
        self.unlisted: list[UnlistedPlan] = []
        self.chart = ChartView(self._picture)
        self.chart.candidate_chosen.connect(self._open_candidate)
        self.body.addWidget(self.chart)
        self.table = Table()
        self.table.setAccessibleName(tr("Cost by candidate"))
        self.table.row_chosen.connect(self._open)
        self.body.addWidget(self.table)
        self._people = label("", "small", wrap=True)
        self.body.addWidget(self._people)
        self._others_head = label(tr("Under another plan; open a row to buy the candidate under it"), "strong")
        self.body.addWidget(self._others_head)
        self.others = Table()
        self.others.setAccessibleName(tr("Cost under other plans"))
        self.others.row_chosen.connect(self._buy_under)
        self.body.addWidget(self.others)
        self._other_plans: list[OtherPlan] = []
        self._unlisted_head = label("", "strong")
        self.body.addWidget(self._unlisted_head)
        self.others_unlisted = Table()
        self.others_unlisted.setAccessibleName(tr("Plans of engines that are not on the shortlist"))
        self.others_unlisted.row_chosen.connect(self._open_unlisted)
        self.body.addWidget(self.others_unlisted)
        self._left_out = label("", "small", wrap=True)
        self.body.addWidget(self._left_out)
        self.so_far = label("", "small", wrap=True)
        self.body.addWidget(self.so_far)
        self.body.addStretch(1)
        self._ids: list[int] = []

    def _picture(self, width: float) -> Picture | None:
        found = self.state.evaluation
        return volume_picture(found, width=width, unlisted=self.unlisted) if found is not None else None

    def _what_if(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(label(tr("What if:"), "strong"))
        self.episodes, self.dearer = QSpinBox(), QSpinBox()
        self.episodes.setRange(0, 10_000)
        self.episodes.setSpecialValueText(tr("as many episodes as now"))
        self.episodes.setSuffix(tr(" episodes a month"))
        self.episodes.setAccessibleName(tr("What if: episodes a month"))
        self.dearer.setRange(-90, 500)
        self.dearer.setSuffix(tr(" % on all prices"))
        self.dearer.setAccessibleName(tr("What if: prices in percent"))
        for box in (self.episodes, self.dearer):
            box.valueChanged.connect(lambda _: self._work_out())
            row.addWidget(box)
        row.addWidget(label(tr("Nothing of it is kept."), "small"))
        row.addStretch(1)
        return row

    def what_if(self) -> WhatIf:
        return WhatIf(episodes=self.episodes.value() or None, dearer_percent=Decimal(self.dearer.value()))

    def refresh(self) -> None:
        if self.cover_names():
            return
        found = self.state.evaluation
        if found is None:
            return
        if not found.rows and not any(engine.plans for engine in self.state.bench.engines.values()):
            self.set_empty(
                EmptyState(
                    tr("No price yet: enter the price lists you have, with or without voices to hear."),
                    tr("Engines & voices"),
                    lambda: self.go_to("engines"),
                )
            )
            return
        self.set_empty(None)
        self.chart.refresh()
        self._work_out()

    def _work_out(self) -> None:
        """Two years of months for each candidate: off this thread."""
        found, engines, what_if = self.state.evaluation, self.state.bench.engines, self.what_if()
        if found is not None:
            self.state.background.run(lambda: costs_of(found, engines, what_if), self._show, self.state.complain,
                                      topic="costs")  # fmt: skip
            project = self.state.project
            self.state.background.run(lambda: spent(project).words(), self.so_far.setText, self.state.complain,
                                      topic="spent")  # fmt: skip

    def _show(self, costs: Costs) -> None:
        paint_next_turn(self)
        brief = costs.brief
        words = tr(
            "{episodes_per_month} episodes of {episode_minutes} minutes: {minutes_per_month} "
            "finished minutes a month, rendered on {days_of_work} days.",
            episodes_per_month=brief.episodes_per_month,
            episode_minutes=f"{brief.episode_minutes.normalize():f}",
            minutes_per_month=f"{brief.minutes_per_month.normalize():f}",
            days_of_work=brief.days_of_work,
        )
        if brief.human_price_per_minute is not None:
            human = Money(brief.human_price_per_minute * brief.minutes_per_month, brief.currency)
            words += tr(" Narrated by a person: {human} a month.", human=human)
        self._volume.setText(words)
        self.verdict.setText(costs.verdict)
        self.remarks.setText("\n".join(costs.remarks))
        self.remarks.setVisible(bool(costs.remarks))
        rows, bad, self._ids = [], [], []
        for index, one in enumerate(costs.rows):
            if one.cost.month.total is None or not one.cost.month.covers:
                bad.append((index, 2))
            rows.append(_cells(one, brief.currency))
            self._ids.append(one.row.candidate.id)
        head = [f"{name}, {brief.currency}" if name == "month" else name for name in _HEAD]
        self.table.show_rows(head, rows, numbers=range(2, len(_HEAD)), bad=bad)
        self.table.setFixedHeight(self.table.height_for_rows())
        again = tr("no retakes are stated")
        if brief.retakes_percent:
            again = tr(
                "the {retakes_percent} of 100 minutes that are rendered again are paid, too",
                retakes_percent=f"{brief.retakes_percent.normalize():f}",
            )
        hours = ""
        if brief.hours_per_month and brief.hourly_rate is not None:
            hours = tr(
                ", {hours_per_month} a month at {hourly_rate}",
                hours_per_month=f"{brief.hours_per_month.normalize():f}",
                hourly_rate=shown(brief.hourly_rate),
            )
        years = tr("The years are what falls due in them, month by month.")
        ranges = any(one.cost.between is not None for one in costs.rows)
        by_pace = tr(" Under a month: its range for other texts of the kind, by the pace (95 %).") if ranges else ""
        self._people.setText(
            tr(
                "In all of these {again}; a kept minute has the people's hours as well{hours}. {years}{by_pace}",
                again=again,
                hours=hours,
                years=years,
                by_pace=by_pace,
            )
        )
        self._show_others(costs)
        self._show_unlisted(costs)
        missing = [f"{one.row.name}, {one.row.plan.name}: {one.cost.why_not}" for one in costs.rows if not one.cost.own]
        rates = "; ".join(
            f"1 {one.currency} = {one.rate.normalize():f} {brief.currency}"
            + (tr(" on {dated}", dated=day(one.dated)) if one.dated else tr(", undated"))
            + (f", {one.source}" if one.source else "")
            for one in brief.exchange_rates
        )
        self._left_out.setText(
            (tr("Not drawn: {missing}. ", missing="; ".join(missing)) if missing else "")
            + (tr("Exchange rates: {rates}.", rates=rates) if rates else "")
        )

    def _show_others(self, costs: Costs) -> None:
        self._other_plans = list(costs.others)
        rows = []
        for one in costs.others:
            saves = "–" if one.saves is None else f"{-one.saves:+,.2f} {costs.brief.currency}".replace("-", "−")
            dated = tr("price of {dated}", dated=day(one.plan.dated)) if one.plan.dated else tr("price without a date")
            rows.append([f"{one.row.name}\n{one.row.detail}", f"{one.plan.name}\n{dated}",
                         _money(one.cost.own) if one.cost.own else one.cost.why_not, saves,
                         tr("barred: {barred}", barred=one.barred) if one.barred else ""])  # fmt: skip
        self._others_head.setVisible(bool(rows))
        self.others.setVisible(bool(rows))
        self.others.show_rows([tr("Candidate"), tr("Plan"), tr("month"), tr("against now"), ""], rows, numbers=[2, 3])
        self.others.setFixedHeight(self.others.height_for_rows())

    def _show_unlisted(self, costs: Costs) -> None:
        before, self.unlisted = [one.name for one in self.unlisted], list(costs.unlisted)
        own = costs.brief.currency
        rows = []
        for one in costs.unlisted:
            dated = tr("price of {dated}", dated=day(one.plan.dated)) if one.plan.dated else tr("price without a date")
            month = _bare(one.cost.own, own) if one.cost.own else one.cost.why_not
            rows.append([one.engine, f"{one.plan.name}\n{dated}", month, _bare(one.first_year, own),
                         _bare(one.third_year, own), _rate(one.cost.per_thousand, own),
                         tr("barred: {barred}", barred=one.barred) if one.barred else ""])  # fmt: skip
        pace = tr(
            "{characters_per_minute} characters a minute", characters_per_minute=f"{Rates().characters_per_minute:,.0f}"
        )
        self._unlisted_head.setText(
            tr("Engines that are not on the shortlist, at {pace} assumed; open a row for its sum", pace=pace)
        )
        for widget in (self._unlisted_head, self.others_unlisted):
            widget.setVisible(bool(rows))
        head = [
            tr("Engine"),
            tr("Plan"),
            tr("month, {own}", own=own),
            tr("1st year"),
            tr("3rd year"),
            tr("1,000 char."),
            "",
        ]
        self.others_unlisted.show_rows(head, rows, numbers=range(2, 6))
        self.others_unlisted.setFixedHeight(self.others_unlisted.height_for_rows())
        if before != [one.name for one in self.unlisted]:
            self.chart.refresh()

    def _open_unlisted(self, index: int) -> None:
        if index < len(self.unlisted):
            one = self.unlisted[index]
            behind_month(self, one.name, one.plan, one.cost).show()

    def _buy_under(self, index: int) -> None:
        """The plan is a choice on a candidate: its takes, figures and ratings stay."""
        if index >= len(self._other_plans):
            return
        one, shortlist = self._other_plans[index], self.state.project.shortlist
        candidate, before, plan = one.row.candidate.id, one.row.candidate.plan, one.plan.name
        self.state.edit(
            tr("plan of {name}", name=one.row.name),
            lambda: shortlist.set_plan([candidate], plan),
            lambda: shortlist.set_plan([candidate], before),
        )

    def _open(self, index: int) -> None:
        if index < len(self._ids):
            self._open_candidate(self._ids[index])

    def _open_candidate(self, candidate_id: int) -> None:
        if self.state.evaluation and candidate_id in self.state.evaluation.rows:
            behind_cost(self, self.state.evaluation.rows[candidate_id]).show()


def _money(value: Money | None) -> str:
    return "–" if value is None else str(value)


def _cells(one: CostRow, own: str) -> list[str]:
    """own: the brief's currency, which is said once, in the head."""
    cost, month, plan = one.cost, one.cost.month, one.row.plan
    total = month.total if month.covers else None
    in_own = _bare(cost.own, own) if cost.own and total and cost.own.currency != total.currency else ""
    dated = tr("price of {dated}", dated=day(plan.dated)) if plan.dated else tr("price without a date")
    used = (
        ""
        if month.allowance_used is None
        else tr("{allowance_used} % used", allowance_used=f"{100 * month.allowance_used:.0f}")
    )
    between = ""
    if cost.between is not None and total is not None:
        between = "–".join(summed(money.amount) for money in cost.between)
    under = in_own or between or used
    if beside := [one for one in (between, used) if one and one != under]:
        dated = " · ".join([day(plan.dated) if plan.dated else dated, *beside])
    return [
        f"{one.row.name}\n{one.row.detail}", f"{plan.name}\n{dated}",
        "\n".join(filter(None, (_bare(total, own) if total else cost.why_not, under))), _bare(one.first_year, own),
        _bare(one.third_year, own), _bare(cost.per_episode, own), _rate(cost.per_minute, own), _rate(one.kept, own),
        _rate(cost.per_thousand, own),
    ]  # fmt: skip


def _bare(value: Money | None, own: str) -> str:
    """A sum; the brief's currency goes without saying."""
    return "–" if value is None else summed(value.amount) if value.currency == own else str(value)


def _rate(value: Money | None, own: str) -> str:
    """The price of a unit."""
    return "–" if value is None else shown(value.amount) if value.currency == own else value.rate()

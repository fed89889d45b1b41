"""What the brief's budget leaves this month, and whether a planned run goes beyond it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Final, Protocol

from zestpanel.core.catalogue.facts import UNPRICED
from zestpanel.core.clock import day_of, today
from zestpanel.core.domain.money import Money, shown
from zestpanel.core.domain.run import JournalRow
from zestpanel.core.money.metering import Meter
from zestpanel.core.runs.plan.estimates import may_be_paid, paces_of, used_so_far
from zestpanel.core.runs.plan.planning import PlannedRun
from zestpanel.core.store.auditions import Audition
from zestpanel.core.store.parts import HasAuditions, HasBrief, HasJournal, HasShortlist, HasTakes
from zestpanel.core.texts import tr


class BudgetParts(HasBrief, HasShortlist, HasTakes, HasJournal, HasAuditions, Protocol):
    """What is spent, and what may be."""


# without a budget a sum is asked about from here on, in the brief's currency (the price of some hours of narration at
# common list prices; common practice, no source)
LARGE: Final = Decimal(20)
_BROUGHT: Final = ("done", "unused", "open")


@dataclass(frozen=True, slots=True)
class Spent:
    """What runs and lines heard have cost beyond what plans include: in the brief's currency, and what has no exchange
    rate or no price, by engine and plan. requests, characters: those that were or may have been billed. unsure: how
    many of these brought nothing."""

    own: Money
    apart: tuple[tuple[str, str], ...]
    requests: int
    characters: int
    unsure: int = 0

    def words(self) -> str:
        text = tr(
            "This bench has cost {own} so far beyond what subscriptions include: {requests} requests, ",
            own=self.own,
            requests=f"{self.requests:,}",
        )
        text += tr("{characters} characters, lines heard included.", characters=f"{self.characters:,}")
        if self.unsure:
            text += tr(" Of these {n} brought no sound and may not have been billed.", n=f"{self.unsure:,}")
        if self.apart:
            apart = ", ".join(
                tr("{engine} ({plan})", engine=engine, plan=plan or tr("no plan")) for engine, plan in self.apart
            )
            text += tr(" Not in the sum, for want of a price or an exchange rate: {apart}.", apart=apart)
        return text


def spent(project: BudgetParts, counts: Callable[[date], bool] = lambda day: True) -> Spent:
    """counts: which days are summed up; what was used before them counts against allowances all the same."""
    brief, engines = project.brief, project.shortlist.engines()
    candidates = project.shortlist.candidates(removed=True, of_sweeps=True)
    paces = paces_of(project.takes, project.shortlist, candidates)
    journal = project.journal.rows()
    used = used_so_far(project.auditions, project.shortlist, journal, paces)
    rows: list[JournalRow | Audition] = [*journal, *project.auditions.rows()]
    nothing = [row for row in rows if may_be_paid(row) and row.state not in _BROUGHT]
    unsure = sum(counts(day_of(row.opened)) for row in nothing)
    total, requests, characters = Money(Decimal(0), brief.currency), 0, 0
    apart: dict[tuple[str, str], None] = {}
    for (name, plan_name), days in used.items():
        engine = engines.get(name)
        tariff = ((engine.plan(plan_name) if engine else None) or UNPRICED).tariff
        by_day = Meter(tariff, days, today=max(days), seats=brief.seats).by_day()
        for day in filter(counts, sorted(days)):
            requests, characters = requests + int(days[day].requests), characters + int(days[day].characters)
            own = brief.in_own_currency(by_day[day]) if by_day is not None else None
            if own is not None:
                total += own
            elif engine is None or engine.is_hosted:  # one's own machine sends no bill
                apart[(name, plan_name)] = None
    return Spent(total, tuple(apart), requests, characters, unsure)


def spent_this_month(project: BudgetParts) -> Decimal:
    """In the brief's currency, since the month began; what has no rate is left out."""
    now = today()
    return spent(project, lambda day: (day.year, day.month) == (now.year, now.month)).own.amount


def left_of_budget(project: BudgetParts, planned: PlannedRun) -> str:
    """Why a planned run should be asked about, '' where it need not be: it is dearer than what is left of the budget,
    or, without one, than a large sum; or its price cannot be put in the brief's currency."""
    brief = project.brief
    costs = [cost for cost in planned.costs if cost.amount > 0]
    if not costs:
        return ""
    own = [brief.in_own_currency(cost) for cost in costs]
    if any(one is None for one in own):
        return tr("The brief gives no exchange rate, so that it cannot be held against the budget.")
    total = sum((one.amount for one in own if one is not None), Decimal(0))
    if brief.budget_per_month is None:
        over = total > LARGE
        return (
            tr(
                "The brief states no budget, and this is over {large} {currency}.",
                large=shown(LARGE),
                currency=brief.currency,
            )
            if over
            else ""
        )
    left = max(Decimal(0), brief.budget_per_month - spent_this_month(project))
    if total <= left:
        return ""
    currency = brief.currency
    return tr(
        "Of the budget of {budget_per_month} {currency} a month {left} {currency2} are left.",
        budget_per_month=shown(brief.budget_per_month),
        currency=currency,
        left=shown(left),
        currency2=currency,
    )

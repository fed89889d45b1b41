"""What the brief's budget leaves this month, and whether a planned run goes beyond it."""

from __future__ import annotations

from datetime import UTC, datetime
from decimal import Decimal
from typing import Final

from zestpanel.core.catalogue.facts import UNPRICED
from zestpanel.core.domain.money import shown
from zestpanel.core.money.metering import Meter
from zestpanel.core.runs.plan.estimates import paces_of, used_so_far
from zestpanel.core.runs.plan.planning import PlannedRun
from zestpanel.core.store.project import Project

# without a budget a sum is asked about from here on, in the brief's currency (the price of some hours of narration at
# common list prices; common practice, no source)
LARGE: Final = Decimal(20)


def spent_this_month(project: Project) -> Decimal:
    """What runs and lines have cost since the month began, in the brief's currency; what has no rate is left out."""
    brief, engines, today = project.brief, project.shortlist.engines(), datetime.now(UTC).date()
    candidates = project.shortlist.candidates(removed=True, of_sweeps=True)
    used = used_so_far(
        project.auditions,
        project.shortlist,
        project.journal.rows(),
        paces_of(project.takes, project.shortlist, candidates),
    )
    total = Decimal(0)
    for (name, plan_name), days in used.items():
        engine = engines.get(name)
        tariff = ((engine.plan(plan_name) if engine else None) or UNPRICED).tariff
        for day in (d for d in days if (d.year, d.month) == (today.year, today.month)):
            meter = Meter(tariff, {d: use for d, use in days.items() if d < day}, today=day)
            cost = meter.with_more(days[day]).cost
            own = brief.in_own_currency(cost) if cost is not None else None
            total += own.amount if own is not None else 0
    return total


def left_of_budget(project: Project, planned: PlannedRun) -> str:
    """Why a planned run should be asked about, '' where it need not be: it is dearer than what is left of the budget,
    or, without one, than a large sum; or its price cannot be put in the brief's currency."""
    brief = project.brief
    costs = [cost for cost in planned.costs if cost.amount > 0]
    if not costs:
        return ""
    own = [brief.in_own_currency(cost) for cost in costs]
    if any(one is None for one in own):
        return "The brief gives no exchange rate, so that it cannot be held against the budget."
    total = sum((one.amount for one in own if one is not None), Decimal(0))
    if brief.budget_per_month is None:
        over = total > LARGE
        return f"The brief states no budget, and this is over {shown(LARGE)} {brief.currency}." if over else ""
    left = max(Decimal(0), brief.budget_per_month - spent_this_month(project))
    if total <= left:
        return ""
    currency = brief.currency
    return f"Of the budget of {shown(brief.budget_per_month)} {currency} a month {shown(left)} {currency} are left."

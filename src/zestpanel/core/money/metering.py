"""What more of a plan costs after what was used of it already: allowances counted by the day, the month and the year.

A run is made today. What today's grant, this month's and this year's allowance still hold is known from the days
before, so that a grant of a day is worth one day and a year's allowance may be used up in January. The bill is the one
of ``tariff.bill``, with all that it has: what use adds is the month's bill with it less the month's without it, so tax
is on it, and what stays within a least charge adds nothing. Subscriptions and purchases are in both, and so in neither.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from zestpanel.core.domain.money import Money
from zestpanel.core.money.components.part import ANY_LATER_MONTH, NONE, MonthAt, Unit
from zestpanel.core.money.grants import Grants
from zestpanel.core.money.tariff import Tariff, Usage, allowances, bill, off_of, quantity, sold, total_of
from zestpanel.core.texts import tr

Days = Mapping[date, Usage]


@dataclass(frozen=True, slots=True, kw_only=True)
class Added:
    """What was added costs. cost None: no bill, or not known (``why``). short_by: units the plan refuses.

    allowance_used: share of the fullest allowance (today's, this month's or this year's) after it, None without one.
    """

    cost: Money | None
    why: str = ""
    short_by: Decimal = Decimal(0)
    allowance_used: Decimal | None = None


class Meter:
    """One plan's use until now. days: use by day; ``today`` may be among them, and later ones are left out. seats:
    people who work with the plan."""

    def __init__(self, tariff: Tariff, days: Days, *, today: date, seats: int = 1) -> None:
        self._tariff, self._seats = tariff, seats
        self._parts = tuple(part for part in tariff.components if part.billed)
        self._selling, free = sold(tariff), allowances(tariff)
        self._limited = tuple(free)
        self._units: tuple[Unit, ...] = tuple(dict.fromkeys([*self._selling, *free]))
        self._grants = {unit: Grants(free.get(unit, []), seats) for unit in self._units}
        self._beyond: dict[Unit, list[Decimal]] = {unit: [NONE] for unit in self._units}
        self._added_by_day: dict[date, Decimal] = {}
        self._walk({day: use for day, use in days.items() if day <= today}, today)

    def by_day(self) -> dict[date, Money] | None:
        """What each day's use added to its month's bill; None where there is no bill, or none that is known."""
        if self._no_bill():
            return None
        return {day: Money(amount, self._tariff.currency) for day, amount in self._added_by_day.items()}

    def with_more(self, more: Usage) -> Added:
        """What so much more, used today, adds to the bill."""
        if why := self._no_bill():
            return Added(cost=None, why=why)
        short, shares = NONE, []
        beyond: dict[Unit, list[Decimal]] = {}
        for unit in self._units:
            grants = self._grants[unit].copy()
            over = grants.take(quantity(more, unit, self._tariff))
            beyond[unit] = [*self._beyond[unit][:-1], self._beyond[unit][-1] + over]
            if unit not in self._selling:
                short = max(short, beyond[unit][-1])
            if unit in self._limited:
                shares += grants.shares()
        cost = Money(self._bill(beyond) - self._so_far, self._tariff.currency)
        return Added(cost=cost, short_by=short, allowance_used=max(shares, default=None))

    # -- inside

    def _no_bill(self) -> str:
        if not self._tariff.components:
            return tr("no price stated")
        return "" if self._parts else tr("no bill: one's own machine")

    def _walk(self, days: Days, today: date) -> None:
        """Through the days that are known, to today."""
        before: date | None = None
        for day in sorted({*days, today}):
            self._next_months(before, day)
            so_far = self._bill(self._beyond) if day in days else NONE
            for unit in self._units:
                self._grants[unit].go_on_to(day)
                if day in days:
                    self._beyond[unit][-1] += self._grants[unit].take(quantity(days[day], unit, self._tariff))
            if day in days:
                self._added_by_day[day] = self._bill(self._beyond) - so_far
            before = day
        self._so_far = self._bill(self._beyond)

    def _next_months(self, before: date | None, day: date) -> None:
        """A place for each month that began since."""
        if before is not None:
            for _ in range(12 * (day.year - before.year) + day.month - before.month):
                for beyond in self._beyond.values():
                    beyond.append(NONE)

    def _bill(self, beyond: Mapping[Unit, list[Decimal]]) -> Decimal:
        """What this month comes to, past all offers, without what falls due by the year or once."""
        at = MonthAt(month=ANY_LATER_MONTH, one_off_months=None, seats=self._seats, beyond=beyond, tiers=self._selling,
                     off=lambda month: off_of(self._tariff, month), processing_s=None)  # fmt: skip
        return total_of(bill(self._tariff, at, self._parts))

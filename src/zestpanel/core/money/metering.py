"""What more of a plan costs after what was used of it already: allowances counted by the day, the month and the year.

A run is made today. What today's grant, this month's and this year's allowance still hold is known from the days
before, so that a grant of a day is worth one day and a year's allowance may be used up in January. Allowances that last
the shortest are used first.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from zestpanel.core.domain.money import Money
from zestpanel.core.money.components import OwnMachine, Period, Unit
from zestpanel.core.money.tariff import NO_USE, Tariff, Usage, allowances, price_of_units, quantity, tiers_of
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


@dataclass(frozen=True, slots=True)
class _Taken:
    """Of one unit, before today: this week's units beyond the daily grants, this month's beyond the weeks', and this
    year's beyond the months'."""

    week: Decimal
    month: Decimal
    year: Decimal
    today: Decimal


def _over(amount: Decimal, grant: Decimal) -> Decimal:
    return max(Decimal(0), amount - grant)


class Meter:
    """One plan's use until now. days: use by day; ``today`` may be among them."""

    def __init__(self, tariff: Tariff, days: Days, *, today: date) -> None:
        self._tariff = tariff
        self._free = allowances(tariff, None)
        self._units: tuple[Unit, ...] = tuple(dict.fromkeys([*tiers_of(tariff), *self._free]))
        self._today = days.get(today, NO_USE)
        self._taken = {unit: self._before(unit, days, today) for unit in self._units}
        self._base = {unit: self._beyond(unit, NO_USE) for unit in self._units}

    def _grant(self, unit: Unit, every: Period) -> Decimal:
        return self._free.get(unit, {}).get(every, Decimal(0))

    def _before(self, unit: Unit, days: Days, today: date) -> _Taken:
        weeks: dict[tuple[int, int], Decimal] = {}
        months: dict[int, Decimal] = {}
        for day in sorted(d for d in days if d.year == today.year and d < today):
            rest = _over(quantity(days[day], unit, self._tariff), self._grant(unit, "day"))
            week = day.isocalendar()[:2]
            had = weeks.get(week, Decimal(0))
            weeks[week] = had + rest
            # without a week's grant all of it goes on to the month
            more = _over(had + rest, self._grant(unit, "week")) - _over(had, self._grant(unit, "week"))
            months[day.month] = months.get(day.month, Decimal(0)) + more
        earlier = sum((_over(rest, self._grant(unit, "month")) for m, rest in months.items() if m != today.month),
                      Decimal(0))  # fmt: skip
        return _Taken(weeks.get(today.isocalendar()[:2], Decimal(0)), months.get(today.month, Decimal(0)), earlier,
                      quantity(self._today, unit, self._tariff))  # fmt: skip

    def _used(self, unit: Unit, more: Usage) -> dict[Period, Decimal]:
        """Units that each period's grant is asked for, with ``more`` used today."""
        taken = self._taken[unit]
        today = taken.today + quantity(more, unit, self._tariff)
        week = taken.week + _over(today, self._grant(unit, "day"))
        of_week = _over(week, self._grant(unit, "week")) - _over(taken.week, self._grant(unit, "week"))
        month = taken.month + of_week
        return {
            "day": today,
            "week": week,
            "month": month,
            "year": taken.year + _over(month, self._grant(unit, "month")),
        }

    def _beyond(self, unit: Unit, more: Usage) -> Decimal:
        """Units of this month that are beyond every allowance, with ``more`` used today."""
        of_month = _over(self._used(unit, more)["month"], self._grant(unit, "month"))
        return _over(of_month, _over(self._grant(unit, "year"), self._taken[unit].year))

    def _shares(self, unit: Unit, more: Usage) -> list[Decimal]:
        used = self._used(unit, more)
        return [used[every] / amount for every, amount in self._free[unit].items() if amount]

    def with_more(self, more: Usage) -> Added:
        """What so much more, used today, adds to the bill."""
        if not self._tariff.components:
            return Added(cost=None, why=tr("no price stated"))
        if all(isinstance(part, OwnMachine) for part in self._tariff.components):
            return Added(cost=None, why=tr("no bill: one's own machine"))
        priced = tiers_of(self._tariff)
        amount, short = Decimal(0), Decimal(0)
        for unit in self._units:
            after = self._beyond(unit, more)
            if unit in priced:
                amount += price_of_units(self._tariff, unit, after) - price_of_units(
                    self._tariff, unit, self._base[unit]
                )
            else:
                short = max(short, after)
        shares = [share for unit in self._free for share in self._shares(unit, more)]
        return Added(
            cost=Money(amount, self._tariff.currency), short_by=short, allowance_used=max(shares, default=None)
        )

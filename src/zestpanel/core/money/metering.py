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
from zestpanel.core.money.tariff import (
    NO_USE,
    OwnMachine,
    PerUnit,
    Tariff,
    Unit,
    Usage,
    allowances,
    price_of_units,
    quantity,
)

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
    """Of one unit, before today: this month's units beyond the daily grants, and this year's beyond the months'."""

    month: Decimal
    year: Decimal
    today: Decimal


class Meter:
    """One plan's use until now. days: use by day; ``today`` may be among them."""

    def __init__(self, tariff: Tariff, days: Days, *, today: date) -> None:
        self._tariff = tariff
        self._free = allowances(tariff, None)
        self._units: tuple[Unit, ...] = tuple(
            dict.fromkeys([*(p.unit for p in tariff.components if isinstance(p, PerUnit)), *self._free])
        )
        self._today = days.get(today, NO_USE)
        self._taken = {unit: self._before(unit, days, today) for unit in self._units}
        self._base = {unit: self._beyond(unit, NO_USE) for unit in self._units}

    def _before(self, unit: Unit, days: Days, today: date) -> _Taken:
        free = self._free.get(unit, {})
        months: dict[int, Decimal] = {}
        for day, use in days.items():
            if day.year == today.year and day < today:
                rest = max(Decimal(0), quantity(use, unit, self._tariff) - free.get("day", Decimal(0)))
                months[day.month] = months.get(day.month, Decimal(0)) + rest
        earlier = sum(
            (max(Decimal(0), rest - free.get("month", Decimal(0))) for m, rest in months.items() if m != today.month),
            Decimal(0),
        )
        return _Taken(months.get(today.month, Decimal(0)), earlier, quantity(self._today, unit, self._tariff))

    def _beyond(self, unit: Unit, more: Usage) -> Decimal:
        """Units of this month that are beyond every allowance, with ``more`` used today."""
        free, taken = self._free.get(unit, {}), self._taken[unit]
        of_today = max(Decimal(0), taken.today + quantity(more, unit, self._tariff) - free.get("day", Decimal(0)))
        of_month = max(Decimal(0), taken.month + of_today - free.get("month", Decimal(0)))
        return max(Decimal(0), of_month - max(Decimal(0), free.get("year", Decimal(0)) - taken.year))

    def _shares(self, unit: Unit, more: Usage) -> list[Decimal]:
        free, taken = self._free.get(unit, {}), self._taken[unit]
        today = taken.today + quantity(more, unit, self._tariff)
        of_month = taken.month + max(Decimal(0), today - free.get("day", Decimal(0)))
        of_year = taken.year + max(Decimal(0), of_month - free.get("month", Decimal(0)))
        used = {"day": today, "month": of_month, "year": of_year}
        return [used[every] / amount for every, amount in free.items() if amount]

    def with_more(self, more: Usage) -> Added:
        """What so much more, used today, adds to the bill."""
        if not self._tariff.components:
            return Added(cost=None, why="no price stated")
        if all(isinstance(part, OwnMachine) for part in self._tariff.components):
            return Added(cost=None, why="no bill: one's own machine")
        priced = {part.unit for part in self._tariff.components if isinstance(part, PerUnit)}
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

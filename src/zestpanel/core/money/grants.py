"""What is left of a unit's allowances as time goes on: those that last the shortest are taken first."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from decimal import Decimal
from typing import Final

from zestpanel.core.money.components.allowance import Allowance
from zestpanel.core.money.components.part import NONE, Period

DAYS_IN_MONTH: Final = 30  # common practice, no source: allowances a day are quoted for a 30-day month
WEEKS_IN_MONTH: Final = Decimal(DAYS_IN_MONTH) / 7
PERIODS: Final[tuple[Period, ...]] = ("day", "week", "month", "year")


@dataclass(slots=True)
class Grants:
    """The day's grant first, then the week's, then units kept from earlier months (the oldest first), the month's, and
    the year's. Time goes on by months of even work (``even_month``) or by the calendar (``go_on_to``).

    parts: allowances of one unit. seats: people who work with it. left: of each part. kept: (months it lasts, this one
    counted; units), of what earlier months left over and the allowance keeps. asked: of each period, units that came to
    it since it began.
    """

    parts: Sequence[Allowance]
    seats: int
    left: list[Decimal] = field(default_factory=list)
    kept: list[tuple[int, Decimal]] = field(default_factory=list)
    asked: dict[Period, Decimal] = field(default_factory=lambda: dict.fromkeys(PERIODS, NONE))
    today: date | None = None

    def __post_init__(self) -> None:
        self.left = self.left or [NONE] * len(self.parts)

    def copy(self) -> Grants:
        """One that goes on by itself."""
        return replace(self, left=list(self.left), kept=list(self.kept), asked=dict(self.asked))

    def amount(self, part: Allowance) -> Decimal:
        return Decimal(part.amount * (self.seats if part.per_seat else 1))

    def take(self, needed: Decimal) -> Decimal:
        """So many units are used now; those that nothing was left for are returned."""
        for every in PERIODS:
            if every == "month":
                needed = self._from_kept(needed)
            self.asked[every] += needed
            for place, part in enumerate(self.parts):
                if part.every == every and needed:
                    taken = min(needed, self.left[place])
                    self.left[place] -= taken
                    needed -= taken
        return needed

    def _from_kept(self, needed: Decimal) -> Decimal:
        out = []
        for months, units in self.kept:
            taken = min(needed, units)
            needed -= taken
            out.append((months, units - taken))
        self.kept = out
        return needed

    # -- months of even work

    def over_a_month(self, month: int | None, days: int) -> Decimal:
        """Units that a month of even work has of all grants: of a year's a twelfth."""
        times = {"day": Decimal(days), "week": WEEKS_IN_MONTH, "month": Decimal(1), "year": Decimal(1) / 12}
        return sum((self.amount(part) * times[part.every] for part in self.parts if part.holds(month)), NONE)

    def even_month(self, month: int | None, days: int, *, new_year: bool) -> None:
        """A month begins whose work is spread evenly over so many days."""
        self._end_of_month(new_year=new_year)
        times = {"day": Decimal(days), "week": WEEKS_IN_MONTH, "month": Decimal(1), "year": Decimal(1)}
        for place, part in enumerate(self.parts):
            if part.every != "year" or new_year:
                self.left[place] = self.amount(part) * times[part.every]
            if not part.holds(month):
                self.left[place] = NONE

    def _end_of_month(self, *, new_year: bool) -> None:
        self.kept = [(months - 1, units) for months, units in self.kept if months > 1 and units]
        for place, part in enumerate(self.parts):
            if part.kept_months is not None and self.left[place] and (part.every != "year" or new_year):
                self.kept.append((part.kept_months, self.left[place]))
        self.kept.sort(key=lambda one: one[0])

    # -- the calendar

    def go_on_to(self, today: date) -> None:
        """What begins anew until that day does. The first day that is named is the first that anything is known of;
        offers of the first months are taken for over."""
        if self.today is None:
            self._begin(today, before=None)
        while self.today is not None and self.today < today:
            nearest = min(today, _first_of_next_month(self.today))
            self._begin(nearest, before=self.today)

    def _begin(self, today: date, before: date | None) -> None:
        new = {
            "day": before is None or today != before,
            "week": before is None or today.isocalendar()[:2] != before.isocalendar()[:2],
            "month": before is None or (today.year, today.month) != (before.year, before.month),
            "year": before is None or today.year != before.year,
        }
        if new["month"] and before is not None:
            self._end_of_month(new_year=new["year"])
        for every in PERIODS:
            if new[every]:
                self.asked[every] = NONE
        for place, part in enumerate(self.parts):
            if new[part.every]:
                self.left[place] = self.amount(part) if part.holds(None) else NONE
        self.today = today

    def shares(self) -> list[Decimal]:
        """Of each period's grants, the share that was asked for since it began."""
        out = []
        for every in PERIODS:
            granted = sum((self.amount(part) for part in self.parts if part.every == every and part.holds(None)), NONE)
            if granted:
                out.append(self.asked[every] / granted)
        return out


def _first_of_next_month(day: date) -> date:
    return date(day.year + day.month // 12, day.month % 12 + 1, 1)

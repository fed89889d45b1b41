"""What the invented services of the stand-in bill: request by request into a ledger, and an invoice for each calendar
month from it. It shares no code with the program, whose reckoning is compared with it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import date
from fractions import Fraction


@dataclass(frozen=True)
class Entry:
    """A request that was taken: how many characters of which model, and how many of them no allowance paid for."""

    on: date
    characters: int
    model: str
    beyond: int


@dataclass(frozen=True)
class Invoice:
    lines: tuple[tuple[str, Fraction], ...]

    @property
    def total(self) -> Fraction:
        return sum((amount for _, amount in self.lines), Fraction(0))


@dataclass(frozen=True)
class PriceList:
    """Money in the list's currency. a_day, a_month: units that are paid for. weight: units that a character of a model
    counts. stops: no more is taken once they are used up."""

    fee: Fraction = Fraction(0)
    each_seat: bool = False
    on_opening: Fraction = Fraction(0)
    a_thousand: Fraction = Fraction(0)
    a_day: int | None = None
    a_month: int | None = None
    only_first_months: int | None = None
    weight: Callable[[str], int] = lambda model: 1
    stops: bool = False


PRICE_LISTS = {
    "Conservatory": PriceList(fee=Fraction(22), a_month=100_000, a_thousand=Fraction(30, 100)),
    "Greenhouse, by the seat": PriceList(
        fee=Fraction(17), each_seat=True, a_month=120_000, a_thousand=Fraction(30, 100)
    ),
    "Bought once": PriceList(on_opening=Fraction(249), a_month=60_000, a_thousand=Fraction(25, 100)),
    "By the character": PriceList(a_thousand=Fraction(18, 1000), a_month=20_000, only_first_months=12),
    "Credits": PriceList(
        fee=Fraction(9), a_month=120_000, stops=True, weight=lambda model: 2 if model.endswith("fine") else 1
    ),
    "Seedling": PriceList(a_day=4_000, stops=True),
    "Orchard": PriceList(fee=Fraction(11), a_month=90_000, stops=True),
}


@dataclass
class Account:
    """opened: the day of the first month that is billed. refused: units that were asked for and not taken."""

    plan: str
    opened: date
    seats: int = 1
    ledger: list[Entry] = field(default_factory=list)
    refused: int = 0

    @property
    def _prices(self) -> PriceList:
        return PRICE_LISTS[self.plan]

    def take(self, on: date, characters: int, model: str = "") -> bool:
        """Enter a request; False, with nothing entered of what lies beyond, where the plan stops."""
        units = characters * self._prices.weight(model)
        free = self._free_on(on)
        beyond = max(0, units - free)
        if self._prices.stops and beyond:
            self.refused += beyond
            units, beyond = units - beyond, 0
        self.ledger.append(Entry(on, units, model, beyond))
        return not (self._prices.stops and units < characters * self._prices.weight(model))

    def _free_on(self, on: date) -> int:
        prices, left = self._prices, 0
        if prices.only_first_months is not None and self._months_open(on) >= prices.only_first_months:
            return 0
        if prices.a_day is not None:
            left += max(0, prices.a_day - sum(e.characters - e.beyond for e in self.ledger if e.on == on))
        if prices.a_month is not None:
            taken = sum(e.characters - e.beyond for e in self._of_month(on))
            left += max(0, prices.a_month - taken)
        return left

    def _months_open(self, on: date) -> int:
        return (on.year - self.opened.year) * 12 + on.month - self.opened.month

    def _of_month(self, on: date) -> Iterator[Entry]:
        return (e for e in self.ledger if (e.on.year, e.on.month) == (on.year, on.month))

    def invoice(self, month: date) -> Invoice:
        """Of the calendar month that the day lies in."""
        prices, lines = self._prices, list[tuple[str, Fraction]]()
        if self._months_open(month) == 0 and prices.on_opening:
            lines.append(("on opening the account", prices.on_opening))
        if prices.fee:
            seats = self.seats if prices.each_seat else 1
            lines.append((f"{self.plan}, {seats} x {float(prices.fee):.2f}", prices.fee * seats))
        beyond = sum(e.beyond for e in self._of_month(month))
        if beyond:
            lines.append((f"{beyond:,} characters", beyond * prices.a_thousand / 1000))
        return Invoice(tuple(lines))

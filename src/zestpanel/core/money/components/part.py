"""What every component of a tariff has: what is typed of it, what it says in words, and what it adds to a month's bill.

A component answers one question: what it charges for a month, given what was used until then and when. The month of a
brief, a run, a cap, an audition, a curve and the worked months all ask it (``tariff.bill``). All arithmetic is exact.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any, ClassVar, Final, Literal, NamedTuple

from pydantic import BaseModel, ConfigDict

from zestpanel.core.texts import word

MOST_MONEY: Final = Decimal(10**9)  # of one figure: what is beyond is a slip of the hand, or meant to do harm
MOST_UNITS: Final = 10**12
MONTHS: Final = 12
# a month past every offer, in which nothing falls due by the year and nothing is bought for good
ANY_LATER_MONTH: Final = 12_002
NONE: Final = Decimal(0)

Unit = Literal["character", "word", "token", "credit", "request", "second", "minute", "hour"]
Period = Literal["day", "week", "month", "year"]
What = Literal["money", "whole", "number", "percent", "choice", "switch", "factors"]


@dataclass(frozen=True, slots=True)
class Entry:
    """A field of a component's form, with words around it. may_lack: it can be empty. usual: what stands in it at
    first."""

    name: str
    what: What
    before: str = ""
    after: str = ""
    choices: tuple[str, ...] = ()
    may_lack: bool = False
    usual: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class MonthAt:
    """The month a bill is for. month: 1 is the first, None a usual one, past all offers. beyond: by unit, units beyond
    every allowance, of each month until this one, which is the last. off: factor that discounts leave of a
    subscription in a month. tiers: by unit, the components that sell it."""

    month: int | None
    one_off_months: int | None
    seats: int
    off: Callable[[int | None], Decimal]
    beyond: Mapping[Unit, Sequence[Decimal]]
    tiers: Mapping[Unit, Sequence[Part]]
    processing_s: Decimal | None


class Charge(NamedTuple):
    """What a component adds to a month's bill. units: how many of what it sells are billed."""

    amount: Decimal
    units: Decimal = NONE


class Part(BaseModel):
    """title: what the component is called; form: what is typed of it; place: where it stands among the others, and in
    what order what comes on top is added. billed: whether somebody sends a bill for it."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    title: ClassVar[str]
    form: ClassVar[tuple[Entry, ...]]
    place: ClassVar[int]
    billed: ClassVar[bool] = True

    def words(self, currency: str) -> str:
        """The line in words: '22.00 EUR a month', '100,000 characters a month included'."""
        raise NotImplementedError

    def stamp(self) -> str:
        """A few words that are kept with a run, so that a later change of price is seen: they never change."""
        return self.words("").replace("  ", " ").strip()

    def line(self, units: Decimal, at: MonthAt) -> str:
        """The line of a bill in words. units: those billed, of one month or the mean of several."""
        raise NotImplementedError

    def charge(self, at: MonthAt) -> Charge | None:
        """What it adds to the bill, None where it has no line there. Raises NotEnoughData where that is not known."""
        del at
        return None

    def on_top(self, so_far: Decimal) -> Decimal | None:
        """What comes on top of all lines until then; None where it has no line there."""
        del so_far
        return None

    def off(self, month: int | None) -> Decimal:
        """The factor that it leaves of subscriptions in a month."""
        del month
        return Decimal(1)

    @property
    def sells(self) -> Unit | None:
        """The unit that can be had beyond allowances because of it."""
        return None

    @property
    def ends(self) -> tuple[Decimal, ...]:
        """Units of a month beyond allowances at which its price bends."""
        return ()

    @property
    def bends(self) -> tuple[Decimal, ...]:
        """Sums of all lines before it at which what it adds on top bends."""
        return ()

    @property
    def stairs(self) -> bool:
        """Whether its price over volume goes in steps, so that it is worked out for each volume."""
        return False


def units(count: int, unit: str) -> str:
    """'character', '1,000 characters'."""
    return word(unit) if count == 1 else f"{count:,} {word(f'{unit}s')}"


@dataclass(frozen=True, slots=True)
class Typed:
    """A component as it is typed: its kind, and what stands in its fields."""

    kind: str
    texts: Mapping[str, Any] = field(default_factory=dict)

"""What a tariff is put together from. A component is one class: what it is called, what is typed of it, what it says in
words, and what it adds to a month's bill. To add one, add a class and its line in ``KINDS``; plans read from files, the
editor, the bill, the curves and the record read it from there.

Source of the kinds: common practice of the trade, no published source. All arithmetic is exact.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Annotated, Any, ClassVar, Final, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field

from zestpanel.core.domain.money import shown
from zestpanel.core.errors import NotEnoughData

MOST_MONEY: Final = Decimal(10**9)  # of one figure: what is beyond is a slip of the hand, or meant to do harm
MOST_UNITS: Final = 10**12
MONTHS: Final = 12

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
    """The month a bill is for. month: 1 is the first, None a usual one. beyond: units beyond every allowance, of the
    month or of each of a year's twelve. off: factor that discounts leave of subscriptions. tiers: prices by unit."""

    month: int | None
    one_off_months: int | None
    seats: int
    off: Decimal
    beyond: Mapping[Unit, Sequence[Decimal]]
    tiers: Mapping[Unit, Sequence[PerUnit]]
    processing_s: Decimal | None


Charge = tuple[str, Decimal]


class Part(BaseModel):
    """title: what the component is called; form: what is typed of it."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    title: ClassVar[str]
    form: ClassVar[tuple[Entry, ...]]

    def words(self, currency: str) -> str:
        """The line in words: '22.00 EUR a month', '100,000 characters a month included'."""
        raise NotImplementedError

    def stamp(self) -> str:
        """A few words that are kept with a run, so that a later change of price is seen: they never change."""
        return self.words("").replace("  ", " ").strip()

    def charges(self, at: MonthAt) -> list[Charge]:
        """What it adds to the bill. Raises NotEnoughData where that cannot be known."""
        del at
        return []

    def on_top(self, so_far: Decimal) -> list[Charge]:
        """What comes on top of all other lines together."""
        del so_far
        return []


def units(count: int, unit: str) -> str:
    """'character', '1,000 characters'."""
    return unit if count == 1 else f"{count:,} {unit}s"


class PerUnit(Part):
    """A price for every ``per`` units used beyond any allowance; graduated tiers may replace the one price."""

    title: ClassVar = "Price for every unit"
    form: ClassVar = (
        Entry("price", "money"), Entry("per", "whole", "for every", usual="1,000"),
        Entry("unit", "choice", choices=get_args(Unit)),
        Entry("above", "whole", "from", "of a month on", may_lack=True),
        Entry("all_units", "switch", after="then for all of them"),
    )  # fmt: skip

    kind: Literal["per unit"] = "per unit"
    price: Decimal = Field(ge=0, le=MOST_MONEY)
    per: int = Field(default=1, ge=1, le=MOST_UNITS)
    unit: Unit = "character"
    above: int = Field(default=0, ge=0, le=MOST_UNITS, description="applies to the units of a month above this many")
    all_units: bool = Field(default=False, description="once above, it applies to all units of the month")

    def words(self, currency: str) -> str:
        above = f" above {self.above:,}" if self.above else ""
        return f"{shown(self.price)} {currency} per {units(self.per, self.unit)}{above}" + (
            ", for all of them" if self.all_units else ""
        )

    def stamp(self) -> str:
        return (
            f"{shown(self.price)} per {units(self.per, self.unit)}"
            + (f" above {self.above:,}" if self.above else "")
            + (", for all" if self.all_units else "")
        )

    def charges(self, at: MonthAt) -> list[Charge]:
        months = at.beyond[self.unit]
        paid = sum((units_at(self, at.tiers[self.unit], beyond) for beyond in months), Decimal(0)) / len(months)
        text = f"{shown(paid, places=0)} {self.unit}s at {shown(self.price)} per {units(self.per, self.unit)}"
        return [(text, paid * self.price / self.per)]


def units_at(part: PerUnit, tiers: Sequence[PerUnit], beyond: Decimal) -> Decimal:
    """Units billed at this price: of graduated tiers those above its threshold and below the next one's; of tiers for
    all units all of them, at the highest threshold that is reached."""
    if any(other.all_units for other in tiers):
        reached = max((other.above for other in tiers if beyond >= other.above), default=0)
        return beyond if part.above == reached else Decimal(0)
    higher = [other.above for other in tiers if other.above > part.above]
    top = min(beyond, Decimal(min(higher))) if higher else beyond
    return max(Decimal(0), top - part.above)


class Allowance(Part):
    """Units that cost nothing (or are paid by the subscription), per day, week, month or year."""

    title: ClassVar = "Included"
    form: ClassVar = (
        Entry("amount", "whole"), Entry("unit", "choice", choices=get_args(Unit)),
        Entry("every", "choice", "every", choices=get_args(Period), usual="month"),
        Entry("first_months", "whole", "only in the first", "months", may_lack=True),
        Entry("kept_months", "whole", "unused ones are kept for", "months", may_lack=True),
    )  # fmt: skip

    kind: Literal["allowance"] = "allowance"
    amount: int = Field(ge=0, le=MOST_UNITS)
    unit: Unit = "character"
    every: Period = "month"
    first_months: int | None = Field(default=None, ge=1, le=1200, description="only in so many months from the start")
    kept_months: int | None = Field(default=None, ge=1, le=120, description="unused ones roll over for so many months")

    def words(self, currency: str) -> str:
        months = f", in the first {self.first_months} months" if self.first_months else ""
        # months of equal work leave nothing over that a later one could use, or they need nothing that was left over
        kept = f", unused ones kept for {self.kept_months} months (no help where every month is alike)"
        kept = kept if self.kept_months else ""
        return f"{self.amount:,} {self.unit}s a {self.every} included{months}{kept}"

    def stamp(self) -> str:
        return f"{self.amount:,} {self.unit}s a {self.every} free"


class Subscription(Part):
    title: ClassVar = "Subscription"
    form: ClassVar = (
        Entry("price", "money"), Entry("every", "choice", "every", choices=("month", "year")),
        Entry("per_seat", "switch", after="for every seat"),
    )  # fmt: skip

    kind: Literal["subscription"] = "subscription"
    price: Decimal = Field(ge=0, le=MOST_MONEY)
    every: Literal["month", "year"] = "month"
    per_seat: bool = False

    def words(self, currency: str) -> str:
        return f"{shown(self.price)} {currency} a {self.every}" + (" and seat" if self.per_seat else "")

    def charges(self, at: MonthAt) -> list[Charge]:
        price = self.price * at.off / (MONTHS if self.every == "year" else 1)
        seats = f", {at.seats} seats" if self.per_seat and at.seats > 1 else ""
        text = f"subscription, {shown(self.price)} a {self.every}{seats}"
        return [(text, price * at.seats if self.per_seat else price)]


class Discount(Part):
    """Percent off the subscription in the first months: never taken for the real price. 100 is a free period."""

    title: ClassVar = "Discount at the start"
    form: ClassVar = (Entry("percent", "percent", after="% off the subscription"),
                      Entry("months", "whole", "in the first", "months", usual="1"))  # fmt: skip

    kind: Literal["discount"] = "discount"
    percent: Decimal = Field(ge=0, le=100)
    months: int = Field(default=1, ge=1, le=1200)

    def words(self, currency: str) -> str:
        return f"{self.percent.normalize():f} % off in the first {self.months} months"

    def stamp(self) -> str:
        return f"{self.percent:g} % off for {self.months} months"


class Once(Part):
    """A one-off purchase, paid in the first month. life_months: over how many months it is used, where that is stated:
    without it (here or in the brief) the purchase has no price a month."""

    title: ClassVar = "Bought once"
    form: ClassVar = (Entry("price", "money"), Entry("life_months", "whole", "used for", "months", may_lack=True))

    kind: Literal["once"] = "once"
    price: Decimal = Field(ge=0, le=MOST_MONEY)
    life_months: int | None = Field(default=None, ge=1, le=1200)

    def words(self, currency: str) -> str:
        return f"{shown(self.price)} {currency} once" + (
            f", over {self.life_months} months" if self.life_months else ""
        )

    def charges(self, at: MonthAt) -> list[Charge]:
        life = self.life_months or at.one_off_months
        if at.month is None and life is None:
            raise NotEnoughData("paid once: over how many months it is used is not stated")
        if at.month is None and life is not None:
            return [(f"one-off purchase of {shown(self.price)}, over {life} months", self.price / life)]
        return [("one-off purchase", self.price)] if at.month == 1 else []


class Credits(Part):
    """How many credits one character costs, by model id ('*' for the others)."""

    title: ClassVar = "Credits a character"
    form: ClassVar = (Entry("per_character", "factors", after="by model, such as fine 1, fast 0.5, * 1"),)

    kind: Literal["credits"] = "credits"
    per_character: dict[str, Decimal]

    def words(self, currency: str) -> str:
        factors = ", ".join(f"{model} {factor.normalize():f}" for model, factor in self.per_character.items())
        return f"credits a character: {factors}"

    def stamp(self) -> str:
        return ", ".join(f"{factor} credits a character on {model}" for model, factor in self.per_character.items())


class OwnMachine(Part):
    """Running on one's own machine: its price over its life, its power, per hour of computing."""

    title: ClassVar = "Own machine"
    form: ClassVar = (
        Entry("price", "money", "bought for"), Entry("life_hours", "number", "used for", "hours", usual="10,000"),
        Entry("watts", "number", "drawing", "W"), Entry("per_kwh", "money", "at", "a kWh"),
    )  # fmt: skip

    kind: Literal["own machine"] = "own machine"
    price: Decimal = Field(ge=0, le=MOST_MONEY)
    life_hours: Decimal = Field(ge=Decimal("0.01"), le=MOST_MONEY)
    watts: Decimal = Field(ge=0, le=MOST_MONEY)
    per_kwh: Decimal = Field(ge=0, le=MOST_MONEY)

    def per_second(self) -> Decimal:
        return (self.price / self.life_hours + self.watts / 1000 * self.per_kwh) / 3600

    def words(self, currency: str) -> str:
        return (
            f"machine of {shown(self.price)} {currency} over {self.life_hours.normalize():f} hours, "
            f"{self.watts.normalize():f} W at {shown(self.per_kwh)} {currency} a kWh"
        )

    def stamp(self) -> str:
        return f"own machine at {shown(self.per_second() * 3600)} an hour"

    def charges(self, at: MonthAt) -> list[Charge]:
        if at.processing_s is None:
            raise NotEnoughData("speed on this machine not measured yet")
        text = f"{shown(at.processing_s / 3600)} h of this machine"
        return [(text, self.per_second() * at.processing_s)]


class Tax(Part):
    """Percent on all lines together, where prices are stated without it."""

    title: ClassVar = "Tax on top"
    form: ClassVar = (Entry("percent", "percent", after="% on all of it"),)

    kind: Literal["tax"] = "tax"
    percent: Decimal = Field(ge=0, le=100)

    def words(self, currency: str) -> str:
        return f"{self.percent.normalize():f} % tax on top"

    def on_top(self, so_far: Decimal) -> list[Charge]:
        return [(f"tax, {self.percent.normalize():f} %", so_far * self.percent / 100)]


class LeastCharge(Part):
    """A month costs at least so much, used or not."""

    title: ClassVar = "At least"
    form: ClassVar = (Entry("price", "money", after="a month"),)

    kind: Literal["least"] = "least"
    price: Decimal = Field(ge=0, le=MOST_MONEY)

    def words(self, currency: str) -> str:
        return f"at least {shown(self.price)} {currency} a month"

    def on_top(self, so_far: Decimal) -> list[Charge]:
        lack = self.price - so_far
        return [(f"up to the least charge of {shown(self.price)}", lack)] if lack > 0 else []


KINDS: Final[Mapping[str, type[Part]]] = {
    "subscription": Subscription, "allowance": Allowance, "per unit": PerUnit, "credits": Credits, "once": Once,
    "discount": Discount, "own machine": OwnMachine, "least": LeastCharge, "tax": Tax,
}  # fmt: skip
Component = Annotated[
    PerUnit | Allowance | Subscription | Discount | Once | Credits | OwnMachine | LeastCharge | Tax,
    Field(discriminator="kind"),
]
# what comes on top of what: the least charge before tax, which is on all of it
ON_TOP: Final[tuple[type[Part], ...]] = (LeastCharge, Tax)


@dataclass(frozen=True, slots=True)
class Typed:
    """A component as it is typed: its kind, and what stands in its fields."""

    kind: str
    texts: Mapping[str, Any] = field(default_factory=dict)

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
from zestpanel.core.texts import tr, word

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
    return word(unit) if count == 1 else f"{count:,} {word(f'{unit}s')}"


class PerUnit(Part):
    """A price for every ``per`` units used beyond any allowance; graduated tiers may replace the one price."""

    title: ClassVar = tr("Price for every unit")
    form: ClassVar = (
        Entry("price", "money"), Entry("per", "whole", tr("for every"), usual="1,000"),
        Entry("unit", "choice", choices=get_args(Unit)),
        Entry("above", "whole", tr("from"), tr("of a month on"), may_lack=True),
        Entry("all_units", "switch", after=tr("then for all of them")),
    )  # fmt: skip

    kind: Literal["per unit"] = "per unit"
    price: Decimal = Field(ge=0, le=MOST_MONEY)
    per: int = Field(default=1, ge=1, le=MOST_UNITS)
    unit: Unit = "character"
    above: int = Field(
        default=0, ge=0, le=MOST_UNITS, description=tr("applies to the units of a month above this many")
    )
    all_units: bool = Field(default=False, description=tr("once above, it applies to all units of the month"))

    def words(self, currency: str) -> str:
        above = tr(" above {above}", above=f"{self.above:,}") if self.above else ""
        return tr(
            "{price} {currency} per {units}{above}",
            price=shown(self.price),
            currency=currency,
            units=units(self.per, self.unit),
            above=above,
        ) + (tr(", for all of them") if self.all_units else "")

    def stamp(self) -> str:
        return (
            tr("{price} per {units}", price=shown(self.price), units=units(self.per, self.unit))
            + (tr(" above {above}", above=f"{self.above:,}") if self.above else "")
            + (tr(", for all") if self.all_units else "")
        )

    def charges(self, at: MonthAt) -> list[Charge]:
        months = at.beyond[self.unit]
        paid = sum((units_at(self, at.tiers[self.unit], beyond) for beyond in months), Decimal(0)) / len(months)
        text = tr(
            "{paid} {many} at {price} per {units}",
            paid=shown(paid, places=0),
            many=word(f"{self.unit}s"),
            price=shown(self.price),
            units=units(self.per, self.unit),
        )
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

    title: ClassVar = tr("Included")
    form: ClassVar = (
        Entry("amount", "whole"), Entry("unit", "choice", choices=get_args(Unit)),
        Entry("every", "choice", tr("every"), choices=get_args(Period), usual="month"),
        Entry("first_months", "whole", tr("only in the first"), tr("months"), may_lack=True),
        Entry("kept_months", "whole", tr("unused ones are kept for"), tr("months"), may_lack=True),
    )  # fmt: skip

    kind: Literal["allowance"] = "allowance"
    amount: int = Field(ge=0, le=MOST_UNITS)
    unit: Unit = "character"
    every: Period = "month"
    first_months: int | None = Field(
        default=None, ge=1, le=1200, description=tr("only in so many months from the start")
    )
    kept_months: int | None = Field(
        default=None, ge=1, le=120, description=tr("unused ones roll over for so many months")
    )

    def words(self, currency: str) -> str:
        months = tr(", in the first {first_months} months", first_months=self.first_months) if self.first_months else ""
        # months of equal work leave nothing over that a later one could use, or they need nothing that was left over
        kept = tr(
            ", unused ones kept for {kept_months} months (no help where every month is alike)",
            kept_months=self.kept_months,
        )
        kept = kept if self.kept_months else ""
        return tr(
            "{amount} {many} a {every} included{months}{kept}",
            amount=f"{self.amount:,}",
            many=word(f"{self.unit}s"),
            every=word(self.every),
            months=months,
            kept=kept,
        )

    def stamp(self) -> str:
        return tr(
            "{amount} {many} a {every} free",
            amount=f"{self.amount:,}",
            many=word(f"{self.unit}s"),
            every=word(self.every),
        )


class Subscription(Part):
    title: ClassVar = tr("Subscription")
    form: ClassVar = (
        Entry("price", "money"), Entry("every", "choice", tr("every"), choices=("month", "year")),
        Entry("per_seat", "switch", after=tr("for every seat")),
    )  # fmt: skip

    kind: Literal["subscription"] = "subscription"
    price: Decimal = Field(ge=0, le=MOST_MONEY)
    every: Literal["month", "year"] = "month"
    per_seat: bool = False

    def words(self, currency: str) -> str:
        each = tr("{price} {currency} a {every}", price=shown(self.price), currency=currency, every=word(self.every))
        return each + (tr(" and seat") if self.per_seat else "")

    def charges(self, at: MonthAt) -> list[Charge]:
        price = self.price * at.off / (MONTHS if self.every == "year" else 1)
        seats = tr(", {seats} seats", seats=at.seats) if self.per_seat and at.seats > 1 else ""
        text = tr(
            "subscription, {price} a {every}{seats}", price=shown(self.price), every=word(self.every), seats=seats
        )
        return [(text, price * at.seats if self.per_seat else price)]


class Discount(Part):
    """Percent off the subscription in the first months: never taken for the real price. 100 is a free period."""

    title: ClassVar = tr("Discount at the start")
    form: ClassVar = (Entry("percent", "percent", after=tr("% off the subscription")),
                      Entry("months", "whole", tr("in the first"), tr("months"), usual="1"))  # fmt: skip

    kind: Literal["discount"] = "discount"
    percent: Decimal = Field(ge=0, le=100)
    months: int = Field(default=1, ge=1, le=1200)

    def words(self, currency: str) -> str:
        return tr(
            "{percent} % off in the first {months} months", percent=f"{self.percent.normalize():f}", months=self.months
        )

    def stamp(self) -> str:
        return tr("{percent} % off for {months} months", percent=f"{self.percent:g}", months=self.months)


class Once(Part):
    """A one-off purchase, paid in the first month. life_months: over how many months it is used, where that is stated:
    without it (here or in the brief) the purchase has no price a month."""

    title: ClassVar = "Bought once"
    form: ClassVar = (
        Entry("price", "money"),
        Entry("life_months", "whole", tr("used for"), tr("months"), may_lack=True),
    )

    kind: Literal["once"] = "once"
    price: Decimal = Field(ge=0, le=MOST_MONEY)
    life_months: int | None = Field(default=None, ge=1, le=1200)

    def words(self, currency: str) -> str:
        return tr("{price} {currency} once", price=shown(self.price), currency=currency) + (
            tr(", over {life_months} months", life_months=self.life_months) if self.life_months else ""
        )

    def charges(self, at: MonthAt) -> list[Charge]:
        life = self.life_months or at.one_off_months
        if at.month is None and life is None:
            raise NotEnoughData(tr("paid once: over how many months it is used is not stated"))
        if at.month is None and life is not None:
            return [
                (
                    tr("one-off purchase of {price}, over {life} months", price=shown(self.price), life=life),
                    self.price / life,
                )
            ]
        return [(tr("one-off purchase"), self.price)] if at.month == 1 else []


class Credits(Part):
    """How many credits one character costs, by model id ('*' for the others)."""

    title: ClassVar = tr("Credits a character")
    form: ClassVar = (Entry("per_character", "factors", after=tr("by model, such as fine 1, fast 0.5, * 1")),)

    kind: Literal["credits"] = "credits"
    per_character: dict[str, Decimal]

    def words(self, currency: str) -> str:
        factors = ", ".join(f"{model} {factor.normalize():f}" for model, factor in self.per_character.items())
        return tr("credits a character: {factors}", factors=factors)

    def stamp(self) -> str:
        return ", ".join(
            tr("{factor} credits a character on {model}", factor=factor, model=model)
            for model, factor in self.per_character.items()
        )


class OwnMachine(Part):
    """Running on one's own machine: its price over its life, its power, per hour of computing."""

    title: ClassVar = tr("Own machine")
    form: ClassVar = (
        Entry("price", "money", tr("bought for")),
        Entry("life_hours", "number", tr("used for"), tr("hours"), usual="10,000"),
        Entry("watts", "number", tr("drawing"), "W"),
        Entry("per_kwh", "money", tr("at"), tr("a kWh")),
    )

    kind: Literal["own machine"] = "own machine"
    price: Decimal = Field(ge=0, le=MOST_MONEY)
    life_hours: Decimal = Field(ge=Decimal("0.01"), le=MOST_MONEY)
    watts: Decimal = Field(ge=0, le=MOST_MONEY)
    per_kwh: Decimal = Field(ge=0, le=MOST_MONEY)

    def per_second(self) -> Decimal:
        return (self.price / self.life_hours + self.watts / 1000 * self.per_kwh) / 3600

    def words(self, currency: str) -> str:
        return tr(
            "machine of {price} {currency} over {life_hours} hours, {watts} W at {per_kwh} {currency2} a kWh",
            price=shown(self.price),
            currency=currency,
            life_hours=f"{self.life_hours.normalize():f}",
            watts=f"{self.watts.normalize():f}",
            per_kwh=shown(self.per_kwh),
            currency2=currency,
        )

    def stamp(self) -> str:
        return tr("own machine at {per_second} an hour", per_second=shown(self.per_second() * 3600))

    def charges(self, at: MonthAt) -> list[Charge]:
        if at.processing_s is None:
            raise NotEnoughData(tr("speed on this machine not measured yet"))
        text = tr("{processing_s} h of this machine", processing_s=shown(at.processing_s / 3600))
        return [(text, self.per_second() * at.processing_s)]


class Tax(Part):
    """Percent on all lines together, where prices are stated without it."""

    title: ClassVar = tr("Tax on top")
    form: ClassVar = (Entry("percent", "percent", after=tr("% on all of it")),)

    kind: Literal["tax"] = "tax"
    percent: Decimal = Field(ge=0, le=100)

    def words(self, currency: str) -> str:
        return tr("{percent} % tax on top", percent=f"{self.percent.normalize():f}")

    def on_top(self, so_far: Decimal) -> list[Charge]:
        return [(tr("tax, {percent} %", percent=f"{self.percent.normalize():f}"), so_far * self.percent / 100)]


class LeastCharge(Part):
    """A month costs at least so much, used or not."""

    title: ClassVar = tr("At least")
    form: ClassVar = (Entry("price", "money", after=tr("a month")),)

    kind: Literal["least"] = "least"
    price: Decimal = Field(ge=0, le=MOST_MONEY)

    def words(self, currency: str) -> str:
        return tr("at least {price} {currency} a month", price=shown(self.price), currency=currency)

    def on_top(self, so_far: Decimal) -> list[Charge]:
        lack = self.price - so_far
        return [(tr("up to the least charge of {price}", price=shown(self.price)), lack)] if lack > 0 else []


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

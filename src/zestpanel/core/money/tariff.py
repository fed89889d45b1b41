"""A plan's tariff: a list of components, any mix of them, and what a month of use costs under it.

Source of the component kinds: common practice of the trade, no published source. All arithmetic is exact.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import Annotated, Final, Literal

from pydantic import BaseModel, ConfigDict, Field

from zestpanel.core.domain.money import Money, shown

DAYS_IN_MONTH: Final = 30  # common practice, no source: allowances a day are quoted for a 30-day month
MONTHS: Final = 12
_MOST_MONEY: Final = Decimal(10**9)  # of one figure: what is beyond is a slip of the hand, or meant to do harm
_MOST_UNITS: Final = 10**12

Unit = Literal["character", "credit", "request", "second", "minute", "hour"]
Period = Literal["day", "month", "year"]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class PerUnit(_Part):
    """A price for every ``per`` units used beyond any allowance; graduated tiers may replace the one price."""

    kind: Literal["per unit"] = "per unit"
    price: Decimal = Field(ge=0, le=_MOST_MONEY)
    per: int = Field(default=1, ge=1, le=_MOST_UNITS)
    unit: Unit = "character"
    above: int = Field(default=0, ge=0, le=_MOST_UNITS, description="applies to the units of a month above this many")


class Allowance(_Part):
    """Units that cost nothing (or are paid by the subscription), per day, month or year."""

    kind: Literal["allowance"]
    amount: int = Field(ge=0, le=_MOST_UNITS)
    unit: Unit = "character"
    every: Period = "month"
    first_months: int | None = Field(default=None, ge=1, le=1200, description="only in so many months from the start")


class Subscription(_Part):
    kind: Literal["subscription"]
    price: Decimal = Field(ge=0, le=_MOST_MONEY)
    every: Literal["month", "year"] = "month"


class Discount(_Part):
    """Percent off the subscription in the first months: never taken for the real price."""

    kind: Literal["discount"]
    percent: Decimal = Field(ge=0, le=100)
    months: int = Field(default=1, ge=1, le=1200)


class Once(_Part):
    """A one-off purchase, paid in the first month. life_months: over how many months it is used, where that is stated:
    without it (here or in the brief) the purchase has no price a month."""

    kind: Literal["once"]
    price: Decimal = Field(ge=0, le=_MOST_MONEY)
    life_months: int | None = Field(default=None, ge=1, le=1200)


class Credits(_Part):
    """How many credits one character costs, by model id ('*' for the others)."""

    kind: Literal["credits"]
    per_character: dict[str, Decimal]


class OwnMachine(_Part):
    """Running on one's own machine: its price over its life, its power, per hour of computing."""

    kind: Literal["own machine"]
    price: Decimal = Field(ge=0, le=_MOST_MONEY)
    life_hours: Decimal = Field(ge=Decimal("0.01"), le=_MOST_MONEY)
    watts: Decimal = Field(ge=0, le=_MOST_MONEY)
    per_kwh: Decimal = Field(ge=0, le=_MOST_MONEY)

    def per_second(self) -> Decimal:
        return (self.price / self.life_hours + self.watts / 1000 * self.per_kwh) / 3600


Component = Annotated[
    PerUnit | Allowance | Subscription | Discount | Once | Credits | OwnMachine, Field(discriminator="kind")
]


class Counting(_Part):
    """What a request's text counts as. What the trade does varies: with or without spaces, with or without marks,
    in bytes, a least number a request, rounded up to a step (common practice, no source).
    """

    of: Literal["characters", "bytes"] = "characters"
    spaces: bool = True
    marks: bool = Field(default=True, description="whether delivery marks are billed with the words")
    least: int = Field(default=0, ge=0, le=_MOST_UNITS)
    step: int = Field(default=1, ge=1, le=_MOST_UNITS)

    def billed(self, sent: str, words: str) -> int:
        """Billed characters of one request. sent: with its marks; words: without them."""
        text = sent if self.marks else words
        if not self.spaces:
            text = "".join(text.split())
        count = len(text.encode("utf-8")) if self.of == "bytes" else len(text)
        return max(self.least, -(-count // self.step) * self.step)


class Tariff(BaseModel):
    """Components in one currency. Use beyond an allowance with no per-unit price for it 'stops at the limit'."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    currency: str = Field(pattern=r"^[A-Z]{3}$")
    components: tuple[Component, ...] = ()
    counting: Counting = Counting()


@dataclass(frozen=True, slots=True, kw_only=True)
class Usage:
    """A month of use. processing_s: seconds an own machine computes, None while unmeasured.

    by_model: characters per model id, for plans whose credits differ by model; empty counts all as the model '*'.
    days: on how many days of the month the work is done, in equal parts: what a daily allowance is good for.
    """

    characters: Decimal
    sound_s: Decimal
    requests: Decimal | int = 0
    by_model: Mapping[str, Decimal] = field(default_factory=dict)
    processing_s: Decimal | None = None
    days: int = DAYS_IN_MONTH

    def plus(self, other: Usage) -> Usage:
        """Both together, on the days of the first."""
        models = {*self.by_model, *other.by_model}
        return replace(
            self,
            characters=self.characters + other.characters,
            sound_s=self.sound_s + other.sound_s,
            requests=self.requests + other.requests,
            by_model={m: self.by_model.get(m, Decimal(0)) + other.by_model.get(m, Decimal(0)) for m in models},
        )

    def minus(self, other: Usage) -> Usage:
        less = replace(
            other, characters=-other.characters, sound_s=-other.sound_s, requests=-other.requests,
            by_model={m: -n for m, n in other.by_model.items()},
        )  # fmt: skip
        return self.plus(less)


NO_USE: Final = Usage(characters=Decimal(0), sound_s=Decimal(0))


@dataclass(frozen=True, slots=True, kw_only=True)
class MonthCost:
    """total is None where it cannot be computed (``why``). lines explain it; short_by: units the plan refuses."""

    total: Money | None
    lines: tuple[tuple[str, Money], ...] = ()
    allowance_used: Decimal | None = None
    short_by: Decimal = Decimal(0)
    why: str = ""

    @property
    def covers(self) -> bool:
        return self.short_by == 0


def quantity(usage: Usage, unit: Unit, tariff: Tariff) -> Decimal:
    """How many of the unit a usage is. Credits follow the model's factor, 1 where none is stated."""
    match unit:
        case "character":
            return usage.characters
        case "request":
            return Decimal(usage.requests)
        case "second":
            return usage.sound_s
        case "minute":
            return usage.sound_s / 60
        case "hour":
            return usage.sound_s / 3600
        case "credit":
            factors = next((p.per_character for p in tariff.components if isinstance(p, Credits)), {})
            other = factors.get("*", Decimal(1))
            by_model = usage.by_model or {"*": usage.characters}
            return sum((n * factors.get(model, other) for model, n in by_model.items()), Decimal(0))


def monthly_allowance(part: Allowance, *, days: int = DAYS_IN_MONTH) -> Decimal:
    """An allowance over an even month: a day's on each of the days of work, a twelfth of a year's."""
    match part.every:
        case "day":
            return Decimal(part.amount) * days
        case "month":
            return Decimal(part.amount)
        case "year":
            return Decimal(part.amount) / MONTHS


def allowances(tariff: Tariff, month: int | None) -> dict[Unit, dict[Period, Decimal]]:
    """Units that are free, by unit and period. month: 1 is the first; None a usual one, past introductory offers."""
    out: dict[Unit, dict[Period, Decimal]] = {}
    for part in tariff.components:
        if not isinstance(part, Allowance):
            continue
        if part.first_months is not None and (month is None or month > part.first_months):
            continue
        periods = out.setdefault(part.unit, {})
        periods[part.every] = periods.get(part.every, Decimal(0)) + part.amount
    return out


def month_cost(
    tariff: Tariff, usage: Usage, *, month: int | None = None, one_off_months: int | None = None
) -> MonthCost:
    """What a month of such use costs.

    month: None is a usual month, past introductory offers: a yearly allowance lasts as far as it does in a year of
    such months (the cost is the mean of the twelve), a one-off purchase is spread over its stated life. A number (1 is
    the first) is what is paid in that very month. one_off_months: the life of purchases whose plan states none.
    """
    zero = Money(Decimal(0), tariff.currency)
    lines: list[tuple[str, Money]] = []
    free = allowances(tariff, month)
    discount = Decimal(1)
    for part in tariff.components:
        if isinstance(part, Discount) and month is not None and month <= part.months:
            discount *= 1 - part.percent / 100
    paid_units = {unit: _beyond(free.get(unit, {}), quantity(usage, unit, tariff), usage.days, month)
                  for unit in {p.unit for p in tariff.components if isinstance(p, PerUnit)}}  # fmt: skip
    for part in tariff.components:
        if isinstance(part, Subscription):
            price = part.price * discount / (MONTHS if part.every == "year" else 1)
            lines.append((f"subscription, {shown(part.price)} a {part.every}", Money(price, tariff.currency)))
        elif isinstance(part, Once):
            life = part.life_months or one_off_months
            if month is None and life is None:
                return MonthCost(total=None, why="paid once: over how many months it is used is not stated")
            if month is None and life is not None:
                text = f"one-off purchase of {shown(part.price)}, over {life} months"
                lines.append((text, Money(part.price / life, tariff.currency)))
            elif month == 1:
                lines.append(("one-off purchase", Money(part.price, tariff.currency)))
        elif isinstance(part, PerUnit):
            months = paid_units[part.unit]
            paid = sum((_units_at(part, tariff, beyond) for beyond in months), Decimal(0)) / len(months)
            name = part.unit if part.per == 1 else f"{part.per:,} {part.unit}s"
            text = f"{shown(paid, places=0)} {part.unit}s at {shown(part.price)} per {name}"
            lines.append((text, Money(paid * part.price / part.per, tariff.currency)))
        elif isinstance(part, OwnMachine):
            if usage.processing_s is None:
                return MonthCost(total=None, why="speed on this machine not measured yet")
            text = f"{shown(usage.processing_s / 3600)} h of this machine"
            lines.append((text, Money(part.per_second() * usage.processing_s, tariff.currency)))
    short_by, used = Decimal(0), None
    for unit, periods in free.items():
        needed = quantity(usage, unit, tariff)
        even = sum((_over_a_month(every, amount, usage.days) for every, amount in periods.items()), Decimal(0))
        if even:
            used = max(used or Decimal(0), needed / even)
        if unit not in paid_units:
            months = _beyond(periods, needed, usage.days, month)
            short_by = max(short_by, sum(months, Decimal(0)) / len(months))
    if not tariff.components:
        return MonthCost(total=None, why="no price stated")
    total = sum((money for _, money in lines), zero)
    return MonthCost(total=total, lines=tuple(lines), allowance_used=used, short_by=max(short_by, Decimal(0)))


def _over_a_month(every: Period, amount: Decimal, days: int) -> Decimal:
    return amount * days if every == "day" else amount / MONTHS if every == "year" else amount


def _beyond(free: Mapping[Period, Decimal], needed: Decimal, days: int, month: int | None) -> list[Decimal]:
    """Units beyond the allowances, a number a month: of the one asked for, or of the twelve of a year of such months.

    Each day's grant first (the work is spread evenly over its days), then the month's, then what is left of the year's.
    """
    after_days = max(Decimal(0), needed - free.get("day", Decimal(0)) * days)
    rest = max(Decimal(0), after_days - free.get("month", Decimal(0)))
    yearly = free.get("year", Decimal(0))
    if not yearly:
        return [rest]
    places = range(MONTHS) if month is None else [(month - 1) % MONTHS]
    return [max(Decimal(0), rest - max(Decimal(0), yearly - rest * place)) for place in places]


def _units_at(part: PerUnit, tariff: Tariff, beyond: Decimal) -> Decimal:
    """Units billed at this component's price: those above its threshold and below the next one's (graduated)."""
    higher = [
        other.above
        for other in tariff.components
        if isinstance(other, PerUnit) and other.unit == part.unit and other.above > part.above
    ]
    top = min(beyond, Decimal(min(higher))) if higher else beyond
    return max(Decimal(0), top - part.above)


def price_of_units(tariff: Tariff, unit: Unit, beyond: Decimal) -> Decimal:
    """What so many units of a month beyond its allowances cost, tier by tier."""
    parts = [part for part in tariff.components if isinstance(part, PerUnit) and part.unit == unit]
    return sum((_units_at(part, tariff, beyond) * part.price / part.per for part in parts), Decimal(0))


def months_until_cheaper(one_off: Money, monthly: Money) -> int:
    """First month in which a one-off purchase has cost less than paying monthly; currencies must agree."""
    if one_off.currency != monthly.currency:
        _ = one_off + monthly  # raises with the sentence
    return int(one_off.amount // monthly.amount) + 1


def price_words(part: Component) -> str:
    """A component in a few words: '18 per 1,000,000 characters'."""
    match part:
        case PerUnit():
            unit = part.unit if part.per == 1 else f"{part.per:,} {part.unit}s"
            return f"{shown(part.price)} per {unit}" + (f" above {part.above:,}" if part.above else "")
        case Allowance():
            return f"{part.amount:,} {part.unit}s a {part.every} free"
        case Subscription():
            return f"{shown(part.price)} a {part.every}"
        case Discount():
            return f"{part.percent:g} % off for {part.months} months"
        case Once():
            return f"{shown(part.price)} once" + (f", over {part.life_months} months" if part.life_months else "")
        case Credits():
            return ", ".join(f"{factor} credits a character on {model}" for model, factor in part.per_character.items())
        case OwnMachine():
            return f"own machine at {shown(part.per_second() * 3600)} an hour"

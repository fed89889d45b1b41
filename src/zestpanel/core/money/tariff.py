"""A plan's tariff: a list of components, any mix of them, and what a month of use costs under it. Exact throughout."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import Final, Literal

from pydantic import BaseModel, ConfigDict, Field

from zestpanel.core.domain.money import Money
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.money.components import (
    MONTHS,
    MOST_UNITS,
    ON_TOP,
    Allowance,
    Component,
    Credits,
    Discount,
    MonthAt,
    Period,
    PerUnit,
    Unit,
    units_at,
)
from zestpanel.core.texts import tr

DAYS_IN_MONTH: Final = 30  # common practice, no source: allowances a day are quoted for a 30-day month
WEEKS_IN_MONTH: Final = Decimal(DAYS_IN_MONTH) / 7
ASSUMED_CHARACTERS_PER_WORD: Final = Decimal(6)  # with its space, of English prose (common practice, no source)


class Counting(BaseModel):
    """What a request's text counts as. What the trade does varies: with or without spaces, with or without marks,
    in bytes, a least number a request, rounded up to a step (common practice, no source).
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    of: Literal["characters", "bytes"] = "characters"
    spaces: bool = True
    marks: bool = Field(default=True, description=tr("whether delivery marks are billed with the words"))
    least: int = Field(default=0, ge=0, le=MOST_UNITS)
    step: int = Field(default=1, ge=1, le=MOST_UNITS)
    characters_per_token: Decimal = Field(default=Decimal(4), gt=0, le=100, description=tr("for prices by the token"))

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
    characters_per_word: Decimal = ASSUMED_CHARACTERS_PER_WORD
    seats: int = 1

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
        case "word":
            return usage.characters / usage.characters_per_word
        case "token":
            return usage.characters / tariff.counting.characters_per_token
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
    if not tariff.components:
        return MonthCost(total=None, why=tr("no price stated"))
    free = allowances(tariff, month)
    tiers = tiers_of(tariff)
    beyond = {unit: _beyond(free.get(unit, {}), quantity(usage, unit, tariff), usage.days, month) for unit in tiers}
    off = Decimal(1)
    for part in tariff.components:
        if isinstance(part, Discount) and month is not None and month <= part.months:
            off *= 1 - part.percent / 100
    at = MonthAt(month=month, one_off_months=one_off_months, seats=usage.seats, off=off, beyond=beyond, tiers=tiers,
                 processing_s=usage.processing_s)  # fmt: skip
    try:
        charges = [charge for part in tariff.components for charge in part.charges(at)]
    except NotEnoughData as error:
        return MonthCost(total=None, why=error.what)
    for kind in ON_TOP:
        for part in tariff.components:
            if isinstance(part, kind):
                charges += part.on_top(sum((amount for _, amount in charges), Decimal(0)))
    short_by, used = Decimal(0), None
    for unit, periods in free.items():
        needed = quantity(usage, unit, tariff)
        even = sum((_over_a_month(every, amount, usage.days) for every, amount in periods.items()), Decimal(0))
        if even:
            used = max(used or Decimal(0), needed / even)
        if unit not in tiers:
            months = _beyond(periods, needed, usage.days, month)
            short_by = max(short_by, sum(months, Decimal(0)) / len(months))
    lines = tuple((text, Money(amount, tariff.currency)) for text, amount in charges)
    total = Money(sum((amount for _, amount in charges), Decimal(0)), tariff.currency)
    return MonthCost(total=total, lines=lines, allowance_used=used, short_by=max(short_by, Decimal(0)))


def tiers_of(tariff: Tariff) -> dict[Unit, list[PerUnit]]:
    """Prices for every unit, by what they are for."""
    out: dict[Unit, list[PerUnit]] = {}
    for part in tariff.components:
        if isinstance(part, PerUnit):
            out.setdefault(part.unit, []).append(part)
    return out


def _over_a_month(every: Period, amount: Decimal, days: int) -> Decimal:
    match every:
        case "day":
            return amount * days
        case "week":
            return amount * WEEKS_IN_MONTH
        case "month":
            return amount
        case "year":
            return amount / MONTHS


def before_the_month(free: Mapping[Period, Decimal], days: int) -> Decimal:
    """Units that the grants of days, weeks and the month itself hold over a month of even work."""
    return sum((_over_a_month(every, amount, days) for every, amount in free.items() if every != "year"), Decimal(0))


def _beyond(free: Mapping[Period, Decimal], needed: Decimal, days: int, month: int | None) -> list[Decimal]:
    """Units beyond the allowances, a number a month: of the one asked for, or of the twelve of a year of such months.

    Each day's grant first (the work is spread evenly over its days), then the week's, the month's, and what is left of
    the year's.
    """
    rest = max(Decimal(0), needed - before_the_month(free, days))
    yearly = free.get("year", Decimal(0))
    if not yearly:
        return [rest]
    places = range(MONTHS) if month is None else [(month - 1) % MONTHS]
    return [max(Decimal(0), rest - max(Decimal(0), yearly - rest * place)) for place in places]


def price_of_units(tariff: Tariff, unit: Unit, beyond: Decimal) -> Decimal:
    """What so many units of a month beyond its allowances cost, tier by tier."""
    tiers = tiers_of(tariff).get(unit, [])
    return sum((units_at(part, tiers, beyond) * part.price / part.per for part in tiers), Decimal(0))


def days_needed(tariff: Tariff, unit: Unit, needed: Decimal) -> int | None:
    """On how many days so many units of one job fit into daily grants, where nothing can be bought beyond them; None
    where that is no matter of days."""
    daily = allowances(tariff, None).get(unit, {}).get("day", Decimal(0))
    if unit in tiers_of(tariff) or daily <= 0:
        return None
    return int(-(-needed // daily))


def months_until_cheaper(one_off: Money, monthly: Money) -> int:
    """First month in which a one-off purchase has cost less than paying monthly; currencies must agree."""
    if one_off.currency != monthly.currency:
        _ = one_off + monthly  # raises with the sentence
    return int(one_off.amount // monthly.amount) + 1

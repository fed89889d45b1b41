"""A plan's tariff: a list of components, any mix of them, and what a month of use costs under it. Exact throughout.

Conventions (``docs/methods.md``): a usual month is past all offers of the first months. Where its months differ (a
year's allowance, unused units that are kept, packs that lapse, a brief of uneven months) it is the mean of a year of
them, begun with nothing left from before. A month with a number is what falls due in that very month.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from itertools import count, islice
from typing import Any, Final, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from zestpanel.core.domain.money import Money
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.money.components import Component
from zestpanel.core.money.components.allowance import Allowance
from zestpanel.core.money.components.credit import Credits
from zestpanel.core.money.components.pack import Pack
from zestpanel.core.money.components.part import MONTHS, MOST_UNITS, NONE, Charge, MonthAt, Part, Unit
from zestpanel.core.money.grants import DAYS_IN_MONTH, Grants
from zestpanel.core.texts import tr, word

ON_TOP: Final = 80  # places of components from here on come on top of the others
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

    def per_character(self, texts: Sequence[str]) -> Decimal:
        """Billed characters for each of the texts' own, each text a request without marks; 1 where there are none."""
        characters = sum(map(len, texts))
        return Decimal(sum(self.billed(text, text) for text in texts)) / characters if characters else Decimal(1)


class Tariff(BaseModel):
    """Components in one currency. Use beyond an allowance with nothing to buy more of it 'stops at the limit'."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    currency: str = Field(pattern=r"^[A-Z]{3}$")
    components: tuple[Component, ...] = ()
    counting: Counting = Counting()

    @field_validator("components")
    @classmethod
    def _one_way_to_buy(cls, value: tuple[Any, ...]) -> tuple[Any, ...]:
        for part in value:
            if isinstance(part, Pack) and sum(other.sells == part.unit for other in value) > 1:
                said = tr("{units} are sold in packs of one size or by the unit, not both: state two plans")
                raise ValueError(said.format(units=word(f"{part.unit}s")))
        return value


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
        computed = [one.processing_s for one in (self, other) if one.sound_s]
        characters = self.characters + other.characters
        pace = self.characters_per_word
        if other.characters and other.characters_per_word != pace:
            words = self.characters / pace + other.characters / other.characters_per_word
            pace = characters / words if words else pace
        return replace(
            self,
            characters=characters,
            sound_s=self.sound_s + other.sound_s,
            requests=self.requests + other.requests,
            by_model={m: self.by_model.get(m, Decimal(0)) + other.by_model.get(m, Decimal(0)) for m in models},
            processing_s=None if None in computed else sum((one for one in computed if one is not None), Decimal(0)),
            characters_per_word=pace,
        )

    def minus(self, other: Usage) -> Usage:
        less = replace(
            other, characters=-other.characters, sound_s=-other.sound_s, requests=-other.requests,
            by_model={m: -n for m, n in other.by_model.items()},
            processing_s=None if other.processing_s is None else -other.processing_s,
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


def allowances(tariff: Tariff) -> dict[Unit, list[Allowance]]:
    """By unit, all that includes some of it, offers of the first months as well."""
    out: dict[Unit, list[Allowance]] = {}
    for part in tariff.components:
        if isinstance(part, Allowance):
            out.setdefault(part.unit, []).append(part)
    return out


def sold(tariff: Tariff) -> dict[Unit, list[Part]]:
    """By unit, what sells it beyond allowances."""
    out: dict[Unit, list[Part]] = {}
    for part in tariff.components:
        if part.sells is not None:
            out.setdefault(part.sells, []).append(part)
    return out


Lines = list[tuple[Part, Charge]]


def bill(tariff: Tariff, at: MonthAt, parts: Sequence[Part] | None = None) -> Lines:
    """A month's bill, a line a component: the one place where use becomes money. parts: those that are asked, all
    unless said. Raises NotEnoughData."""
    parts = tariff.components if parts is None else parts
    lines = [(part, charge) for part in parts if (charge := part.charge(at)) is not None]
    total = sum((charge.amount for _, charge in lines), NONE)
    for part in sorted(parts, key=lambda one: one.place):
        if (more := part.on_top(total)) is not None:
            lines.append((part, Charge(more)))
            total += more
    return lines


def total_of(lines: Lines) -> Decimal:
    return sum((charge.amount for _, charge in lines), NONE)


def off_of(tariff: Tariff, month: int | None) -> Decimal:
    """The factor that discounts leave of subscriptions in a month."""
    off = Decimal(1)
    for part in tariff.components:
        off *= part.off(month)
    return off


@dataclass(frozen=True, slots=True)
class _Month:
    """lines: None where the price cannot be known (``why``)."""

    at: MonthAt
    lines: Lines | None
    short_by: Decimal
    allowance_used: Decimal | None
    why: str = ""


def _months(tariff: Tariff, uses: Sequence[Usage], *, numbered: bool, one_off_months: int | None) -> Iterator[_Month]:
    """One month after the other, without end. uses: twelve, or one that stands for all."""
    selling, free = sold(tariff), allowances(tariff)
    units = tuple(dict.fromkeys([*selling, *free]))
    grants = {unit: Grants(free.get(unit, []), uses[0].seats) for unit in units}
    beyond: dict[Unit, list[Decimal]] = {unit: [] for unit in units}
    for index in count():
        use, number = uses[index % len(uses)], index + 1 if numbered else None
        short_by, shares = NONE, []
        for unit in units:
            needed = quantity(use, unit, tariff)
            grants[unit].even_month(number, use.days, new_year=index % MONTHS == 0)
            if even := grants[unit].over_a_month(number, use.days):
                shares.append(needed / even)
            beyond[unit].append(grants[unit].take(needed))
            if unit not in selling:
                short_by = max(short_by, beyond[unit][-1])
        at = MonthAt(month=number, one_off_months=one_off_months, seats=use.seats, off=lambda m: off_of(tariff, m),
                     beyond=beyond, tiers=selling, processing_s=use.processing_s)  # fmt: skip
        lines, why = None, ""
        try:
            lines = bill(tariff, at)
        except NotEnoughData as error:
            why = error.what
        yield _Month(at, lines, short_by, max(shares, default=None), why)


def months_alike(tariff: Tariff, uses: Sequence[Usage]) -> int:
    """How many months a usual one is the mean of: one where all are alike."""
    lapse = [part.kept_months for part in tariff.components if isinstance(part, Pack) and part.kept_months is not None]
    yearly = any(isinstance(part, Allowance) and part.every == "year" for part in tariff.components)
    if not lapse and not yearly and len(uses) == 1:
        return 1
    return MONTHS * max(lapse, default=1)


def month_cost(
    tariff: Tariff, usage: Usage | Sequence[Usage], *, month: int | None = None, one_off_months: int | None = None
) -> MonthCost:
    """What a month of such use costs.

    usage: of a month like all others, or of the twelve of a year. month: None is a usual month, past introductory
    offers, with one-off purchases spread over their stated life. A number (1 is the first) is what is paid in that very
    month. one_off_months: the life of purchases whose plan states none.
    """
    if not tariff.components:
        return MonthCost(total=None, why=tr("no price stated"))
    uses = (usage,) if isinstance(usage, Usage) else tuple(usage)
    walked = _months(tariff, uses, numbered=month is not None, one_off_months=one_off_months)
    if month is not None:
        return _mean(tariff, list(islice(walked, month - 1, month)))
    return _mean(tariff, list(islice(walked, months_alike(tariff, uses))))


def paid_by_month(
    tariff: Tariff, usage: Usage | Sequence[Usage], months: int, *, one_off_months: int | None = None
) -> list[Money | None]:
    """What falls due in each of the first so many months; None where it cannot be known or is not covered."""
    uses = (usage,) if isinstance(usage, Usage) else tuple(usage)
    if not tariff.components:
        return [None] * months
    walked = _months(tariff, uses, numbered=True, one_off_months=one_off_months)
    return [
        None if one.lines is None or one.short_by else Money(total_of(one.lines), tariff.currency)
        for one in islice(walked, months)
    ]


def _mean(tariff: Tariff, months: Sequence[_Month]) -> MonthCost:
    """The bill of a month, or the mean of several, line by line."""
    whys = [one.why for one in months if one.lines is None]
    if whys:
        return MonthCost(total=None, why=whys[0])
    n = len(months)
    sums: dict[int, tuple[Part, Decimal, Decimal]] = {}
    places = {id(part): place for place, part in enumerate(tariff.components)}
    for one in months:
        for part, charge in one.lines or ():
            _, amount, units = sums.get(places[id(part)], (part, NONE, NONE))
            sums[places[id(part)]] = (part, amount + charge.amount, units + charge.units)
    top = [place for place, (part, _, _) in sums.items() if part.place >= ON_TOP]
    order = [place for place in sorted(sums) if place not in top] + sorted(top, key=lambda p: sums[p][0].place)
    at = months[-1].at
    lines = tuple(
        (part.line(units / n, at), Money(amount / n, tariff.currency))
        for part, amount, units in map(sums.__getitem__, order)
    )
    total = sum((amount for _, amount, _ in sums.values()), NONE) / n
    used = [one.allowance_used for one in months if one.allowance_used is not None]
    return MonthCost(
        total=Money(total, tariff.currency),
        lines=lines,
        allowance_used=sum(used, NONE) / len(used) if used else None,
        short_by=sum((one.short_by for one in months), NONE) / n,
    )


def days_needed(tariff: Tariff, unit: Unit, needed: Decimal) -> int | None:
    """On how many days so many units of one job fit into daily grants, where nothing can be bought beyond them; None
    where that is no matter of days."""
    daily = sum((Decimal(part.amount) for part in allowances(tariff).get(unit, [])
                 if part.every == "day" and part.holds(None)), NONE)  # fmt: skip
    if unit in sold(tariff) or daily <= 0:
        return None
    return int(-(-needed // daily))


def months_until_cheaper(one_off: Money, monthly: Money) -> int:
    """First month in which a one-off purchase has cost less than paying monthly; currencies must agree."""
    if one_off.currency != monthly.currency:
        _ = one_off + monthly  # raises with the sentence
    return int(one_off.amount // monthly.amount) + 1

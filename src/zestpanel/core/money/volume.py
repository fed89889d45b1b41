"""A candidate's plan at the channel's volume: per 1,000 characters, finished minute, episode and month.

There is one month: what is finished, and what is said again of it (the brief's retakes). Every page reads it here.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from decimal import Decimal

from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.money import Money
from zestpanel.core.domain.passage import ASSUMED_CHARACTERS_PER_MINUTE
from zestpanel.core.money.grants import DAYS_IN_MONTH
from zestpanel.core.money.tariff import (
    ASSUMED_CHARACTERS_PER_WORD,
    MonthCost,
    Tariff,
    Usage,
    month_cost,
)
from zestpanel.core.texts import tr


@dataclass(frozen=True, slots=True, kw_only=True)
class Rates:
    """What a candidate's own takes tell, or those of the same sound under another plan.

    characters_per_minute: of the script, over finished minutes; the assumption when there are no takes.
    billed_per_character: characters as the plan counts them, for each of the script. processing_per_sound_s: seconds
    computed over seconds of sound, all of both, None while untimed. pace_between: 95 % interval of the characters a
    minute, for other texts of the kind; None where there are too few texts.
    """

    characters_per_minute: Decimal = ASSUMED_CHARACTERS_PER_MINUTE
    takes: int = 0
    processing_per_sound_s: Decimal | None = None
    billed_per_character: Decimal = Decimal(1)
    characters_per_word: Decimal = ASSUMED_CHARACTERS_PER_WORD
    pace_between: tuple[Decimal, Decimal] | None = None

    @property
    def assumed(self) -> bool:
        return self.takes == 0

    def sound_s(self, characters: int | Decimal) -> Decimal:
        """Seconds of sound that so many characters of a script make."""
        return characters / self.characters_per_minute * 60


@dataclass(frozen=True, slots=True, kw_only=True)
class VolumeCost:
    """Money at a volume; each figure None where ``month.total`` is, or where the plan cannot cover the volume.

    The month is with retakes; what it is divided by is finished. characters: of the finished script. retakes: what the
    month costs more than without any, None where there are none. own: the month in the brief's currency, None where
    that is not known (``why_not``). between: the month at both ends of the pace's interval, in the plan's currency;
    None where the pace changes nothing.
    """

    month: MonthCost
    rates: Rates
    characters: Decimal
    per_thousand: Money | None
    per_minute: Money | None
    per_episode: Money | None
    requests_per_episode: int = 1
    own: Money | None = None
    why_not: str = ""
    between: tuple[Money, Money] | None = None
    retakes: Money | None = None


def usage_at(
    rates: Rates,
    minutes: Decimal,
    *,
    model: str,
    requests: Decimal | int = 0,
    days: int = DAYS_IN_MONTH,
    seats: int = 1,
) -> Usage:
    """A month of so many finished minutes, as the plan will count it."""
    sound_s = minutes * 60
    processing = None if rates.processing_per_sound_s is None else sound_s * rates.processing_per_sound_s
    characters = minutes * rates.characters_per_minute * rates.billed_per_character
    return Usage(
        characters=characters,
        sound_s=sound_s,
        requests=requests,
        by_model={model: characters},
        processing_s=processing,
        days=days,
        characters_per_word=rates.characters_per_word * rates.billed_per_character,
        seats=seats,
    )


def requests_at(brief: Brief, minutes: Decimal, requests_per_episode: int) -> Decimal:
    """Requests of a month of so many minutes: episodes are cut into requests, other volumes in proportion."""
    if not brief.minutes_per_month:
        return Decimal(requests_per_episode * brief.episodes_per_month)
    return minutes * requests_per_episode * brief.episodes_per_month / brief.minutes_of_episodes


def uses_at(
    rates: Rates, brief: Brief, minutes: Decimal, *, model: str, requests_per_episode: int = 1, retakes: bool = True
) -> tuple[Usage, ...]:
    """A month of so many finished minutes as the plan will count it, with the brief's retakes: one that stands for all,
    or the twelve of a year whose mean it is, where the brief's months differ."""
    mean = brief.minutes_per_month
    year = brief.minutes_by_month() if brief.minutes_in_months else ()
    shares = [one / mean for one in year] if mean and len(set(year)) > 1 else [Decimal(1)]
    again = 1 + brief.retakes_percent / 100 if retakes else Decimal(1)

    def use(minutes: Decimal) -> Usage:
        return usage_at(rates, minutes, model=model, days=brief.days_of_work, seats=brief.seats,
                        requests=requests_at(brief, minutes, requests_per_episode))  # fmt: skip

    return tuple(use(minutes * again * share) for share in shares)


def no_rate_for(currency: str) -> str:
    """Why an amount cannot be said in the brief's currency."""
    return tr("priced in {currency}, and the brief gives no exchange rate", currency=currency)


def cost_at_volume(
    tariff: Tariff,
    rates: Rates,
    brief: Brief,
    *,
    model: str,
    minutes: Decimal | None = None,
    requests_per_episode: int = 1,
) -> VolumeCost:
    """The plan at the brief's volume (or at ``minutes`` finished a month), with the candidate's own pace.

    requests_per_episode: as an episode is cut for the engine.
    """
    minutes = brief.minutes_per_month if minutes is None else minutes

    def month(rates: Rates, retakes: bool = True) -> MonthCost:
        uses = uses_at(rates, brief, minutes, model=model, requests_per_episode=requests_per_episode, retakes=retakes)
        return month_cost(tariff, uses, one_off_months=brief.one_off_months)

    cost = month(rates)
    total = cost.total if cost.covers else None
    own = None if total is None else brief.in_own_currency(total)
    why_not = ""
    if total is None:
        why_not = cost.why or tr("the plan stops before this volume")
    elif own is None:
        why_not = no_rate_for(total.currency)
    characters = minutes * rates.characters_per_minute
    divided = total is not None and minutes > 0
    without = month(rates, retakes=False).total if total is not None and brief.retakes_percent else None

    def per(amount: Decimal | int) -> Money | None:
        return total / amount if total is not None and divided else None

    return VolumeCost(
        month=cost,
        rates=rates,
        characters=characters,
        per_thousand=per(characters / 1000),
        per_minute=per(minutes),
        per_episode=per(max(1, brief.episodes_per_month)),
        requests_per_episode=requests_per_episode,
        own=own,
        why_not=why_not,
        between=_between(month, rates) if total is not None else None,
        retakes=Money(total.amount - without.amount, total.currency) if total and without else None,
    )


def _between(month: Callable[[Rates], MonthCost], rates: Rates) -> tuple[Money, Money] | None:
    """The month's cost at the lowest and the highest pace that the takes leave open."""
    if rates.pace_between is None:
        return None
    found = []
    for pace in rates.pace_between:
        cost = month(replace(rates, characters_per_minute=pace))
        if cost.total is None or not cost.covers:
            return None
        found.append(cost.total)
    low, high = sorted(found, key=lambda one: one.amount)
    return (low, high) if low != high else None

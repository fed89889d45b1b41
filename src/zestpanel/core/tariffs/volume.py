"""A candidate's plan at the channel's volume: per 1,000 characters, finished minute, episode and month."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

from zestpanel.core.brief import Brief
from zestpanel.core.tariffs.money import Money
from zestpanel.core.tariffs.tariff import ASSUMED_CHARACTERS_PER_MINUTE, MonthCost, Tariff, Usage, month_cost


@dataclass(frozen=True, slots=True, kw_only=True)
class Rates:
    """What a candidate's own takes tell. characters_per_minute: measured, or the assumption when takes are none."""

    characters_per_minute: Decimal = ASSUMED_CHARACTERS_PER_MINUTE
    takes: int = 0
    processing_per_sound_s: Decimal | None = None

    @property
    def assumed(self) -> bool:
        return self.takes == 0


@dataclass(frozen=True, slots=True, kw_only=True)
class VolumeCost:
    """Money at a volume; each figure None where ``month.total`` is, or where the plan cannot cover the volume."""

    month: MonthCost
    rates: Rates
    characters: Decimal
    per_thousand: Money | None
    per_minute: Money | None
    per_episode: Money | None


def usage_at(rates: Rates, minutes: Decimal, *, model: str, requests: int = 0) -> Usage:
    """A month of so many finished minutes, as the plan will count it."""
    sound_s = minutes * 60
    processing = None if rates.processing_per_sound_s is None else sound_s * rates.processing_per_sound_s
    return Usage(
        characters=minutes * rates.characters_per_minute,
        sound_s=sound_s,
        requests=requests,
        by_model={model: minutes * rates.characters_per_minute},
        processing_s=processing,
    )


def cost_at_volume(
    tariff: Tariff, rates: Rates, brief: Brief, *, model: str, minutes: Decimal | None = None, month: int = 13
) -> VolumeCost:
    """The plan at the brief's volume (or at ``minutes`` a month), with the candidate's own pace."""
    minutes = brief.minutes_per_month if minutes is None else minutes
    usage = usage_at(rates, minutes, model=model, requests=brief.episodes_per_month)
    cost = month_cost(tariff, usage, month=month)
    total = cost.total if cost.covers else None
    if total is None or minutes == 0:
        return VolumeCost(
            month=cost,
            rates=rates,
            characters=usage.characters,
            per_thousand=None,
            per_minute=None,
            per_episode=None,
        )
    return VolumeCost(
        month=cost,
        rates=rates,
        characters=usage.characters,
        per_thousand=total / (usage.characters / 1000),
        per_minute=total / minutes,
        per_episode=total / max(1, brief.episodes_per_month),
    )

"""All that the page of cost says: each candidate's money at the channel's volume or at another, over the years and for
a kept minute; where the order of plans changes; when a purchase pays back; and how many days a daily grant takes."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from itertools import pairwise
from typing import Final

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.choice.other_plans import OtherPlan, cheapest, cheapest_in_words, other_plans
from zestpanel.core.choice.row import Row
from zestpanel.core.choice.unlisted import UnlistedPlan, unlisted_plans
from zestpanel.core.clock import today
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.money import Money
from zestpanel.core.money.components.once import Once
from zestpanel.core.money.curve import MonthCurve, month_curve
from zestpanel.core.money.tariff import days_needed, quantity
from zestpanel.core.money.volume import Rates, VolumeCost, cost_at_volume, usage_at
from zestpanel.core.money.worked import busier, dearer, kept_minute, pays_back_in, years
from zestpanel.core.texts import day, tr

_LOOKED_AT: Final = 240  # volumes between which a change of order is looked for
_NEAR: Final = Decimal("0.1")  # minutes
_MOST_TOLD: Final = 4


@dataclass(frozen=True, slots=True, kw_only=True)
class WhatIf:
    """Another number of episodes, prices so many percent higher; nothing else for neither."""

    episodes: int | None = None
    dearer_percent: Decimal = Decimal(0)


@dataclass(frozen=True, slots=True, kw_only=True)
class CostRow:
    """first_year, third_year: what is paid in all, in the plan's currency. kept: a kept minute, in the brief's."""

    row: Row
    cost: VolumeCost
    first_year: Money | None
    third_year: Money | None
    kept: Money | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Costs:
    """verdict: the answer first. remarks: what else a lead wants to be told, a sentence each."""

    brief: Brief
    rows: tuple[CostRow, ...]
    others: tuple[OtherPlan, ...]
    unlisted: tuple[UnlistedPlan, ...]
    verdict: str
    remarks: tuple[str, ...]


def costs_of(found: Evaluation, engines: Mapping[str, Engine], what_if: WhatIf | None = None) -> Costs:
    """what_if: nothing is kept of it."""
    what_if = what_if or WhatIf()
    changed = what_if != WhatIf()
    brief = found.brief if what_if.episodes is None else busier(found.brief, what_if.episodes)
    rows = tuple(_row(row, brief, what_if) for row in found.rows.values())
    others = tuple(other_plans(found, engines)) if not changed else ()
    listed = {row.candidate.engine for row in found.rows.values()}
    unlisted = tuple(
        unlisted_plans(
            engines, listed, brief, found.statements, found.texts_in(""), dearer_percent=what_if.dearer_percent
        )
    )
    return Costs(
        brief=brief, rows=rows, others=others, unlisted=unlisted,
        verdict=cheapest([(one.row, one.cost) for one in rows]) if changed else cheapest_in_words(found, list(others)),
        remarks=(
            *_cheaper_elsewhere(rows, unlisted), *_order(rows, unlisted, brief), *_paybacks(rows, engines, brief),
            *_days(rows, brief), *_overdue(rows),
        ),
    )  # fmt: skip


def _row(row: Row, brief: Brief, what_if: WhatIf) -> CostRow:
    tariff = row.plan.tariff if not what_if.dearer_percent else dearer(row.plan.tariff, what_if.dearer_percent)
    rates, model, each = row.cost.rates, row.candidate.model, row.cost.requests_per_episode
    cost = cost_at_volume(tariff, rates, brief, model=model, requests_per_episode=each)
    first, third = years(tariff, rates, brief, model=model, requests_per_episode=each)
    return CostRow(row=row, cost=cost, first_year=first, third_year=third, kept=kept_minute(cost.own, brief))


def _cheaper_elsewhere(rows: Sequence[CostRow], unlisted: Sequence[UnlistedPlan]) -> list[str]:
    """An engine that is not on the shortlist and would cost less than all that are."""
    first = next((one for one in unlisted if one.cost.own is not None and not one.barred), None)
    least = min((one.cost.own.amount for one in rows if one.cost.own is not None and one.row.passes), default=None)
    if first is None or first.cost.own is None or (least is not None and least <= first.cost.own.amount):
        return []
    pace = tr(
        "at {characters_per_minute} characters a minute assumed",
        characters_per_minute=f"{Rates().characters_per_minute:,.0f}",
    )
    said = tr("Not on the shortlist, and cheaper: {name}: {own} a month, {pace}.", name=first.name, own=first.cost.own,
              pace=pace)  # fmt: skip
    return [said + (tr(" Not known there: {unknown}.", unknown=first.unknown) if first.unknown else "")]


# -- where the order changes


def _order(rows: Sequence[CostRow], unlisted: Sequence[UnlistedPlan], brief: Brief) -> list[str]:
    """Which plan is cheapest up to which volume, up to three times the channel's; of those that must-haves let pass."""
    curves: dict[str, MonthCurve] = {}
    factors: dict[str, Decimal] = {}
    for one in rows:
        if one.row.barred_at_any_volume:
            continue
        name = f"{one.row.candidate.engine}, {one.row.plan.name}"
        each = one.row.cost.requests_per_episode
        curve = None if name in curves else month_curve(
            one.row.plan.tariff, one.cost.rates, brief, model=one.row.candidate.model, requests_per_episode=each
        )  # fmt: skip
        unit = brief.in_own_currency(Money(Decimal(1), one.row.plan.tariff.currency))
        if curve is not None and unit is not None:
            curves[name], factors[name] = curve, unit.amount
    for other in (one for one in unlisted if not one.barred_at_any_volume):
        curve, unit = other.curve(brief), brief.in_own_currency(Money(Decimal(1), other.plan.tariff.currency))
        if curve is not None and unit is not None:
            name = tr("{name} (pace assumed)", name=other.name)
            curves[name], factors[name] = curve, unit.amount
    if len(curves) < 2 or brief.minutes_per_month <= 0:
        return []

    def best(minutes: Decimal) -> str:
        priced = {name: cost * factors[name] for name, curve in curves.items()
                  if (cost := curve.at([minutes])[0]) is not None}  # fmt: skip
        return min(priced, key=lambda name: priced[name]) if priced else ""

    end = 3 * brief.minutes_per_month
    volumes = [end * k / _LOOKED_AT for k in range(1, _LOOKED_AT + 1)]
    changes, now = [], best(volumes[0])
    first = now
    for low, high in pairwise(volumes):
        if (then := best(high)) != now:
            changes.append((_where(best, low, high, now), then))
            now = then
    if not changes:
        return (
            [
                tr(
                    "{first} is cheapest at every volume up to {end} minutes a month.",
                    first=first,
                    end=f"{end.normalize():f}",
                )
            ]
            if first
            else []
        )
    steps = "; ".join(
        tr("from {at} minutes on {name}", at=f"{at:.0f}", name=name or tr("none covers it"))
        for at, name in changes[:_MOST_TOLD]
    )
    return [tr("Cheapest by volume: {first} at first; {steps}.", first=first, steps=steps)]


def _where(best: Callable[[Decimal], str], low: Decimal, high: Decimal, before: str) -> Decimal:
    """The volume from which on another is best, to a tenth of a minute."""
    while high - low > _NEAR:
        middle = (low + high) / 2
        low, high = (middle, high) if best(middle) == before else (low, middle)
    return high


# -- purchases, grants, dates


def _paybacks(rows: Sequence[CostRow], engines: Mapping[str, Engine], brief: Brief) -> list[str]:
    """Of engines that can be bought and rented: from which month on the purchase has cost less."""
    out, seen = [], set()
    for one in rows:
        engine = engines.get(one.row.candidate.engine)
        if engine is None or engine.engine in seen:
            continue
        seen.add(engine.engine)
        bought = [p for p in engine.plans if any(isinstance(part, Once) for part in p.tariff.components)]
        for once in bought:
            for rented in engine.plans:
                month = pays_back_in(once.tariff, rented.tariff, one.cost.rates, brief, model=one.row.candidate.model)
                if month is not None:
                    out.append(
                        tr(
                            "{engine}: {name} has cost less than {name2} from month {month} on.",
                            engine=engine.engine,
                            name=once.name,
                            name2=rented.name,
                            month=month,
                        )
                    )
    return out


def _days(rows: Sequence[CostRow], brief: Brief) -> list[str]:
    """How many days of a daily grant an episode takes, where nothing can be bought beyond it."""
    out = []
    for one in rows:
        tariff = one.row.plan.tariff
        use = usage_at(one.cost.rates, brief.episode_minutes, model=one.row.candidate.model,
                       requests=one.row.cost.requests_per_episode)  # fmt: skip
        for unit in {part.unit for part in tariff.components if hasattr(part, "every") and hasattr(part, "unit")}:
            days = days_needed(tariff, unit, quantity(use, unit, tariff))
            if days is not None and days > 1:
                out.append(
                    tr(
                        "{name}: an episode takes {days} days of the grant of {name2}.",
                        name=one.row.name,
                        days=days,
                        name2=one.row.plan.name,
                    )
                )
    return list(dict.fromkeys(out))


def _overdue(rows: Sequence[CostRow]) -> list[str]:
    late = {f"{one.row.candidate.engine}, {one.row.plan.name} ({day(one.row.plan.check_again)})" for one in rows
            if one.row.plan.check_again is not None and one.row.plan.check_again < today()}  # fmt: skip
    return [tr("Prices to be looked up again: {late}.", late="; ".join(sorted(late)))] if late else []

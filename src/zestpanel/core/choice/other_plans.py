"""What each candidate would cost under the plans that it is not bought under: the plan is a choice on it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from decimal import Decimal

from zestpanel.core.catalogue.facts import Engine, Plan
from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.choice.row import Row
from zestpanel.core.money.volume import VolumeCost, cost_at_volume
from zestpanel.core.texts import tr


@dataclass(frozen=True, slots=True, kw_only=True)
class OtherPlan:
    """saves: what a month costs less than now, in the brief's currency; negative where it costs more, None where either
    has no price there."""

    row: Row
    plan: Plan
    cost: VolumeCost
    saves: Decimal | None


def other_plans(found: Evaluation, engines: Mapping[str, Engine]) -> list[OtherPlan]:
    """At the brief's volume and the candidate's own pace, those that save most first; plans that lack the voice's tier
    are left out. Characters as another plan counts them are taken as the script's own."""
    out = []
    for row in found.rows.values():
        engine = engines.get(row.candidate.engine)
        if engine is None:
            continue
        voice = engine.voice(row.candidate.voice)
        for plan in engine.plans:
            if plan.name == row.candidate.plan or (voice is not None and voice.tier and voice.tier not in plan.tiers):
                continue
            rates = row.cost.rates
            if plan.tariff.counting != row.plan.tariff.counting:
                rates = replace(rates, billed_per_character=Decimal(1))
            cost = cost_at_volume(
                plan.tariff, rates, found.brief, model=row.candidate.model,
                requests_per_episode=row.cost.requests_per_episode,
            )  # fmt: skip
            known = cost.own is not None and row.cost.own is not None
            saves = row.cost.own.amount - cost.own.amount if known and cost.own and row.cost.own else None
            out.append(OtherPlan(row=row, plan=plan, cost=cost, saves=saves))
    return sorted(out, key=lambda one: (one.saves is None, -(one.saves or 0)))


def cheapest_in_words(found: Evaluation, others: list[OtherPlan]) -> str:
    """'Cheapest at this volume: A, own machine: 0.010 EUR a month. B would cost 4.00 EUR less under Credits.'"""
    priced = [row for row in found.rows.values() if row.cost.own is not None]
    if not priced:
        return tr("No candidate has a price a month yet: state one on the Engines tab.")
    best = min(priced, key=lambda row: row.cost.own.amount if row.cost.own else Decimal(0))
    words = tr(
        "Cheapest at this volume: {name}, {name2}: {own} a month.",
        name=best.name,
        name2=best.plan.name,
        own=best.cost.own,
    )
    better = next((one for one in others if one.saves is not None and one.saves > 0), None)
    if better is not None:
        amount = replace(better.row.cost.own, amount=better.saves) if better.row.cost.own and better.saves else None
        words += tr(
            " {name} would cost {amount} less under {name2}.",
            name=better.row.name,
            amount=amount,
            name2=better.plan.name,
        )
    return words

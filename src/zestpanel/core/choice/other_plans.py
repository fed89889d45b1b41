"""What each candidate would cost under the plans that it is not bought under: the plan is a choice on it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from zestpanel.core.catalogue.facts import Engine, Plan
from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.choice.gates import barred, gates
from zestpanel.core.choice.row import Row
from zestpanel.core.domain.money import Money
from zestpanel.core.money.volume import VolumeCost, cost_at_volume
from zestpanel.core.texts import tr


@dataclass(frozen=True, slots=True, kw_only=True)
class OtherPlan:
    """saves: what a month costs less than now, in the brief's currency; negative where it costs more, None where either
    has no price there. barred: must-haves that it does not meet there; unknown: those that
    nobody states there."""

    row: Row
    plan: Plan
    cost: VolumeCost
    saves: Decimal | None
    barred: str = ""
    unknown: str = ""


def other_plans(found: Evaluation, engines: Mapping[str, Engine]) -> list[OtherPlan]:
    """At the brief's volume and the candidate's own pace, those that save most first; plans that lack the voice's tier
    are left out."""
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
                texts = found.texts_in(row.language)
                rates = replace(rates, billed_per_character=plan.tariff.counting.per_character(texts))
            cost = cost_at_volume(
                plan.tariff, rates, found.brief, model=row.candidate.model,
                requests_per_episode=row.cost.requests_per_episode,
            )  # fmt: skip
            known = cost.own is not None and row.cost.own is not None
            saves = row.cost.own.amount - cost.own.amount if known and cost.own and row.cost.own else None
            there = gates(
                found.brief, replace(row.candidate, plan=plan.name), engine, cost, row.summary,
                own=found.statements.get(engine.engine, ()), consent_missing=row.consent_missing,
            )  # fmt: skip
            out.append(OtherPlan(row=row, plan=plan, cost=cost, saves=saves, barred=barred(there),
                                 unknown=barred(there, "unknown")))  # fmt: skip
    return sorted(out, key=lambda one: (one.saves is None, -(one.saves or 0)))


def cheapest_in_words(found: Evaluation, others: list[OtherPlan]) -> str:
    """'Cheapest at this volume: A, own machine: 0.01 EUR a month. B would cost 4.00 EUR less under Credits.' A plan
    that a must-have bars is named only with what bars it, and never as advice."""
    words = cheapest([(row, row.cost) for row in found.rows.values()])
    better = next((one for one in others if one.saves is not None and one.saves > 0 and not one.barred), None)
    if better is not None and better.saves is not None:
        words += tr(
            " {name} would cost {amount} less under {name2}.",
            name=better.row.name,
            amount=Money(better.saves, found.brief.currency),
            name2=better.plan.name,
        )
        words += tr(" Not known there: {unknown}.", unknown=better.unknown) if better.unknown else ""
    return words


def cheapest(rows: Sequence[tuple[Row, VolumeCost]]) -> str:
    """The cheapest of those that can be chosen, and one that is cheaper and cannot, with what stands against it."""
    priced = sorted(((cost.own, row) for row, cost in rows if cost.own is not None), key=lambda one: one[0].amount)
    able = next(((own, row) for own, row in priced if row.passes), None)
    if not priced:
        return tr("No candidate has a price a month yet: state one on the Engines tab.")
    words = ""
    if able is not None:
        own, row = able
        words = tr("Cheapest at this volume: {name}: {own} a month.", name=row.under_plan, own=own)
    own, row = priced[0]
    if able is None or own.amount < able[0].amount:
        words += " " if words else tr("None of those that have a price meets every must-have. ")
        words += tr(
            "{name}, would be {own}, and cannot be chosen: {barred}.",
            name=row.under_plan, own=own, barred=barred(row.gates, "no", "unknown"),
        )  # fmt: skip
    return words

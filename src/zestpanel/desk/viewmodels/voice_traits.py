"""What holds for all voices of an engine, as the table of voices shows it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from zestpanel.core.catalogue.browsing import EngineTraits, price_band
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.ledger import OwnStatement, ledger
from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.domain.brief import Brief
from zestpanel.core.money.volume import Rates, cost_at_volume

_RIGHTS: Final = ("yes", "unknown", "no")


def traits_of(engine: Engine, own: Sequence[OwnStatement], brief: Brief, found: Evaluation | None) -> EngineTraits:
    """Rights under its best plan, its lowest price at the brief's volume, and the tiers a plan unlocks."""
    rights = [ledger(engine, "plan", plan.name, own)["commercial use"].state for plan in engine.plans]
    known = [row for row in found.rows.values() if row.candidate.engine == engine.engine] if found else []
    rates = next((row.summary.rates for row in known if not row.summary.rates.assumed), Rates())
    prices = []
    for plan in engine.plans:
        cost = cost_at_volume(plan.tariff, rates, brief, model=engine.models[0].id).per_thousand
        if cost is not None and (converted := brief.in_own_currency(cost)) is not None:
            prices.append(float(converted.amount))
    return EngineTraits(
        engine=engine,
        hosted="hosted" if engine.is_hosted else "on this machine",
        rights=next((word for word in _RIGHTS if word in rights), "unknown"),
        price_band=price_band(min(prices, default=None), brief.currency),
        unlocked_tiers=frozenset(tier for plan in engine.plans if not plan.trial for tier in plan.tiers),
    )

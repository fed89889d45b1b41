"""Plans of engines that nobody is a candidate of yet: what a price list says, at this channel's volume."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from types import MappingProxyType

from zestpanel.core.catalogue.facts import Engine, Plan
from zestpanel.core.catalogue.ledger import OwnStatement
from zestpanel.core.choice.gates import Gate, barred, bars_of_plan
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.money import Money
from zestpanel.core.money.curve import MonthCurve, month_curve
from zestpanel.core.money.volume import Rates, VolumeCost, cost_at_volume
from zestpanel.core.money.worked import dearer, years


@dataclass(frozen=True, slots=True, kw_only=True)
class UnlistedPlan:
    """At the assumed pace, since nothing was heard of the engine yet."""

    engine: str
    model: str
    plan: Plan
    cost: VolumeCost
    first_year: Money | None
    third_year: Money | None
    bars: tuple[Gate, ...] = ()

    @property
    def barred(self) -> str:
        """The must-haves that it does not meet, '' for none."""
        return barred(self.bars)

    @property
    def unknown(self) -> str:
        """The must-haves that nobody states of it."""
        return barred(self.bars, "unknown")

    @property
    def barred_at_any_volume(self) -> bool:
        return any(one.verdict == "no" and not one.of_volume for one in self.bars)

    @property
    def rates(self) -> Rates:
        """The pace is assumed; characters count as the plan counts them."""
        return self.cost.rates

    @property
    def name(self) -> str:
        return f"{self.engine}, {self.plan.name}"

    def curve(self, brief: Brief) -> MonthCurve | None:
        return month_curve(self.plan.tariff, self.rates, brief, model=self.model)


def unlisted_plans(
    engines: Mapping[str, Engine], listed: Iterable[str], brief: Brief,
    statements: Mapping[str, Sequence[OwnStatement]] = MappingProxyType({}), texts: Sequence[str] = (), *,
    dearer_percent: Decimal = Decimal(0),
) -> list[UnlistedPlan]:  # fmt: skip
    """Of every engine that is not ``listed``, the cheapest a month first. texts: the channel's own, as plans count
    them."""
    known, out = set(listed), []
    for name, engine in engines.items():
        if name in known or engine.only_compared:
            continue
        model = engine.models[0].id
        for plan in engine.plans:
            tariff = dearer(plan.tariff, dearer_percent) if dearer_percent else plan.tariff
            rates = Rates(billed_per_character=plan.tariff.counting.per_character(texts))
            cost = cost_at_volume(tariff, rates, brief, model=model)
            first, third = years(tariff, rates, brief, model=model)
            bars = bars_of_plan(brief, engine, plan.name, model, cost, statements.get(name, ()))
            out.append(UnlistedPlan(engine=name, model=model, plan=plan, cost=cost, first_year=first, third_year=third,
                                    bars=tuple(bars)))  # fmt: skip
    return sorted(out, key=lambda one: (one.cost.own is None, one.cost.own.amount if one.cost.own else 0, one.name))

"""Prices that held before: a plan that is looked up again or stated anew keeps the one it replaces."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from pydantic import BaseModel, ConfigDict

from zestpanel.core.catalogue.facts import Plan

MOST_KEPT = 200  # of one engine


class FormerPlan(BaseModel):
    """A plan as it stood until ``replaced``, the day on which another was stated."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    plan: Plan
    replaced: date


def with_former(
    former: Sequence[FormerPlan], before: Sequence[Plan], after: Sequence[Plan], *, on: date
) -> list[FormerPlan]:
    """``former`` and what stands no more of ``before``, the newest last. Only prices count: the tariff, its date and
    where it stands; what else is said of a plan may change without a new price."""
    now = {plan.name: plan for plan in after}
    gone = [plan for plan in before if plan.name not in now or not same_price(plan, now[plan.name])]
    new = [FormerPlan(plan=plan, replaced=on) for plan in gone]
    known = [
        one for one in former if not any(same_price(one.plan, plan) for plan in gone if plan.name == one.plan.name)
    ]
    return [*known, *new][-MOST_KEPT:]


def same_price(one: Plan, other: Plan) -> bool:
    return (one.tariff, one.dated, one.source) == (other.tariff, other.dated, other.source)

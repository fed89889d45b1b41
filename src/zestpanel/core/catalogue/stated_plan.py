"""A plan as a person reads it off a price list: what is typed, in words, becomes a tariff."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from typing import Any, Final, Literal, cast

from zestpanel.core.catalogue.facts import Engine, Fact, Plan
from zestpanel.core.errors import InputError
from zestpanel.core.money.tariff import Allowance, Component, Once, Period, PerUnit, Subscription, Tariff, Unit
from zestpanel.core.typed import typed_currency, typed_number, typed_whole

UNITS: Final[tuple[Unit, ...]] = ("character", "minute", "second", "hour", "request")
_KEPT: Final = "Nothing was changed."


@dataclass(frozen=True, slots=True, kw_only=True)
class Typed:
    """What stands in the fields, as it was typed; empty where the price list says nothing of it.

    fee, once: a subscription, a one-off purchase. included: units that cost nothing, every day, month or year. price:
    that of every ``per`` units beyond them. rights: yes or no by name.
    """

    name: str
    currency: str
    fee: str = ""
    fee_every: Literal["month", "year"] = "month"
    included: str = ""
    included_every: Period = "month"
    unit: Unit = "character"
    price: str = ""
    per: str = "1"
    once: str = ""
    source: str = ""
    dated: date | None = None
    rights: Mapping[str, str] = field(default_factory=dict)


def stated_plan(typed: Typed) -> Plan:
    """Raises InputError for what is no number, no currency, or no price at all."""
    name = " ".join(typed.name.split())
    if not name:
        raise InputError("The plan needs a name.", kept=_KEPT)
    parts: list[Component] = []
    if typed.fee.strip():
        fee = typed_number(typed.fee, "Subscription", least=0)
        parts.append(Subscription(kind="subscription", price=fee, every=typed.fee_every))
    if typed.once.strip():
        parts.append(Once(kind="once", price=typed_number(typed.once, "One-off price", least=0)))
    if typed.included.strip():
        amount = typed_whole(typed.included, "Included", least=0)
        parts.append(Allowance(kind="allowance", amount=amount, unit=typed.unit, every=typed.included_every))
    if typed.price.strip():
        price = typed_number(typed.price, "Price", least=0)
        per = typed_whole(typed.per or "1", "Price for every", least=1)
        parts.append(PerUnit(price=price, per=per, unit=typed.unit))
    if not parts:
        raise InputError("A plan has a price, a subscription, a one-off price or something included.", kept=_KEPT)
    rights = {name: cast(Fact, says) for name, says in typed.rights.items() if says in ("yes", "no")}
    return Plan(
        name=name, tariff=Tariff(currency=typed_currency(typed.currency), components=tuple(parts)),
        source=typed.source.strip(), dated=typed.dated, rights=rights,
    )  # fmt: skip


def as_typed(plan: Plan) -> Typed | None:
    """A plan back in the fields; None for one that they cannot hold, as a file's may be."""
    fields: dict[str, Any] = {}
    for part in plan.tariff.components:
        before = len(fields)
        if isinstance(part, Subscription):
            fields |= {"fee": _exact(part.price), "fee_every": part.every}
        elif isinstance(part, Once) and part.life_months is None:
            fields["once"] = _exact(part.price)
        elif isinstance(part, Allowance) and part.first_months is None and fields.get("unit", part.unit) == part.unit:
            fields |= {"included": f"{part.amount:,}", "included_every": part.every, "unit": part.unit}
        elif isinstance(part, PerUnit) and not part.above and fields.get("unit", part.unit) == part.unit:
            fields |= {"price": _exact(part.price), "per": f"{part.per:,}", "unit": part.unit}
        if len(fields) == before:
            return None
    typed = Typed(
        name=plan.name, currency=plan.tariff.currency, source=plan.source, dated=plan.dated, rights=dict(plan.rights),
        **fields,
    )  # fmt: skip
    return typed if stated_plan(typed).tariff == plan.tariff else None


def _exact(amount: Decimal) -> str:
    """As it was typed, to the last digit: what is shown elsewhere is rounded."""
    return f"{amount:f}"


def with_plans(engine: Engine, stated: Sequence[Plan]) -> Engine:
    """The engine with the plans that a person stated, behind those of its file; a file's of the same name stands."""
    known = {plan.name for plan in engine.plans}
    new = tuple(plan for plan in stated if plan.name not in known)
    return engine.model_copy(update={"plans": (*engine.plans, *new)}) if new else engine

"""A plan as a person reads it off a price list: what is typed, line by line, becomes a tariff."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Final, cast

from pydantic import ValidationError

from zestpanel.core.catalogue.facts import Engine, Fact, Plan, PlanLimits
from zestpanel.core.errors import InputError
from zestpanel.core.money.components.part import Typed
from zestpanel.core.money.tariff import Counting, Tariff
from zestpanel.core.money.typed_parts import part_of, typed_of
from zestpanel.core.texts import capital, tr
from zestpanel.core.typed import typed_currency, typed_whole

LIMITS: Final = {
    "characters_per_request": tr("characters in a request"), "requests_at_once": tr("requests at once"),
    "requests_per_minute": tr("requests a minute"),
}  # fmt: skip
_KEPT: Final = tr("Nothing was changed.")


@dataclass(frozen=True, slots=True, kw_only=True)
class TypedPlan:
    """What stands in the fields, as it was typed. lines: the tariff's, in their order. rights: yes or no by name.
    counting: how the plan counts, where a file said so: it is kept as it is. pasted: the price list's own words.
    limits: of the plan, by their names, empty where they are the engine's."""

    name: str
    currency: str
    lines: tuple[Typed, ...] = ()
    source: str = ""
    dated: date | None = None
    check_again: date | None = None
    rights: Mapping[str, str] = field(default_factory=dict)
    counting: Counting = field(default_factory=Counting)
    pasted: str = ""
    limits: Mapping[str, str] = field(default_factory=dict)


def stated_plan(typed: TypedPlan) -> Plan:
    """Raises InputError for what is no number, no currency, or no price at all."""
    name = " ".join(typed.name.split())
    if not name:
        raise InputError(tr("The plan needs a name."), kept=_KEPT)
    if not typed.lines:
        raise InputError(tr("A plan has at least one line: a price, a subscription, something included."), kept=_KEPT)
    parts = tuple(part_of(line) for line in typed.lines)
    try:
        tariff = Tariff(currency=typed_currency(typed.currency), components=parts, counting=typed.counting)
    except ValidationError as error:
        said = str(error.errors()[0]["msg"]).removeprefix("Value error, ")
        raise InputError(f"{capital(said)}.", kept=_KEPT) from error
    rights = {name: cast(Fact, says) for name, says in typed.rights.items() if says in ("yes", "no")}
    return Plan(
        name=name, tariff=tariff, source=typed.source.strip(), dated=typed.dated, check_again=typed.check_again,
        rights=rights, price_list=typed.pasted.strip(), limits=_limits(typed.limits),
    )  # fmt: skip


def _limits(typed: Mapping[str, str]) -> PlanLimits:
    stated = {name: text for name, text in typed.items() if text.strip()}
    return PlanLimits(**{name: typed_whole(text, LIMITS[name], least=1) for name, text in stated.items()})


def as_typed(plan: Plan) -> TypedPlan:
    """A plan back in the fields; ``stated_plan`` of it is the plan again."""
    return TypedPlan(
        name=plan.name, currency=plan.tariff.currency, source=plan.source, dated=plan.dated,
        check_again=plan.check_again, rights=dict(plan.rights),
        lines=tuple(typed_of(part) for part in plan.tariff.components), counting=plan.tariff.counting,
        pasted=plan.price_list,
        limits={name: f"{value:,}" for name in LIMITS if (value := getattr(plan.limits, name)) is not None},
    )  # fmt: skip


def with_plans(engine: Engine, stated: Sequence[Plan]) -> Engine:
    """The engine with the plans that a person stated, behind those of its file; a file's of the same name stands."""
    known = {plan.name for plan in engine.plans}
    new = tuple(plan for plan in stated if plan.name not in known)
    return engine.model_copy(update={"plans": (*engine.plans, *new)}) if new else engine

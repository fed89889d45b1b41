"""Engines by what a lead narrows them by: open or not, how one pays, how it is reached, what it asks first."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from zestpanel.core.catalogue.browsing import FacetValue
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.ledger import Known, OwnStatement, ledger
from zestpanel.core.catalogue.machine import Verdict
from zestpanel.core.money.components.allowance import Allowance
from zestpanel.core.money.components.once import Once
from zestpanel.core.money.components.own_machine import OwnMachine
from zestpanel.core.money.components.per_unit import PerUnit
from zestpanel.core.money.components.subscription import Subscription
from zestpanel.core.texts import tr

_FRICTION: Final = {
    "needs an account": tr("an account"), "needs a card": "a card", "asks questions first": "questions",
}  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class EngineTraits:
    """here: what this machine makes of a local engine's models, none while that is looked up. tried: a voice of it was
    heard or is on the shortlist."""

    engine: Engine
    own: Sequence[OwnStatement]
    here: tuple[Verdict, ...]
    tried: bool

    def known(self) -> Mapping[str, Known]:
        return ledger(self.engine, "engine", "", self.own)


def _open(of: EngineTraits) -> tuple[str, ...]:
    return ({"yes": "open", "no": "proprietary"}.get(of.known()["open"].state, "not known"),)


def _paying(of: EngineTraits) -> tuple[str, ...]:
    """Every way there is: a free plan beside a paid one is found under both."""
    parts = [part for plan in of.engine.plans for part in plan.tariff.components]
    ways = (
        (Subscription, tr("by the month or year")),
        (PerUnit, tr("by use")),
        (Once, "once"),
        (OwnMachine, "own machine"),
    )
    found = tuple(words for kind, words in ways if any(isinstance(part, kind) for part in parts))
    if any(all(isinstance(part, Allowance) for part in plan.tariff.components) for plan in of.engine.plans):
        found = (*found, "nothing")  # what is included costs nothing, within its limits or without any
    return found or (tr("no price known"),)


def _reached(of: EngineTraits) -> tuple[str, ...]:
    if of.engine.speak.kind == "heard of":
        return (tr("only heard of"),)
    return ("hosted" if of.engine.is_hosted else "local",)


def _here(of: EngineTraits) -> tuple[str, ...]:
    if of.engine.is_hosted:
        return ("hosted",)
    return tuple(dict.fromkeys(of.here)) or ("not known",)


def _friction(of: EngineTraits) -> tuple[str, ...]:
    known = of.known()
    asked = tuple(words for name, words in _FRICTION.items() if known[name].state == "yes")
    if asked:
        return asked
    return ("nothing",) if all(known[name].state == "no" for name in _FRICTION) else ("not known",)


FACETS: Final[dict[str, Callable[[EngineTraits], tuple[str, ...]]]] = {
    "open or not": _open,
    "paid": _paying,
    "reached": _reached,
    "on this machine": _here,
    "asks before it speaks": _friction,
    "tried": lambda of: ("tried" if of.tried else tr("not tried"),),
}


def narrowed(
    engines: Sequence[EngineTraits], chosen: Mapping[str, frozenset[str]]
) -> tuple[list[Engine], dict[str, list[FacetValue]]]:
    """(engines of which each facet has one of the values chosen in it, values by facet with how many engines each
    would leave). Facets in which all are alike are left out."""
    values = {name: [of(one) for one in engines] for name, of in FACETS.items()}

    def meets(place: int, but: str = "") -> bool:
        return all(not wanted or name == but or wanted & set(values[name][place]) for name, wanted in chosen.items())

    counts: dict[str, list[FacetValue]] = {}
    for name, of_all in values.items():
        every = dict.fromkeys(value for of_one in of_all for value in of_one)
        picked = chosen.get(name, frozenset())
        if len(every) < 2 and not picked:
            continue
        left = [of_one for place, of_one in enumerate(of_all) if meets(place, but=name)]
        found = [FacetValue(value, sum(value in of_one for of_one in left), value in picked) for value in every]
        counts[name] = sorted(found, key=lambda one: (-one.count, one.value))
    return [one.engine for place, one in enumerate(engines) if meets(place)], counts

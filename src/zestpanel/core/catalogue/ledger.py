"""The ledger of facts: for each thing, every fact with all that is said of it, who says so, and where they disagree."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Final, Literal

from zestpanel.core import clock
from zestpanel.core.catalogue.fact_list import BY_NAME, FACTS, About, FactKind, HasFacts, Statement
from zestpanel.core.catalogue.facts import Engine, Plan
from zestpanel.core.texts import tr, word
from zestpanel.core.waiting import stand_aside

PRICE_AGE_DAYS: Final = 90
FROM_FILE: Final = "connector file"


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnStatement:
    """Something the user states in the program. settles: it counts even where other sources say otherwise."""

    id: int
    about: About
    item: str
    fact: str
    statement: Statement
    settles: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Known:
    """One fact as known: 'yes', 'no', 'stated' (a value that is neither) or 'unknown'."""

    fact: FactKind
    statements: tuple[Statement, ...]
    state: Literal["yes", "no", "stated", "unknown"]
    words: str
    disagree: bool
    old: bool

    @property
    def source(self) -> str:
        return "; ".join(dict.fromkeys(described(s) for s in self.statements))


def described(statement: Statement) -> str:
    """'price page, 2026-10-12', or what is missing."""
    return ", ".join(str(part) for part in (statement.source or tr("no source"), statement.dated or tr("no date")))


def ledger(
    engine: Engine,
    about: About,
    item: str = "",
    own: Iterable[OwnStatement] = (),
    *,
    today: date | None = None,
    age_days: int = PRICE_AGE_DAYS,
) -> dict[str, Known]:
    """All facts about the engine, or about one of its models, plans or voices, by name; unknown ones included."""
    stand_aside()  # it is asked of every candidate, one after the other
    said: dict[str, list[Statement]] = {fact.name: [] for fact in FACTS if fact.about == about}
    thing = _thing(engine, about, item)
    for name, statements in _structured(engine, about, thing):
        said[name].extend(statements)
    if thing is not None:
        source, dated = (thing.source, thing.dated) if isinstance(thing, Plan) else (engine.source, engine.dated)
        for name, several in thing.facts.items():
            said[name].extend(
                s if s.source or s.dated else s.model_copy(update={"source": source, "dated": dated}) for s in several
            )
    settled: dict[str, Statement] = {}
    for mine in own:
        if (mine.about, mine.item) == (about, item) and mine.fact in said:
            said[mine.fact].append(mine.statement)
            if mine.settles:
                settled[mine.fact] = mine.statement
    day = today or clock.today()
    return {
        name: known(BY_NAME[about, name], statements, settled.get(name), day, age_days)
        for name, statements in said.items()
    }


def known(
    fact: FactKind, statements: Sequence[Statement], settled: Statement | None, today: date, age_days: int
) -> Known:
    values = list(dict.fromkeys(s.words for s in statements))
    disagree = len(values) > 1
    dates = [s.dated for s in statements if s.dated is not None]
    counts = settled.words if settled else values[0] if len(values) == 1 else ""
    if not statements or (disagree and settled is None and fact.kind == "yes or no"):
        state: Literal["yes", "no", "stated", "unknown"] = "unknown"
    elif fact.kind == "yes or no":
        state = "yes" if counts == "yes" else "no"
    else:
        state = "stated"
    shown = counts or " or ".join(values) or "unknown"
    unit = f" {word(fact.unit)}" if fact.unit and statements else ""
    old = fact.ages and bool(dates) and (today - max(dates)).days > age_days
    return Known(
        fact=fact, statements=tuple(statements), state=state, words=shown + unit, disagree=disagree, old=old
    )  # fmt: skip


def _thing(engine: Engine, about: About, item: str) -> HasFacts | None:
    if about == "engine":
        return engine
    return {"model": engine.model, "plan": engine.plan, "voice": engine.voice}[about](item)


def _structured(engine: Engine, about: About, thing: HasFacts | None) -> Iterable[tuple[str, list[Statement]]]:
    """What other parts of the connector file say, as statements."""
    if about == "engine":
        limits = engine.limits
        for name, value in (
            ("largest text", limits.characters_per_request),
            ("requests at once", limits.requests_at_once),
            ("requests a minute", limits.requests_per_minute),
        ):
            stated = name.replace(" ", "_").replace("largest_text", "characters_per_request") in limits.model_fields_set
            if value is not None and stated:  # what nobody stated is not said to be
                yield name, [Statement(value=value, source=limits.source or FROM_FILE, dated=limits.dated)]
        if getattr(engine.speak, "stream", False):
            yield "streams", [Statement(value=True, source=FROM_FILE)]
    elif isinstance(thing, Plan):
        for name, right in thing.rights.items():
            if right != "unknown" and ("plan", name) in BY_NAME:
                yield name, [Statement(value=right == "yes", source=thing.source or FROM_FILE, dated=thing.dated)]


def price_is_old(plan: Plan, *, today: date | None = None, age_days: int = PRICE_AGE_DAYS) -> bool:
    """Whether a plan's price is due to be looked at again: older than the set age, or without a date."""
    return plan.dated is None or ((today or clock.today()) - plan.dated).days > age_days


def troubles(engine: Engine, own: Sequence[OwnStatement] = (), *, today: date | None = None,
             age_days: int = PRICE_AGE_DAYS) -> list[str]:  # fmt: skip
    """What to look at again: sources that disagree, and prices and limits older than the set age."""
    things: list[tuple[About, str]] = [("engine", "")]
    things += [("model", m.id) for m in engine.models] + [("plan", p.name) for p in engine.plans]
    out = []
    for about, item in things:
        where = f"{item}: " if item else ""
        for name, one in ledger(engine, about, item, own, today=today, age_days=age_days).items():
            if one.disagree:
                values = "; ".join(f"{s.words} ({described(s)})" for s in one.statements)
                out.append(tr("{where}{name}: sources disagree: {values}", where=where, name=name, values=values))
            elif one.old:
                out.append(
                    tr(
                        "{where}{name}: older than {age_days} days, look it up again",
                        where=where,
                        name=name,
                        age_days=age_days,
                    )
                )
    out += [
        tr("{name}: its price has no date", name=plan.name)
        if plan.dated is None
        else tr(
            "{name}: its price is of {dated}, older than {age_days} days",
            name=plan.name,
            dated=plan.dated,
            age_days=age_days,
        )
        for plan in engine.plans
        if price_is_old(plan, today=today, age_days=age_days)
    ]
    return out

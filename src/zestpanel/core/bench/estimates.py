"""What a run would take before it is made: requests, characters as billed, money, allowance and time."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from types import MappingProxyType
from typing import TYPE_CHECKING

from zestpanel.core.bench.conditions import USUAL, Conditions
from zestpanel.core.catalogue.candidate import Candidate, plan_of
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.project.database import now
from zestpanel.core.project.journal import JournalRow
from zestpanel.core.tariffs.money import Money, shown
from zestpanel.core.tariffs.tariff import OwnMachine, Tariff, Usage, month_cost, price_words

if TYPE_CHECKING:
    from zestpanel.core.bench.planning import Job
    from zestpanel.core.project.project import Project

Used = Mapping[tuple[str, str], Mapping[str, int]]  # (engine, plan) -> model -> characters


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanEstimate:
    """What a run adds under one plan. cost None: not known before (``why``). short_by: units the plan refuses.

    allowance_used: share of the month's allowance that will be used after the run, None where there is none.
    own_machine: where nothing is billed, what running one's own machine costs.
    """

    engine: str
    plan: str
    requests: int
    characters: int
    cost: Money | None
    why: str = ""
    short_by: Decimal = Decimal(0)
    allowance_used: Decimal | None = None
    own_machine: Money | None = None

    def says(self) -> str:
        """Money in words: an amount, or that there is no bill, or why it is not known."""
        if self.cost is not None:
            return f"{shown(self.cost.amount)} {self.cost.currency}"
        if self.own_machine is not None:
            return f"no bill; this machine {shown(self.own_machine.amount)} {self.own_machine.currency}"
        return self.why


@dataclass(frozen=True, slots=True, kw_only=True)
class TimeNeeded:
    """seconds is None where an engine was never timed. basis says what it rests on."""

    seconds: float | None
    basis: str


def total_by_currency(amounts: Iterable[Money]) -> tuple[Money, ...]:
    sums: dict[str, Money] = {}
    for money in amounts:
        sums[money.currency] = sums[money.currency] + money if money.currency in sums else money
    return tuple(sums.values())


def used_in(
    journal: Sequence[JournalRow], candidates: Mapping[int, Candidate], counts: Callable[[JournalRow], bool]
) -> dict[tuple[str, str], dict[str, int]]:
    """Characters sent by (engine, plan), then by model, over rows that count. Failed requests do not."""
    used: dict[tuple[str, str], dict[str, int]] = defaultdict(lambda: defaultdict(int))
    for row in journal:
        if row.state != "failed" and counts(row):
            candidate = candidates[row.candidate_id]
            used[(candidate.engine, row.plan)][candidate.model] += row.characters
    return used


def used_this_month(project: Project, journal: Sequence[JournalRow]) -> dict[tuple[str, str], dict[str, int]]:
    """Characters sent this calendar month (UTC) by (engine, plan), then by model."""
    month = now()[:7]
    by_id = {c.id: c for c in project.shortlist.candidates(removed=True, of_sweeps=True)}
    return used_in(journal, by_id, lambda row: row.opened.startswith(month))


def estimate(
    jobs: Sequence[Job],
    engines: Mapping[str, Engine],
    used: Used,
    seconds_per_character: Mapping[int, tuple[float, int]] = MappingProxyType({}),
) -> list[PlanEstimate]:
    """Requests, characters and money that the jobs add under each plan. Jobs served from the store add nothing.

    seconds_per_character: as for ``time_needed``; what one's own machine costs is said from it, and is no bill.
    """
    grouped: dict[tuple[str, str], list[Job]] = defaultdict(list)
    for job in jobs:
        if job.served_from is None:
            grouped[(job.candidate.engine, job.candidate.plan)].append(job)
    out = []
    for (engine_name, plan_name), group in grouped.items():
        added: dict[str, int] = defaultdict(int)
        for job in group:
            added[job.candidate.model] += job.sent.billed
        tariff = plan_of(group[0].candidate, engines.get(engine_name)).tariff
        before = used.get((engine_name, plan_name), {})
        cost, why, short_by = added_cost(tariff, before, added)
        own = _own_machine(tariff, group, seconds_per_character) if cost is None else None
        after = {model: before.get(model, 0) + added.get(model, 0) for model in {*before, *added}}
        out.append(
            PlanEstimate(
                engine=engine_name,
                plan=plan_name,
                requests=sum(len(job.sent.requests) for job in group),
                characters=sum(added.values()),
                cost=cost,
                why="" if own else why,
                own_machine=own,
                short_by=short_by,
                allowance_used=month_cost(tariff, _as_usage(after), month=13).allowance_used,
            )
        )
    return out


def _own_machine(
    tariff: Tariff, group: Sequence[Job], seconds_per_character: Mapping[int, tuple[float, int]]
) -> Money | None:
    """What one's own machine costs while it computes the jobs, None where its speed is not known or it does not."""
    price = sum((part.per_second() for part in tariff.components if isinstance(part, OwnMachine)), Decimal(0))
    known = {j.candidate.id: seconds_per_character[j.candidate.id][0] for j in group
             if j.candidate.id in seconds_per_character}  # fmt: skip
    if not price or not known:
        return None
    usual = sum(known.values()) / len(known)
    seconds = sum(known.get(job.candidate.id, usual) * job.sent.billed for job in group)
    return Money(price * Decimal(str(seconds)), tariff.currency)


def added_cost(
    tariff: Tariff, before: Mapping[str, int], added: Mapping[str, int]
) -> tuple[Money | None, str, Decimal]:
    """(what the added characters cost on top of those already used this month, why not known, units refused).

    The difference of two months' costs, so that allowances, tiers and credits are counted once and exactly.
    """
    after = {model: before.get(model, 0) + added.get(model, 0) for model in {*before, *added}}
    then, now_ = (month_cost(tariff, _as_usage(use), month=13) for use in (before, after))
    if then.total is None or now_.total is None:
        return None, now_.why, Decimal(0)
    return Money(now_.total.amount - then.total.amount, tariff.currency), "", now_.short_by


def _as_usage(by_model: Mapping[str, int]) -> Usage:
    total = Decimal(sum(by_model.values()))
    return Usage(characters=total, sound_s=total * 60 / 1000, by_model={m: Decimal(n) for m, n in by_model.items()})


def prices_of(candidates: Iterable[Candidate], engines: Mapping[str, Engine]) -> dict[str, str]:
    """What the plans' tariffs say, by 'engine / plan': kept with each run, so that a later change of price is seen."""
    out = {}
    for candidate in candidates:
        plan = plan_of(candidate, engines.get(candidate.engine))
        parts = [price_words(part) for part in plan.tariff.components]
        out[f"{candidate.engine} / {plan.name}"] = "; ".join(filter(None, parts)) or "not stated"
        if parts:
            out[f"{candidate.engine} / {plan.name}"] += f" ({plan.tariff.currency})"
    return out


def time_needed(
    jobs: Sequence[Job],
    engines: Mapping[str, Engine],
    seconds_per_character: Mapping[int, tuple[float, int]],
    conditions: Conditions = USUAL,
) -> TimeNeeded:
    """How long the jobs will take: engines run beside each other, each with as many requests at once as it may.

    seconds_per_character: by candidate id, (wait for a whole clip over its characters, on how many takes). An engine
    whose candidate was not timed takes the mean of its other ones. A limit of requests a minute bounds it from below.
    """
    by_engine: dict[str, list[Job]] = defaultdict(list)
    for job in jobs:
        if job.served_from is None:
            by_engine[job.candidate.engine].append(job)
    longest, rests_on, untimed = 0.0, 0, []
    for name, group in by_engine.items():
        engine = engines[name]
        known = [seconds_per_character[job.candidate.id] for job in group if job.candidate.id in seconds_per_character]
        if not known:
            untimed.append(name)
            continue
        usual = sum(rate for rate, _ in known) / len(known)
        rests_on += sum({job.candidate.id: seconds_per_character[job.candidate.id][1]
                         for job in group if job.candidate.id in seconds_per_character}.values())  # fmt: skip
        waits: dict[int, float] = defaultdict(float)
        for job in group:
            rate = seconds_per_character.get(job.candidate.id, (usual, 0))[0]
            waits[job.at_once] += rate * len(job.passage.text)
        own = engine.limits.requests_at_once
        needed = sum(total / (min(level, own) if level else own) for level, total in waits.items())
        if (limit := engine.limits.requests_per_minute) is not None:
            needed = max(needed, 60 * sum(len(job.sent.requests) for job in group) / limit - 60)
        longest = max(longest, needed)
    if untimed:
        return TimeNeeded(seconds=None, basis=f"not timed yet: {', '.join(sorted(untimed))}")
    words = f"from {rests_on} takes timed before" + (
        ", which were warm; cold ones take longer" if conditions.cold else ""
    )
    return TimeNeeded(seconds=longest, basis=words if by_engine else "nothing is sent")

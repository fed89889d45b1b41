"""What a run would take before it is made: requests, characters as billed, money, allowance and time."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from functools import reduce
from types import MappingProxyType
from typing import Protocol

from zestpanel.core.catalogue.candidate import plan_of
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.clock import day_of, today
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.money import Money, summed
from zestpanel.core.domain.run import JournalRow
from zestpanel.core.errors import MAY_BE_BILLED
from zestpanel.core.money.components.own_machine import OwnMachine
from zestpanel.core.money.metering import Added, Meter
from zestpanel.core.money.tariff import NO_USE, Tariff, Usage, allowances, sold
from zestpanel.core.money.volume import Rates
from zestpanel.core.runs.plan.conditions import USUAL, Conditions
from zestpanel.core.runs.plan.job import Job
from zestpanel.core.sending.as_sent import AsSent
from zestpanel.core.store.auditions import Audition, Auditions
from zestpanel.core.store.parts import HasAuditions, HasBrief, HasJournal, HasShortlist, HasTakes
from zestpanel.core.store.shortlist import Shortlist
from zestpanel.core.store.takes import Takes
from zestpanel.core.texts import as_stored, tr


class BillParts(HasBrief, HasShortlist, HasTakes, HasJournal, HasAuditions, Protocol):
    """What plans have been used for."""


PlanKey = tuple[str, str]  # engine, plan
UsedDays = Mapping[PlanKey, Mapping[date, Usage]]


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanEstimate:
    """What a run adds under one plan. cost None: not known before (``why``). short_by: units the plan refuses.

    allowance_used: share of the fullest allowance (of the day, month or year) that will be used after the run, None
    where there is none. own_machine: where nothing is billed, what running one's own machine costs. length_assumed:
    the plan bills by sound, and how much there will be is assumed, not measured.
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
    length_assumed: bool = False

    def says(self) -> str:
        """Money in words: an amount, or that there is no bill, or why it is not known."""
        if self.cost is not None:
            assumed = tr(", at 1,000 characters a minute assumed") if self.length_assumed else ""
            return f"{self.cost}{assumed}"
        if self.own_machine is not None:
            return tr(
                "no bill; this machine {amount} {currency}",
                amount=summed(self.own_machine.amount),
                currency=self.own_machine.currency,
            )
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


def used_by_day(
    journal: Sequence[JournalRow],
    candidates: Mapping[int, Candidate],
    rates: Mapping[int, Rates],
    counts: Callable[[JournalRow | Audition], bool],
    auditions: Sequence[Audition] = (),
) -> dict[PlanKey, dict[date, Usage]]:
    """What was used of each plan, by the day, over rows that count, of runs and of lines heard.

    A request whose sound is not known (it is open, or failed) counts with the length its candidate's pace gives it.
    """
    used: dict[PlanKey, dict[date, Usage]] = defaultdict(dict)
    for row in journal:
        if not counts(row):
            continue
        candidate = candidates[row.candidate_id]
        sound = rates.get(candidate.id, Rates()).sound_s(row.characters)
        if row.sound_s is not None:
            sound = Decimal(repr(row.sound_s))
        days = used[(candidate.engine, row.plan)]
        day = day_of(row.opened)
        days[day] = days.get(day, NO_USE).plus(use_of(candidate.model, row.characters, sound_s=sound))
    for line in filter(counts, auditions):
        sound = Rates().sound_s(line.characters) if line.sound_s is None else Decimal(repr(line.sound_s))
        days, day = used[(line.engine, line.plan)], day_of(line.opened)
        more = use_of(line.model, line.characters, sound_s=sound, requests=line.requests)
        days[day] = days.get(day, NO_USE).plus(more)
    return used


def use_of(model: str, characters: int, *, sound_s: Decimal, requests: int = 1) -> Usage:
    """Requests as a plan counts them."""
    return Usage(
        characters=Decimal(characters), sound_s=sound_s, requests=requests, by_model={model: Decimal(characters)}
    )


def used_so_far(
    auditions: Auditions, shortlist: Shortlist, journal: Sequence[JournalRow], rates: Mapping[int, Rates]
) -> UsedDays:
    """What was used of each plan until now, what may have been billed and brought nothing included."""
    by_id = {c.id: c for c in shortlist.candidates(removed=True, of_sweeps=True)}
    lines = auditions.rows()
    return used_by_day(journal, by_id, rates, may_be_paid, lines)


def may_be_paid(row: JournalRow | Audition) -> bool:
    """Whether a request counts as used: it was answered, it is open or was stopped under way, or it failed in a way
    that a service may bill."""
    return row.state != "failed" or row.failure_kind in MAY_BE_BILLED


def paces_of(takes: Takes, shortlist: Shortlist, candidates: Iterable[Candidate]) -> dict[int, Rates]:
    """The pace of each candidate by its takes, or by those of the same sound bought under another plan."""
    by_take = takes.paces()
    shared: dict[object, list[tuple[int, float, int]]] = defaultdict(list)
    for candidate in shortlist.candidates(removed=True, of_sweeps=True):
        if candidate.id in by_take:
            shared[candidate.sound_key].append(by_take[candidate.id])
    out = {}
    for candidate in candidates:
        found = [by_take[candidate.id]] if candidate.id in by_take else shared.get(candidate.sound_key, [])
        characters, seconds, count = (sum(part) for part in zip(*found, strict=True)) if found else (0, 0.0, 0)
        if seconds and characters:
            per_minute = Decimal(characters) / (Decimal(repr(float(seconds))) / 60)
            out[candidate.id] = Rates(characters_per_minute=per_minute, takes=int(count))
    return out


def use_of_job(job: Job, rates: Mapping[int, Rates], *, after: int = 0) -> Usage:
    """What a take uses of its plan, by its candidate's pace. after: requests of its text that are answered already."""
    pieces = job.sent.requests[after:]
    pace = rates.get(job.candidate.id, Rates())
    sound = sum((pace.sound_s(len(piece.words)) for piece in pieces), Decimal(0))
    return use_of(job.candidate.model, sum(piece.billed for piece in pieces), sound_s=sound, requests=len(pieces))


def estimate(
    jobs: Sequence[Job],
    engines: Mapping[str, Engine],
    used: UsedDays,
    rates: Mapping[int, Rates] = MappingProxyType({}),
    seconds_per_character: Mapping[int, tuple[float, int]] = MappingProxyType({}),
    *,
    on: date,
    seats: int = 1,
) -> list[PlanEstimate]:
    """Requests, characters and money that the jobs add under each plan, all of them made on one day. Jobs served from
    the store add nothing.

    rates: the candidates' paces, for plans that bill by sound. seconds_per_character: as for ``time_needed``; what
    one's own machine costs is said from it, and is no bill.
    """
    grouped: dict[PlanKey, list[Job]] = defaultdict(list)
    for job in jobs:
        if job.asks:
            grouped[(job.candidate.engine, job.candidate.plan)].append(job)
    out = []
    for key, group in grouped.items():
        plan = plan_of(group[0].candidate, engines.get(key[0]))
        added = reduce(Usage.plus, (use_of_job(job, rates) for job in group), NO_USE)
        found = Meter(plan.tariff, used.get((key[0], plan.name), {}), today=on, seats=seats).with_more(added)
        own = _own_machine(plan.tariff, group, seconds_per_character) if found.cost is None else None
        why = found.why
        if own is None and any(isinstance(part, OwnMachine) for part in plan.tariff.components):
            why = tr("speed on this machine not measured yet")
        out.append(
            PlanEstimate(
                engine=key[0],
                plan=key[1],
                requests=int(added.requests),
                characters=int(added.characters),
                cost=found.cost,
                why="" if own else why,
                own_machine=own,
                short_by=found.short_by,
                allowance_used=found.allowance_used,
                length_assumed=bills_by_sound(plan.tariff)
                and any(rates.get(job.candidate.id, Rates()).assumed for job in group),
            )
        )
    return out


def cost_of_sending(project: BillParts, candidate: Candidate, engine: Engine, sent: AsSent) -> Added:
    """What one text more would add to the bill of a candidate's plan today."""
    rates = paces_of(project.takes, project.shortlist, [candidate])
    used = used_so_far(project.auditions, project.shortlist, project.journal.rows(), rates)
    plan = plan_of(candidate, engine)
    sound = rates.get(candidate.id, Rates()).sound_s(sum(len(request.words) for request in sent.requests))
    more = use_of(candidate.model, sent.billed, sound_s=sound, requests=len(sent.requests))
    meter = Meter(plan.tariff, used.get((engine.engine, plan.name), {}), today=today(),
                  seats=project.brief.seats)  # fmt: skip
    return meter.with_more(more)


def bills_by_sound(tariff: Tariff) -> bool:
    """Whether money or an allowance of a plan hangs on the length of the sound."""
    return bool({*sold(tariff), *allowances(tariff)} & {"second", "minute", "hour"})


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


def prices_of(candidates: Iterable[Candidate], engines: Mapping[str, Engine]) -> dict[str, str]:
    """What the plans' tariffs say, by 'engine / plan': kept with each run, so that a later change of price is seen."""
    out = {}
    for candidate in candidates:
        plan = plan_of(candidate, engines.get(candidate.engine))
        with as_stored():
            parts = [part.stamp() for part in plan.tariff.components]
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
    """How long the jobs will take: services run beside each other, each with as many requests at once as it may;
    programs of this machine one after the other, unless they run side by side.

    seconds_per_character: by candidate id, (wait for a whole clip over its characters, on how many takes). An engine
    whose candidate was not timed takes the mean of its other ones. A limit of requests a minute bounds it from below.
    """
    by_engine: dict[str, list[Job]] = defaultdict(list)
    for job in jobs:
        if job.asks:
            by_engine[job.candidate.engine].append(job)
    longest, of_programs, rests_on, untimed = 0.0, 0.0, 0, []
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
        alone = not engine.is_hosted and not conditions.side_by_side
        limits = engine.limits_under(job.candidate.plan for job in group)
        own = 1 if alone else limits.requests_at_once
        needed = sum(total / (min(level, limits.requests_at_once) if level else own) for level, total in waits.items())
        if (limit := limits.requests_per_minute) is not None:
            needed = max(needed, 60 * sum(len(job.sent.requests) for job in group) / limit - 60)
        if alone:
            of_programs += needed
        else:
            longest = max(longest, needed)
    longest = max(longest, of_programs)
    if untimed:
        return TimeNeeded(seconds=None, basis=tr("not timed yet: {untimed}", untimed=", ".join(sorted(untimed))))
    words = tr("from {rests_on} takes timed before", rests_on=rests_on) + (
        tr(", which were warm; cold ones take longer") if conditions.cold else ""
    )
    return TimeNeeded(seconds=longest, basis=words if by_engine else tr("nothing is sent"))

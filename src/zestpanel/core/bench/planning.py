"""What a run would do: the takes that are missing, what stands against some, and what it will cost."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal

import numpy as np

from zestpanel.core.catalogue.candidate import Candidate, plan_of
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.preflight import Surroundings, obstacles, text_obstacles
from zestpanel.core.connectors.secrets import has_secret, not_known_missing
from zestpanel.core.passages.passage import Passage
from zestpanel.core.project.project import Project
from zestpanel.core.project.takes import JournalRow, Take
from zestpanel.core.sending.as_sent import AsSent
from zestpanel.core.tariffs.money import Money
from zestpanel.core.tariffs.tariff import Tariff, Usage, month_cost

MAY_BE_PAID = "an earlier request may have been paid; decide on it first"


@dataclass(frozen=True, slots=True, kw_only=True)
class Job:
    candidate: Candidate
    passage: Passage
    repeat: int
    sent: AsSent


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanEstimate:
    """What a run adds under one plan. cost None: not known before (``why``)."""

    engine: str
    plan: str
    requests: int
    characters: int
    cost: Money | None
    why: str = ""
    short_by: Decimal = Decimal(0)


@dataclass(frozen=True, slots=True, kw_only=True)
class PlannedRun:
    jobs: tuple[Job, ...]
    left_out: tuple[tuple[Candidate, Passage, str], ...]
    estimates: tuple[PlanEstimate, ...]
    repeats: int

    @property
    def characters(self) -> int:
        return sum(one.characters for one in self.estimates)

    @property
    def costs(self) -> tuple[Money, ...]:
        """Known costs, one amount a currency."""
        return total_by_currency(one.cost for one in self.estimates if one.cost is not None)


def total_by_currency(amounts: Iterable[Money]) -> tuple[Money, ...]:
    sums: dict[str, Money] = {}
    for money in amounts:
        sums[money.currency] = sums[money.currency] + money if money.currency in sums else money
    return tuple(sums.values())


def plan_run(
    project: Project,
    *,
    repeats: int = 1,
    candidates: Sequence[Candidate] | None = None,
    passages: Sequence[Passage] | None = None,
    only: Callable[[Candidate, Passage], bool] = lambda candidate, passage: True,
) -> PlannedRun:
    """The takes that are missing at the passages' present versions, with their price before they are made.

    only: which cells of candidates by passages are wanted; all of them unless said.
    """
    candidates = project.shortlist.candidates() if candidates is None else candidates
    passages = project.texts.all() if passages is None else passages
    engines = project.shortlist.engines()
    have: dict[tuple[int, int, int], list[Take]] = defaultdict(list)
    for take in project.takes.all(with_timing=False):
        have[(take.candidate_id, take.passage_version_id, take.repeat)].append(take)
    journal = project.takes.journal()
    undecided = {(r.candidate_id, r.passage_version_id) for r in journal if r.state == "open"}
    jobs: list[Job] = []
    left_out: list[tuple[Candidate, Passage, str]] = []
    in_the_way = barred(project, candidates, engines)
    for candidate in candidates:
        engine = engines.get(candidate.engine)
        for passage in passages:
            if not only(candidate, passage):
                continue
            reasons = list(in_the_way[candidate.id])
            if engine is not None:
                reasons += text_reasons(project, candidate, engine, passage)
            if (candidate.id, passage.version_id) in undecided:
                reasons.append(MAY_BE_PAID)
            if reasons or engine is None:
                left_out.append((candidate, passage, "; ".join(reasons)))
                continue
            sent = project.sending.of(candidate, passage, engine)
            jobs += [
                Job(candidate=candidate, passage=passage, repeat=repeat, sent=sent)
                for repeat in range(1, repeats + 1)
                if not any(asked_alike(t, sent) for t in have[(candidate.id, passage.version_id, repeat)])
            ]
    return PlannedRun(
        jobs=tuple(jobs),
        left_out=tuple(left_out),
        repeats=repeats,
        estimates=tuple(estimate(jobs, engines, used_this_month(project, journal))),
    )


def asked_alike(take: Take, sent: AsSent) -> bool:
    """Whether a take was asked for with the very texts that would be sent now; clips from elsewhere always count."""
    return take.sent is None or take.sent == tuple(request.text for request in sent.requests)


def text_reasons(project: Project, candidate: Candidate, engine: Engine, passage: Passage) -> list[str]:
    """What stands against a text, as it is and as it would be sent."""
    reasons = [o.words for o in text_obstacles(candidate, engine, passage.text, passage.language)]
    if not reasons and (too_long := project.sending.of(candidate, passage, engine).too_long):
        shown = too_long[0] if len(too_long[0]) <= 40 else too_long[0][:38] + "…"
        limit = engine.limits.characters_per_request
        reasons.append(f"'{shown}' cannot be cut to {limit:,} characters")
    return reasons


def surroundings(project: Project, engine: str, *, ask_key_store: bool = True) -> Surroundings:
    """What an engine's candidates are held against: this machine, keys, consents and own statements."""
    return Surroundings(
        has_key=has_secret if ask_key_store else not_known_missing,
        consent_missing=project.own_voices.consent_missing,
        own=project.notes.statements().get(engine, []),
    )


def barred(
    project: Project, candidates: Sequence[Candidate], engines: dict[str, Engine], *, ask_key_store: bool = True
) -> dict[int, tuple[str, ...]]:
    """What stands against each candidate whatever the text is, by candidate id."""
    here = {name: surroundings(project, name, ask_key_store=ask_key_store) for name in {c.engine for c in candidates}}
    return {
        c.id: tuple(o.words for o in obstacles(c, engines[c.engine], here[c.engine]))
        if c.engine in engines
        else ("its connector file is not in the project",)
        for c in candidates
    }


def used_this_month(project: Project, journal: Sequence[JournalRow]) -> dict[tuple[str, str], dict[str, int]]:
    """Characters sent this calendar month (UTC) by (engine, plan), then by model. Failed requests do not count."""
    from zestpanel.core.project.database import now

    month = now()[:7]
    by_id = {c.id: c for c in project.shortlist.candidates(removed=True)}
    used: dict[tuple[str, str], dict[str, int]] = defaultdict(lambda: defaultdict(int))
    for row in journal:
        if row.state != "failed" and row.opened.startswith(month):
            candidate = by_id[row.candidate_id]
            used[(candidate.engine, row.plan)][candidate.model] += row.characters
    return used


def estimate(
    jobs: Sequence[Job], engines: dict[str, Engine], used: dict[tuple[str, str], dict[str, int]]
) -> list[PlanEstimate]:
    """Requests, characters and money that the jobs add under each plan."""
    grouped: dict[tuple[str, str], list[Job]] = defaultdict(list)
    for job in jobs:
        grouped[(job.candidate.engine, job.candidate.plan)].append(job)
    out = []
    for (engine_name, plan_name), group in grouped.items():
        added: dict[str, int] = defaultdict(int)
        for job in group:
            added[job.candidate.model] += job.sent.billed
        tariff = plan_of(group[0].candidate, engines.get(engine_name)).tariff
        cost, why, short_by = added_cost(tariff, used.get((engine_name, plan_name), {}), added)
        out.append(
            PlanEstimate(
                engine=engine_name,
                plan=plan_name,
                requests=sum(len(job.sent.requests) for job in group),
                characters=sum(added.values()),
                cost=cost,
                why=why,
                short_by=short_by,
            )
        )
    return out


def added_cost(tariff: Tariff, before: dict[str, int], added: dict[str, int]) -> tuple[Money | None, str, Decimal]:
    """(what the added characters cost on top of those already used this month, why not known, units refused).

    The difference of two months' costs, so that allowances, tiers and credits are counted once and exactly.
    """
    after = {model: before.get(model, 0) + added.get(model, 0) for model in {*before, *added}}
    then, now_ = (month_cost(tariff, _as_usage(use), month=13) for use in (before, after))
    if then.total is None or now_.total is None:
        return None, now_.why, Decimal(0)
    return Money(now_.total.amount - then.total.amount, tariff.currency), "", now_.short_by


def _as_usage(by_model: dict[str, int]) -> Usage:
    total = Decimal(sum(by_model.values()))
    return Usage(characters=total, sound_s=total * 60 / 1000, by_model={m: Decimal(n) for m, n in by_model.items()})


def interleaved(jobs: Sequence[Job], rng: np.random.Generator) -> list[Job]:
    """The jobs in shuffled rounds, one job a candidate in each round, so that a slow hour hits everybody alike."""
    waiting: dict[int, list[Job]] = defaultdict(list)
    for index in rng.permutation(len(jobs)):
        waiting[jobs[int(index)].candidate.id].append(jobs[int(index)])
    out: list[Job] = []
    while waiting:
        for candidate_id in rng.permutation(sorted(waiting)):
            out.append(waiting[int(candidate_id)].pop())
            if not waiting[int(candidate_id)]:
                del waiting[int(candidate_id)]
    return out

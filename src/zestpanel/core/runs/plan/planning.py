"""What a run would do: the takes that are missing, what stands against some, and what it will cost."""

from __future__ import annotations

import hashlib
import json
from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Protocol

import numpy as np

from zestpanel.core.catalogue.facts import Engine, language_for
from zestpanel.core.clock import today
from zestpanel.core.connectors.preflight import Surroundings, obstacles, text_obstacles
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.money import Money
from zestpanel.core.domain.passage import Passage
from zestpanel.core.domain.take import Take
from zestpanel.core.runs.plan.conditions import USUAL, Conditions
from zestpanel.core.runs.plan.estimates import (
    PlanEstimate,
    TimeNeeded,
    estimate,
    paces_of,
    time_needed,
    total_by_currency,
    used_so_far,
)
from zestpanel.core.runs.plan.job import Job
from zestpanel.core.runs.plan.undecided import WORDS as MAY_BE_PAID
from zestpanel.core.runs.plan.undecided import undecided_of
from zestpanel.core.secrets.keys import has_secret, not_known_missing
from zestpanel.core.sending.as_sent import AsSent
from zestpanel.core.store.notes import CatalogueNotes
from zestpanel.core.store.own_voices import OwnVoices
from zestpanel.core.store.parts import (
    HasAuditions,
    HasBrief,
    HasChanges,
    HasJournal,
    HasNotes,
    HasOwnVoices,
    HasSending,
    HasShortlist,
    HasTakes,
    HasTexts,
)
from zestpanel.core.store.sending import Sending
from zestpanel.core.texts import tr, trn


class PlanningParts(
    HasShortlist,
    HasTexts,
    HasTakes,
    HasJournal,
    HasAuditions,
    HasSending,
    HasOwnVoices,
    HasNotes,
    HasChanges,
    HasBrief,
    Protocol,
):
    """What is there, what was asked for, and how texts are sent."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PlannedRun:
    """left_out: cells, each with all its reasons in one line. reasons: each of them once, in the order met."""

    jobs: tuple[Job, ...]
    left_out: tuple[tuple[Candidate, Passage, str], ...]
    reasons: tuple[str, ...]
    estimates: tuple[PlanEstimate, ...]
    repeats: int
    time: TimeNeeded
    conditions: Conditions = USUAL
    seen: int = -1  # the state of the project when it was planned, as other programs' writing changes it

    @property
    def characters(self) -> int:
        return sum(one.characters for one in self.estimates)

    @property
    def requests(self) -> int:
        return sum(one.requests for one in self.estimates)

    @property
    def asked(self) -> str:
        return trn(
            "{requests} request, {characters} characters",
            "{requests} requests, {characters} characters",
            self.requests,
            requests=f"{self.requests:,}",
            characters=f"{self.characters:,}",
        )

    @property
    def served(self) -> int:
        """Takes that identical requests, of before or of this run, serve."""
        return sum(not job.asks for job in self.jobs)

    @property
    def price(self) -> str:
        """What it will cost in words: known amounts, and what is not among them."""
        asked = [one for one in self.estimates if one.requests]
        parts = [str(m) for m in self.costs]
        unknown = [one for one in asked if one.cost is None and one.own_machine is None]
        if any(one.own_machine is not None for one in asked):
            parts.append(tr("no bill for this machine"))
        if unknown:
            parts.append(
                tr("no price stated for {fromkeys}", fromkeys=", ".join(dict.fromkeys(one.engine for one in unknown)))
            )
        return " + ".join(parts) or tr("nothing is sent")

    @property
    def costs(self) -> tuple[Money, ...]:
        """Known costs, one amount a currency."""
        return total_by_currency(one.cost for one in self.estimates if one.cost is not None)


def plan_run(
    project: PlanningParts,
    *,
    repeats: int = 1,
    candidates: Sequence[Candidate] | None = None,
    passages: Sequence[Passage] | None = None,
    only: Callable[[Candidate, Passage], bool] = lambda candidate, passage: True,
    conditions: Conditions = USUAL,
) -> PlannedRun:
    """The takes that are missing at the passages' present versions, with their price before they are made.

    only: which cells of candidates by passages are wanted; all of them unless said. Under conditions that ask again
    every wanted cell gets ``repeats`` new takes (at each level), beside those it has.
    """
    candidates = project.shortlist.candidates() if candidates is None else candidates
    seen = project.changes()
    passages = project.texts.all() if passages is None else passages
    engines = project.shortlist.engines()
    have: dict[tuple[int, int], list[Take]] = defaultdict(list)
    last: dict[tuple[int, int], int] = defaultdict(int)
    for take in project.takes.all(with_timing=False, removed=True):
        key = (take.candidate_id, take.passage_version_id)
        last[key] = max(last[key], take.repeat)
        if not take.removed:
            have[key].append(take)
    ended = {c.id for c in project.shortlist.candidates(removed=True) if c.ended}
    stored = {
        take.asked: take
        for (candidate_id, _), takes in have.items()
        for take in takes
        if take.asked and not take.doubts and candidate_id not in ended
    }
    journal = project.journal.rows()
    by_id = {c.id: c for c in project.shortlist.candidates(removed=True, of_sweeps=True)}
    every = [take for takes in have.values() for take in takes]
    waiting = undecided_of(journal, by_id, engines, every)
    still_open = {(r.candidate_id, r.passage_version_id) for r in waiting if r.state == "open"}
    may_be_paid = {(r.candidate_id, r.passage_version_id, r.repeat) for r in waiting}
    jobs: list[Job] = []
    left_out: list[tuple[Candidate, Passage, str]] = []
    why: list[str] = []
    in_the_way = barred(project.own_voices, project.notes, candidates, engines)
    leading: dict[str, str] = {}  # digest of a sound, whatever the plan -> digest of the job that asks for it
    for candidate in candidates:
        engine = engines.get(candidate.engine)
        own_voice = project.own_voices.identity_of(candidate.engine, candidate.voice)
        for passage in passages:
            if not only(candidate, passage):
                continue
            reasons = list(in_the_way[candidate.id])
            if engine is not None and not engine.staged:
                reasons += text_reasons(project.sending, candidate, engine, passage)
            key = (candidate.id, passage.version_id)
            if key in still_open:
                reasons.append(MAY_BE_PAID)
            if reasons or engine is None:
                left_out.append((candidate, passage, "; ".join(reasons)))
                why += reasons
                continue
            sent = project.sending.of(candidate, passage, engine)
            language = language_for(engine.voice(candidate.voice), candidate.language, passage.language)
            one = Job(
                candidate=candidate, passage=passage, repeat=0, sent=sent, seed=0, asked="", language=language
            )  # fmt: skip
            if not conditions.asks_again:
                made = {t.repeat for t in have[key] if asked_alike(t, sent)}
                free = [n for n in range(1, repeats + 1) if n not in made]
                wanted = [replace(one, repeat=n, seed=n) for n in free[: max(0, repeats - len(made))]]
                undecided = [job for job in wanted if (*key, job.repeat) in may_be_paid]
                left_out += [(candidate, passage, MAY_BE_PAID)] * bool(undecided)
                why += [MAY_BE_PAID] * bool(undecided)
                wanted = [job for job in wanted if job not in undecided]
            else:
                wanted = _asked_again(one, engine, conditions, repeats, last[key])
                for level in conditions.at_once:
                    if level > (most := engine.limits_under([candidate.plan]).requests_at_once):
                        limit = trn(
                            "the plan allows {most} request at once, not {level}",
                            "the plan allows {most} requests at once, not {level}",
                            most,
                            most=most,
                            level=level,
                        )
                        left_out.append((candidate, passage, limit))
                        why.append(limit)
            for job in wanted:
                asked = request_digest(job, own_voice)
                serve = None if conditions.asks_again else _stored_sound(stored, job, own_voice, engine)
                same_as = ""
                if serve is None and not conditions.asks_again:
                    sound = request_digest(job, own_voice, plan="")
                    same_as = leading.get(sound, "")
                    leading.setdefault(sound, asked)
                jobs.append(replace(job, asked=asked, served_from=serve, same_as=same_as))
    speeds = project.takes.seconds_per_character() if jobs else {}
    rates = paces_of(project.takes, project.shortlist, candidates) if jobs else {}
    used = used_so_far(project.auditions, project.shortlist, journal, rates) if jobs else {}
    return PlannedRun(
        jobs=tuple(jobs),
        left_out=tuple(left_out),
        reasons=tuple(dict.fromkeys(why)),
        repeats=repeats,
        estimates=tuple(estimate(jobs, engines, used, rates, speeds, on=today(), seats=project.brief.seats)),
        time=time_needed(jobs, engines, speeds, conditions),
        conditions=conditions,
        seen=seen,
    )


def _asked_again(one: Job, engine: Engine, conditions: Conditions, repeats: int, last: int) -> list[Job]:
    """New takes after the last one there is: seeds count from 1 again, so that the same is asked as at first."""
    most = engine.limits_under([one.candidate.plan]).requests_at_once
    levels = [level for level in conditions.at_once if level <= most] or ([] if conditions.at_once else [0])
    return [
        replace(one, repeat=last + place * repeats + repeat, seed=repeat, at_once=level)
        for place, level in enumerate(levels)
        for repeat in range(1, repeats + 1)
    ]


def _stored_sound(
    stored: Mapping[str, Take], job: Job, own_voice: tuple[str, Mapping[str, str]], engine: Engine
) -> Take | None:
    """A take of the same request, under this plan or another: a plan changes the bill, not the sound."""
    plans = dict.fromkeys([job.candidate.plan, *(plan.name for plan in engine.plans), ""])
    digests = (request_digest(job, own_voice, plan=plan) for plan in plans)
    return next((stored[digest] for digest in digests if digest in stored), None)


def request_digest(job: Job, own_voice: tuple[str, Mapping[str, str]], *, plan: str | None = None) -> str:
    """One digest for everything a request depends on: the same digest would be the same request. plan: as if the
    candidate were bought under another."""
    c = job.candidate
    asked = [
        c.engine, c.route, c.plan if plan is None else plan, c.model, c.model_version, c.voice, job.language,
        sorted(c.settings.items()), job.seed, [(request.text, request.form) for request in job.sent.requests],
        own_voice[0].rpartition("/")[2], sorted(own_voice[1].items()),
    ]  # fmt: skip
    return hashlib.sha256(json.dumps(asked, ensure_ascii=False).encode("utf-8")).hexdigest()


def asked_alike(take: Take, sent: AsSent) -> bool:
    """Whether a take was asked for with the very texts that would be sent now; clips from elsewhere always count."""
    return take.sent is None or take.sent == tuple(request.text for request in sent.requests)


def text_reasons(sending: Sending, candidate: Candidate, engine: Engine, passage: Passage) -> list[str]:
    """What stands against a text, as it is and as it would be sent."""
    reasons = [o.words for o in text_obstacles(candidate, engine, passage.text, passage.language)]
    if not reasons and (too_long := sending.of(candidate, passage, engine).too_long):
        shown = too_long[0] if len(too_long[0]) <= 40 else too_long[0][:38] + "…"
        limit = engine.limits_under([candidate.plan]).characters_per_request
        reasons.append(tr("'{shown}' cannot be cut to {limit} characters", shown=shown, limit=f"{limit:,}"))
    return reasons


def surroundings(
    own_voices: OwnVoices, notes: CatalogueNotes, engine: str, *, ask_key_store: bool = True
) -> Surroundings:
    """What an engine's candidates are held against: this machine, keys, consents and own statements."""
    return Surroundings(
        has_key=has_secret if ask_key_store else not_known_missing,
        consent_missing=own_voices.consent_missing,
        own=notes.statements().get(engine, []),
    )


def barred(
    own_voices: OwnVoices,
    notes: CatalogueNotes,
    candidates: Sequence[Candidate],
    engines: dict[str, Engine],
    *,
    ask_key_store: bool = True,
) -> dict[int, tuple[str, ...]]:
    """What stands against each candidate whatever the text is, by candidate id."""
    here = {
        name: surroundings(own_voices, notes, name, ask_key_store=ask_key_store)
        for name in {c.engine for c in candidates}
    }
    for name in here.keys() & engines.keys():  # once an engine, not once a candidate
        here[name] = replace(here[name], not_agreed=partial(_said, here[name].not_agreed(engines[name])))

    def of(c: Candidate) -> tuple[str, ...]:
        if c.engine not in engines:
            return (tr("its connector file is not in the project"),)
        if engines[c.engine].staged:
            return (tr("put together from a dialogue, never rendered"),)
        return tuple(o.words for o in obstacles(c, engines[c.engine], here[c.engine]))

    return {c.id: of(c) for c in candidates}


def _said(why: str, _: Engine) -> str:
    return why


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

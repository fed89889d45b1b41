"""Asking for the texts of a run's takes: each request in the journal first, none sent before its time, and what was
paid never asked for twice."""

from __future__ import annotations

import threading
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from decimal import Decimal
from itertools import count
from typing import Final, Protocol

import numpy as np

from zestpanel.core.catalogue.candidate import plan_of
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.speaking import Reply, SpeakRequest
from zestpanel.core.domain.run import Answered
from zestpanel.core.errors import Cancelled, SynthesisFailure, ZestError
from zestpanel.core.money.tariff import NO_USE, Usage
from zestpanel.core.money.volume import Rates
from zestpanel.core.runs.execute.events import RunEvent
from zestpanel.core.runs.execute.executors import Executor
from zestpanel.core.runs.execute.pacing import RateLimiter, backoff_s
from zestpanel.core.runs.execute.pulse import missed_s
from zestpanel.core.runs.execute.run_log import RunLog, named
from zestpanel.core.runs.execute.run_state import RunState
from zestpanel.core.runs.execute.troubles import disk_trouble, duration_words, stops_engine
from zestpanel.core.runs.plan.circumstances import SLEPT_FROM_S
from zestpanel.core.runs.plan.estimates import use_of, use_of_job
from zestpanel.core.runs.plan.job import Job
from zestpanel.core.sending.as_sent import Request
from zestpanel.core.store.own_voices import OwnVoices
from zestpanel.core.store.parts import HasFolder, HasJournal, HasOwnVoices, HasTakes, HasTexts
from zestpanel.core.store.storage_trouble import StorageTrouble
from zestpanel.core.texts import tr

# How often a request is tried. Only failures that are not paid for are tried again unasked; a limit is waited out
# longer than a service that is not reached.
MOST_TRIES: Final = {"limited": 8, "unreachable": 3}
_LOOK_S: Final = 0.2  # how often a wait looks whether the run was paused or cancelled


@dataclass(slots=True)
class JobProgress:
    """What has come of one job, piece by piece: its answered requests and their replies; what they used of the plan,
    and what requests that failed may have used all the same."""

    answered: list[Answered] = field(default_factory=list)
    replies: list[Reply] = field(default_factory=list)
    billed: Usage = NO_USE
    maybe: Usage = NO_USE


class Since:
    """How much more was billed for a job from a moment on."""

    def __init__(self, asked: JobProgress) -> None:
        self._asked, self._billed, self._maybe = asked, asked.billed, asked.maybe

    def more(self) -> tuple[Usage, Usage]:
        """(billed, maybe billed) since then."""
        return self._asked.billed.minus(self._billed), self._asked.maybe.minus(self._maybe)


class AskingParts(HasFolder, HasTexts, HasTakes, HasJournal, HasOwnVoices, Protocol):
    """What is asked for, and where what comes of it is kept."""


class Asking:
    """Speaks whole jobs for a run. Replies stay in memory until the take is kept, whatever comes in between: when a run
    is held in the middle of a text, or the disk is full, nothing that was paid is asked for again."""

    def __init__(
        self,
        project: AskingParts,
        executor: Executor,
        paces: Mapping[str, RateLimiter],
        *,
        cold: bool,
        state: RunState,
        log: RunLog,
        tell: Callable[[RunEvent], None],
        hold: Callable[[str, str], None],
        rng: np.random.Generator,
        rates: Mapping[int, Rates],
    ) -> None:
        self._rates = rates
        self._project, self._executor, self._paces, self._cold = project, executor, paces, cold
        self._state, self.log, self._tell, self._hold, self._rng = state, log, tell, hold, rng
        self._numbers = {p.id: number for number, p in enumerate(project.texts.all(), 1)}
        self._so_far: dict[int, JobProgress] = {}  # by id of the job
        self._under_way: dict[str, int] = defaultdict(int)
        self._lock = threading.Lock()

    def left_to_ask(self, job: Job) -> Usage:
        """What a job will still use of its plan, by its candidate's pace."""
        done = self._so_far.get(id(job))
        return use_of_job(job, self._rates, after=len(done.replies) if done else 0)

    def so_far(self, job: Job) -> Since:
        return Since(self._so_far.setdefault(id(job), JobProgress()))

    def whole(self, engine: Engine, job: Job, run_id: int) -> JobProgress | None:
        """All pieces of a job; None when it is to go on later: the run was paused, or its engine is held.

        Raises SynthesisFailure when a piece is given up, Cancelled when the run was.
        """
        asked = self._so_far.setdefault(id(job), JobProgress())
        for piece in job.sent.requests[len(asked.replies) :]:
            for attempt in count(1):
                if not self._may_begin(engine.engine, pausing=not asked.replies):  # a text begun is spoken to its end
                    return None
                try:
                    self._piece(engine, job, piece, attempt, run_id, asked)
                    break
                except SynthesisFailure as failure:
                    if failure.may_be_billed:
                        asked.maybe = asked.maybe.plus(self._expected(job, piece))
                    if why := stops_engine(failure):
                        self._hold(engine.engine, why)
                        if failure.may_be_billed:
                            raise
                        return None
                    wait_s = self._wait_after(failure, engine, job, attempt)
                    if self._state.stopped_within(wait_s):
                        raise Cancelled from None
        return asked

    def kept(self, job: Job) -> None:
        """The take is on disk: its replies need not wait in memory any more."""
        self._so_far.pop(id(job), None)

    def give_up(self, job: Job) -> None:
        """Pieces that came before one that failed: their sound is of no use alone, but they count as used."""
        asked = self._so_far.pop(id(job), JobProgress())
        for one in asked.answered:
            self._project.journal.close_unused(
                one, tr("A later piece of the same text failed; this one was paid and is not used.")
            )

    def _expected(self, job: Job, piece: Request) -> Usage:
        pace = self._rates.get(job.candidate.id, Rates())
        return use_of(job.candidate.model, piece.billed, sound_s=pace.sound_s(len(piece.words)))

    # -- one piece

    def _may_begin(self, name: str, *, pausing: bool) -> bool:
        """Wait for the engine's pace; False when the run was paused meanwhile, if that matters. Raises Cancelled."""
        while not self._state.stopping():
            if pausing and not self._state.going:
                return False
            wait_s = self._paces[name].claim()
            if not wait_s:
                return True
            self._state.stopped_within(min(wait_s, _LOOK_S))
        raise Cancelled

    def _piece(self, engine: Engine, job: Job, piece: Request, attempt: int, run_id: int, asked: JobProgress) -> None:
        """One try of one piece, journalled before and closed after it when it failed. Raises as ``whole`` does."""
        journal, name = self._project.journal, engine.engine
        with self._lock:
            beside = self._under_way[name]
            self._under_way[name] += 1
        try:
            request_id = journal.open_request(
                run_id=run_id,
                candidate_id=job.candidate.id,
                passage_version_id=job.passage.version_id,
                repeat=job.repeat,
                attempt=attempt,
                plan=plan_of(job.candidate, engine).name,
                characters=piece.billed,
                beside=beside,
            )
            try:
                reply = self._spoken(engine, job, piece, beside)
            except Cancelled:
                journal.close_failed(request_id, "cancelled", tr("Cancelled while under way."), state="cancelled")
                asked.billed = asked.billed.plus(self._expected(job, piece))
                raise
            except SynthesisFailure as failure:
                if failure.kind == "limited" and failure.retry_after_s is not None and not stops_engine(failure):
                    self._paces[name].hold(failure.retry_after_s)  # before it is written: others begin meanwhile
                journal.close_failed(request_id, failure.kind, failure.what)
                raise
        finally:
            with self._lock:
                self._under_way[name] -= 1
        said = reply.characters_billed
        sound_s = reply.clip.duration_s
        asked.billed = asked.billed.plus(
            use_of(job.candidate.model, piece.billed if said is None else said, sound_s=Decimal(repr(sound_s)))
        )
        asked.answered.append(Answered(request_id=request_id, characters=said, sound_s=sound_s))
        asked.replies.append(reply)

    def _spoken(self, engine: Engine, job: Job, piece: Request, beside: int) -> Reply:
        missed = missed_s()
        asked = request_of(self._project.own_voices, job, piece, self._numbers.get(job.passage.id, 0))
        with taken_in(engine.engine):
            reply = self._executor.speak(engine, asked, self._state.stopping, cold=self._cold)
        if reply.timing is None:
            return reply
        slept = missed_s() - missed > SLEPT_FROM_S
        return replace(reply, timing=replace(reply.timing, beside=beside, slept=slept))

    def _wait_after(self, failure: SynthesisFailure, engine: Engine, job: Job, attempt: int) -> float:
        """Seconds before the next try. Raises the failure when there is none."""
        with self._lock:
            wait_s = backoff_s(attempt, self._rng)
        if failure.kind == "limited" and failure.retry_after_s is not None:
            wait_s = max(failure.retry_after_s, wait_s)  # a service that asks for no wait is not run against
            self._paces[engine.engine].hold(wait_s)  # the next request would be refused alike
        if attempt >= MOST_TRIES.get(failure.kind, 1):
            raise failure
        said = tr(
            "{what} Tried again after {duration_words}.", what=failure.what, duration_words=duration_words(wait_s)
        )
        self.log.write(f"{named(job)}: {said}")
        self._tell(RunEvent(kind="waiting", job=job, text=f"{engine.engine}: {said}"))
        return 0.0 if failure.retry_after_s is not None else wait_s


@contextmanager
def taken_in(engine: str) -> Iterator[None]:
    """Whatever an engine's reply does to this program stays with its take; what the storage refuses does not.

    Raises SynthesisFailure for any error that is neither.
    """
    try:
        yield
    except (SynthesisFailure, Cancelled, StorageTrouble):
        raise
    except Exception as error:
        if disk_trouble(error):
            raise
        said = error.what if isinstance(error, ZestError) else f"{type(error).__name__}: {error}"
        raise SynthesisFailure(
            "broken sound", tr("What {engine} sent cannot be taken in ({said}).", engine=engine, said=said)
        ) from error


def request_of(own_voices: OwnVoices, job: Job, piece: Request, number: int = 0) -> SpeakRequest:
    """One request of a job. number: the passage's in the set. Raises SynthesisFailure: a recording without consent."""
    candidate = job.candidate
    reference, described = own_voices.source_of(candidate.engine, candidate.voice)
    return SpeakRequest(
        text=piece.text,
        form=piece.form,
        marked=piece.text != piece.words,
        language=job.language,
        voice=candidate.voice,
        model=candidate.model,
        settings=candidate.settings,
        seed=job.seed,
        reference=reference,
        described=described,
        passage=job.passage.title,
        number=number,
        repeat=job.repeat,
    )

"""One job of a run after the other: whether it is asked for, what came of it, and what is kept."""

from __future__ import annotations

import threading
from collections.abc import Callable, Collection, Mapping
from typing import Final, Protocol

from zestpanel.core.catalogue.candidate import plan_of
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.domain.take import Take
from zestpanel.core.errors import Cancelled, SynthesisFailure
from zestpanel.core.money.tariff import Usage
from zestpanel.core.money.volume import Rates
from zestpanel.core.runs.execute.arriving import acceptance_flags, effects_on
from zestpanel.core.runs.execute.asking import Asking, JobProgress, taken_in
from zestpanel.core.runs.execute.events import RunEvent
from zestpanel.core.runs.execute.in_pieces import joined
from zestpanel.core.runs.execute.measurer import Measurer
from zestpanel.core.runs.execute.run_log import RunLog, named
from zestpanel.core.runs.execute.run_state import RunState
from zestpanel.core.runs.execute.troubles import DOWN, IN_A_ROW, disk_trouble
from zestpanel.core.runs.plan.job import Job
from zestpanel.core.runs.plan.planning import PlanningParts
from zestpanel.core.runs.spending.caps import SpendGuard, at_most
from zestpanel.core.store.parts import HasBrief, HasDocuments, HasFolder, SetsPurse
from zestpanel.core.text.marks.duration import pause_ms
from zestpanel.core.texts import tr

_LOOK_S: Final = 0.1  # how often a job looks whether the one it waits for is over


class RunParts(PlanningParts, HasFolder, HasDocuments, HasBrief, SetsPurse, Protocol):
    """What a run rests on, is kept in, and may spend."""


class JobsOfRun:
    """Makes the takes of one run; its threads call ``one`` with what is to be made next.

    hold: begins nothing more with an engine until a person says to go on. leading: digests that other jobs wait for.
    """

    def __init__(
        self,
        project: RunParts,
        state: RunState,
        asking: Asking,
        measurer: Measurer,
        purse: SpendGuard,
        *,
        engines: Mapping[str, Engine],
        rates: Mapping[int, Rates],
        run_ids: Mapping[int, int],
        leading: Collection[str],
        log: RunLog,
        tell: Callable[[RunEvent], None],
        hold: Callable[[str, str], None],
    ) -> None:
        self._project, self._state, self._asking, self._measurer = project, state, asking, measurer
        self._purse, self._engines, self._rates, self._run_ids = purse, engines, rates, run_ids
        self._leading, self.log, self._tell, self._hold = frozenset(leading), log, tell, hold
        self._keeping = threading.Lock()  # coding and storing one clip at a time leaves the interpreter to others

    def one(self, engine: Engine, job: Job, level: int) -> bool:
        """Make one take. False when it is to be made later: its engine or the run is held, or was cancelled."""
        self._state.began()
        self._tell(RunEvent(kind="started", job=job))
        over = False
        try:
            over = self._made(engine, job, level)
        except Cancelled:
            pass
        except Exception as error:  # the disk, the database: nothing more can be kept safely
            self._hold("", disk_trouble(error) or tr("The run cannot go on: {error}", error=error))
        finally:
            self._state.ended()
            if not over:
                self._tell(RunEvent(kind="put back", job=job))
        return over

    def _made(self, engine: Engine, job: Job, level: int) -> bool:
        run_id = self._run_ids[level]
        if job.same_as and not self._leader_is_over(engine.engine, job):
            return False
        serves = job.served_from or self._state.led_by(job.same_as)
        if serves is not None:
            with self._keeping:
                take = self._project.takes.serve(
                    serves, candidate_id=job.candidate.id, passage_version_id=job.passage.version_id,
                    repeat=job.repeat, run_id=run_id,
                )  # fmt: skip
                self._count_kept(job, take, tr("served from the store: an identical request was made before"))
            return True
        left = at_most(self._asking.left_to_ask(job), self._rates.get(job.candidate.id, Rates()))
        if not self._reserved(engine, job, left):
            return False
        before = self._asking.so_far(job)
        try:
            asked = self._asking.whole(engine, job, run_id)
            if asked is None:
                return False
            with self._keeping, taken_in(engine.engine):
                self._keep(job, asked, run_id)
            self._asking.kept(job)
            self._state.answers(engine.engine)
            return True
        except SynthesisFailure as failure:
            return self._given_up(failure, engine, job, run_id)
        except Cancelled:
            self._asking.give_up(job)
            raise
        finally:
            billed, maybe = before.more()
            key = (engine.engine, plan_of(job.candidate, engine).name)
            self._purse.settle(key, left, billed, maybe=maybe)

    def _leader_is_over(self, name: str, job: Job) -> bool:
        """Wait for the job that asks for the same sound, which began before. False when it cannot go on now."""
        while not self._state.leader_is_over(job.same_as):
            if self._state.stopped_within(_LOOK_S) or not self._state.going or self._state.is_held(name):
                return False
        return True

    def _reserved(self, engine: Engine, job: Job, use: Usage) -> bool:
        """Set the price of a take aside. Requests under way may end unpaid, so a refusal waits for them first."""
        key = (engine.engine, plan_of(job.candidate, engine).name)
        while why := self._purse.reserve(key, use):
            if self._purse.is_final(why) or self._state.stopped_within(0.05):
                self._hold(engine.engine, why)
                return False
        return True

    def _given_up(self, failure: SynthesisFailure, engine: Engine, job: Job, run_id: int) -> bool:
        """A take failed for good (True), or is the one too many that holds its engine (False)."""
        name = engine.engine
        down = self._state.down(name, counts=failure.kind in DOWN) >= IN_A_ROW
        again = down and not failure.may_be_billed  # what may have been paid is not asked for again
        if down:
            said = tr("is not reached") if failure.kind == "unreachable" else tr("does not answer as it should")
            self._hold(name, f"{name} {said}: {failure.what}")
        if again:
            return False
        self._asking.give_up(job)
        self._state.given_up(job.asked)
        self.log.write(tr("{named}: failed, {kind}: {what}", named=named(job), kind=failure.kind, what=failure.what))
        self._tell(RunEvent(kind="failed", job=job, text=failure.what, run_id=run_id))
        return True

    def _keep(self, job: Job, asked: JobProgress, run_id: int) -> None:
        reply = joined(asked.replies)
        billed = job.sent.billed if reply.characters_billed is None else reply.characters_billed
        take = self._project.takes.keep(
            reply.clip,
            candidate_id=job.candidate.id,
            passage_version_id=job.passage.version_id,
            repeat=job.repeat,
            seed=job.seed,
            asked=job.asked,
            run_id=run_id,
            answered=asked.answered,
            timing=reply.timing,
            voice_used=reply.voice_used,
            model_used=reply.model_used,
            characters_billed=billed,
            obtained=reply.obtained,
            brought={"file": reply.file_name} if reply.file_name else None,
            sent=[piece.text for piece in job.sent.requests],
            delivered=reply.data if len(asked.replies) == 1 else b"",
            doubts=effects_on(self._engines[job.candidate.engine].controls, job.candidate)
            + acceptance_flags(
                reply.clip,
                " ".join(piece.words for piece in job.sent.requests),
                pauses_s=sum(pause_ms(m) for m in job.passage.marks if m.kind == "pause") / 1000,
                voice=job.candidate.voice,
                voice_used=reply.voice_used,
                model=job.candidate.model,
                model_used=reply.model_used,
            ),
        )
        waited = tr(" after {last_byte_s} s", last_byte_s=f"{reply.timing.last_byte_s:.2f}") if reply.timing else ""
        odd = tr("; odd: ") + " ".join(take.doubts) if take.doubts else ""
        self._count_kept(
            job,
            take,
            tr(
                "{duration_s} s of sound{waited}, {billed} characters billed{odd}",
                duration_s=f"{take.duration_s:.1f}",
                waited=waited,
                billed=billed,
                odd=odd,
            ),
        )
        if reply.console.strip():
            self.log.write(tr("{named}: its console: {console}", named=named(job), console=reply.console.strip()))
        self._measurer.add(take, reply.word_times)

    def _count_kept(self, job: Job, take: Take, words: str) -> None:
        self._state.kept(job.asked, take, leads=job.asked in self._leading)
        self.log.write(tr("{named}: kept, {words}", named=named(job), words=words))
        self._tell(RunEvent(kind="kept", job=job, take=take))

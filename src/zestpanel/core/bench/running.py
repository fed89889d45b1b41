"""Running a bench: worker threads per engine, a journal row before each request, pause, resume, hold and cancel."""

from __future__ import annotations

import threading
import time
from collections import defaultdict, deque
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from enum import Enum
from itertools import count
from typing import Final

import numpy as np

from zestpanel.core.bench.arriving import doubts_on_arrival
from zestpanel.core.bench.caps import Purse, caps_of
from zestpanel.core.bench.circumstances import SLEPT_FROM_S, asleep_s, describe_machine, describe_network
from zestpanel.core.bench.estimates import prices_of
from zestpanel.core.bench.events import Progress, RunEvent
from zestpanel.core.bench.executors import Executor, Here
from zestpanel.core.bench.in_pieces import joined
from zestpanel.core.bench.measuring import Measurer
from zestpanel.core.bench.pacing import Pace, backoff_s
from zestpanel.core.bench.planning import Job, PlannedRun, interleaved
from zestpanel.core.bench.run_log import RunLog, log_path, named
from zestpanel.core.bench.troubles import NOT_REACHED_IN_A_ROW, disk_trouble, stops_engine
from zestpanel.core.catalogue.candidate import plan_of
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.opening import open_connector
from zestpanel.core.connectors.speaking import Connector, Reply, SpeakRequest
from zestpanel.core.errors import Cancelled, SynthesisFailure
from zestpanel.core.passages.marks.duration import pause_ms
from zestpanel.core.project.project import Project
from zestpanel.core.project.takes import Take
from zestpanel.core.sending.as_sent import Request

# How often a request is tried. Only failures that are not paid for are tried again unasked; a limit is waited out
# longer than a service that is not reached.
MOST_TRIES: Final = {"limited": 8, "unreachable": 3}
# Failures after which the service may have billed the text all the same: they count against a cap.
MAY_BE_BILLED: Final = ("timed out", "broken sound", "wrong content")
_LOOK_S: Final = 0.2  # how often a wait looks whether the run was paused or cancelled


class _Outcome(Enum):
    OVER = "kept, or failed for good"
    LATER = "to be made when the run goes on"


class BenchRun:
    """One run. ``on_event`` is called from worker threads. Every finished take is on disk before its event.

    Levels of requests at once run one after the other. Within a level each engine has its own workers; a conductor
    thread starts them, and when all have ended with work left (something is held) it pauses the run with the reason.
    """

    def __init__(
        self,
        project: Project,
        planned: PlannedRun,
        *,
        on_event: Callable[[RunEvent], None] = lambda _: None,
        seed: int = 0,
        connect: Callable[[Engine], Connector] = open_connector,
        executor: Executor | None = None,
    ) -> None:
        self._project, self._planned, self._on_event = project, planned, on_event
        self._executor = executor or Here(connect)
        self._executor_is_ours = executor is None
        self._seed = seed
        self._rng = np.random.default_rng(seed)
        self._engines = project.shortlist.engines()
        self._levels: dict[int, dict[str, deque[Job]]] = {n: defaultdict(deque) for n in sorted(
            {job.at_once for job in planned.jobs})}  # fmt: skip
        for job in interleaved(planned.jobs, self._rng):
            self._levels[job.at_once][job.candidate.engine].append(job)
        self._numbers = {p.id: number for number, p in enumerate(project.texts.all(), 1)}
        journal = project.journal.rows()
        candidates = {c.id: c for c in project.shortlist.candidates(removed=True, of_sweeps=True)}
        self._purse = Purse(self._engines, candidates, journal, caps_of(project), today=datetime.now(UTC).date())
        self._paces = {
            name: Pace(
                self._engines[name].limits.requests_per_minute,
                earlier=[_age_s(row.opened) for row in journal[-1000:]
                         if candidates[row.candidate_id].engine == name],
            )
            for name in {job.candidate.engine for job in planned.jobs}
        }  # fmt: skip
        self._lock = threading.RLock()
        self._keeping = threading.Lock()  # coding and storing one clip at a time leaves the interpreter to others
        self._go, self._cancel = threading.Event(), threading.Event()
        self._go.set()
        self._done = self._failed = self._running = 0
        self._under_way: dict[str, int] = defaultdict(int)
        self._not_reached: dict[str, int] = defaultdict(int)
        self._unkept: dict[int, tuple[list[int], list[Reply], int]] = {}  # by id of the job: paid, not stored yet
        self._held: dict[str, str] = {}  # engine ('' for the whole run) -> why
        self._active_s, self._resumed_at = 0.0, 0.0
        self._finished = threading.Event()
        self._resting = threading.Event()  # finished, or held with nothing under way
        self._measurer = Measurer(
            project,
            self._executor,
            lambda take: self._on_event(RunEvent(kind="measured", take=take)),
            lambda text: self._on_event(RunEvent(kind="unmeasured", text=text)),
        )

    # -- control

    def start(self) -> None:
        self._resumed_at = time.monotonic()
        conditions = self._planned.conditions
        prices = prices_of((j.candidate for j in self._planned.jobs), self._engines)
        self._run_ids = {
            level: self._project.journal.begin_run(
                repeats=self._planned.repeats,
                seed=self._seed,
                machine=describe_machine(),
                network=describe_network(),
                kind=conditions.kind,
                conditions={**conditions.as_document(), "at_once": level, "prices": prices},
                of_run=conditions.of_run,
            )
            for level in (self._levels or {0: {}})
        }
        self.run_id = min(self._run_ids.values())
        self.log = RunLog(log_path(self._project.folder, self.run_id))
        self.log.begin(self.run_id, self._seed, planned=self._planned)
        threading.Thread(target=self._conduct, name="render conductor").start()

    def pause(self) -> None:
        """Finish what is in flight and start nothing new."""
        with self._lock:
            if self._go.is_set():
                self._go.clear()
                self._active_s += time.monotonic() - self._resumed_at
                self.log.write("Paused.")

    def resume(self) -> None:
        """Go on; what was held is tried again, under the caps as they are now."""
        with self._lock:
            self._purse.open_again(caps_of(self._project))
            self._held.clear()
            self._not_reached.clear()
            self._resting.clear()
            if not self._go.is_set():
                self._resumed_at = time.monotonic()
                self._go.set()
                self.log.write("Went on.")

    def cancel(self) -> None:
        """Stop: requests in flight are dropped and stay in the journal as cancelled."""
        self._cancel.set()
        self._go.set()

    def leave(self) -> None:
        """Stop as quickly as can be: like cancel, and takes that wait to be measured are left for another time."""
        self._measurer.drop()
        self.cancel()

    def wait(self, timeout_s: float | None = None) -> bool:
        """Wait for the end, the measuring included. False when it did not come in time."""
        return self._finished.wait(timeout_s)

    def wait_till_resting(self, timeout_s: float | None = None) -> bool:
        """Wait until the run is over, or until nothing is under way and a person has to decide."""
        return self._resting.wait(timeout_s)

    def progress(self) -> Progress:
        with self._lock:
            paused = not self._go.is_set()
            elapsed = self._active_s + (0.0 if paused else time.monotonic() - self._resumed_at)
            over, total = self._done + self._failed, len(self._planned.jobs)
            left = elapsed / over * (total - over) if over >= 3 and not self._finished.is_set() else None
            return Progress(
                total=total,
                done=self._done,
                failed=self._failed,
                running=self._running,
                elapsed_s=elapsed,
                left_s=left,
                spent=self._purse.spent(),
                paused=paused,
                finished=self._finished.is_set(),
                held=" ".join(dict.fromkeys(self._held.values())),
            )

    # -- the conductor

    def _conduct(self) -> None:
        try:
            for level, queues in self._levels.items():
                while any(queues.values()) and not self._cancel.is_set():
                    self._go.wait()
                    self._work_through(level, queues)
                    if any(queues.values()) and not self._cancel.is_set():
                        self._rest()
        finally:
            self._finish()

    def _work_through(self, level: int, queues: dict[str, deque[Job]]) -> None:
        threads = []
        for name, queue in queues.items():
            engine = self._engines[name]
            most = engine.limits.requests_at_once
            for index in range(min(level or most, most, len(queue))):
                arguments = (engine, queue, level)
                threads.append(threading.Thread(target=self._work, args=arguments, name=f"render {name} {index}"))
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()

    def _rest(self) -> None:
        """What is left is held: wait for a person, unless one has just said to go on."""
        with self._lock:
            if not self._held:
                return
            if self._go.is_set():
                self._go.clear()
                self._active_s += time.monotonic() - self._resumed_at
            self._resting.set()
        self._go.wait()

    def _finish(self) -> None:
        self._measurer.finish()
        if self._executor_is_ours:
            self._executor.close()
        try:
            for run_id in self._run_ids.values():
                self._project.journal.end_run(run_id)
            self.log.end(self.progress(), stopped=self._cancel.is_set())
        finally:
            with self._lock:
                self._active_s += time.monotonic() - self._resumed_at if self._go.is_set() else 0.0
                self._resumed_at = time.monotonic()
                self._finished.set()
                self._resting.set()
                text = " ".join(dict.fromkeys(self._held.values()))
            self._on_event(RunEvent(kind="finished", text=text))

    def _hold(self, engine: str, why: str) -> None:
        """Begin nothing more with an engine ('' for the whole run) until a person says to go on."""
        with self._lock:
            fresh = engine not in self._held
            self._held[engine] = why
        if fresh:
            self.log.write(f"Held{', ' + engine if engine else ''}: {why}")
            self._on_event(RunEvent(kind="held", text=why))

    # -- the workers

    def _work(self, engine: Engine, queue: deque[Job], level: int) -> None:
        name = engine.engine
        while not self._cancel.is_set():
            self._go.wait()
            if self._cancel.is_set() or name in self._held or "" in self._held:
                break
            try:
                job = queue.popleft()
            except IndexError:
                break
            if not self._one(engine, job, level):
                queue.appendleft(job)

    def _one(self, engine: Engine, job: Job, level: int) -> bool:
        """Make one take. False when it is to be made later: its engine or the run is held, or was cancelled."""
        with self._lock:
            self._running += 1
        self._on_event(RunEvent(kind="started", job=job))
        over = False
        try:
            over = self._made(engine, job, level)
        except Cancelled:
            pass
        except Exception as error:  # the disk, the database: nothing more can be kept safely
            self._hold("", disk_trouble(error) or f"The run cannot go on: {error}")
        finally:
            with self._lock:
                self._running -= 1
            if not over:
                self._on_event(RunEvent(kind="put back", job=job))
        return over

    def _made(self, engine: Engine, job: Job, level: int) -> bool:
        run_id = self._run_ids[level]
        if job.served_from is not None:
            take = self._project.takes.serve(
                job.served_from, candidate_id=job.candidate.id, passage_version_id=job.passage.version_id,
                repeat=job.repeat, run_id=run_id,
            )  # fmt: skip
            self._count_kept(job, take, "served from the store: an identical request was made before")
            return True
        if unkept := self._unkept.pop(id(job), None):
            self._keep_or_hold_on_to(engine, job, *unkept)
            return True
        for attempt in count(1):
            if not self._reserved(engine, job):
                return False
            outcome = self._attempt(engine, job, attempt, run_id)
            if isinstance(outcome, _Outcome):
                return outcome is _Outcome.OVER
            if self._cancel.wait(outcome):
                return False
        raise AssertionError("every failure is given up in the end")

    def _reserved(self, engine: Engine, job: Job) -> bool:
        """Set the price of a take aside. Requests under way may end unpaid, so a refusal waits for them first."""
        key = (engine.engine, plan_of(job.candidate, engine).name)
        while why := self._purse.reserve(key, job.candidate.model, job.sent.billed):
            if not self._purse.outstanding or self._cancel.wait(0.05):
                self._hold(engine.engine, why)
                return False
            self._purse.open_again(self._purse.caps)
        return True

    def _settle(self, engine: Engine, job: Job, billed: int, maybe: int) -> None:
        key = (engine.engine, plan_of(job.candidate, engine).name)
        self._purse.settle(key, job.candidate.model, job.sent.billed, billed, maybe=maybe)

    def _may_begin(self, name: str, *, pausing: bool) -> bool:
        """Wait for the engine's pace; False when the run was paused meanwhile, if that matters. Raises Cancelled."""
        while not self._cancel.is_set():
            if pausing and not self._go.is_set():
                return False
            wait_s = self._paces[name].claim()
            if not wait_s:
                return True
            self._cancel.wait(min(wait_s, _LOOK_S))
        raise Cancelled

    def _attempt(self, engine: Engine, job: Job, attempt: int, run_id: int) -> float | _Outcome:
        """One try. Returns seconds to wait before the next one, or how it came out."""
        requests: list[int] = []
        replies: list[Reply] = []
        journal, name = self._project.journal, engine.engine
        billed = maybe = 0
        try:
            for piece in job.sent.requests:
                if not self._may_begin(name, pausing=not replies):  # a text once begun is spoken to its end
                    return _Outcome.LATER
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
                        billed += piece.billed
                        journal.close_failed(request_id, "cancelled", "Cancelled while under way.", state="cancelled")
                        raise
                    except SynthesisFailure as failure:
                        journal.close_failed(request_id, failure.kind, failure.what)
                        maybe += piece.billed if failure.kind in MAY_BE_BILLED else 0
                        return self._after_failure(failure, engine, job, attempt)
                finally:
                    with self._lock:
                        self._under_way[name] -= 1
                billed += piece.billed if reply.characters_billed is None else reply.characters_billed
                requests.append(request_id)
                replies.append(reply)
            self._keep_or_hold_on_to(engine, job, requests, replies, run_id)
            return _Outcome.OVER
        finally:
            if len(replies) < len(job.sent.requests):
                self._paid_in_vain(requests)
            self._settle(engine, job, billed, maybe)

    def _spoken(self, engine: Engine, job: Job, piece: Request, beside: int) -> Reply:
        asleep = asleep_s()
        request = self._request(job, piece)
        cold = self._planned.conditions.cold
        reply = self._executor.speak(engine, request, self._cancel.is_set, cold=cold)
        if reply.timing is None:
            return reply
        slept = asleep_s() - asleep > SLEPT_FROM_S
        return replace(reply, timing=replace(reply.timing, beside=beside, slept=slept))

    def _request(self, job: Job, piece: Request) -> SpeakRequest:
        candidate, passage = job.candidate, job.passage
        reference, described = self._project.own_voices.source_of(candidate.engine, candidate.voice)
        return SpeakRequest(
            text=piece.text,
            form=piece.form,
            language=candidate.language,
            voice=candidate.voice,
            model=candidate.model,
            settings=candidate.settings,
            seed=job.seed,
            reference=reference,
            described=described,
            passage=passage.title,
            number=self._numbers.get(passage.id, 0),
            repeat=job.repeat,
        )

    def _paid_in_vain(self, requests: list[int]) -> None:
        """Pieces that came before one that failed: their sound is of no use alone, but they count as used."""
        for request_id in requests:
            text = "A later piece of the same text failed; this one was paid and is not used."
            self._project.journal.close_failed(request_id, "incomplete", text, state="unused")

    def _keep_or_hold_on_to(
        self, engine: Engine, job: Job, requests: list[int], replies: list[Reply], run_id: int
    ) -> None:
        """Keep the take; where the disk refuses, the reply waits in memory until the run goes on: it was paid."""
        try:
            with self._keeping:
                self._keep(engine, job, requests, replies, run_id)
        except Exception:
            self._unkept[id(job)] = (requests, replies, run_id)
            raise

    def _keep(self, engine: Engine, job: Job, requests: list[int], replies: list[Reply], run_id: int) -> None:
        reply = joined(replies)
        billed = job.sent.billed if reply.characters_billed is None else reply.characters_billed
        take = self._project.takes.keep(
            reply.clip,
            candidate_id=job.candidate.id,
            passage_version_id=job.passage.version_id,
            repeat=job.repeat,
            seed=job.seed,
            asked=job.asked,
            run_id=run_id,
            request_id=requests[0],
            further_requests=requests[1:],
            timing=reply.timing,
            voice_used=reply.voice_used,
            model_used=reply.model_used,
            characters_billed=billed,
            obtained=reply.obtained,
            brought={"file": reply.file_name} if reply.file_name else None,
            sent=[piece.text for piece in job.sent.requests],
            delivered=reply.data if len(replies) == 1 else b"",
            doubts=doubts_on_arrival(
                reply.clip,
                " ".join(piece.words for piece in job.sent.requests),
                pauses_s=sum(pause_ms(m) for m in job.passage.marks if m.kind == "pause") / 1000,
                voice=job.candidate.voice,
                voice_used=reply.voice_used,
                model=job.candidate.model,
                model_used=reply.model_used,
            ),
        )
        with self._lock:
            self._not_reached[engine.engine] = 0
        waited = f" after {reply.timing.last_byte_s:.2f} s" if reply.timing else ""
        odd = "; odd: " + " ".join(take.doubts) if take.doubts else ""
        self._count_kept(job, take, f"{take.duration_s:.1f} s of sound{waited}, {billed} characters billed{odd}")
        self._measurer.add(take, reply.word_times)

    def _count_kept(self, job: Job, take: Take, words: str) -> None:
        with self._lock:
            self._done += 1
        self.log.write(f"{named(job)}: kept, {words}")
        self._on_event(RunEvent(kind="kept", job=job, take=take))

    def _after_failure(self, failure: SynthesisFailure, engine: Engine, job: Job, attempt: int) -> float | _Outcome:
        name = engine.engine
        if failure.kind == "limited" and failure.retry_after_s is not None:
            self._paces[name].hold(failure.retry_after_s)  # the next request would be refused alike
        if attempt < MOST_TRIES.get(failure.kind, 1):
            with self._lock:
                wait_s = backoff_s(attempt, self._rng) if failure.retry_after_s is None else 0.0
            self.log.write(f"{named(job)}: {failure.what} Tried again after {failure.retry_after_s or wait_s:.1f} s.")
            self._on_event(RunEvent(kind="waiting", job=job, text=failure.what))
            return wait_s
        if why := stops_engine(failure):
            self._hold(name, why)
            return _Outcome.LATER
        with self._lock:
            self._not_reached[name] = self._not_reached[name] + 1 if failure.kind == "unreachable" else 0
            gone = self._not_reached[name] >= NOT_REACHED_IN_A_ROW
            self._failed += not gone
        if gone:
            self._hold(name, f"{name} is not reached: {failure.what}")
            return _Outcome.LATER
        self.log.write(f"{named(job)}: failed, {failure.kind}: {failure.what}")
        self._on_event(RunEvent(kind="failed", job=job, text=failure.what))
        return _Outcome.OVER


def _age_s(stamp: str) -> float:
    """Seconds since a stamp of the journal; a clock set back gives 0."""
    return max(0.0, (datetime.now(UTC) - datetime.fromisoformat(stamp)).total_seconds())

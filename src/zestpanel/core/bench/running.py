"""Running a bench: worker threads per engine, a journal row before each request, pause, resume and cancel."""

from __future__ import annotations

import os
import platform
import threading
import time
from collections import defaultdict, deque
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from zestpanel.core.bench.in_pieces import joined
from zestpanel.core.bench.measuring import Measurer
from zestpanel.core.bench.planning import (
    Job,
    PlannedRun,
    added_cost,
    interleaved,
    plan_run,
    total_by_currency,
    used_this_month,
)
from zestpanel.core.catalogue.candidate import plan_of
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.opening import open_connector
from zestpanel.core.connectors.speaking import Connector, Reply, SpeakRequest
from zestpanel.core.errors import Cancelled, SynthesisFailure, ZestError
from zestpanel.core.project.project import Project
from zestpanel.core.project.takes import Take
from zestpanel.core.sending.as_sent import Request
from zestpanel.core.tariffs.money import Money

MOST_ATTEMPTS = 3
LONGEST_WAIT_S = 30.0
# Only failures that are not paid for are tried again unasked; a time-out may have been.
RETRIED_UNASKED = ("limited", "unreachable")


@dataclass(frozen=True, slots=True, kw_only=True)
class RunEvent:
    """kind: 'started', 'kept', 'measured', 'failed', 'waiting' (before a retry), 'unmeasured' (the take is
    kept and measured later), 'finished'."""

    kind: str
    job: Job | None = None
    take: Take | None = None
    text: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Progress:
    total: int
    done: int
    failed: int
    running: int
    elapsed_s: float
    left_s: float | None
    spent: tuple[Money, ...]
    paused: bool
    finished: bool
    stopped_because: str


def describe_machine() -> str:
    """The machine a timing was taken on, without its name."""
    return f"{platform.system()} {platform.machine()}, {os.cpu_count()} cores, Python {platform.python_version()}"


class BenchRun:
    """One run. ``on_event`` is called from worker threads. Every finished take is on disk before its event."""

    def __init__(
        self,
        project: Project,
        planned: PlannedRun,
        *,
        on_event: Callable[[RunEvent], None] = lambda _: None,
        seed: int = 0,
        connect: Callable[[Engine], Connector] = open_connector,
    ) -> None:
        self._project, self._planned, self._on_event, self._connect = project, planned, on_event, connect
        self._seed = seed
        self._rng = np.random.default_rng(seed)
        self._queues: dict[str, deque[Job]] = defaultdict(deque)
        for job in interleaved(planned.jobs, self._rng):
            self._queues[job.candidate.engine].append(job)
        self._engines = project.shortlist.engines()
        self._numbers = {p.id: number for number, p in enumerate(project.texts.all(), 1)}
        self._connectors: dict[str, Connector] = {}
        self._used = used_this_month(project, project.takes.journal())
        self._added: dict[tuple[str, str], dict[str, int]] = defaultdict(lambda: defaultdict(int))
        self._lock = threading.RLock()
        self._go, self._cancel = threading.Event(), threading.Event()
        self._go.set()
        self._done = self._failed = self._running = self._alive = 0
        self._active_s, self._resumed_at = 0.0, 0.0
        self._stopped_because = ""
        self._threads: list[threading.Thread] = []
        self._finished = threading.Event()
        self._measurer = Measurer(
            project,
            lambda take: self._on_event(RunEvent(kind="measured", take=take)),
            lambda text: self._on_event(RunEvent(kind="unmeasured", text=text)),
        )

    # -- control

    def start(self) -> None:
        self._resumed_at = time.monotonic()
        self._run_id = self._project.takes.begin_run(
            repeats=self._planned.repeats, seed=self._seed, machine=describe_machine()
        )
        for name, queue in self._queues.items():
            engine = self._engines[name]
            self._connectors[name] = self._connect(engine)
            for index in range(min(engine.limits.requests_at_once, len(queue))):
                thread = threading.Thread(target=self._work, args=(engine, queue), name=f"render {name} {index}")
                self._threads.append(thread)
        self._alive = len(self._threads)
        if not self._threads:
            threading.Thread(target=self._finish, name="render end").start()
        for thread in self._threads:
            thread.start()

    def pause(self) -> None:
        """Finish what is in flight and start nothing new."""
        with self._lock:
            if self._go.is_set():
                self._go.clear()
                self._active_s += time.monotonic() - self._resumed_at

    def resume(self) -> None:
        with self._lock:
            if not self._go.is_set():
                self._resumed_at = time.monotonic()
                self._go.set()

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
                spent=self.spent(),
                paused=paused,
                finished=self._finished.is_set(),
                stopped_because=self._stopped_because,
            )

    def spent(self) -> tuple[Money, ...]:
        """Money this run has used so far, exactly as its plans bill it."""
        amounts = []
        with self._lock:
            for (engine_name, plan_name), added in self._added.items():
                engine = self._engines[engine_name]
                plan = engine.plan(plan_name)
                if plan is not None:
                    cost, _, _ = added_cost(plan.tariff, self._used.get((engine_name, plan_name), {}), added)
                    if cost is not None:
                        amounts.append(cost)
        return total_by_currency(amounts)

    # -- the workers

    def _work(self, engine: Engine, queue: deque[Job]) -> None:
        try:
            while not self._cancel.is_set():
                self._go.wait()
                if self._cancel.is_set():
                    break
                try:
                    job = queue.popleft()
                except IndexError:
                    break
                self._one(engine, job, queue)
        finally:
            with self._lock:
                self._alive -= 1
                last = self._alive == 0
            if last:
                self._finish()

    def _finish(self) -> None:
        for connector in self._connectors.values():
            connector.close()
        self._measurer.finish()
        try:
            self._project.takes.end_run(self._run_id)
        finally:
            with self._lock:
                self._active_s += time.monotonic() - self._resumed_at if self._go.is_set() else 0.0
                self._resumed_at = time.monotonic()
                self._finished.set()
            self._on_event(RunEvent(kind="finished", text=self._stopped_because))

    def _one(self, engine: Engine, job: Job, queue: deque[Job]) -> None:
        self._count(running=1)
        self._on_event(RunEvent(kind="started", job=job))
        try:
            for attempt in range(1, MOST_ATTEMPTS + 1):
                wait_s = self._attempt(engine, job, attempt, queue)
                if wait_s is None or self._cancel.wait(wait_s):
                    return
        except Cancelled:
            return
        except Exception as error:  # the disk, the database: nothing more can be kept safely
            self._trouble(f"The run was stopped: {error}")
        finally:
            self._count(running=-1)

    def _attempt(self, engine: Engine, job: Job, attempt: int, queue: deque[Job]) -> float | None:
        """One request. Returns seconds to wait before the next attempt, None when there is nothing to try again."""
        requests: list[int] = []
        replies: list[Reply] = []
        takes = self._project.takes
        for index, piece in enumerate(job.sent.requests):
            request_id = takes.open_request(
                run_id=self._run_id,
                candidate_id=job.candidate.id,
                passage_version_id=job.passage.version_id,
                repeat=job.repeat,
                attempt=attempt,
                plan=plan_of(job.candidate, engine).name,
                characters=piece.billed,
            )
            try:
                if index and self._cancel.is_set():
                    raise Cancelled
                reply = self._connectors[engine.engine].speak(self._request(job, piece), self._cancel.is_set)
            except Cancelled:
                takes.close_failed(request_id, "cancelled", "Cancelled while under way.", state="cancelled")
                self._paid_in_vain(engine, job, requests, replies)
                raise
            except SynthesisFailure as failure:
                takes.close_failed(request_id, failure.kind, failure.what)
                self._paid_in_vain(engine, job, requests, replies)
                return self._after_failure(failure, job, attempt, queue)
            requests.append(request_id)
            replies.append(reply)
        self._keep(engine, job, requests, replies)
        return None

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
            seed=job.repeat,
            reference=reference,
            described=described,
            passage=passage.title,
            number=self._numbers.get(passage.id, 0),
            repeat=job.repeat,
        )

    def _paid_in_vain(self, engine: Engine, job: Job, requests: list[int], replies: list[Reply]) -> None:
        """Pieces that came before one that failed: their sound is of no use alone, but they count as used."""
        for request_id, reply, piece in zip(requests, replies, job.sent.requests, strict=False):
            text = "A later piece of the same text failed; this one was paid and is not used."
            self._project.takes.close_failed(request_id, "incomplete", text, state="unused")
            billed = piece.billed if reply.characters_billed is None else reply.characters_billed
            with self._lock:
                self._added[(engine.engine, plan_of(job.candidate, engine).name)][job.candidate.model] += billed

    def _keep(self, engine: Engine, job: Job, requests: list[int], replies: list[Reply]) -> None:
        reply = joined(replies)
        billed = job.sent.billed if reply.characters_billed is None else reply.characters_billed
        take = self._project.takes.keep(
            reply.clip,
            candidate_id=job.candidate.id,
            passage_version_id=job.passage.version_id,
            repeat=job.repeat,
            request_id=requests[0],
            further_requests=requests[1:],
            timing=reply.timing,
            voice_used=reply.voice_used,
            model_used=reply.model_used,
            characters_billed=billed,
            obtained=reply.obtained,
            brought={"file": reply.file_name} if reply.file_name else None,
            sent=[piece.text for piece in job.sent.requests],
        )
        with self._lock:
            self._done += 1
            self._added[(engine.engine, plan_of(job.candidate, engine).name)][job.candidate.model] += billed
        self._on_event(RunEvent(kind="kept", job=job, take=take))
        self._measurer.add(take, reply.word_times)

    def _after_failure(self, failure: SynthesisFailure, job: Job, attempt: int, queue: deque[Job]) -> float | None:
        if failure.kind in RETRIED_UNASKED and attempt < MOST_ATTEMPTS:
            backoff = 0.4 * 2**attempt * (0.75 + 0.5 * float(self._rng.random()))
            wait_s = min(LONGEST_WAIT_S, backoff if failure.retry_after_s is None else failure.retry_after_s)
            self._on_event(RunEvent(kind="waiting", job=job, text=failure.what))
            return wait_s
        self._count(failed=1)
        self._on_event(RunEvent(kind="failed", job=job, text=failure.what))
        if failure.kind == "no allowance" or ("key" in failure.what.lower() and failure.kind == "refused"):
            # every further request of this engine would be refused alike
            with self._lock:
                self._failed += len(queue)
                self._stopped_because = failure.what
            queue.clear()
        return None

    def _count(self, *, running: int = 0, failed: int = 0) -> None:
        with self._lock:
            self._running += running
            self._failed += failed

    def _trouble(self, text: str) -> None:
        with self._lock:
            self._stopped_because = text
        self.cancel()


def render_missing(
    project: Project, *, repeats: int = 1, on_event: Callable[[RunEvent], None] = lambda _: None, seed: int = 0
) -> tuple[PlannedRun, Progress]:
    """Plan, run and wait: the whole of a run for the command line."""
    planned = plan_run(project, repeats=repeats)
    run = BenchRun(project, planned, on_event=on_event, seed=seed)
    run.start()
    try:
        run.wait()
    except KeyboardInterrupt:
        run.cancel()
        run.wait()
        raise ZestError("The run was stopped.", kept="Finished takes are kept.", remedy="Run again to go on.") from None
    return planned, run.progress()

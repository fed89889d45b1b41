"""Running a bench: worker threads per engine, a journal row before each request, pause, resume, hold and cancel."""

from __future__ import annotations

import threading
import time
from collections import defaultdict, deque
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Final

import numpy as np

from zestpanel.core.catalogue.facts import Engine, Limits
from zestpanel.core.connectors.opening import open_connector
from zestpanel.core.connectors.speaking import Connector
from zestpanel.core.domain.take import Take
from zestpanel.core.measures.registry import versions
from zestpanel.core.runs.execute.asking import Asking
from zestpanel.core.runs.execute.events import Progress, RunEvent
from zestpanel.core.runs.execute.executors import Executor, LocalExecutor
from zestpanel.core.runs.execute.jobs import JobsOfRun, RunParts
from zestpanel.core.runs.execute.measurer import Measurer
from zestpanel.core.runs.execute.pacing import RateLimiter
from zestpanel.core.runs.execute.run_log import RunLog, log_path
from zestpanel.core.runs.execute.troubles import duration_words
from zestpanel.core.runs.plan.circumstances import describe_machine, describe_network
from zestpanel.core.runs.plan.estimates import paces_of, prices_of
from zestpanel.core.runs.plan.job import Job
from zestpanel.core.runs.plan.meanwhile import left_to_make
from zestpanel.core.runs.plan.planning import PlannedRun, interleaved
from zestpanel.core.runs.spending.caps import SpendGuard, SpendingCaps, caps_of, plan_key
from zestpanel.core.store.one_asker import begin_asking, end_asking
from zestpanel.core.texts import tr

_LOOK_S: Final = 0.1  # how often a job looks whether the one it waits for is over


class BenchRun(JobsOfRun):
    """One run. ``on_event`` is called from worker threads. Every finished take is on disk before its event.

    Levels of requests at once run one after the other. Within a level each engine has its own workers; a conductor
    thread starts them, and when all have ended with work left (something is held) it pauses the run with the reason.
    Programs of this machine run one engine after the other and one text at a time, with measuring held back, so that
    their waits are their own; unless the conditions say that they run side by side.
    """

    def __init__(
        self,
        project: RunParts,
        planned: PlannedRun,
        *,
        on_event: Callable[[RunEvent], None] = lambda _: None,
        seed: int = 0,
        connect: Callable[[Engine], Connector] = open_connector,
        executor: Executor | None = None,
    ) -> None:
        self._project, self._planned, self._on_event = project, planned, on_event
        self._executor = executor or LocalExecutor(connect)
        self._executor_is_ours = executor is None
        self._seed = seed
        self._rng = np.random.default_rng(seed)
        self._engines = project.shortlist.engines()
        self._levels: dict[int, dict[str, deque[Job]]] = {n: defaultdict(deque) for n in sorted(
            {job.at_once for job in planned.jobs})}  # fmt: skip
        for job in sorted(interleaved(planned.jobs, self._rng), key=lambda job: bool(job.same_as)):
            self._levels[job.at_once][job.candidate.engine].append(job)
        self._total = len(planned.jobs)
        self._rates = paces_of(project.takes, project.shortlist, (job.candidate for job in planned.jobs))
        self._purse = SpendGuard(
            self._engines, {}, (), SpendingCaps(), today=datetime.now(UTC).date()
        )  # filled at the start
        self._paces: dict[str, RateLimiter] = {}
        self._lock = threading.RLock()
        self._keeping = threading.Lock()  # coding and storing one clip at a time leaves the interpreter to others
        self._go, self._cancel = threading.Event(), threading.Event()
        self._go.set()
        self._done = self._failed = self._running = 0
        self._down: dict[str, int] = defaultdict(int)
        self._leading = {job.same_as for job in planned.jobs if job.same_as}
        self._led_by: dict[str, Take] = {}  # takes that serve other jobs of this run, by the digest they were asked by
        self._given_up_on: set[str] = set()
        self._held: dict[str, str] = {}  # engine ('' for the whole run) -> why
        self._active_s, self._resumed_at = 0.0, time.monotonic()
        self._finished = threading.Event()
        self._resting = threading.Event()  # finished, or held with nothing under way
        self._programs_at_work = threading.Event()  # programs are timed: the machine is theirs
        self._executor.tell = self._told_by_engine
        self._asking = Asking(
            project, self._executor, self._paces, cold=planned.conditions.cold, go=self._go, cancel=self._cancel,
            tell=on_event, hold=self._hold, rng=self._rng, rates=self._rates,
        )  # fmt: skip
        self._measurer = Measurer(
            project,
            self._executor,
            lambda take: self._on_event(RunEvent(kind="measured", take=take)),
            lambda text: self._on_event(RunEvent(kind="unmeasured", text=text)),
            held_back=self._machine_is_timed,
        )

    # -- control

    def start(self) -> None:
        """Raises AskedElsewhere where another program is asking for the project."""
        begin_asking(self._project.folder)
        try:
            self._begin()
        except BaseException:
            self._project.purse = None
            end_asking(self._project.folder)
            raise

    def _begin(self) -> None:
        self._resumed_at = time.monotonic()
        self._look_at_what_is_there()
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
        self.log = self._asking.log = RunLog(log_path(self._project.folder, self.run_id))
        self.log.begin(self.run_id, self._seed, planned=self._planned)
        if self._made_elsewhere:
            self.log.write(
                tr(
                    "{made_elsewhere} takes were made or asked for by another program meanwhile.",
                    made_elsewhere=self._made_elsewhere,
                )
            )
        for take in self._project.takes.unmeasured(versions()):
            self._measurer.add(take)
        threading.Thread(target=self._conduct, name="render conductor").start()

    def _look_at_what_is_there(self) -> None:
        """What was used so far and what is there, now that no other program asks: plans were made before that."""
        project = self._project
        journal = project.journal.rows()
        candidates = {c.id: c for c in project.shortlist.candidates(removed=True, of_sweeps=True)}
        self._purse = project.purse = SpendGuard(
            self._engines, candidates, journal, caps_of(project.documents), today=datetime.now(UTC).date(),
            rates=self._rates, auditions=project.auditions.rows(), convert=project.brief.in_currency,
        )  # fmt: skip
        for name in {job.candidate.engine for job in self._planned.jobs}:
            rows = [row for row in journal[-1000:] if candidates[row.candidate_id].engine == name]
            most = self._limits(name).requests_per_minute
            self._paces[name] = RateLimiter(most, earlier=[_age_s(row.opened) for row in rows])
        self._made_elsewhere = 0
        if self._planned.seen == project.changes():
            return
        is_left, self._led_by = left_to_make(project.takes, journal)
        for queues in self._levels.values():
            for name, queue in queues.items():
                queues[name] = deque(filter(is_left, queue))  # those that wait for another stand behind all others
        left = sum(len(queue) for queues in self._levels.values() for queue in queues.values())
        self._made_elsewhere, self._total = self._total - left, left

    def pause(self) -> None:
        """Finish what is in flight and start nothing new."""
        with self._lock:
            if self._go.is_set():
                self._go.clear()
                self._active_s += time.monotonic() - self._resumed_at
                self.log.write(tr("Paused."))

    def resume(self) -> None:
        """Go on; what was held is tried again, under the caps as they are now."""
        with self._lock:
            self._purse.open_again(caps_of(self._project.documents))
            self._held.clear()
            self._down.clear()
            self._resting.clear()
            if not self._go.is_set():
                self._resumed_at = time.monotonic()
                self._go.set()
                self.log.write(tr("Went on."))

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
            over, total = self._done + self._failed, self._total
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
                waiting=", ".join(
                    tr(
                        "{name} waits {duration_words}, as its service asks",
                        name=name,
                        duration_words=duration_words(left),
                    )
                    for name, pace in self._paces.items()
                    if (left := pace.held_s()) >= 1
                ),
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
        alone = [] if self._planned.conditions.side_by_side else [n for n in queues if not self._engines[n].is_hosted]
        threads = [thread for name in queues if name not in alone for thread in self._workers(name, queues, level)]
        if alone:
            threads.append(threading.Thread(target=self._one_by_one, args=(alone, queues, level), name="programs"))
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()

    def _limits(self, name: str) -> Limits:
        """Of an engine, under the plans that its candidates in this run are bought under."""
        plans = (job.candidate.plan for job in self._planned.jobs if job.candidate.engine == name)
        return self._engines[name].limits_under(plans)

    def _workers(
        self, name: str, queues: dict[str, deque[Job]], level: int, *, most: int = 0
    ) -> list[threading.Thread]:
        engine, queue = self._engines[name], queues[name]
        most = most or self._limits(name).requests_at_once
        return [
            threading.Thread(target=self._work, args=(engine, queue, level), name=f"render {name} {index}")
            for index in range(min(level or most, most, len(queue)))
        ]

    def _one_by_one(self, names: list[str], queues: dict[str, deque[Job]], level: int) -> None:
        """Programs of this machine, an engine after the other; several texts at once only where load is timed."""
        self._programs_at_work.set()
        try:
            while self._machine_is_timed() and self._measurer.at_work and not self._cancel.wait(_LOOK_S):
                pass  # what is being measured is finished first
            for name in names:
                workers = self._workers(name, queues, level, most=0 if level else 1)
                for worker in workers:
                    worker.start()
                for worker in workers:
                    worker.join()
        finally:
            self._programs_at_work.clear()

    def _machine_is_timed(self) -> bool:
        return self._programs_at_work.is_set() and self._go.is_set()

    def _told_by_engine(self, engine: str, text: str) -> None:
        self.log.write(f"{engine}: {text}")
        self._on_event(RunEvent(kind="told", text=f"{engine}: {text}"))

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
            if self._purse.unpriced and self._purse.caps != SpendingCaps():
                names = ", ".join(sorted(plan_key(*key) for key in self._purse.unpriced))
                self.log.write(tr("No cap could hold what has no price that is known: {names}.", names=names))
            self.log.end(self.progress(), stopped=self._cancel.is_set())
        finally:
            self._project.purse = None
            end_asking(self._project.folder)
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
            self.log.write(tr("Held{engine}: {why}", engine=", " + engine if engine else "", why=why))
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
            if self._one(engine, job, level):
                continue
            if job.same_as:  # behind the one it waits for
                queue.append(job)
            else:
                queue.appendleft(job)


def _age_s(stamp: str) -> float:
    """Seconds since a stamp of the journal; a clock set back gives 0."""
    return max(0.0, (datetime.now(UTC) - datetime.fromisoformat(stamp)).total_seconds())

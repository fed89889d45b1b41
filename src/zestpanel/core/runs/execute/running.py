"""Running a bench: worker threads per engine, a journal row before each request, pause, resume, hold and cancel."""

from __future__ import annotations

import threading
from collections import defaultdict, deque
from collections.abc import Callable, Mapping, Sequence
from datetime import UTC, datetime
from functools import partial
from typing import Final

import numpy as np

from zestpanel.core.catalogue.facts import Engine, Limits
from zestpanel.core.clock import today
from zestpanel.core.connectors.opening import open_connector
from zestpanel.core.connectors.speaking import Connector
from zestpanel.core.measures.registry import versions
from zestpanel.core.money.volume import Rates
from zestpanel.core.runs.execute.asking import Asking
from zestpanel.core.runs.execute.events import Progress, RunEvent
from zestpanel.core.runs.execute.executors import Executor, LocalExecutor
from zestpanel.core.runs.execute.jobs import JobsOfRun, RunParts
from zestpanel.core.runs.execute.measurer import Measurer
from zestpanel.core.runs.execute.pacing import RateLimiter
from zestpanel.core.runs.execute.run_log import RunLog, log_path
from zestpanel.core.runs.execute.run_state import RunState
from zestpanel.core.runs.execute.troubles import disk_trouble, duration_words
from zestpanel.core.runs.plan.circumstances import describe_machine, describe_network
from zestpanel.core.runs.plan.estimates import paces_of, prices_of
from zestpanel.core.runs.plan.job import Job
from zestpanel.core.runs.plan.meanwhile import left_to_make
from zestpanel.core.runs.plan.planning import PlannedRun, interleaved
from zestpanel.core.runs.spending.caps import SpendGuard, SpendingCaps, caps_of, plan_key
from zestpanel.core.store.one_asker import begin_asking, end_asking
from zestpanel.core.texts import tr

_LOOK_S: Final = 0.1  # how often a job looks whether the one it waits for is over


class BenchRun:
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
        self._state = RunState(len(planned.jobs))
        self._run_ids: dict[int, int] = {}  # by level
        self._purse: SpendGuard | None = None  # what was spent until then is looked at when the run begins
        self._paces: dict[str, RateLimiter] = {}
        self._programs_at_work = threading.Event()  # programs are timed: the machine is theirs
        self._executor.tell = self._told_by_engine
        self._measurer = Measurer(
            project,
            self._executor,
            lambda take: self._tell(RunEvent(kind="measured", take=take)),
            lambda text: self._tell(RunEvent(kind="unmeasured", text=text)),
            held_back=self._machine_is_timed,
        )

    # -- control

    def start(self) -> None:
        """Raises AskedElsewhere where another program is asking for the project."""
        begin_asking(self._project.folder)
        try:
            self._begin()
        except BaseException:
            self._free(self._ends())
            raise

    def _begin(self) -> None:
        made_elsewhere, purse, rates = self._look_at_what_is_there()
        conditions = self._planned.conditions
        prices = prices_of((j.candidate for j in self._planned.jobs), self._engines)
        for level in self._levels or {0: {}}:
            self._run_ids[level] = self._project.journal.begin_run(
                repeats=self._planned.repeats,
                seed=self._seed,
                machine=describe_machine(),
                network=describe_network(),
                kind=conditions.kind,
                conditions={**conditions.as_document(), "at_once": level, "prices": prices},
                of_run=conditions.of_run,
            )
        self.run_id = min(self._run_ids.values())
        self.log = RunLog(log_path(self._project.folder, self.run_id))
        self.log.begin(self.run_id, self._seed, planned=self._planned)
        if made_elsewhere:
            self.log.write(
                tr(
                    "{made_elsewhere} takes were made or asked for by another program meanwhile.",
                    made_elsewhere=made_elsewhere,
                )
            )
        asking = Asking(
            self._project, self._executor, self._paces, cold=conditions.cold, state=self._state, log=self.log,
            tell=self._tell, hold=self._hold, rng=self._rng, rates=rates,
        )  # fmt: skip
        self._jobs = JobsOfRun(
            self._project, self._state, asking, self._measurer, purse, engines=self._engines, rates=rates,
            run_ids=self._run_ids, log=self.log, tell=self._tell, hold=self._hold,
            leading={job.same_as for job in self._planned.jobs if job.same_as},
        )  # fmt: skip
        for take in self._project.takes.unmeasured(versions()):
            self._measurer.add(take)
        threading.Thread(target=self._conduct, name="render conductor").start()

    def _look_at_what_is_there(self) -> tuple[int, SpendGuard, Mapping[int, Rates]]:
        """What was used so far and what is there, now that no other program asks: plans were made before that. Takes
        made by another since, what may be spent, and paces."""
        project = self._project
        journal = project.journal.rows()
        candidates = {c.id: c for c in project.shortlist.candidates(removed=True, of_sweeps=True)}
        rates = paces_of(project.takes, project.shortlist, (job.candidate for job in self._planned.jobs))
        self._purse = project.purse = purse = SpendGuard(
            self._engines, candidates, journal, caps_of(project.documents), today=today(), seats=project.brief.seats,
            rates=rates, auditions=project.auditions.rows(), convert=project.brief.in_currency,
        )  # fmt: skip
        for name in {job.candidate.engine for job in self._planned.jobs}:
            rows = [row for row in journal[-1000:] if candidates[row.candidate_id].engine == name]
            most = self._limits(name).requests_per_minute
            self._paces[name] = RateLimiter(most, earlier=[_age_s(row.opened) for row in rows])
        planned = len(self._planned.jobs)
        if self._planned.seen == project.changes():
            self._state.begin(planned)
            return 0, purse, rates
        is_left, led_by = left_to_make(project.takes, journal, candidates, self._engines)
        self._state.lead(led_by)
        for queues in self._levels.values():
            for name, queue in queues.items():
                queues[name] = deque(filter(is_left, queue))  # those that wait for another stand behind all others
        left = sum(len(queue) for queues in self._levels.values() for queue in queues.values())
        self._state.begin(left)
        return planned - left, purse, rates

    def pause(self) -> None:
        """Finish what is in flight and start nothing new."""
        if self._state.pause():
            self.log.write(tr("Paused."))

    def resume(self) -> None:
        """Go on; what was held is tried again, under the caps as they are now."""
        if self._purse is not None:
            self._purse.open_again(caps_of(self._project.documents))
        if self._state.resume():
            self.log.write(tr("Went on."))

    def cancel(self) -> None:
        """Stop: requests in flight are dropped and stay in the journal as cancelled."""
        self._state.cancel()

    def leave(self) -> None:
        """Stop as quickly as can be: like cancel, and takes that wait to be measured are left for another time."""
        self._measurer.drop()
        self.cancel()

    def wait(self, timeout_s: float | None = None) -> bool:
        """Wait for the end, the measuring included. False when it did not come in time."""
        return self._state.wait_till_over(timeout_s)

    def wait_till_resting(self, timeout_s: float | None = None) -> bool:
        """Wait until the run is over, or until nothing is under way and a person has to decide."""
        return self._state.wait_till_resting(timeout_s)

    def progress(self) -> Progress:
        state = self._state
        elapsed, finished, over = state.elapsed_s(), state.over, state.done + state.failed
        return Progress(
            total=state.total,
            done=state.done,
            failed=state.failed,
            running=state.running,
            elapsed_s=elapsed,
            left_s=elapsed / over * (state.total - over) if over >= 3 and not finished else None,
            spent=self._purse.spent() if self._purse is not None else (),
            paused=state.paused and not finished,
            finished=finished,
            held=state.why_held(),
            waiting=", ".join(
                tr("{name} waits {duration_words}, as its service asks", name=name, duration_words=duration_words(left))
                for name, pace in self._paces.items()
                if (left := pace.held_s()) >= 1
            ),
        )

    # -- the conductor

    def _conduct(self) -> None:
        try:
            for level, queues in self._levels.items():
                while any(queues.values()) and self._state.wait_to_go():
                    self._work_through(level, queues)
                    if any(queues.values()):
                        self._state.rest()
        except Exception as error:  # no thread could be begun, say: what is left is made another time
            self._hold("", tr("The run cannot go on: {error}", error=error))
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
            while self._machine_is_timed() and self._measurer.at_work and not self._state.stopped_within(_LOOK_S):
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
        return self._programs_at_work.is_set() and self._state.going

    def _told_by_engine(self, engine: str, text: str) -> None:
        self.log.write(f"{engine}: {text}")
        self._tell(RunEvent(kind="told", text=f"{engine}: {text}"))

    def _finish(self) -> None:
        steps: list[Callable[[], None]] = [self._measurer.finish]
        steps += [self._executor.close] if self._executor_is_ours else []
        steps += [
            *self._ends(),
            self._say_unpriced,
            lambda: self.log.end(self.progress(), stopped=self._state.stopping()),
        ]
        for one in self._free(steps):
            self._hold("", tr("The run is over, and not all of its end could be kept: {one}", one=one))
        self._state.end()
        self._tell(RunEvent(kind="finished", text=self._state.why_held()))

    def _ends(self) -> list[Callable[[], None]]:
        return [partial(self._project.journal.end_run, run_id) for run_id in self._run_ids.values()]

    def _free(self, steps: Sequence[Callable[[], None]]) -> list[str]:
        """Whatever goes wrong in one step of the end, the others are made, and the project is free. What went wrong."""
        wrong = []
        last: Callable[[], None] = partial(end_asking, self._project.folder)
        for step in [*steps, last]:
            try:
                step()
            except Exception as error:
                wrong.append(disk_trouble(error) or str(error) or type(error).__name__)
        self._project.purse = None
        return wrong

    def _say_unpriced(self) -> None:
        if self._purse is not None and self._purse.unpriced and self._purse.caps != SpendingCaps():
            names = ", ".join(sorted(plan_key(*key) for key in self._purse.unpriced))
            self.log.write(tr("No cap could hold what has no price that is known: {names}.", names=names))

    def _hold(self, engine: str, why: str) -> None:
        """Begin nothing more with an engine ('' for the whole run) until a person says to go on."""
        if self._state.hold(engine, why):
            self.log.write(tr("Held{engine}: {why}", engine=", " + engine if engine else "", why=why))
            self._tell(RunEvent(kind="held", text=why))

    def _tell(self, event: RunEvent) -> None:
        """Whoever listens to the run does not end it."""
        try:
            self._on_event(event)
        except Exception as error:
            self.log.write(f"{event.kind}: {type(error).__name__}: {error}")

    # -- the workers

    def _work(self, engine: Engine, queue: deque[Job], level: int) -> None:
        name = engine.engine
        while self._state.wait_to_go() and not self._state.is_held(name):
            try:
                job = queue.popleft()
            except IndexError:
                break
            if self._jobs.one(engine, job, level):
                continue
            if job.same_as:  # behind the one it waits for
                queue.append(job)
            else:
                queue.appendleft(job)


def _age_s(stamp: str) -> float:
    """Seconds since a stamp of the journal; a clock set back gives 0."""
    return max(0.0, (datetime.now(UTC) - datetime.fromisoformat(stamp)).total_seconds())

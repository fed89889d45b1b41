"""Takes measured while a run goes on."""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable
from typing import Final

from zestpanel.core.domain.take import Take, WordTimes
from zestpanel.core.runs.execute.executors import Executor
from zestpanel.core.runs.files.clip_names import RenderedParts
from zestpanel.core.runs.measuring.measuring import measure_and_keep
from zestpanel.core.texts import tr

_LOOK_S: Final = 0.05  # how often it is asked whether measuring is still held back


BACKLOG = 3  # takes waiting before a further worker is worth its start


class Measurer:
    """Threads that measure takes as they are given, through an executor. ``finish`` waits for the last one.

    held_back: asked before each take; while it says so none is begun.
    """

    def __init__(
        self,
        project: RenderedParts,
        executor: Executor,
        on_measured: Callable[[Take], None],
        on_trouble: Callable[[str], None],
        *,
        held_back: Callable[[], bool] = lambda: False,
    ) -> None:
        self._held_back, self._busy = held_back, 0
        self._project, self._executor = project, executor
        self._on_measured, self._on_trouble = on_measured, on_trouble
        self._queue: queue.Queue[tuple[Take, WordTimes] | None] = queue.Queue()
        self._threads: list[threading.Thread] = []
        self._lock = threading.Lock()
        self._dropped = threading.Event()

    @property
    def at_work(self) -> bool:
        """Whether a take is being measured right now."""
        with self._lock:
            return self._busy > 0

    def drop(self) -> None:
        """Leave what is still waiting unmeasured: the takes are kept, and measured another time."""
        self._dropped.set()

    def add(self, take: Take, word_times: WordTimes = ()) -> None:
        self._queue.put((take, word_times))
        with self._lock:
            running = len(self._threads)
            if not running or (running < self._executor.measuring_at_once and self._queue.qsize() > BACKLOG):
                thread = threading.Thread(target=self._work, name=f"measure {running}")
                self._threads.append(thread)
                thread.start()

    def finish(self) -> None:
        for _ in self._threads:
            self._queue.put(None)
        for thread in self._threads:
            thread.join()

    def _work(self) -> None:
        while (item := self._queue.get()) is not None:
            take, word_times = item
            while not self._may_begin():
                self._dropped.wait(_LOOK_S)
            try:
                if self._dropped.is_set():
                    continue
                measure_and_keep(self._project.texts, self._project.takes, take, word_times, self._executor)
                self._on_measured(take)
            except Exception as error:
                self._on_trouble(tr("Take {id} could not be measured: {error}", id=take.id, error=error))
            finally:
                with self._lock:
                    self._busy -= 1

    def _may_begin(self) -> bool:
        """True, and counted as at work, when a take may be measured now (or is to be dropped)."""
        with self._lock:
            may = self._dropped.is_set() or not self._held_back()
            self._busy += may
            return may

"""Who does the work of a run: requests are spoken and takes measured here, or on other machines (see elsewhere.py)."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Collection
from functools import partial
from pathlib import Path
from typing import Protocol

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.opening import open_connector
from zestpanel.core.connectors.speaking import Connector, Reply, SpeakRequest
from zestpanel.core.domain.take import Measured, WordTimes
from zestpanel.core.runs.measuring.measuring_process import MeasuringProcess
from zestpanel.core.waiting import Cancelled


class Executor(Protocol):
    """One way of doing the work. Both calls may come from several threads at once; results are the same either way."""

    tell: Callable[[str, str], None]  # (engine, what it says while it loads)

    @property
    def measuring_at_once(self) -> int:
        """How many takes are worth measuring at the same time."""
        ...

    def speak(self, engine: Engine, request: SpeakRequest, cancelled: Cancelled, *, cold: bool) -> Reply:
        """Raises SynthesisFailure or Cancelled. cold: with an engine just started, or over a new connection."""
        ...

    def measure(
        self, clip: Path, text: str, language: str, words: WordTimes, *, only: Collection[str] = (),
        before: Measured | None = None,
    ) -> Measured:  # fmt: skip
        """Raises AudioError for a clip that cannot be read, ZestError where the work could not be done."""
        ...

    def close(self) -> None: ...


class LocalExecutor:
    """On this machine: one connector an engine, kept for the run, and processes that measure."""

    measuring_at_once = max(2, min(4, (os.cpu_count() or 2) - 1))

    def __init__(self, connect: Callable[[Engine], Connector] = open_connector) -> None:
        self._connect = connect
        self._connectors: dict[str, Connector] = {}
        self._lock = threading.Lock()
        self._mine = threading.local()
        self._processes: list[MeasuringProcess] = []
        self.tell: Callable[[str, str], None] = lambda engine, text: None

    def _opened(self, engine: Engine) -> Connector:
        connector = self._connect(engine)
        if hasattr(connector, "tell"):  # a program that says how far it is with loading, a job's states
            connector.tell = partial(self.tell, engine.engine)
        return connector

    def speak(self, engine: Engine, request: SpeakRequest, cancelled: Cancelled, *, cold: bool) -> Reply:
        if cold:
            connector = self._opened(engine)
            try:
                return connector.speak(request, cancelled)
            finally:
                connector.close()
        with self._lock:
            if engine.engine not in self._connectors:
                self._connectors[engine.engine] = self._opened(engine)
            connector = self._connectors[engine.engine]
        return connector.speak(request, cancelled)

    def measure(
        self, clip: Path, text: str, language: str, words: WordTimes, *, only: Collection[str] = (),
        before: Measured | None = None,
    ) -> Measured:  # fmt: skip
        process: MeasuringProcess | None = getattr(self._mine, "process", None)
        if process is None or not process.alive:
            process = self._mine.process = MeasuringProcess()
            with self._lock:
                self._processes.append(process)
        return process.measure(clip, text, language, words, only=only, before=before)

    def close(self) -> None:
        with self._lock:
            connectors, self._connectors = list(self._connectors.values()), {}
            processes, self._processes = self._processes, []
        for connector in connectors:
            connector.close()
        for process in processes:
            process.__exit__()

"""The run that goes on, as the desk sees it: begun, told of, ended."""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from zestpanel.core.analysis.changes.comparing import CandidateChange
from zestpanel.core.analysis.changes.silent import in_words, silent_changes
from zestpanel.core.runs.execute.events import RunEvent
from zestpanel.core.runs.execute.running import BenchRun
from zestpanel.core.runs.plan.planning import PlannedRun
from zestpanel.core.texts import tr, trn

if TYPE_CHECKING:
    from zestpanel.desk.state import DeskState

MOST_NAMED = 3  # candidates in one notice
NEWS_MS = 400


class RunControl(QObject):
    """changed: the run began, ended or went on, and its takes are in the cells. news: (events) since the last look;
    ended: takes are to be read anew."""

    changed = pyqtSignal()
    news = pyqtSignal(list)
    ended = pyqtSignal()
    _event = pyqtSignal(object)

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self._state = state
        self.run: BenchRun | None = None
        self._beginning = False
        self._hearing, self._deaf = threading.Lock(), False
        self.running: dict[tuple[int, int], int] = {}  # cells with requests under way, and how many
        self._news: list[RunEvent] = []
        self._failures: Counter[str] = Counter()  # of the run, by what was said
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(NEWS_MS)
        self._soon.timeout.connect(self._show_news)
        self._event.connect(self._on_event)

    @property
    def goes_on(self) -> bool:
        """Whether a run is going on, or about to."""
        return self._beginning or (self.run is not None and not self.run.progress().finished)

    def begin(self, planned: PlannedRun, begun: Callable[[BenchRun], None] = lambda _: None) -> None:
        """Begin a planned run, unless one goes on; ``begun`` is given it. What it needs is read off the interface
        thread."""
        state = self._state
        if self.goes_on:
            state.complain(tr("A run is going on: wait for its end, or stop it."))
            return
        self._beginning = True
        self._failures.clear()

        def make() -> BenchRun:
            run = BenchRun(state.project, planned, on_event=self.on_event)
            self.run = run  # before it tells anything
            run.start()
            return run

        def arrived(run: BenchRun) -> None:
            self._beginning = False
            begun(run)
            self.changed.emit()

        def refused(error: Exception) -> None:
            self.run, self._beginning = None, False
            state.complain(error)
            self.changed.emit()

        state.background.run(make, arrived, refused)
        self.changed.emit()

    def on_event(self, event: RunEvent) -> None:
        """For BenchRun: called on its threads, delivered on the interface thread."""
        with self._hearing:
            if not self._deaf:  # the window is gone; what is still measured is kept all the same
                self._event.emit(event)

    def stop_hearing(self) -> None:
        """From here on no other thread touches this object, which may then be deleted."""
        with self._hearing:
            self._deaf = True

    def _on_event(self, event: RunEvent) -> None:
        if event.job is not None:
            cell = (event.job.candidate.id, event.job.passage.id)
            count = (
                self.running.get(cell, 0) + (event.kind == "started") - (event.kind in ("kept", "failed", "put back"))
            )
            self.running.pop(cell, None)
            if count > 0:
                self.running[cell] = count
        if event.kind == "held":
            self._state.complain(event.text)
        if event.kind == "failed":
            self._failures[event.text] += 1
        if event.kind == "finished":
            self._finished(event)
            return
        self._news.append(event)
        if not self._soon.isActive():
            self._soon.start()

    def _finished(self, event: RunEvent) -> None:
        self.running.clear()
        self._news.clear()
        self._soon.stop()
        progress = self.run.progress() if self.run else None
        if event.text:
            self._state.complain(event.text)
        elif progress is not None:
            failed = tr(", {failed} failed", failed=progress.failed) if progress.failed else ""
            if self._failures:
                reason, most = self._failures.most_common(1)[0]
                failed += (
                    f": {reason}"
                    if most == progress.failed
                    else tr(", {most} of them so: {reason}", most=most, reason=reason)
                )
            self._state.say(
                trn(
                    "{done} take rendered{failed}",
                    "{done} takes rendered{failed}",
                    progress.done,
                    done=progress.done,
                    failed=failed,
                )
                + ("" if failed.endswith(".") else ".")
            )
        self.ended.emit()
        self.changed.emit()
        if self.run is not None:
            self._look_for_changes(self.run.run_id)

    def _look_for_changes(self, run_id: int) -> None:
        """Say so when a run has brought another sound for the very same requests."""
        state = self._state

        def arrived(found: list[tuple[int, CandidateChange]]) -> None:
            if found:
                said = " ".join(in_words(state.name(c.candidate), earlier, c) for earlier, c in found[:MOST_NAMED])
                if len(found) > MOST_NAMED:
                    said += tr(" So do {found} more.", found=len(found) - MOST_NAMED)
                state.complain(
                    tr("{said} Select both runs under Runs, to hear it and to keep then and now apart.", said=said)
                )

        project = state.project
        state.background.run(
            lambda: silent_changes(project.takes, project.shortlist, project.journal, run_id), arrived, state.complain,
            topic="another sound",
        )  # fmt: skip

    def _show_news(self) -> None:
        """What the run told since the last look; nothing is read for it, so that the window is never held."""
        news, self._news = self._news, []
        self.news.emit(news)
        self.changed.emit()

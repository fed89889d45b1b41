"""Runs at set hours: looks every few seconds whether one is due, starts it, and tells when it is over."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtWidgets import QApplication, QSystemTrayIcon

from zestpanel.core.runs.execute.running import BenchRun
from zestpanel.core.runs.plan.planning import PlannedRun
from zestpanel.core.runs.schedule.schedule import Schedule
from zestpanel.core.runs.schedule.scheduled import coming, stored_schedule, take_due
from zestpanel.core.store.one_asker import asked_elsewhere
from zestpanel.core.texts import trn
from zestpanel.desk.state import DeskState

LOOK_MS = 20_000


class Hours(QObject):
    """One for each window. A run that is due waits while another one is going on, until it is too late for it."""

    def __init__(
        self, state: DeskState, *, clock: Callable[[], datetime] = lambda: datetime.now().astimezone()
    ) -> None:
        super().__init__(state)
        self.state, self._clock = state, clock
        self._ours: BenchRun | None = None
        self._tray: QSystemTrayIcon | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self.look)
        state.runs.changed.connect(self._run_changed)
        self.resume()

    def resume(self) -> None:
        """Look from now on, if there is a schedule with runs to come."""
        schedule = stored_schedule(self.state.project.documents)
        if schedule is not None and not schedule.over:
            self._timer.start()
            self.look()
        else:
            self._timer.stop()

    def look(self) -> None:
        if self.state.runs.goes_on:
            return
        project, now = self.state.project, self._clock()

        def look() -> tuple[Schedule | None, PlannedRun | None]:
            if asked_elsewhere(project.folder):  # an occasion is not used up while another program asks
                return stored_schedule(project.documents), None
            return take_due(project, now)

        self.state.background.run(look, self._looked, self.state.complain, topic="schedule")

    def _looked(self, found: tuple[Schedule | None, PlannedRun | None]) -> None:
        schedule, planned = found
        if schedule is None or schedule.over:
            self._timer.stop()
        if planned is not None and planned.jobs:
            self.state.runs.begin(planned, self._begun)

    def _begun(self, run: BenchRun) -> None:
        self._ours = run

    def _run_changed(self) -> None:
        if self._ours is None or not self._ours.progress().finished:
            return
        progress, self._ours = self._ours.progress(), None
        schedule = stored_schedule(self.state.project.documents)
        self.tell(
            trn(
                "{done} take rendered at its hour, {failed} failed. {coming}",
                "{done} takes rendered at their hour, {failed} failed. {coming}",
                progress.done,
                done=progress.done,
                failed=progress.failed,
                coming=coming(schedule),
            )
        )

    def tell(self, text: str) -> None:
        """A notification of the system where there is a tray to show it, and the window's own notice."""
        if QSystemTrayIcon.isSystemTrayAvailable():
            if self._tray is None:
                self._tray = QSystemTrayIcon(QApplication.windowIcon(), self)
            self._tray.show()
            self._tray.showMessage("Zest Panel", text)
        self.state.say(text)

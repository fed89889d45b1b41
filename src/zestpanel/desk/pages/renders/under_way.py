"""A run that is under way, or waits for its hour: how far it is, what it waits for, and its end."""

from __future__ import annotations

import time

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QLabel, QProgressBar, QPushButton, QWidget

from zestpanel.core.domain.money import Money
from zestpanel.core.runs.schedule.scheduled import SCHEDULE, coming, give_up_schedule, sleeps, stored_schedule, wake
from zestpanel.core.texts import tr
from zestpanel.desk.pages.renders.clips_in_and_out import ClipsInAndOut
from zestpanel.desk.pages.renders.questions import ask_about_undecided
from zestpanel.desk.plain_tips import plain_tip

READ_AGAIN_S = 5.0  # waits, sweeps and runs are read from the project; the grid follows what the run tells


class RunUnderWay(ClipsInAndOut):
    """Under the page of renders, which makes the parts that are named here."""

    pause: QPushButton
    plan_button: QPushButton
    progress: QProgressBar
    _wake: QPushButton
    _bar: QWidget
    _hours_row: QWidget
    _count: QLabel
    _held: QLabel
    _hours: QLabel
    _left: QLabel
    _clock: QTimer
    _read_at: float

    def _plan(self) -> None:
        raise NotImplementedError

    def _show_plan(self) -> None:
        raise NotImplementedError

    def _labels_changed(self) -> None:
        """Only the grid can be looked at while labels are hidden: the other views are about names."""
        hidden = self.state.labels_hidden
        if hidden:
            self.show_view("Grid")
        for tab in self.tabs[1:]:
            tab.setEnabled(not hidden)
        self.plan_button.setEnabled(not hidden)  # plans name their engines
        self._show_plan()

    def _scheduled(self) -> None:
        self._show_hours()
        self.state.schedule_changed.emit()

    def _show_hours(self) -> None:
        schedule = stored_schedule(self.state.project.documents)
        self._hours_row.setVisible(schedule is not None)
        asleep = schedule is not None and sleeps(self.state.project, schedule)
        self._wake.setVisible(asleep and not (schedule is not None and schedule.over))
        self._hours.setText(coming(schedule, asleep=asleep))

    def wake_hours(self) -> None:
        wake(self.state.project)
        self._scheduled()

    def give_up_hours(self) -> None:
        before = stored_schedule(self.state.project.documents)
        if before is not None:
            documents = self.state.project.documents
            self.state.edit(
                tr("schedule"),
                lambda: give_up_schedule(documents),
                lambda: SCHEDULE.write(documents, before),
            )
            self._scheduled()

    def toggle_pause(self) -> None:
        run = self.state.runs.run
        if run is not None:
            run.resume() if run.progress().paused or run.progress().held else run.pause()
            self._show_run()

    def cancel(self) -> None:
        if self.state.runs.run is not None:
            self.state.runs.run.cancel()

    def _show_run(self) -> None:
        progress = self.state.runs.run.progress() if self.state.runs.run is not None else None
        running = progress is not None and not progress.finished
        self._bar.setVisible(running)
        self._held.setVisible(running and progress is not None and bool(progress.held))
        if progress is None:
            return
        self._held.setText(progress.held)
        if progress.finished:
            if self._clock.isActive():
                self._clock.stop()
                self._plan()
            return
        over = progress.done + progress.failed
        self._count.setText(
            tr("{over} of {total}", over=over, total=progress.total)
            + (tr(", {failed} failed", failed=progress.failed) if progress.failed else "")
        )
        self.progress.setUpdatesEnabled(False)  # else it paints at once, and half the window with it
        self.progress.setMaximum(max(1, progress.total))
        self.progress.setValue(over)
        self.progress.setUpdatesEnabled(True)
        left = (
            tr("paused")
            if progress.paused
            else ("" if progress.left_s is None else tr("{time} left", time=_time(progress.left_s)))
        )
        if progress.waiting:
            left = tr("a service asked to wait") if self.state.labels_hidden else progress.waiting
        elif over == progress.total:
            left = tr("measuring what is rendered")
        spent = amounts(progress.spent)
        told = " · ".join(p for p in (left, tr("{spent} spent", spent=spent) if spent else "") if p)
        self._left.setText(told)
        self._left.setToolTip(plain_tip(told))
        self.pause.setText(tr("Go on") if progress.paused or progress.held else tr("Pause"))
        if self.view != "Grid" and self.isVisible() and time.monotonic() - self._read_at > READ_AGAIN_S:
            self._read_at = time.monotonic()
            self.refresh_view()

    def ask_about_open_requests(self) -> None:
        """Requests that brought nothing and may have been paid: never sent again by themselves."""

        def decided() -> None:
            self.state.refresh()
            self.refresh()

        ask_about_undecided(self, self.state, decided)


def amounts(costs: tuple[Money | None, ...]) -> str:
    """'0.42 EUR', or several joined by a plus; '' for none."""
    return " + ".join(str(m) for m in costs if m is not None)


def _time(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 90 else tr("{seconds} min", seconds=f"{seconds / 60:.0f}")

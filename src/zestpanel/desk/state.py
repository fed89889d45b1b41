"""What the desk is looking at: the project, the cell, the tray, hidden labels; and notices to the person."""

from __future__ import annotations

import random
import time
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from zestpanel.core.catalogue.candidate import candidate_detail
from zestpanel.core.choice.evidence import Evaluation, evaluate
from zestpanel.core.choice.what_changed import what_changed
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.passage import Passage
from zestpanel.core.domain.take import Take
from zestpanel.core.errors import Cancelled, ZestError
from zestpanel.core.measures.registry import versions
from zestpanel.core.runs.execute.events import RunEvent
from zestpanel.core.runs.measuring.measuring import measure_missing
from zestpanel.core.runs.measuring.measuring_process import MeasuringProcess
from zestpanel.core.store.project import Project
from zestpanel.core.texts import tr
from zestpanel.desk.background import Background
from zestpanel.desk.playing.player import Player
from zestpanel.desk.run_control import RunControl
from zestpanel.desk.tray import Tray
from zestpanel.desk.viewmodels.cells import Bench, bench_of, with_news

OTHERS_MS = 2_000
MOST_CELLS_AT_ONCE = 300  # read on the interface thread
MOST_CHARACTERS_AT_ONCE = 20_000
MOST_S_AT_ONCE = 0.1  # what it took the last time: above it, engines of very many voices are behind it


class DeskState(QObject):
    """The desk's shared state. All signals are emitted on the interface thread.

    bench_changed: candidates, passages or takes changed. selected: another cell. labels_changed: names hidden or shown.
    schedule_changed: hours of runs were set or given up. evaluation_changed: fresh evidence.
    notice: (level, text) for people; level is 'info' or 'problem'. tray: what is heard; runs: the run that goes on.
    """

    bench_changed = pyqtSignal()
    selected = pyqtSignal()
    labels_changed = pyqtSignal()
    evaluation_changed = pyqtSignal()
    history_changed = pyqtSignal()
    schedule_changed = pyqtSignal()
    notice = pyqtSignal(str, str)
    measuring = pyqtSignal(int, int)  # takes measured, and how many there are to be; (0, 0) when it is over

    def __init__(self, project: Project, player: Player, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.project, self.player = project, player
        self.background = Background(self)
        self.bench: Bench = bench_of(project)
        self.evaluation: Evaluation | None = None
        self.evaluation_stale = True
        self.candidate_id: int | None = None
        self.passage_id: int | None = None
        self._letters: dict[int, str] | None = None
        self._read_s = 0.0
        self.measures_now = self._measures_again = False
        self._measures: MeasuringProcess | None = None
        self._told: tuple[str, Evaluation] | None = None
        self.order: list[int] = []  # of candidates, where another than the shortlist's is wanted
        self._chance = random.Random()
        self.tray = Tray(self)
        self.runs = RunControl(self)
        self.runs.news.connect(self._take_news)
        self.runs.ended.connect(self._read_bench)
        self._others = QTimer(self)  # other programs may write to the project meanwhile
        self._others.setInterval(OTHERS_MS)
        self._others.timeout.connect(self._look_for_others)
        self._unaligned = False
        self._tray_soon = QTimer(self)
        self._tray_soon.setSingleShot(True)
        self._tray_soon.setInterval(0)
        self._tray_soon.timeout.connect(self._follow_on_tray)
        self._seen = project.changes()
        self._others.start()

    # -- people

    def say(self, text: str) -> None:
        self.notice.emit("info", text)

    def complain(self, error: Exception | str) -> None:
        """Show a sentence. An error nobody foresaw is named as such; nothing is swallowed."""
        if isinstance(error, Cancelled):
            return
        known = isinstance(error, ZestError | str)
        self.notice.emit(
            "problem", str(error) if known else tr("That did not work: {error}. The project is as it was.", error=error)
        )

    # -- names, and hiding them

    @property
    def labels_hidden(self) -> bool:
        return self._letters is not None

    def toggle_labels(self) -> None:
        """Hide the names (letters in a fresh shuffled order) or lift them."""
        if self._letters is None:
            ids = [c.id for c in self.bench.candidates]
            self._chance.shuffle(ids)
            self._letters = {c: _letter(i) for i, c in enumerate(ids)}
        else:
            self._letters = None
        self.labels_changed.emit()
        self.tray.load(keep_place=True)

    def ordered(self) -> list[Candidate]:
        """Candidates in the order shown: the shortlist's, or another that was asked for; shuffled while labels are
        hidden."""
        if self._letters is None:
            place = {candidate: k for k, candidate in enumerate(self.order)}
            return sorted(self.bench.candidates, key=lambda c: place.get(c.id, len(place)))
        return sorted(self.bench.candidates, key=lambda c: self._letters.get(c.id, "ZZ") if self._letters else "")

    def put_order(self, candidate_ids: list[int]) -> None:
        """Show candidates, and their lanes, in this order; the shortlist's own for none."""
        if candidate_ids != self.order:
            self.order = candidate_ids
            self.bench_changed.emit()
            self.tray.load(keep_place=True)

    def name(self, candidate: Candidate) -> str:
        if self._letters is not None:
            return self._letters.get(candidate.id, "?")
        return self.bench.names.get(candidate.id, "")

    def shown_names(self) -> dict[int, str]:
        """Names by candidate id as they are shown now: letters while labels are hidden."""
        return {candidate.id: self.name(candidate) for candidate in self.bench.candidates}

    def detail(self, candidate: Candidate) -> str:
        if self._letters is not None:
            return tr("label hidden")
        return candidate_detail(candidate, self.bench.engines.get(candidate.engine))

    # -- where we are

    def candidate(self) -> Candidate | None:
        return next((c for c in self.bench.candidates if c.id == self.candidate_id), None)

    def passage(self) -> Passage | None:
        return next((p for p in self.bench.passages if p.id == self.passage_id), None)

    def select(self, candidate_id: int | None, passage_id: int | None, *, play: bool = False) -> None:
        """Go to a cell. Within a passage this swaps lanes; another passage is laid on the tray. What plays goes on."""
        playing = self.player.mixer.playing or play
        other_passage = passage_id != self.passage_id
        if self.tray.repeats and (other_passage or candidate_id != self.candidate_id):
            self.tray.repeats, other_passage = [], True
        self.candidate_id, self.passage_id = candidate_id, passage_id
        self.tray.follow(other_passage=other_passage, playing=playing, play=play)  # the ear before the eye
        self.selected.emit()

    def aside(self, work: Callable[[], Any], show: Callable[[Any], None], topic: str) -> None:
        """Work off this thread, and show what comes of it; a later call of the topic replaces an earlier one."""
        self.background.run(work, show, self.complain, topic=topic)

    # -- edits

    def edit(
        self, label: str, do: object, undo: object, *, told: str = "", done: Callable[[], None] = lambda: None
    ) -> bool:
        """Run an undoable edit; a refused one is explained and leaves everything as it was.

        done: called when it worked, before it is shown.

        told: 'The new price of Kumquat', where a notice is to follow of what it changes in costs, must-haves and
        order.
        """
        self.background.stand_aside()
        before = None if self.evaluation_stale else self.evaluation
        try:
            self.project.history.run(label, do, undo)  # type: ignore[arg-type]
        except ZestError as error:
            self.complain(error)
            return False
        self._told = (told, before) if told and before is not None else None
        done()
        self.refresh()
        return True

    def edit_aside(
        self, label: str, do: Callable[[], None], undo: Callable[[], None], done: Callable[[], None], *,
        told: str = "",
    ) -> None:  # fmt: skip
        """An undoable edit that takes a while, done off this thread. done: called when it worked, before it is
        shown; told: as for ``edit``."""
        before = None if self.evaluation_stale else self.evaluation

        def worked(_: object) -> None:
            self.project.history.was_done(label, do, undo)
            self._told = (told, before) if told and before is not None else None
            done()
            self.history_changed.emit()
            self._read_bench()  # what took a while to write takes a while to read

        self.background.run(do, worked, self.complain)

    def undo(self) -> None:
        label = self.project.history.undo()
        if label:
            self.say(tr("Taken back: {label}.", label=label))
            self.refresh()

    def redo(self) -> None:
        label = self.project.history.redo()
        if label:
            self.say(tr("Done again: {label}.", label=label))
            self.refresh()

    def refresh(self) -> None:
        """Read the project again after an edit or ratings: at once, or off this thread where that takes a while."""
        project = self.project
        passages, characters = project.texts.size()
        cells = passages * max(1, len(self.bench.candidates))
        quick = cells <= MOST_CELLS_AT_ONCE and characters <= MOST_CHARACTERS_AT_ONCE
        if quick and self._read_s < MOST_S_AT_ONCE:
            began = time.perf_counter()
            bench = bench_of(project)
            self._read_s = time.perf_counter() - began
            self._show(bench)
        else:
            self.history_changed.emit()  # what can be undone or done again is known before the project is read
            self.background.run(lambda: bench_of(project), self._show, self.complain, topic="bench")

    def _show(self, bench: Bench) -> None:
        self.background.stand_aside()
        measured = bench.unmeasured < self.bench.unmeasured
        self.bench = bench
        self.tray.repeats = []  # what was laid out may have changed
        ids = [c.id for c in bench.candidates]
        if self._letters is not None:
            for candidate_id in ids:
                self._letters.setdefault(candidate_id, _letter(len(self._letters)))
        if self.candidate_id not in ids:
            self.candidate_id = ids[0] if ids else None
        if self.passage_id not in [p.id for p in bench.passages]:
            self.passage_id = bench.passages[0].id if bench.passages else None
        self.bench_changed.emit()
        self.history_changed.emit()
        self._unaligned |= measured and not all(lane.measured.words for lane in self.tray.lanes)
        self._tray_soon.start()
        self.refresh_evaluation()

    def _follow_on_tray(self) -> None:
        """The lanes after the page: what both take together would hold the window for too long."""
        self.tray.marks_changed.emit()
        unaligned, self._unaligned = self._unaligned, False
        if unaligned or [t.id for t in self.tray.takes()] != [lane.take.id for lane in self.tray.lanes]:
            self.tray.load(keep_place=True)

    def _read_bench(self) -> None:
        project = self.project
        self.background.run(lambda: bench_of(project), self._show, self.complain, topic="bench")

    def _take_news(self, events: list[RunEvent]) -> None:
        self.bench = with_news(self.bench, events)

    def stop_hearing(self) -> None:
        """From here on no other thread touches this object, which may then be deleted."""
        self._others.stop()
        self._tray_soon.stop()
        self._end_measuring()
        self.runs.stop_hearing()

    def _look_for_others(self) -> None:
        """Show what another program has written since the last look; off this thread, which waits for no lock."""
        if self.runs.goes_on:
            return  # this program is the one that asks
        project = self.project

        def arrived(seen: int) -> None:
            if seen != self._seen:
                self._seen = seen
                project.look_again()
                self.background.run(lambda: bench_of(project), self._show, self.complain, topic="bench")

        self.background.run(project.changes, arrived, lambda _: None, topic="others")  # locked: at the next look

    def refresh_evaluation(self) -> None:
        self.evaluation_stale = True

        def arrived(found: Evaluation) -> None:
            self.evaluation, self.evaluation_stale = found, False
            self.evaluation_changed.emit()
            if self._told is not None:
                (what, before), self._told = self._told, None
                if changes := what_changed(before, found):
                    self.say(f"{what}: {' '.join(changes)}")

        self.background.run(lambda: evaluate(self.project), arrived, self.complain, topic="evaluation")

    def measure_soon(self, *, slow: bool = False) -> None:
        """Measure takes that lack figures, in a process of its own, and show them. slow: what takes long, too."""
        if self.measures_now and not slow:
            self._measures_again = True  # what came meanwhile follows
            return
        project = self.project

        def work() -> tuple[int, list[str]]:
            n, of = 0, project.takes.count_unmeasured(versions(slow=slow))
            self.measuring.emit(0, of)

            def one_more(_: Take) -> None:
                nonlocal n
                n += 1
                self.measuring.emit(n, of)

            with MeasuringProcess() as process:
                self._measures = process
                return measure_missing(project.takes, project.texts, process=process, slow=slow, on_take=one_more)

        def done(result: tuple[int, list[str]]) -> None:
            self._measured()
            for problem in result[1]:
                self.complain(problem)

        def failed(error: Exception) -> None:
            self._measured()
            self.complain(error)

        self.measures_now = True
        self.background.run(work, done, failed, topic="measure", long=True)

    def stop_measuring(self) -> None:
        """What is done is kept."""
        self._measures_again = False
        self._end_measuring()
        self._measured()

    def _end_measuring(self) -> None:
        """At once: voice quality of a long take takes minutes, for which no window may wait."""
        self.background.drop("measure")
        if self._measures is not None:
            self._measures.kill()

    def _measured(self) -> None:
        self.measures_now, self._measures = False, None
        self.measuring.emit(0, 0)
        self.refresh()
        if self._measures_again:
            self._measures_again = False
            self.measure_soon()


def _letter(index: int) -> str:
    return chr(ord("A") + index) if index < 26 else f"{chr(ord('A') + index // 26 - 1)}{chr(ord('A') + index % 26)}"

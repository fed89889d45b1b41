"""What the desk is looking at: the project, the cell, the tray, hidden labels; and notices to the person."""

from __future__ import annotations

import random
import threading
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from zestpanel.core.analysis.changes.comparing import CandidateChange
from zestpanel.core.analysis.changes.silent import in_words, silent_changes
from zestpanel.core.catalogue.candidate import candidate_detail
from zestpanel.core.choice.evidence import Standing, standing
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.passage import Passage, words_with_places
from zestpanel.core.domain.take import Mark, Measured, Take
from zestpanel.core.errors import Cancelled, ZestError
from zestpanel.core.playback.mixer import Lane, prepare_lanes
from zestpanel.core.runs.execute.events import RunEvent
from zestpanel.core.runs.execute.running import BenchRun
from zestpanel.core.runs.measuring.measuring import measure_missing
from zestpanel.core.runs.measuring.measuring_process import MeasuringProcess
from zestpanel.core.runs.plan.planning import PlannedRun
from zestpanel.core.store.project import Project
from zestpanel.desk.background import Background
from zestpanel.desk.playing.player import Player
from zestpanel.desk.viewmodels.cells import Bench, bench_of, with_news

MOST_LANES = 9  # as many as there are digit keys
OTHERS_MS = 2_000
MOST_CELLS_AT_ONCE = 600  # read on the interface thread
MOST_CHARACTERS_AT_ONCE = 60_000
MOST_NAMED = 3  # candidates in one notice


@dataclass(frozen=True, slots=True)
class TrayLane:
    """One lane of the tray: the take, its candidate, what it shows."""

    take: Take
    candidate: Candidate
    measured: Measured


class DeskState(QObject):
    """The desk's shared state. All signals are emitted on the interface thread.

    bench_changed: candidates, passages or takes changed. run_changed: the run began, ended or went on, and its takes
    are in the cells. selected: another cell. tray_changed: other lanes are laid out. labels_changed: names hidden or
    shown. schedule_changed: hours of runs were set or given up.
    standing_changed: fresh evidence.
    notice: (level, text) for people; level is 'info' or 'problem'.
    """

    bench_changed = pyqtSignal()
    selected = pyqtSignal()
    tray_changed = pyqtSignal()
    labels_changed = pyqtSignal()
    standing_changed = pyqtSignal()
    run_changed = pyqtSignal()
    marks_changed = pyqtSignal()
    history_changed = pyqtSignal()
    schedule_changed = pyqtSignal()
    notice = pyqtSignal(str, str)
    _run_event = pyqtSignal(object)

    def __init__(self, project: Project, player: Player, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.project, self.player = project, player
        self.background = Background(self)
        self.bench: Bench = bench_of(project)
        self.standing: Standing | None = None
        self.standing_stale = True
        self.candidate_id: int | None = None
        self.passage_id: int | None = None
        self.tray: list[TrayLane] = []
        self.tray_target_lufs = -23.0
        self.real_time = False
        self.repeats: list[Take] = []  # takes of one cell, laid out instead of one of each candidate
        self.run: BenchRun | None = None
        self._beginning = False
        self._letters: dict[int, str] | None = None
        self._play_when_loaded = False
        self._loading = False  # lanes are on the way to the tray
        self._chance = random.Random()
        self._hearing, self._deaf = threading.Lock(), False
        self.running: dict[tuple[int, int], int] = {}
        self._news: list[RunEvent] = []
        self._failures: Counter[str] = Counter()  # of the run, by what was said
        self._others = QTimer(self)  # other programs may write to the project meanwhile
        self._others.setInterval(OTHERS_MS)
        self._others.timeout.connect(self._look_for_others)
        self._seen = project.changes()
        self._others.start()
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(400)
        self._soon.timeout.connect(self._show_news)
        self._run_event.connect(self._on_run_event)

    # -- people

    def say(self, text: str) -> None:
        self.notice.emit("info", text)

    def complain(self, error: Exception | str) -> None:
        """Show a sentence. An error nobody foresaw is named as such; nothing is swallowed."""
        if isinstance(error, Cancelled):
            return
        known = isinstance(error, ZestError | str)
        self.notice.emit("problem", str(error) if known else f"That did not work: {error}. The project is as it was.")

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
        self._load_tray(keep_place=True)

    def ordered(self) -> list[Candidate]:
        """Candidates in the order shown: the shortlist's, or shuffled while labels are hidden."""
        if self._letters is None:
            return list(self.bench.candidates)
        return sorted(self.bench.candidates, key=lambda c: self._letters.get(c.id, "ZZ") if self._letters else "")

    def name(self, candidate: Candidate) -> str:
        if self._letters is not None:
            return self._letters.get(candidate.id, "?")
        return self.bench.names.get(candidate.id, "")

    def shown_names(self) -> dict[int, str]:
        """Names by candidate id as they are shown now: letters while labels are hidden."""
        return {candidate.id: self.name(candidate) for candidate in self.bench.candidates}

    def detail(self, candidate: Candidate) -> str:
        if self._letters is not None:
            return "label hidden"
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
        if self.repeats and (other_passage or candidate_id != self.candidate_id):
            self.repeats, other_passage = [], True
        self.candidate_id, self.passage_id = candidate_id, passage_id
        index = next((i for i, lane in enumerate(self.tray) if lane.candidate.id == candidate_id), None)
        if self.repeats:
            index = min(self.player.mixer.on, len(self.tray) - 1) if self.tray else None
        self.selected.emit()
        if self._loading and not other_passage and candidate_id in {t.candidate_id for t in self.tray_takes()}:
            self._play_when_loaded |= playing  # its lane is on the way, and is the one heard when it comes
        elif other_passage or index is None:
            self._play_when_loaded = playing or (self._loading and self._play_when_loaded)
            self.player.mixer.pause()  # what is named is what is heard: nothing of the passage before goes on
            self._load_tray()
        else:
            self.player.swap(index, by_text=not self.real_time)
            if play and not self.player.mixer.playing:
                self.player.play()

    def swap_to(self, index: int) -> None:
        """Hear the lane of a digit key; while lanes are loading, of those that will be there."""
        if self._loading:
            coming = self.tray_takes()
            if 0 <= index < len(coming) and not self.repeats:
                self.select(coming[index].candidate_id, self.passage_id)
            return
        if not 0 <= index < len(self.tray):
            return
        if self.repeats:
            self.player.swap(index, by_text=not self.real_time)
            self.tray_changed.emit()
        else:
            self.select(self.tray[index].candidate.id, self.passage_id)

    def toggle_play(self) -> None:
        if self._loading:
            self._play_when_loaded = not self._play_when_loaded
        elif self.tray and self.player.mixer.lanes:
            self.player.toggle()
        elif self.candidate_id is None and self.bench.candidates and self.bench.passages:
            self.select(self.ordered()[0].id, self.bench.passages[0].id, play=True)

    def lay_out_repeats(self, takes: list[Take], candidate_id: int, passage_id: int, *, play: bool = False) -> None:
        """Lay the takes of one cell on the tray, to be swapped like candidates; another cell ends it."""
        self.candidate_id, self.passage_id = candidate_id, passage_id
        self.repeats = takes[:MOST_LANES]
        self._play_when_loaded = play
        self.selected.emit()
        self._load_tray()

    def lane_name(self, lane: TrayLane) -> str:
        return f"take {lane.take.repeat}" if self.repeats else self.name(lane.candidate)

    def set_real_time(self, on: bool) -> None:
        self.real_time = on
        self.tray_changed.emit()

    # -- the tray

    def tray_takes(self) -> list[Take]:
        """The takes to lay out: of each candidate, in the order shown, the starred or first take of the passage;
        at most nine, chosen so that the selected candidate is among them."""
        passage = self.passage()
        if passage is None:
            return []
        if self.repeats:
            return self.repeats
        chosen = []
        for candidate in self.ordered():
            cell = self.bench.cell(candidate.id, passage.id)
            if cell.take is not None:
                chosen.append(cell.take)
        if len(chosen) > MOST_LANES:
            at = next((i for i, t in enumerate(chosen) if t.candidate_id == self.candidate_id), 0)
            first = min(max(0, at - MOST_LANES // 2), len(chosen) - MOST_LANES)
            chosen = chosen[first : first + MOST_LANES]
        return chosen

    def reload_tray(self) -> None:
        """Lay the tray's lanes on the player again, after something else was heard."""
        self._load_tray(keep_place=True)

    def _load_tray(self, *, keep_place: bool = False) -> None:
        takes = self.tray_takes()
        passage = self.passage()
        place = self.player.mixer.place if keep_place and self.player.mixer.lanes else None
        if keep_place and self.player.mixer.playing:
            self._play_when_loaded = True
        if not takes or passage is None:
            self.tray, self._loading = [], False
            self.player.mixer.pause()
            self.player.load([], on=0)
            self.tray_changed.emit()
            return
        words = len(words_with_places(passage.text))
        project = self.project

        def prepare() -> tuple[list[Lane], float, dict[int, Measured]]:
            measured = project.takes.measured([t.id for t in takes])
            clips = [
                (t.id, project.takes.load(t), measured[t.id].words if t.id in measured else (), words) for t in takes
            ]
            lanes, target = prepare_lanes(clips)
            return lanes, target, measured

        def laid_out(found: tuple[list[Lane], float, dict[int, Measured]]) -> None:
            self._loading = False
            every, self.tray_target_lufs, measured = found
            by_id = {c.id: c for c in self.bench.candidates}
            own = self.candidate() if self.repeats else None  # a sweep's points stand for their candidate
            laid = [
                (TrayLane(t, found_candidate, measured.get(t.id, Measured(values={}))), lane)
                for t, lane in zip(takes, every, strict=True)
                if (found_candidate := by_id.get(t.candidate_id, own)) is not None
            ]  # a candidate that went meanwhile takes its sound along
            self.tray, lanes = [one for one, _ in laid], [lane for _, lane in laid]
            on = next((i for i, lane in enumerate(self.tray) if lane.candidate.id == self.candidate_id), 0)
            on = 0 if self.repeats else on
            play, self._play_when_loaded = self._play_when_loaded, False
            self.player.mixer.pause()
            self.player.load(lanes, on=on, place=place)
            self.tray_changed.emit()
            if play:
                self.player.play()

        def refused(error: Exception) -> None:
            self._loading = False
            self.complain(error)

        self._loading = True
        self.background.run(prepare, laid_out, refused, topic="tray")

    def marks_of_tray(self) -> dict[int, list[Mark]]:
        """Marks by take id, for the takes on the tray."""
        on_tray = {lane.take.id for lane in self.tray}
        out: dict[int, list[Mark]] = {}
        for mark in self.project.takes.marks():
            if mark.take_id in on_tray:
                out.setdefault(mark.take_id, []).append(mark)
        return out

    def mark_here(self, kind: str) -> None:
        """Mark a defect in the heard lane where playback stands."""
        if not self.tray:
            return
        lane, at_s = self.tray[self.player.mixer.on], self.player.mixer.time_s
        made: list[int] = []

        def do() -> None:
            if made:
                self.project.takes.set_mark_removed(made[0], False)
            else:
                made.append(self.project.takes.add_mark(lane.take.id, at_s, kind))

        self.edit(f"mark '{kind}'", do, lambda: self.project.takes.set_mark_removed(made[0], True))

    # -- edits

    def edit(self, label: str, do: object, undo: object) -> bool:
        """Run an undoable edit; a refused one is explained and leaves everything as it was."""
        try:
            self.project.history.run(label, do, undo)  # type: ignore[arg-type]
        except ZestError as error:
            self.complain(error)
            return False
        self.refresh()
        return True

    def undo(self) -> None:
        label = self.project.history.undo()
        if label:
            self.say(f"Taken back: {label}.")
            self.refresh()

    def redo(self) -> None:
        label = self.project.history.redo()
        if label:
            self.say(f"Done again: {label}.")
            self.refresh()

    def refresh(self) -> None:
        """Read the project again after an edit or ratings: at once, or off this thread where that takes a while."""
        project = self.project
        passages, characters = project.texts.size()
        cells = passages * max(1, len(self.bench.candidates))
        if cells <= MOST_CELLS_AT_ONCE and characters <= MOST_CHARACTERS_AT_ONCE:
            self._show(bench_of(project))
        else:
            self.background.run(lambda: bench_of(project), self._show, self.complain, topic="bench")

    def _show(self, bench: Bench) -> None:
        measured = bench.unmeasured < self.bench.unmeasured
        self.bench = bench
        self.repeats = []  # what was laid out may have changed
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
        self.marks_changed.emit()
        self.refresh_standing()
        unaligned = measured and not all(lane.measured.words for lane in self.tray)
        if unaligned or [t.id for t in self.tray_takes()] != [lane.take.id for lane in self.tray]:
            self._load_tray(keep_place=True)

    def _look_for_others(self) -> None:
        """Show what another program has written since the last look; off this thread, which waits for no lock."""
        if self.run_goes_on:
            return  # this program is the one that asks
        project = self.project

        def arrived(seen: int) -> None:
            if seen != self._seen:
                self._seen = seen
                project.look_again()
                self.background.run(lambda: bench_of(project), self._show, self.complain, topic="bench")

        self.background.run(project.changes, arrived, lambda _: None, topic="others")  # locked: at the next look

    def refresh_standing(self) -> None:
        self.standing_stale = True

        def arrived(found: Standing) -> None:
            self.standing, self.standing_stale = found, False
            self.standing_changed.emit()

        self.background.run(lambda: standing(self.project), arrived, self.complain, topic="standing")

    def measure_soon(self) -> None:
        """Measure takes that lack figures, in a process of its own, and show them."""
        project = self.project

        def work() -> tuple[int, list[str]]:
            with MeasuringProcess() as process:
                return measure_missing(project, process=process)

        def done(result: tuple[int, list[str]]) -> None:
            for problem in result[1]:
                self.complain(problem)
            if result[0]:
                self.refresh()

        self.background.run(work, done, self.complain, topic="measure")

    # -- the run

    @property
    def run_goes_on(self) -> bool:
        """Whether a run is going on, or about to."""
        return self._beginning or (self.run is not None and not self.run.progress().finished)

    def begin_run(self, planned: PlannedRun, begun: Callable[[BenchRun], None] = lambda _: None) -> None:
        """Begin a planned run, unless one goes on; ``begun`` is given it. What it needs is read off the interface
        thread."""
        if self.run_goes_on:
            self.complain("A run is going on: wait for its end, or stop it.")
            return
        self._beginning = True
        self._failures.clear()

        def make() -> BenchRun:
            run = BenchRun(self.project, planned, on_event=self.on_run_event)
            self.run = run  # before it tells anything
            run.start()
            return run

        def arrived(run: BenchRun) -> None:
            self._beginning = False
            begun(run)
            self.run_changed.emit()

        def refused(error: Exception) -> None:
            self.run, self._beginning = None, False
            self.complain(error)
            self.run_changed.emit()

        self.background.run(make, arrived, refused)
        self.run_changed.emit()

    def on_run_event(self, event: RunEvent) -> None:
        """For BenchRun: called on its threads, delivered on the interface thread."""
        with self._hearing:
            if not self._deaf:  # the window is gone; what is still measured is kept all the same
                self._run_event.emit(event)

    def stop_hearing(self) -> None:
        """From here on no other thread touches this object, which may then be deleted."""
        self._others.stop()
        with self._hearing:
            self._deaf = True

    def _on_run_event(self, event: RunEvent) -> None:
        if event.job is not None:
            cell = (event.job.candidate.id, event.job.passage.id)
            count = (
                self.running.get(cell, 0) + (event.kind == "started") - (event.kind in ("kept", "failed", "put back"))
            )
            self.running.pop(cell, None)
            if count > 0:
                self.running[cell] = count
        if event.kind == "held":
            self.complain(event.text)
        if event.kind == "failed":
            self._failures[event.text] += 1
        if event.kind == "finished":
            self.running.clear()
            self._news.clear()
            self._soon.stop()
            progress = self.run.progress() if self.run else None
            if event.text:
                self.complain(event.text)
            elif progress is not None:
                failed = f", {progress.failed} failed" if progress.failed else ""
                if self._failures:
                    reason, most = self._failures.most_common(1)[0]
                    failed += f": {reason}" if most == progress.failed else f", {most} of them so: {reason}"
                self.say(f"{progress.done} takes rendered{failed}" + ("" if failed.endswith(".") else "."))
            self.background.run(lambda: bench_of(self.project), self._show, self.complain, topic="bench")
            self.run_changed.emit()
            if self.run is not None:
                self._look_for_changes(self.run.run_id)
            return
        self._news.append(event)
        if not self._soon.isActive():
            self._soon.start()

    def _look_for_changes(self, run_id: int) -> None:
        """Say so when a run has brought another sound for the very same requests."""
        project = self.project

        def arrived(found: list[tuple[int, CandidateChange]]) -> None:
            if found:
                said = " ".join(in_words(self.name(c.candidate), earlier, c) for earlier, c in found[:MOST_NAMED])
                if len(found) > MOST_NAMED:
                    said += f" So do {len(found) - MOST_NAMED} more."
                self.complain(f"{said} Select both runs under Runs, to hear it and to keep then and now apart.")

        self.background.run(lambda: silent_changes(project, run_id), arrived, self.complain, topic="another sound")

    def _show_news(self) -> None:
        """What the run told since the last look; nothing is read for it, so that the window is never held."""
        news, self._news = self._news, []
        self.bench = with_news(self.bench, news)
        self.run_changed.emit()


def _letter(index: int) -> str:
    return chr(ord("A") + index) if index < 26 else f"{chr(ord('A') + index // 26 - 1)}{chr(ord('A') + index % 26)}"

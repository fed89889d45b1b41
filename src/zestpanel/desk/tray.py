"""The tray: the lanes that digits swap between, laid out for a passage or for the takes of one cell, and how they are
heard: raw or as listening copies, alone or between their neighbours, dry or over music or a room."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from zestpanel.core.analysis.faults import Fault
from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import read
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.passage import words_with_places
from zestpanel.core.domain.take import Mark, Measured, Take
from zestpanel.core.listening.defects import keep_heard
from zestpanel.core.listening.material import Around, heard_clip
from zestpanel.core.measures.silence import pause_spans
from zestpanel.core.playback.mixer import Lane, as_measured, bed_of, prepare_lanes
from zestpanel.core.store.small_documents import PINNED
from zestpanel.core.texts import tr
from zestpanel.core.waiting import give_way

if TYPE_CHECKING:
    from zestpanel.core.store.project import Project
    from zestpanel.desk.state import DeskState

MOST_LANES = 9  # as many as there are digit keys
SHOWN_PAUSE_S = 0.4  # from when on a pause is drawn


def project_pins(project: Project) -> list[int]:
    return list(PINNED.read(project.documents))


@dataclass(frozen=True, slots=True)
class TrayLane:
    """One lane of the tray: the take, its candidate, what it shows. pauses: long ones, (start, end) in its own time.
    joins: where later pieces of a text begin, of a clip that is heard as it came."""

    take: Take
    candidate: Candidate
    measured: Measured
    pauses: tuple[tuple[float, float], ...] = ()
    joins: tuple[float, ...] = ()


class Tray(QObject):
    """changed: other lanes are laid out, or the same ones otherwise. marks_changed: marks were set or taken away."""

    changed = pyqtSignal()
    marks_changed = pyqtSignal()

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self._state, self._player = state, state.player
        self.lanes: list[TrayLane] = []
        self.target_lufs = -23.0
        self.real_time = False
        self.contour = ""  # the curve that is drawn over the waves
        self.contours_together = False  # and whether those of the other clips are drawn with it
        self.copies = False  # silence around speech is trimmed, as in a test's listening copies
        self.between_neighbours = False
        self.bed_path: Path | None = None
        self.bed_below_lu = 15.0
        self.pinned: list[int] = project_pins(state.project)  # candidates whose lanes stay, the first first
        self.repeats: list[Take] = []  # takes of one cell, laid out instead of one of each candidate
        self._play_when_loaded = False
        self._loading = False  # lanes are on the way

    # -- what is laid out

    def takes(self) -> list[Take]:
        """The takes to lay out: of each candidate, in the order shown, the starred or first take of the passage, a
        person's recordings first; at most nine, chosen so that the selected candidate is among them."""
        state = self._state
        passage = state.passage()
        if passage is None:
            return []
        if self.repeats:
            return self.repeats
        engines = state.bench.engines
        human = {c.id for c in state.bench.candidates if (e := engines.get(c.engine)) is not None and e.human}
        order = state.ordered()
        if not state.labels_hidden:
            order = sorted(order, key=lambda c: c.id not in human)
        every = [take for c in order if (take := state.bench.cell(c.id, passage.id).take) is not None]
        kept = [] if state.labels_hidden else self.pinned  # a place that stays would tell whose it is
        staying = [take for one in kept for take in every if take.candidate_id == one][: MOST_LANES - 1]
        others = [take for take in every if take not in staying]
        room = MOST_LANES - len(staying)
        if len(others) > room:
            at = next((i for i, t in enumerate(others) if t.candidate_id == state.candidate_id), 0)
            first = min(max(0, at - room // 2), len(others) - room)
            others = others[first : first + room]
        return staying + others

    def is_pinned(self, index: int) -> bool:
        return not self._state.labels_hidden and self.lanes[index].candidate.id in self.pinned

    def pin(self) -> None:
        """Keep the selected candidate's lane among the first wherever one goes, or no longer."""
        candidate = self._state.candidate()
        if candidate is None or self._state.labels_hidden:
            self._state.complain(tr("Show the labels and choose a candidate: its lane can then be pinned."))
            return
        on = candidate.id not in self.pinned
        if on and len(self.pinned) >= MOST_LANES - 1:
            self._state.complain(
                tr(
                    "{most_lanes} lanes are pinned, and one is to be left for what is selected.",
                    most_lanes=MOST_LANES - 1,
                )
            )
            return
        before = self.pinned
        after = [*before, candidate.id] if on else [one for one in before if one != candidate.id]

        def put(pins: list[int]) -> Callable[[], None]:
            def do() -> None:
                PINNED.write(self._state.project.documents, tuple(pins))
                self.pinned = pins
                self.load(keep_place=True)

            return do

        if self._state.edit(tr("pinned lanes"), put(after), put(before)):
            name = self._state.name(candidate)
            self._state.say(
                tr("{name} stays among the first lanes.", name=name)
                if on
                else tr("{name} is no longer pinned.", name=name)
            )

    def follow(self, *, other_passage: bool, playing: bool, play: bool) -> None:
        """The selection is elsewhere: swap to its lane, or lay out its passage."""
        candidate_id = self._state.candidate_id
        index = next((i for i, lane in enumerate(self.lanes) if lane.candidate.id == candidate_id), None)
        if self.repeats:
            index = min(self._player.mixer.on, len(self.lanes) - 1) if self.lanes else None
        if self._loading and not other_passage and candidate_id in {t.candidate_id for t in self.takes()}:
            self._play_when_loaded |= playing  # its lane is on the way, and is the one heard when it comes
        elif other_passage or index is None:
            self._play_when_loaded = playing or (self._loading and self._play_when_loaded)
            self._player.mixer.pause()  # what is named is what is heard: nothing of the passage before goes on
            self.load()
        else:
            self._player.swap(index, by_text=not self.real_time)
            if play and not self._player.mixer.playing:
                self._player.play()

    def swap_to(self, index: int) -> None:
        """Hear the lane of a digit key; while lanes are loading, of those that will be there."""
        state = self._state
        if self._loading:
            coming = self.takes()
            if 0 <= index < len(coming) and not self.repeats:
                state.select(coming[index].candidate_id, state.passage_id)
            return
        if not 0 <= index < len(self.lanes):
            return
        if self.repeats:
            self._player.swap(index, by_text=not self.real_time)
            self.changed.emit()
        else:
            state.select(self.lanes[index].candidate.id, state.passage_id)

    def toggle_play(self) -> None:
        state = self._state
        if self._loading:
            self._play_when_loaded = not self._play_when_loaded
        elif self.lanes and self._player.mixer.lanes:
            self._player.toggle()
        elif state.candidate_id is None and state.bench.candidates and state.bench.passages:
            state.select(state.ordered()[0].id, state.bench.passages[0].id, play=True)

    def lay_out_repeats(self, takes: list[Take], candidate_id: int, passage_id: int, *, play: bool = False) -> None:
        """Lay the takes of one cell on the tray, to be swapped like candidates; another cell ends it."""
        self._state.candidate_id, self._state.passage_id = candidate_id, passage_id
        self.repeats = takes[:MOST_LANES]
        self._play_when_loaded = play
        self._state.selected.emit()
        self.load()

    def translations(self) -> list[Take]:
        """The passage that is shown in every language and accent it was made in: a take of each cell, the passage's own
        first; [] where there is only one language."""
        bench, passage = self._state.bench, self._state.passage()
        if passage is None:
            return []
        root = passage.translation_of or passage.id
        group = sorted((p for p in bench.passages if root in (p.id, p.translation_of)), key=lambda p: p is not passage)
        found = [(p, take) for p in group for c in self._state.ordered()
                 if (take := bench.cell(c.id, p.id).take) is not None]  # fmt: skip
        several = len({p.language for p, _ in found}) > 1
        each: dict[int, list[Take]] = {}  # the first few of each language, so that none is crowded out
        for p, take in found:
            each.setdefault(p.id, []).append(take)
        turns = [of[k] for k in range(MOST_LANES) for of in each.values() if k < len(of)]
        kept = {take.id for take in turns[:MOST_LANES]}
        return [take for _, take in found if take.id in kept] if several else []

    def lay_out_translations(self) -> None:
        """Candidates of all languages that speak this passage, to be swapped as others are."""
        takes, state = self.translations(), self._state
        if takes and state.candidate_id is not None and state.passage_id is not None:
            self.lay_out_repeats(takes, state.candidate_id, state.passage_id, play=True)

    def lane_name(self, lane: TrayLane) -> str:
        name = self._state.name(lane.candidate)
        if not self.repeats:
            return name
        if len({take.candidate_id for take in self.repeats}) > 1:
            language = next((p.language for p in self._state.bench.passages
                             if p.version_id == lane.take.passage_version_id), lane.candidate.language)  # fmt: skip
            return f"{name} · {language}"
        return tr("take {repeat}", repeat=lane.take.repeat)

    # -- how it is heard

    def set_real_time(self, on: bool) -> None:
        self.real_time = on
        self.changed.emit()

    def set_copies(self, on: bool) -> None:
        """Listening copies, with the silence around speech trimmed, or the clips as they are."""
        self.copies = on
        self.load(keep_place=True)

    def set_between_neighbours(self, on: bool) -> None:
        """Each clip between the same candidate's clips of the passages before and after, or alone."""
        self.between_neighbours = on
        self.load(keep_place=True)

    def set_bed(self, path: Path | None, *, below_lu: float = 15.0) -> None:
        """Music or a room under what is heard, so much below speech; None for none. Read off the interface thread."""
        self.bed_path, self.bed_below_lu = path, below_lu
        if path is None:
            self._player.mixer.lay_bed(None)
            self.changed.emit()
            return
        target = self.target_lufs

        def arrived(bed: object) -> None:
            self._player.mixer.lay_bed(bed)  # type: ignore[arg-type]
            self.changed.emit()

        def refused(error: Exception) -> None:
            self.bed_path = None
            self._state.complain(error)

        self._state.background.run(lambda: bed_of(read(path), lufs=target - below_lu), arrived, refused, topic="bed")

    def toggle_loop(self) -> None:
        """Without a loop there is none to take away: words are dragged across for one."""
        if self._player.mixer.loop is None:
            self._state.say(tr("Drag across the words that are to be heard over and over."))
        else:
            self.set_loop(None)

    def set_loop(self, places: tuple[float, float] | None) -> None:
        """Hear these places of the text over and over, in whichever lane is on."""
        self._player.mixer.set_loop(places)
        self.changed.emit()
        if places is not None:
            self._player.play()

    # -- laying out

    def keep_heard(self) -> None:
        """How much of the lanes was heard, before they go: defects are counted to the minute heard."""
        documents, heard = self._state.project.documents, self.heard()
        if heard:
            self._state.background.run(lambda: keep_heard(documents, heard), lambda _: None, self._state.complain)

    def heard(self) -> dict[int, float]:
        """Seconds of each lane's take that were heard since it was laid out; none that cannot be kept."""
        if self._state.project.read_only:
            return {}
        share = self._player.mixer.heard_share
        return {one.take.id: one.take.duration_s * share(one.take.id) for one in self.lanes if share(one.take.id)}

    def load(self, *, keep_place: bool = False) -> None:
        """Lay the lanes on the player, again or others."""
        state = self._state
        self.keep_heard()
        takes, passage = self.takes(), state.passage()
        place = self._player.mixer.place if keep_place and self._player.mixer.lanes else None
        if keep_place and self._player.mixer.playing:
            self._play_when_loaded = True
        if not takes or passage is None:
            self.lanes, self._loading = [], False
            self._player.mixer.pause()
            self._player.load([], on=0)
            self.changed.emit()
            return
        words = len(words_with_places(passage.text))
        project, copies, around = state.project, self.copies, self._around(takes)
        raw = not copies and not around

        def prepare() -> tuple[list[Lane], float, dict[int, Measured], list[tuple[tuple[float, float], ...]]]:
            measured = project.takes.measured([t.id for t in takes], tracks=True)
            clips = []
            for take in takes:
                give_way()  # where an arrow key is held, the passages on the way are not wanted any more
                timed = measured[take.id].words if take.id in measured else ()
                clip, spoken = heard_clip(project.takes, take, timed, trim=copies, around=around.get(take.id))
                clips.append((take.id, clip, spoken, words))
            # a raw clip sounds as it was measured; a copy, or one between neighbours, is looked at anew
            levels = project.takes.levels([t.id for t in takes]) if raw else {}
            known = {take: as_measured(*found) for take, found in levels.items()}
            lanes, target = prepare_lanes(clips, known=known)
            return lanes, target, measured, [pauses_of(clip) for _, clip, _, _ in clips]

        def pauses_of(clip: Clip) -> tuple[tuple[float, float], ...]:
            give_way()
            return pause_spans(clip, SHOWN_PAUSE_S)

        def laid_out(found: tuple[list[Lane], float, dict[int, Measured], Sequence[tuple[tuple[float, float], ...]]]
                     ) -> None:  # fmt: skip
            self._loading = False
            every, self.target_lufs, measured, pauses = found
            by_id = {c.id: c for c in state.bench.candidates}
            own = state.candidate() if self.repeats else None  # a sweep's points stand for their candidate
            laid = [
                (
                    TrayLane(
                        t,
                        found_candidate,
                        measured.get(t.id, Measured(values={})),
                        of_lane,
                        t.timing.joins_s if raw and t.timing is not None else (),
                    ),
                    lane,
                )
                for t, lane, of_lane in zip(takes, every, pauses, strict=True)
                if (found_candidate := by_id.get(t.candidate_id, own)) is not None
            ]  # a candidate that went meanwhile takes its sound along
            self.lanes, lanes = [one for one, _ in laid], [lane for _, lane in laid]
            on = next((i for i, lane in enumerate(self.lanes) if lane.candidate.id == state.candidate_id), 0)
            on = 0 if self.repeats else on
            play, self._play_when_loaded = self._play_when_loaded, False
            self._player.mixer.pause()
            self._player.load(lanes, on=on, place=place)
            self.changed.emit()
            if play:
                self._player.play()

        def refused(error: Exception) -> None:
            self._loading = False
            state.complain(error)

        self._loading = True
        state.background.run(prepare, laid_out, refused, topic="tray", urgent=True)

    def _around(self, takes: Sequence[Take]) -> dict[int, Around]:
        """The takes before and after each, by take id, where they are wanted and there are such."""
        state, passage = self._state, self._state.passage()
        if not self.between_neighbours or passage is None or self.repeats:
            return {}
        order = [p.id for p in state.bench.passages if p.language == passage.language]
        at = order.index(passage.id)

        def beside(candidate_id: int, step: int) -> Take | None:
            there = order[at + step] if 0 <= at + step < len(order) else None
            return None if there is None else state.bench.cell(candidate_id, there).take

        return {t.id: Around(beside(t.candidate_id, -1), beside(t.candidate_id, 1)) for t in takes}

    # -- marks

    def marks(self) -> dict[int, list[Mark]]:
        """Marks by take id, for the takes on the tray."""
        on_tray = {lane.take.id for lane in self.lanes}
        out: dict[int, list[Mark]] = {}
        for mark in self._state.project.takes.marks():
            if mark.take_id in on_tray:
                out.setdefault(mark.take_id, []).append(mark)
        return out

    def faults(self) -> dict[int, list[Fault]]:
        """What machines found, by take id, for the takes on the tray where they are heard as they came: what has a
        place and was not refused."""
        found = self._state.evaluation
        if found is None or self.copies or self.between_neighbours:
            return {}
        out: dict[int, list[Fault]] = {}
        for lane in self.lanes:
            row = found.rows.get(lane.candidate.id)
            of = row.summary.faults.found if row is not None and row.summary.faults is not None else ()
            out[lane.take.id] = [one for one in of if one.take.id == lane.take.id and one.counts
                                 and one.of.end_s - one.of.start_s < lane.take.duration_s / 2]  # fmt: skip
        return out

    def set_contour(self, name: str) -> None:
        """Draw a curve over the waves: 'pitch', 'level', '' for none."""
        self.contour = name
        self.changed.emit()

    def draw_contours_together(self, on: bool) -> None:
        """With each clip's curve those of the others on the tray, along the same words."""
        self.contours_together = on
        self.changed.emit()

    def mark_here(self, kind: str) -> None:
        """Mark a defect in the heard lane where playback stands."""
        if not self.lanes or self.copies or self.between_neighbours:
            if self.lanes:
                self._state.complain(tr("Marks belong to the clip as it is: hear it raw and alone to set one."))
            return
        lane, at_s = self.lanes[self._player.mixer.on], self._player.mixer.time_s
        made: list[int] = []
        takes = self._state.project.takes

        def do() -> None:
            if made:
                takes.set_mark_removed(made[0], False)
            else:
                made.append(takes.add_mark(lane.take.id, at_s, kind))

        self._state.edit(tr("mark '{kind}'", kind=kind), do, lambda: takes.set_mark_removed(made[0], True))

"""Dialogue: who says what, which candidate speaks for whom, the gaps between turns, and the whole as sound."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QHBoxLayout,
    QStackedLayout,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.choice.casting import proposed_cast
from zestpanel.core.choice.decided import decisions
from zestpanel.core.domain.passage import Passage
from zestpanel.core.playback.mixer import prepare_lanes
from zestpanel.core.production.narration import Delivered
from zestpanel.core.production.staged import Staged, keep_as_one
from zestpanel.core.runs.execute.running import BenchRun
from zestpanel.core.runs.files.dialogue import assembled_dialogue, plan_dialogue, takes_of
from zestpanel.core.texts import tr, trn
from zestpanel.desk.flow import flow_row
from zestpanel.desk.hearing import play_alone
from zestpanel.desk.pages.passages.delivering import DeliverDialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import EmptyState, button, label


class DialogueView(QWidget):
    def __init__(self, state: DeskState, ask_for_files: Callable[[], object]) -> None:
        super().__init__()
        self.state = state
        self._stack = QStackedLayout(self)
        content = QWidget()
        across = QHBoxLayout(content)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(20)
        left = QVBoxLayout()
        left.setSpacing(8)
        self.dialogue = QComboBox()
        self.dialogue.setAccessibleName(tr("Dialogue"))
        self.dialogue.activated.connect(lambda _: self._show())
        left.addWidget(self.dialogue)
        left.addWidget(label(tr("Who speaks for whom"), "strong"))
        self.cast = QFormLayout()
        self.cast.setVerticalSpacing(8)
        self.cast.setLabelAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.cast_boxes: dict[str, QComboBox] = {}
        left.addLayout(self.cast)
        gap = QHBoxLayout()
        gap.setSpacing(8)
        gap.addWidget(label(tr("Gap between turns")))
        self.gap = self._seconds()
        self.gap.valueChanged.connect(self._save_gap)
        gap.addWidget(self.gap)
        gap.addStretch(1)
        left.addLayout(gap)
        self.cost = label("", "quiet", wrap=True)
        left.addWidget(self.cost)
        left.addStretch(1)
        self.render_button = button(tr("Render what is missing"), self.render_dialogue, role="main")
        self.play = button(tr("Play it"), self.play_dialogue)
        self.write = button(tr("Deliver …"), self.deliver)
        tip = tr("The narrator has the first role that is filled, the others the next")
        self.by_roles = button(tr("Cast by roles"), self.cast_by_roles, tip=tip)
        tip = tr("Kept as a candidate of its own, so that listeners can judge this cast of it as a whole")
        self.staged = button(tr("As one clip"), self.keep_as_one, tip=tip)
        self.remove = button(tr("Remove"), self.remove_dialogue, tip=tr("Undo brings it back"))
        left.addWidget(
            flow_row(self.by_roles, self.play, self.staged, self.write, self.remove, right=(self.render_button,))
        )
        across.addLayout(left, 2)
        right = QVBoxLayout()
        right.setSpacing(8)
        self.turns = Table()
        self.turns.setAccessibleName(tr("Turns"))
        self.turns.itemSelectionChanged.connect(self._turn_chosen)
        right.addWidget(self.turns, 1)
        self.own_gap = self._seconds()
        self.own_gap.setSpecialValueText(tr("as the others"))
        self.own_gap.setMinimum(-0.05)
        self.own_gap.valueChanged.connect(self._save_own_gap)
        self.speaker = QComboBox()
        self.speaker.setEditable(True)
        self.speaker.setAccessibleName(tr("Speaker of the turn"))
        self.speaker.activated.connect(lambda _: self._save_speaker())
        self.hear = button(tr("Hear the turn"), self.hear_turn)
        right.addWidget(
            flow_row(
                label(tr("Gap before this turn")), self.own_gap, label(tr("said by")), self.speaker, right=(self.hear,)
            )
        )
        across.addLayout(right, 3)
        self._empty = EmptyState(
            tr(
                "No dialogue yet. Import a script with speakers, as 'NAME: line' or in a screenplay's form, and choose "
                "'as a dialogue'. Each speaker is then cast once with a candidate."
            ),
            tr("Import script …"),
            ask_for_files,
        )
        self._stack.addWidget(content)
        self._stack.addWidget(self._empty)
        self._filling = False
        self._turns: list[Passage] = []
        self._run: BenchRun | None = None
        self.state.runs.changed.connect(self._run_changed)

    def _seconds(self) -> QDoubleSpinBox:
        box = QDoubleSpinBox()
        box.setRange(0, 10)
        box.setDecimals(2)
        box.setSingleStep(0.05)
        box.setSuffix(" s")
        return box

    # -- shown

    def show_dialogue(self, name: str) -> None:
        self.refresh()
        self.dialogue.setCurrentText(name)
        self._show()

    @property
    def name(self) -> str:
        return self.dialogue.currentText()

    def refresh(self) -> None:
        names, kept = self.state.project.dialogues.names(), self.dialogue.currentText()
        self._stack.setCurrentIndex(0 if names else 1)
        self.dialogue.clear()
        self.dialogue.addItems(names)
        self.dialogue.setCurrentIndex(max(0, self.dialogue.findText(kept)))
        self._show()

    def _show(self) -> None:
        if not self.name:
            return
        dialogues, bench = self.state.project.dialogues, self.state.bench
        self._filling = True
        while self.cast.rowCount():
            self.cast.removeRow(0)
        self.cast_boxes = {}
        cast, found = dialogues.cast(self.name), takes_of(self.state.project, self.name)
        self._turns = [turn for turn, _ in found]
        for speaker in dialogues.speakers(self.name):
            box = QComboBox()
            box.setAccessibleName(tr("Candidate for {speaker}", speaker=speaker))
            box.setMinimumContentsLength(12)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.addItem(tr("nobody yet"), None)
            for c in bench.candidates:
                box.addItem(f"{self.state.name(c)} · {self.state.detail(c)}", c.id)
            box.setCurrentIndex(max(0, box.findData(cast.get(speaker))))
            box.activated.connect(partial(self._cast, speaker))
            self.cast_boxes[speaker] = box
            count = sum(turn.speaker == speaker for turn in self._turns)
            self.cast.addRow(
                trn("{speaker} · {count} turn", "{speaker} · {count} turns", count, speaker=speaker, count=count), box
            )
        self.gap.setValue(dialogues.gap_s(self.name))
        rows, bad = [], []
        for i, (turn, take) in enumerate(found):
            own = "" if i == 0 else f"{dialogues.gap_s(self.name) if turn.gap_s is None else turn.gap_s:.2f} s"
            state = (
                f"{take.duration_s:.1f} s" if take else (tr("not rendered") if turn.speaker in cast else tr("not cast"))
            )
            if take is None:
                bad.append((i, 4))
            rows.append([f"{i + 1:02d}", turn.speaker, turn.text, own, state])
        at = min({index.row() for index in self.turns.selectedIndexes()}, default=0)
        self.turns.show_rows(
            ["", tr("Speaker"), tr("Line"), tr("Gap"), tr("Take")], rows, numbers=[3, 4], bad=bad, wide=2
        )
        self.speaker.clear()
        self.speaker.addItems(dialogues.speakers(self.name))
        self._filling = False
        self.turns.selectRow(min(at, len(rows) - 1))
        self._turn_chosen()
        whole = all(take is not None for _, take in found)
        self.play.setEnabled(whole)
        self.write.setEnabled(whole)
        self.staged.setEnabled(whole)
        self._show_cost(whole)

    def _show_cost(self, whole: bool) -> None:
        planned = plan_dialogue(self.state.project, self.name)
        uncast = [s for s, box in self.cast_boxes.items() if box.currentData() is None]
        words = [
            tr(
                "{asked}: {price}.",
                asked=planned.asked,
                price=planned.price,
            )
            if planned.jobs
            else tr("Everything cast is rendered.")
            if not planned.left_out
            else ""
        ]
        self.by_roles.setVisible(any(speaker in uncast for speaker in self._proposed()))
        if uncast:
            words.append(tr("Nobody speaks for {uncast} yet.", uncast=", ".join(uncast)))
        for candidate, turn, why in () if whole else planned.left_out[:2]:
            words.append(
                tr("{name}, turn '{title}': {why}.", name=self.state.name(candidate), title=turn.title, why=why)
            )
        if whole:
            words.append(tr("One file or one a turn can be written, with captions that name the speakers."))
        self.cost.setText(" ".join(w for w in words if w))
        running = self.state.runs.goes_on
        self.render_button.setEnabled(bool(planned.jobs) and not running)

    # -- casting

    def _cast(self, speaker: str, _: int) -> None:
        if self._filling:
            return
        dialogues, name = self.state.project.dialogues, self.name
        before, after = dialogues.cast(name).get(speaker), self.cast_boxes[speaker].currentData()
        if before != after:
            self.state.edit(tr("cast of {speaker}", speaker=speaker), lambda: dialogues.put_cast(name, speaker, after),
                            lambda: dialogues.put_cast(name, speaker, before))  # fmt: skip
            self._show()

    def _save_gap(self, value: float) -> None:
        dialogues, name = self.state.project.dialogues, self.name
        before = dialogues.gap_s(name) if name else value
        if not self._filling and abs(value - before) > 1e-9:
            self.state.edit(
                tr("gap between turns"), lambda: dialogues.put_gap(name, value), lambda: dialogues.put_gap(name, before)
            )
            self._show()

    def turn(self) -> Passage | None:
        rows = {index.row() for index in self.turns.selectedIndexes()}
        return self._turns[min(rows)] if rows and min(rows) < len(self._turns) else None

    def _turn_chosen(self) -> None:
        turn = self.turn()
        if self._filling or turn is None:
            return
        self._filling = True
        self.own_gap.setValue(self.own_gap.minimum() if turn.gap_s is None else turn.gap_s)
        self.own_gap.setEnabled(turn.id != self._turns[0].id)
        self.speaker.setCurrentText(turn.speaker)
        self._filling = False

    def _save_own_gap(self, value: float) -> None:
        turn = self.turn()
        if self._filling or turn is None:
            return
        after = None if value < 0 else round(value, 3)
        self._describe(turn, tr("gap before a turn"), gap_s=after)

    def _save_speaker(self) -> None:
        turn, speaker = self.turn(), " ".join(self.speaker.currentText().split())
        if not self._filling and turn is not None and speaker:
            self._describe(turn, tr("speaker of a turn"), speaker=speaker)

    def _describe(self, turn: Passage, what: str, **values: object) -> None:
        describe = self.state.project.texts.describe
        before = {name: getattr(turn, name) for name in values}
        if before != values:
            self.state.edit(what, lambda: describe(turn.id, **values), lambda: describe(turn.id, **before))
            self._show()

    def remove_dialogue(self) -> None:
        ids, texts = [turn.id for turn in self._turns], self.state.project.texts
        if ids:
            self.state.edit(tr("removing '{name}'", name=self.name), lambda: texts.set_removed(ids, True),
                            lambda: texts.set_removed(ids, False))  # fmt: skip
            self.refresh()

    # -- sound

    def render_dialogue(self) -> None:
        planned = plan_dialogue(self.state.project, self.name)
        if planned.jobs:
            self.state.runs.begin(planned, self._begun)
            self.render_button.setEnabled(False)

    def _begun(self, run: BenchRun) -> None:
        self._run = run

    def _run_changed(self) -> None:
        """The run of this dialogue goes on, or has ended."""
        if self._run is None or self.state.runs.run is not self._run:
            return
        progress = self._run.progress()
        if progress.finished:
            self._run = None
            self.refresh()
        else:
            self.cost.setText(tr("{done} of {total} turns rendered …", done=progress.done, total=progress.total))

    def play_dialogue(self) -> None:
        project, name = self.state.project, self.name
        self.state.background.run(
            lambda: prepare_lanes([(0, assembled_dialogue(project, name).clip, (), 1)])[0],
            lambda lanes: play_alone(self.state, lanes),
            self.state.complain,
            topic="audition",
        )

    def hear_turn(self) -> None:
        turn, project = self.turn(), self.state.project
        take = next((t for p, t in takes_of(project, self.name) if turn and p.id == turn.id), None)
        if take is None:
            self.state.complain(tr("This turn is not rendered yet."))
            return
        self.state.background.run(
            lambda: prepare_lanes([(0, project.takes.load(take), (), 1)])[0],
            lambda lanes: play_alone(self.state, lanes),
            self.state.complain,
            topic="audition",
        )

    def keep_as_one(self) -> None:
        """What was made of this cast may be taken back; the words of the whole stay, as a passage."""
        project, name = self.state.project, self.name
        self.state.background.run(lambda: keep_as_one(project, name), self._kept_as_one, self.state.complain,
                                  topic="dialogue as one")  # fmt: skip

    def _kept_as_one(self, made: Staged) -> None:
        shortlist, who = self.state.project.shortlist, made.candidate.id
        if not made.known:
            self.state.project.history.was_done(
                tr("a dialogue as one clip"), lambda: shortlist.set_removed([who], False),
                lambda: shortlist.set_removed([who], True),
            )  # fmt: skip
        self.state.refresh()
        said = tr("It stands as one clip already: '{title}', a candidate of its own.", title=made.passage.title)
        if not made.known:
            said = tr("It stands as one clip now: '{title}', a candidate of its own. Cast it anew for another, and a "
                      "new test can ask which is better.", title=made.passage.title)  # fmt: skip
        self.state.say(said)

    def deliver(self) -> None:
        DeliverDialog(self, self.state, self.name, self._written).show()

    def _written(self, made: Delivered) -> None:
        level = "" if made.level.after is None else tr(", {lufs} LUFS", lufs=f"{made.level.after:.1f}")
        self.state.say(
            tr("Written to {folder}: {name} and {more} files beside it, {seconds} s{level}.",
               folder=made.files[0].parent, name=made.files[0].name, more=len(made.files) - 1,
               seconds=f"{made.duration_s:.0f}", level=level)
        )  # fmt: skip

    def cast_by_roles(self) -> None:
        """Whoever is not cast yet is, by the roles that are filled."""
        project, name = self.state.project, self.name
        before = project.dialogues.cast(name)
        proposed = {speaker: who for speaker, who in self._proposed().items() if speaker not in before}

        def put(cast: Mapping[str, int | None]) -> None:
            for speaker, who in cast.items():
                project.dialogues.put_cast(name, speaker, who)

        if proposed:
            self.state.edit(tr("cast by roles"), lambda: put(proposed), lambda: put(dict.fromkeys(proposed)))
            self._show()

    def _proposed(self) -> dict[str, int]:
        project = self.state.project
        language = self._turns[0].language if self._turns else ""
        found = proposed_cast(
            project.dialogues.speakers(self.name), project.brief, decisions(project.documents), language
        )
        there = {one.id for one in self.state.bench.candidates}
        return {speaker: who for speaker, who in found.items() if who in there}

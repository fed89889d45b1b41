"""What a listening test is set to, as a form: what means something to the kind, the rest on request."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLayout,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.audio.files import read
from zestpanel.core.domain.listening import RATING
from zestpanel.core.listening.content import ContentQuestion
from zestpanel.core.listening.entry import EntryQuestion
from zestpanel.core.listening.kind import Option
from zestpanel.core.listening.planned import when_to_ask
from zestpanel.core.listening.registry import kind_of
from zestpanel.core.listening.scales import OWN, SCALES, SYNTHETIC_SPEECH
from zestpanel.core.listening.scores import primary
from zestpanel.core.listening.settings import TAKE_RULES, TestSettings
from zestpanel.core.texts import tr, trn
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.pages.listening.asked_dialogs import ContentDialog, EntryDialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.ticks import Ticks
from zestpanel.desk.widgets import button

ONE, SET = "one", "set"


class TestForm(Dialog):
    """Under the dialog of a new test, which has the question and the lists of candidates and passages. persons:
    candidates spoken by a person. version_of: the test that this is a new version of, 0 for none."""

    __test__ = False  # no test of pytest's

    question: QComboBox
    language: QComboBox
    candidates: Ticks
    passages: Ticks
    hint: QLabel
    more: QPushButton

    def __init__(self, parent: QWidget, state: DeskState, persons: Sequence[int], *, version_of: int) -> None:
        super().__init__(parent)
        self._state, self._persons, self._version_of = state, tuple(persons), version_of
        self._unfolded = False
        self._entry: tuple[EntryQuestion, ...] = ()
        self._content: tuple[ContentQuestion, ...] = ()

    def _changed(self) -> None:
        raise NotImplementedError

    def _unfold(self) -> None:
        raise NotImplementedError

    def _form(self) -> QWidget:
        inside = QWidget()
        self._rows = form = QFormLayout(inside)
        form.setContentsMargins(0, 0, 8, 0)
        self.own = QLineEdit()
        self.own.setPlaceholderText(tr("such as: did it laugh, rather than read the laugh out?"))
        self.own.setMaxLength(200)
        form.addRow(tr("Your question"), self.own)
        self.steps = QPlainTextEdit()
        self.steps.setPlaceholderText(tr("its steps, one a line, the best first"))
        self.steps.setTabChangesFocus(True)
        self.steps.setFixedHeight(theme.px(84))
        form.addRow(tr("Your steps"), self.steps)
        self.contents = button("", self._ask_content, tip=tr("A question to each passage, with its right answer"))
        form.addRow(tr("Questions on content"), self.contents)
        self.scales = QComboBox()
        self.scales.addItem(tr("this one alone"), ONE)
        self.scales.addItem(tr("the set for synthetic speech, eight scales (P.85)"), SET)
        for name, scale in SCALES.items():
            self.scales.addItem(tr("and {short}", short=scale.short), name)
        form.addRow(tr("Asked of each clip"), self.scales)
        self.reference = QComboBox()
        self.reference.addItem(tr("no recording"), 0)
        for one in self._state.bench.candidates:
            if one.id in self._persons:
                self.reference.addItem(self._state.name(one), one.id)
        if self._persons:
            self.reference.setCurrentIndex(1)
        form.addRow(tr("The person's recordings"), self.reference)
        self.anchors = QCheckBox(tr("low-passed copies of the reference, 3.5 and 7 kHz"))
        self.anchors.setChecked(True)
        form.addRow(tr("Anchors"), self.anchors)
        self.strength = QCheckBox(tr("slightly or strongly"))
        form.addRow(tr("Strength"), self.strength)
        self.context = QCheckBox(tr("between the passages before and after it"))
        form.addRow(tr("Each clip is heard"), self.context)
        self.controls = QCheckBox(tr("clips whose answer is known, such as the person against himself"))
        self.controls.setChecked(True)
        form.addRow(tr("Controls"), self.controls)
        self.stranger = QComboBox()
        self.stranger.addItem(tr("nobody else"), 0)
        for one in self._state.bench.candidates:
            self.stranger.addItem(self._state.name(one), one.id)
        form.addRow(tr("A stranger to compare"), self.stranger)
        self.stated = QComboBox()
        self.stated.addItem(tr("everyone with everyone"), 0)
        for one in self._state.bench.candidates:
            if one.id not in self._persons:
                self.stated.addItem(tr("the others with {name} only", name=self._state.name(one)), one.id)
        form.addRow(tr("Compared"), self.stated)
        self._bed = ("", "")  # the clip, and the file it came in
        self.bed = button(tr("nothing …"), self._ask_for_bed, tip=tr("Music or a room, the same under all clips"))
        self.below = QSpinBox()
        self.below.setRange(3, 40)
        self.below.setValue(15)
        self.below.setSuffix(tr(" LU below speech"))
        self.below.setAccessibleName(tr("How far below speech"))
        self.under = under = QHBoxLayout()
        self.without = button(
            tr("Without"), lambda: self._put_bed("", ""), role="link", tip=tr("Nothing under the clips")
        )
        self.without.hide()
        under.addWidget(self.bed, 1)
        under.addWidget(self.without)
        under.addWidget(self.below)
        form.addRow(tr("Under all clips"), under)
        self.takes = QComboBox()
        for rule, words in TAKE_RULES.items():
            self.takes.addItem(words, rule)
        form.addRow(tr("Take"), self.takes)
        self.times = QSpinBox()
        self.times.setRange(1, 20)
        form.addRow(tr("Each pair on a passage"), self.times)
        self.order = QComboBox()
        self.order.addItem(tr("passages mixed"), False)
        self.order.addItem(tr("all clips of a passage together"), True)
        form.addRow(tr("Order"), self.order)
        self.most = self._number(0, 500, 0, tr("all"))
        form.addRow(tr("A listener hears at most"), self.most)
        self.training = self._number(0, 10, 2)
        form.addRow(tr("Unscored, to begin with"), self.training)
        self.repeats = self._number(0, 20, 0, tr("none"))
        form.addRow(tr("Hidden repeats"), self.repeats)
        self.traps = self._number(0, 10, 0, tr("none"))
        form.addRow(tr("Attention checks"), self.traps)
        self.gold = self._number(0, 20, 0, tr("none"))
        self.good, self.poor = QComboBox(), QComboBox()
        for which, nobody, known in ((self.good, tr("none surely good"), tr("surely good: {name}")),
                                   (self.poor, tr("none surely poor"), tr("surely poor: {name}"))):  # fmt: skip
            which.addItem(nobody, 0)
            for one in self._state.bench.candidates:
                which.addItem(known.format(name=self._state.name(one)), one.id)
        self.known = known_row = QVBoxLayout()
        for part in (self.gold, self.good, self.poor):
            known_row.addWidget(part)
        form.addRow(tr("Clips of known quality"), known_row)
        self.must_hear = QSpinBox()
        self.must_hear.setRange(10, 100)
        self.must_hear.setValue(80)
        self.must_hear.setSuffix(tr(" % of each clip"))
        form.addRow(tr("To be heard first"), self.must_hear)
        self.listeners = QSpinBox()
        self.listeners.setRange(1, 500)
        self.listeners.setValue(12)
        form.addRow(tr("Listeners planned"), self.listeners)
        self.asked = button("", self._ask_entry, tip=tr("Who takes part, and how many of each group are wanted"))
        form.addRow(tr("Asked before the test"), self.asked)
        self.times.setSuffix(tr(" times"))
        self.trim = QCheckBox(tr("silence before and after speech cut to 0.1 and 0.2 s"))
        self.trim.setChecked(True)  # what stands at the head gives a voice away
        self.comments = QCheckBox(tr("listeners may write a remark"))
        self.level_check = QCheckBox(tr("the volume is set before the first clip"))
        self.level_check.setChecked(True)
        self.headphone_check = QCheckBox(tr("headphones are checked with tones"))
        for words, box in ((tr("Copies"), self.trim), (tr("Remarks"), self.comments), (tr("Level"), self.level_check),
                           (tr("Headphones"), self.headphone_check)):  # fmt: skip
            form.addRow(words, box)
        self.more = button(tr("More settings"), self._unfold, role="link")
        form.addRow("", self.more)
        for choice in (self.scales, self.takes, self.reference, self.stated, self.stranger, self.order, self.good,
                       self.poor):  # fmt: skip
            choice.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            choice.setMinimumContentsLength(24)
        self._say_asked()
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # it follows the focus of what stands in it
        area.setWidget(inside)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setMinimumWidth(theme.px(524))
        return area

    @staticmethod
    def _number(low: int, high: int, value: int, special: str = "") -> QSpinBox:
        made = QSpinBox()
        made.setRange(low, high)
        made.setValue(value)
        made.setSuffix(tr(" trials"))
        if special:
            made.setSpecialValueText(special)
        return made

    # -- what is set

    def _put(self, kind: str, settings: TestSettings) -> None:
        """Show what an earlier test was set to."""
        for k in range(self.question.count()):
            of, scale = self.question.itemData(k)
            if of == kind and (kind != RATING or scale == settings.scale):
                self.question.setCurrentIndex(k)
        languages = {p.id: primary(p.language) for p in self._state.bench.passages}
        here = next((languages[one] for one in settings.passage_ids if one in languages), "")
        self.language.setCurrentIndex(max(0, self.language.findData(here)))
        self.candidates.tick(set(settings.candidate_ids))
        self.passages.tick(set(settings.passage_ids))
        self._put_bed(settings.bed, settings.bed_name)
        self._entry, self._content = settings.entry, settings.content
        self._say_asked()
        self.own.setText(settings.question)
        self.steps.setPlainText("\n".join(settings.steps))
        more = SET if len(settings.also) > 1 else settings.also[0] if settings.also else ONE
        for box, value in ((self.scales, more), (self.reference, settings.reference_id),
                           (self.stated, settings.stated_id), (self.takes, settings.take_rule),
                           (self.stranger, settings.stranger_id), (self.good, settings.good_id),
                           (self.poor, settings.poor_id), (self.order, settings.blocks)):  # fmt: skip
            box.setCurrentIndex(max(0, box.findData(value)))
        for number, value in ((self.most, settings.most), (self.training, settings.training),
                              (self.repeats, settings.repeats), (self.traps, settings.traps),
                              (self.gold, settings.gold), (self.below, round(settings.bed_below_lu)),
                              (self.must_hear, round(100 * settings.must_hear)), (self.times, settings.times),
                              (self.listeners, settings.listeners or 12)):  # fmt: skip
            number.setValue(value)
        for tick, on in ((self.anchors, settings.anchors or not settings.reference_id),
                         (self.controls, settings.controls), (self.strength, settings.strength),
                         (self.context, settings.context == "neighbours"),
                         (self.trim, settings.trim), (self.comments, settings.comments),
                         (self.level_check, settings.level_check),
                         (self.headphone_check, settings.headphone_check)):  # fmt: skip
            tick.setChecked(on)

    def settings(self) -> tuple[str, TestSettings]:
        kind, scale = self.question.currentData()
        uses = kind_of(kind).uses
        also: tuple[str, ...] = ()
        if "also" in uses and scale != OWN:
            more = self.scales.currentData()
            also = () if more in (ONE, scale) else (more,)
            if more == SET:
                also = tuple(name for name in SYNTHETIC_SPEECH if name != scale)
        reference = self.reference.currentData() if "reference" in uses else 0
        steps = [line.strip() for line in self.steps.toPlainText().split("\n") if line.strip()]
        own = scale == OWN or "question" in uses
        judged = tuple(one for one in self.candidates.ticked() if one != reference)
        gold = self.gold.value() if "gold" in uses else 0
        stated = self.stated.currentData() if "stated" in uses else 0
        return kind, TestSettings(
            candidate_ids=judged, passage_ids=self.passages.ticked(), scale=scale, also=also,
            steps=tuple(steps) if scale == OWN else (), most=self.most.value(),
            training=self.training.value() if "training" in uses else 0,
            question=self.own.text().strip() if own else "", take_rule=self.takes.currentData(),
            version_of=self._version_of,
            stated_id=stated if stated in judged else 0, reference_id=reference,
            anchors="anchors" in uses and bool(reference) and self.anchors.isChecked(),
            repeats=self.repeats.value() if "repeats" in uses else 0,
            traps=self.traps.value() if "traps" in uses else 0,
            must_hear=self.must_hear.value() / 100, listeners=self.listeners.value(),
            blocks="blocks" in uses and bool(self.order.currentData()),
            times=self.times.value() if "times" in uses else 1,
            controls="controls" in uses and bool(reference) and self.controls.isChecked(),
            stranger_id=self._stranger(uses, judged, reference),
            strength="strength" in uses and self.strength.isChecked(), comments=self.comments.isChecked(),
            trim=self.trim.isChecked(), bed=self._bed[0], bed_name=self._bed[1], bed_below_lu=float(self.below.value()),
            context="neighbours" if "context" in uses and self.context.isChecked() else "dry",
            gold=gold, good_id=self.good.currentData() if gold else 0, poor_id=self.poor.currentData() if gold else 0,
            entry=self._entry, content=self._content if "content" in uses else (),
            level_check=self.level_check.isChecked(), headphone_check=self.headphone_check.isChecked(),
        )  # fmt: skip

    def _stranger(self, uses: frozenset[Option], judged: Sequence[int], reference: int) -> int:
        chosen = int(self.stranger.currentData())
        return chosen if "stranger" in uses and chosen not in (*judged, reference) else 0

    def _ask_entry(self) -> None:
        EntryDialog(self, self._entry, self._put_entry).show()

    def _put_entry(self, asked: tuple[EntryQuestion, ...]) -> None:
        self._entry = asked
        self._say_asked()
        self._changed()

    def _ask_content(self) -> None:
        """Of the passages that are ticked, as they are worded now."""
        ticked = self.passages.ticked()
        passages = [p for p in self._state.bench.passages if p.id in ticked]
        of, now = self._state.project.texts.passage_of_version(), {p.id: p.version_id for p in passages}
        known = [replace(one, version_id=now.get(of.get(one.version_id, 0), one.version_id)) for one in self._content]
        texts = [(p.version_id, p.title, p.text) for p in passages]
        ContentDialog(self, texts, known, self._put_content).show()

    def _put_content(self, asked: tuple[ContentQuestion, ...]) -> None:
        """Those of passages that are not ticked stay."""
        here = {one.version_id for one in asked}
        self._content = (*asked, *(one for one in self._content if one.version_id not in here))
        self._say_asked()
        self._changed()

    def _say_asked(self) -> None:
        n = len(self._entry)
        self.asked.setText(trn("{n} question …", "{n} questions …", n, n=n) if n else tr("nothing …"))
        n = len(self._content)
        self.contents.setText(trn("{n} question …", "{n} questions …", n, n=n) if n else tr("to be written …"))

    def _ask_for_bed(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, tr("Music or a room"), "", tr("Sound (*.wav *.flac *.ogg *.mp3 *.aiff)")
        )
        if name:
            self.take_bed(Path(name))

    def take_bed(self, path: Path) -> None:
        """Keep the sound with the project and lay it under the test's clips."""
        clips = self._state.project.clips
        self._state.background.run(lambda: clips.keep(read(path)), lambda clip: self._put_bed(clip, path.name),
                                   self._state.complain, topic="bed of a test")  # fmt: skip

    def _put_bed(self, clip: str, name: str) -> None:
        self._bed = clip, name
        self.bed.setText(name or tr("nothing …"))
        self.without.setVisible(bool(clip))

    def _show_rows(self) -> None:
        """What means something to the kind; what is rarely changed only on request."""
        kind, settings = self.settings()
        hint = when_to_ask(kind, settings.scale)
        self.hint.setText(hint)
        self.hint.setVisible(bool(hint))
        uses = kind_of(kind).uses
        shown: dict[QWidget | QLayout, Option] = {
            self.reference: "reference", self.anchors: "anchors", self.strength: "strength", self.context: "context",
            self.stated: "stated", self.repeats: "repeats", self.traps: "traps", self.training: "training",
            self.times: "times", self.order: "blocks", self.controls: "controls", self.stranger: "stranger",
            self.known: "gold", self.contents: "content",
        }  # fmt: skip
        rare: tuple[QWidget | QLayout, ...] = (
            self.context, self.under, self.takes, self.order, self.most, self.training, self.repeats, self.traps,
            self.must_hear, self.trim, self.comments, self.stranger, self.known, self.asked,
        )  # fmt: skip
        for row in rare:
            self._rows.setRowVisible(row, self._unfolded)
        for known in (self.good, self.poor):
            known.setVisible(self._unfolded and "gold" in uses and self.gold.value() > 0)
        self.without.setVisible(self._unfolded and bool(self._bed[0]))
        for widget, option in shown.items():
            self._rows.setRowVisible(widget, option in uses and (self._unfolded or widget not in rare))
        own_scale = settings.scale == OWN and kind == RATING
        self._rows.setRowVisible(self.own, "question" in uses or own_scale)
        self._rows.setRowVisible(self.steps, own_scale)
        self._rows.setRowVisible(self.scales, "also" in uses and not own_scale)

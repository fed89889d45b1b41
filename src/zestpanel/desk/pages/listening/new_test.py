"""A listening test is planned from the question: which kind answers it, who and what is in it, how long it takes, and
what it will be able to tell."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLayout,
    QLineEdit,
    QPlainTextEdit,
    QScrollArea,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.audio.files import read
from zestpanel.core.domain.listening import RATING, ListeningTest
from zestpanel.core.languages import language_name
from zestpanel.core.listening.kind import Option
from zestpanel.core.listening.planned import (
    ListenerLoad,
    Material,
    asked_of_a_listener,
    material_of,
    needs_reference,
    questions,
    when_to_ask,
)
from zestpanel.core.listening.power import told_by
from zestpanel.core.listening.registry import kind_of
from zestpanel.core.listening.scales import OWN, SCALES, SYNTHETIC_SPEECH
from zestpanel.core.listening.scores import primary
from zestpanel.core.listening.settings import TAKE_RULES, TestSettings
from zestpanel.core.report.drawing import Picture
from zestpanel.core.report.listening_pictures import power_picture
from zestpanel.core.texts import tr
from zestpanel.desk.charts.view import ChartView
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.ticks import Ticks
from zestpanel.desk.widgets import button, label, open_at

_SOON_MS = 120  # a change is worked out when the hand rests
ONE, SET = "one", "set"


class NewTestDialog(Dialog):
    """begin: called with (kind, settings) when the test is to be opened. persons: candidates spoken by a person. like:
    the test whose settings it begins with, as a new version of it unless said; that one stays as it is."""

    def __init__(
        self, parent: QWidget, state: DeskState, begin: Callable[[str, TestSettings], None],
        persons: Sequence[int] = (), *, like: ListeningTest | None = None, version: bool = True,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._state, self._begin, self._persons = state, begin, tuple(persons)
        self._version_of = like.id if like is not None and version else 0
        self._unfolded = False
        self._material: Material | None = None
        self._asked: ListenerLoad | None = None
        self.setWindowTitle(tr("New listening test"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.setSpacing(10)
        self.question = QComboBox()
        for words, kind, scale in questions():
            self.question.addItem(f"{words}  ·  {kind_of(kind).title}", (kind, scale))
        self.question.setMaxVisibleItems(24)
        top = QFormLayout()
        top.addRow(tr("What do you want to know?"), self.question)
        layout.addLayout(top)
        self.hint = label("", "quiet", wrap=True)
        layout.addWidget(self.hint)
        across = QHBoxLayout()
        across.setSpacing(18)
        across.addWidget(self._lists(), 1)
        across.addWidget(self._form(), 1)
        layout.addLayout(across, 1)
        self.told = label("", "", wrap=True)
        layout.addWidget(self.told)
        self.picture = ChartView(self._power)
        layout.addWidget(self.picture)
        foot = QHBoxLayout()
        foot.addWidget(button(tr("Cancel"), self.reject))
        foot.addStretch(1)
        self.agree = button(tr("Open this test"), self._open_it, role="main")
        foot.addWidget(self.agree)
        layout.addLayout(foot)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(_SOON_MS)
        self._soon.timeout.connect(self._work_out)
        self._listen()
        open_at(self, 1080, 700)
        self.question.setFocus()
        if like is not None:
            self._put(like.kind, TestSettings.from_document(like.settings))
        self._language_chosen()
        state.background.run(lambda: material_of(state.project), self._material_is_here, state.complain)

    def _lists(self) -> QWidget:
        bench = self._state.bench
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        self.language = QComboBox()
        for tag in dict.fromkeys(primary(p.language) for p in bench.passages):
            self.language.addItem(language_name(tag), tag)
        row = QFormLayout()
        row.addRow(tr("Language"), self.language)
        column.addLayout(row)
        lists = QHBoxLayout()
        judged = {c.id: self._state.name(c) for c in bench.candidates if c.id not in self._persons}
        people = {
            c.id: tr("{name} (a person)", name=self._state.name(c)) for c in bench.candidates if c.id in self._persons
        }
        self.candidates = Ticks(tr("Candidates"), judged | people, self._changed, ticked=False)
        titles = {p.id: p.title for p in bench.passages}
        self.passages = Ticks(tr("Passages"), titles, self._changed, ticked=False)
        lists.setSpacing(theme.px(20))
        lists.addWidget(self.candidates)
        lists.addWidget(self.passages)
        column.addLayout(lists, 1)
        return left

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
        self.must_hear = QSpinBox()
        self.must_hear.setRange(10, 100)
        self.must_hear.setValue(80)
        self.must_hear.setSuffix(tr(" % of each clip"))
        form.addRow(tr("To be heard first"), self.must_hear)
        self.listeners = QSpinBox()
        self.listeners.setRange(1, 500)
        self.listeners.setValue(12)
        form.addRow(tr("Listeners planned"), self.listeners)
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
        for choice in (self.scales, self.takes, self.reference, self.stated, self.stranger, self.order):
            choice.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            choice.setMinimumContentsLength(24)
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

    def _listen(self) -> None:
        self.language.currentIndexChanged.connect(self._language_chosen)
        for box in (self.question, self.scales, self.reference, self.takes, self.stated, self.stranger, self.order):
            box.currentIndexChanged.connect(self._changed)
        for tick in (self.anchors, self.strength, self.context, self.controls):
            tick.toggled.connect(self._changed)
        for number in (self.most, self.training, self.repeats, self.traps, self.listeners, self.times):
            number.valueChanged.connect(self._changed)
        self.own.textChanged.connect(self._changed)
        self.steps.textChanged.connect(self._changed)

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
        self.own.setText(settings.question)
        self.steps.setPlainText("\n".join(settings.steps))
        more = SET if len(settings.also) > 1 else settings.also[0] if settings.also else ONE
        for box, value in ((self.scales, more), (self.reference, settings.reference_id),
                           (self.stated, settings.stated_id), (self.takes, settings.take_rule),
                           (self.stranger, settings.stranger_id), (self.order, settings.blocks)):  # fmt: skip
            box.setCurrentIndex(max(0, box.findData(value)))
        for number, value in ((self.most, settings.most), (self.training, settings.training),
                              (self.repeats, settings.repeats), (self.traps, settings.traps),
                              (self.below, round(settings.bed_below_lu)),
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
            level_check=self.level_check.isChecked(), headphone_check=self.headphone_check.isChecked(),
        )  # fmt: skip

    def _stranger(self, uses: frozenset[Option], judged: Sequence[int], reference: int) -> int:
        chosen = int(self.stranger.currentData())
        return chosen if "stranger" in uses and chosen not in (*judged, reference) else 0

    def _unfold(self) -> None:
        self._unfolded = not self._unfolded
        self.more.setText(tr("Fewer settings") if self._unfolded else tr("More settings"))
        self._show_rows()

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

    def _language_chosen(self) -> None:
        """A test is in one language: its passages, and the candidates that have clips of them."""
        language, bench = self.language.currentData(), self._state.bench
        here = {p.id for p in bench.passages if primary(p.language) == language}
        heard = {c for (c, p), cell in bench.cells.items() if p in here and cell.takes}
        self.passages.show_only(here)
        self.candidates.show_only(heard)
        self._changed()

    def _changed(self) -> None:
        self._show_rows()
        self.agree.setEnabled(False)  # until it is worked out what is agreed to
        self._soon.start()

    def _show_rows(self) -> None:
        """What means something to the kind; what is rarely changed only on request."""
        kind, settings = self.settings()
        hint = when_to_ask(kind, settings.scale)
        self.hint.setText(hint)
        self.hint.setVisible(bool(hint))
        uses = kind_of(kind).uses
        shown: dict[QWidget, Option] = {
            self.reference: "reference", self.anchors: "anchors", self.strength: "strength", self.context: "context",
            self.stated: "stated", self.repeats: "repeats", self.traps: "traps", self.training: "training",
            self.times: "times", self.order: "blocks", self.controls: "controls", self.stranger: "stranger",
        }  # fmt: skip
        rare: tuple[QWidget | QLayout, ...] = (
            self.context, self.under, self.takes, self.order, self.most, self.training, self.repeats, self.traps,
            self.must_hear, self.trim, self.comments, self.stranger,
        )  # fmt: skip
        for row in rare:
            self._rows.setRowVisible(row, self._unfolded)
        self.without.setVisible(self._unfolded and bool(self._bed[0]))
        for widget, option in shown.items():
            self._rows.setRowVisible(widget, option in uses and (self._unfolded or widget not in rare))
        own_scale = settings.scale == OWN and kind == RATING
        self._rows.setRowVisible(self.own, "question" in uses or own_scale)
        self._rows.setRowVisible(self.steps, own_scale)
        self._rows.setRowVisible(self.scales, "also" in uses and not own_scale)

    # -- what it comes to

    def _material_is_here(self, found: Material) -> None:
        self._material = found
        self._work_out()

    def _work_out(self) -> None:
        """Trials and minutes of a listener, off this thread: at twenty thousand takes it is not done in a moment."""
        material = self._material
        if material is None:
            return
        kind, settings = self.settings()
        self._state.background.run(lambda: asked_of_a_listener(material, kind, settings), self._show_asked,
                                   self._state.complain, topic="new test")  # fmt: skip

    def _show_asked(self, found: ListenerLoad) -> None:
        self._asked = found
        self.agree.setEnabled(not found.why_not)
        kind, settings = self.settings()
        words = found.says()
        if not found.why_not and "anchors" in kind_of(kind).uses and not settings.reference_id:
            words += tr(
                " Without a person's recording there is no reference: the test says so, and its rules are dropped."
            )
        if needs_reference(kind) and not self._persons:
            words += tr(" Recordings are brought in on the Engines tab, with Add engine, A person's recordings.")
        self.told.setText(words)
        self.picture.refresh()

    def _power(self, width: float) -> Picture | None:
        found = self._asked
        if found is None or found.why_not:
            return None
        kind, settings = self.settings()
        evaluation = self._state.evaluation
        known = evaluation.scores.leanings_in(self.language.currentData()) if evaluation is not None else None
        told = told_by(kind, candidates=found.candidates, passages=found.passages, stated=bool(settings.stated_id),
                       spread=known)  # fmt: skip
        return None if told is None else power_picture(told, width, listeners=self.listeners.value())

    def _open_it(self) -> None:
        self.accept()
        self._begin(*self.settings())

"""A listening test is planned from the question: which kind answers it, who and what is in it, how long it takes, and
what it will be able to tell."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.domain.listening import ListeningTest
from zestpanel.core.languages import language_name
from zestpanel.core.listening.planned import (
    ListenerLoad,
    Material,
    asked_of_a_listener,
    material_of,
    needs_reference,
    questions,
)
from zestpanel.core.listening.power import told_by
from zestpanel.core.listening.registry import kind_of
from zestpanel.core.listening.scores import primary
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.report.drawing import Picture
from zestpanel.core.report.listening_pictures import power_picture
from zestpanel.core.texts import tr
from zestpanel.desk.charts.view import ChartView
from zestpanel.desk.pages.listening.new_test_form import TestForm
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.ticks import Ticks
from zestpanel.desk.widgets import button, label, open_at

_SOON_MS = 120  # a change is worked out when the hand rests
ONE, SET = "one", "set"


class NewTestDialog(TestForm):
    """begin: called with (kind, settings) when the test is to be opened. persons: candidates spoken by a person. like:
    the test whose settings it begins with, as a new version of it unless said; that one stays as it is."""

    def __init__(
        self, parent: QWidget, state: DeskState, begin: Callable[[str, TestSettings], None],
        persons: Sequence[int] = (), *, like: ListeningTest | None = None, version: bool = True,
    ) -> None:  # fmt: skip
        super().__init__(parent, state, persons, version_of=like.id if like is not None and version else 0)
        self._begin = begin
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

    def _listen(self) -> None:
        self.language.currentIndexChanged.connect(self._language_chosen)
        for box in (
            self.question,
            self.scales,
            self.reference,
            self.takes,
            self.stated,
            self.stranger,
            self.order,
            self.good,
            self.poor,
        ):
            box.currentIndexChanged.connect(self._changed)
        for tick in (self.anchors, self.strength, self.context, self.controls):
            tick.toggled.connect(self._changed)
        for number in (self.most, self.training, self.repeats, self.traps, self.gold, self.listeners, self.times):
            number.valueChanged.connect(self._changed)
        self.own.textChanged.connect(self._changed)
        self.steps.textChanged.connect(self._changed)

    def _unfold(self) -> None:
        self._unfolded = not self._unfolded
        self.more.setText(tr("Fewer settings") if self._unfolded else tr("More settings"))
        self._show_rows()

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

"""The page of step 4: the price before a run, the run itself, and a view for each way of looking at it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QProgressBar, QSpinBox, QWidget

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.preflight import missing_key
from zestpanel.core.runs.plan.planning import PlannedRun, plan_run
from zestpanel.core.runs.plan.undecided import WORDS as MAY_BE_PAID
from zestpanel.core.store.small_documents import REPEATS
from zestpanel.core.texts import tr, trn
from zestpanel.desk.agreeing import ask_first, unasked
from zestpanel.desk.asking_keys import ask_for_key
from zestpanel.desk.pages.renders.grid_tab import GridTab
from zestpanel.desk.pages.renders.history import CellHistory
from zestpanel.desk.pages.renders.plan_dialog import PlanDialog, nothing_more
from zestpanel.desk.pages.renders.questions import ask_about_price, ask_about_undecided, price_shown, question
from zestpanel.desk.pages.renders.runs import RunsView
from zestpanel.desk.pages.renders.sweeps import SweepsView
from zestpanel.desk.pages.renders.timing import TimingView
from zestpanel.desk.pages.renders.under_way import RunUnderWay
from zestpanel.desk.plain_tips import plain_tip
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.viewmodels.left_out import LeftOut, left_out_of
from zestpanel.desk.widgets import EmptyState, button, label, yielding

READ_AGAIN_S = 5.0  # waits, sweeps and runs are read from the project; the grid follows what the run tells


_SHORT_PRICE = 26  # characters


class RendersPage(RunUnderWay):
    title = tr("Renders")
    about = ""
    shows_title = False  # the grid needs the height

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self.planned: PlannedRun | None = None
        self._left_out: LeftOut | None = None
        self._without_key: Engine | None = None
        # beside the buttons, or under them where the width does not do
        self._about, self._about_below = label("", "quiet", wrap=True), label("", "quiet", wrap=True)
        self._about_below.hide()
        self.repeats = QSpinBox()
        self.repeats.setRange(1, 20)
        self.repeats.setPrefix("× ")
        self.repeats.setToolTip(tr("Repeats of each clip: three show how steady a voice is"))
        self.repeats.setAccessibleName(tr("Repeats of each clip"))
        self.repeats.setValue(REPEATS.read(state.project.documents))
        self.repeats.valueChanged.connect(self._repeats_changed)
        self.render_button = button(tr("Render what is missing"), self.start, role="main")
        self.head_words.addWidget(self._about)
        self.body.addWidget(self._about_below)
        self.plan_button = button(
            tr("Plan a run …"),
            self.plan_a_run,
            tip=tr("Choose whom, on what, how often, under which load, when, and caps"),
        )
        self.head.addWidget(self.repeats)
        self.head.addWidget(self.plan_button)
        self.head.addWidget(self.render_button)
        self._fit()
        theme.changed.connect(self._fit)
        bar = QHBoxLayout()
        bar.setSpacing(14)
        self._count = label("")
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self._left = yielding(label("", "quiet"))
        self.pause = button(tr("Pause"), self.toggle_pause)
        self.stop = button(tr("Stop"), self.cancel)
        for widget, stretch in ((self._count, 0), (self.progress, 1), (self._left, 1), (self.pause, 0), (self.stop, 0)):
            bar.addWidget(widget, stretch)
        self._bar = QWidget()
        bar.setContentsMargins(0, 0, 0, 0)
        self._bar.setLayout(bar)
        self.body.addWidget(self._bar)
        self._held = label("", "bad", wrap=True)
        self._held.hide()
        self.body.addWidget(self._held)
        undecided = QHBoxLayout()
        undecided.setContentsMargins(0, 0, 0, 0)
        self._undecided = label("", "quiet")
        self._decide = button(tr("Decide …"), self.ask_about_open_requests, role="link")
        self._key = button("", self._enter_key, role="link")
        for widget in (self._undecided, self._decide, self._key):
            undecided.addWidget(widget)
        undecided.addStretch(1)
        self._undecided_row = QWidget()
        self._undecided_row.setLayout(undecided)
        self._undecided_row.hide()
        self.body.addWidget(self._undecided_row)
        hours = QHBoxLayout()
        hours.setContentsMargins(0, 0, 0, 0)
        self._hours = label("", "quiet", wrap=True)
        hours.addWidget(self._hours, 1)
        self._wake = button(tr("Let it run at its hours"), self.wake_hours, role="link")
        hours.addWidget(self._wake)
        hours.addWidget(button(tr("Give the schedule up"), self.give_up_hours, role="link"))
        self._hours_row = QWidget()
        self._hours_row.setLayout(hours)
        self.body.addWidget(self._hours_row)
        tab = GridTab(state)
        self.grid = tab.grid
        self.grid.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.grid.customContextMenuRequested.connect(self._cell_menu)
        views = (tab, lambda: TimingView(state), lambda: SweepsView(state), lambda: RunsView(state, self.begin))
        self.add_views(("Grid", tr("Waits"), tr("Sweeps"), tr("Runs")), views)
        state.labels_changed.connect(self._labels_changed)
        self._read_at = 0.0  # when a view other than the grid was last read during a run
        self._clock = QTimer(self)
        self._clock.setInterval(500)
        self._clock.timeout.connect(self._show_run)
        state.runs.changed.connect(self._show_run)

    def _fit(self) -> None:
        self.repeats.setFixedWidth(theme.px(76))
        # what the buttons leave of the line: below three or four words a line it reads better under them
        beside = sum(w.sizeHint().width() for w in (self.repeats, self.plan_button, self.render_button))
        narrow = self.width() - beside < theme.px(300)
        self._about.setVisible(not narrow)
        self._about_below.setVisible(narrow)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def refresh(self) -> None:
        bench = self.state.bench
        if not bench.candidates:
            self.set_empty(
                EmptyState(
                    tr("No candidate yet. Choose the voices to compare first."),
                    tr("Engines & voices"),
                    lambda: self.go_to("engines"),
                )
            )
        elif not bench.passages:
            self.set_empty(
                EmptyState(
                    tr("No passage yet. Every candidate reads the same texts: bring some in first."),
                    tr("Passages"),
                    lambda: self.go_to("passages"),
                )
            )
        else:
            self.set_empty(None)
        if not self.state.runs.goes_on:
            self._plan()
        self._show_run()
        if not self.state.runs.goes_on:
            self._show_hours()
        self.refresh_view()

    def _repeats_changed(self) -> None:
        REPEATS.write(self.state.project.documents, self.repeats.value())
        self._plan()

    def _plan(self) -> None:
        repeats, project, bench = self.repeats.value(), self.state.project, self.state.bench

        def work() -> tuple[PlannedRun, LeftOut]:
            planned = plan_run(project, repeats=repeats)
            return planned, left_out_of(planned, bench)

        def arrived(found: tuple[PlannedRun, LeftOut]) -> None:
            self.planned, self._left_out = found
            self._show_plan()

        self.state.background.run(work, arrived, self.state.complain, topic="plan")

    def _show_plan(self) -> None:
        planned, left_out = self.planned, self._left_out
        if planned is None or left_out is None:
            return
        running = self.state.runs.goes_on
        self.render_button.setEnabled(bool(planned.jobs) and not running)
        price = price_shown(self.state, planned)
        # a sentence would set the least width of the window: what is long stands in the tip
        short = (
            price
            if len(price) <= _SHORT_PRICE
            else " + ".join([*map(str, planned.costs), tr("what has no price")])
            if planned.costs
            else tr("no price")
        )
        self.render_button.setText(
            tr("Render what is missing · {short}", short=short) if planned.jobs else nothing_more(planned)
        )
        parts = [price] * (short != price) + [
            tr(
                "{engine}: {characters} characters, {says}",
                engine=e.engine,
                characters=f"{e.characters:,}",
                says=e.says(),
            )
            + (tr(", {short_by} over what the plan allows", short_by=f"{e.short_by:,.0f}") if e.short_by else "")
            for e in planned.estimates
        ]
        hidden = self.state.labels_hidden
        self.render_button.setToolTip("" if hidden else plain_tip("\n".join(parts)))
        bench = self.state.bench
        done, cells = bench.counts[0], len(bench.cells)
        stated = tr("{done} of {cells} cells rendered", done=done, cells=cells)
        if planned.jobs:
            stated += trn(
                " · {jobs} take missing, {characters} characters",
                " · {jobs} takes missing, {characters} characters",
                len(planned.jobs),
                jobs=len(planned.jobs),
                characters=f"{planned.characters:,}",
            )
        paid, why_not = left_out.paid, left_out.reasons
        lacking = (
            e for e in bench.engines.values() if any(of == e.engine and missing_key(e) in w for of, w in why_not)
        )
        self._without_key = next(lacking, None)
        self._key.setText(
            tr("Enter the key for {engine} …", engine=self._without_key.engine) if self._without_key else ""
        )
        self._key.setVisible(self._without_key is not None and not self.state.labels_hidden)
        elsewhere = self.state.bench.asked_elsewhere
        self._undecided.setVisible(bool(paid) or elsewhere)
        self._decide.setVisible(bool(paid) and not elsewhere)
        self._undecided_row.setVisible((bool(paid) or self._without_key is not None or elsewhere) and not running)
        self._undecided.setText(
            tr("Another program is rendering for this project; its takes appear here as they come.")
            if elsewhere
            else trn(
                "{paid} cell brought no sound and may have been paid for.",
                "{paid} cells brought no sound and may have been paid for.",
                paid,
                paid=paid,
            )
        )
        self._fit()
        if barred := left_out.barred:
            why = left_out.why
            why = why if len(why) <= 48 else why[:46] + "…"
            said = (
                ""
                if self.state.labels_hidden
                else f": {why}"
                if left_out.most == barred
                else tr(", {most} of them: {why}", most=left_out.most, why=why)
            )
            stated += tr(" · {barred} cannot be{said}", barred=barred, said=said)
        for about in (self._about, self._about_below):
            about.setText(stated)
            about.setToolTip(tr("Clips made elsewhere can be dropped on their cells, or brought in from the menu."))

    @property
    def beside_card(self) -> bool:
        return self.view == "Grid"

    # -- the run

    def start(self) -> None:
        """Render what is missing, at the price shown."""
        planned = self.planned
        if planned is None or self.state.runs.goes_on:
            return
        if planned.jobs:
            self.begin(planned)
        else:
            self.ask_about_open_requests()

    def _enter_key(self) -> None:
        if self._without_key is not None:
            ask_for_key(self, self.state, self._without_key)

    def ask_what_may_be_used(self) -> None:
        """A project of somebody else's, or an engine that has changed: asked once, when the project is opened."""
        self._asked_first(lambda: None)

    def begin(self, planned: PlannedRun) -> None:
        """Begin a planned run, unless one is going on; asked first where it is dearer than what is left to spend."""

        def go_on() -> None:
            self.state.runs.begin(planned, lambda _: self._clock.start())
            self._show_plan()

        ask_about_price(self, self.state, planned, go_on)

    def plan_a_run(self) -> None:
        if self.state.bench.candidates and self.state.bench.passages:
            self._asked_first(lambda: PlanDialog(self, self.state, self.begin, self._scheduled).show())

    def _asked_first(self, then: Callable[[], None]) -> None:
        """Engines of the shortlist that use what nobody has agreed to here; those left out then say so."""
        names = {candidate.engine for candidate in self.state.bench.candidates}

        def go_on() -> None:
            self.state.refresh()
            then()

        engines = [engine for name, engine in self.state.bench.engines.items() if name in names]
        if unasked(engines):
            ask_first(self, engines, go_on)
        else:
            then()

    # -- one cell

    def _cell_menu(self, at: QPoint) -> None:
        index = self.grid.indexAt(at)
        viewport = self.grid.viewport()
        if not index.isValid() or viewport is None:
            return
        self.grid.setCurrentIndex(index)
        menu = QMenu(self)
        for words, deed in (
            (tr("Takes of this cell …"), self.show_takes),
            (tr("Render this cell once more"), self.again),
            (tr("Bring in clips made elsewhere …"), self.ask_for_clips),
            (tr("Log time spent on this engine …"), self.log_time),
        ):
            action = menu.addAction(words)
            assert action is not None
            action.triggered.connect(lambda _=False, do=deed: do())
        menu.popup(viewport.mapToGlobal(at))

    def log_time(self) -> None:
        """Minutes of a person, for the engine of the selected cell."""
        from zestpanel.desk.pages.engines.notes import SetupDialog

        if candidate := self.state.candidate():
            SetupDialog(self, self.state, candidate.engine, lambda: None).show()

    def show_takes(self) -> None:
        candidate, passage = self.state.candidate(), self.state.passage()
        if candidate is not None and passage is not None:
            CellHistory(self, self.state, candidate, passage).show()

    def again(self, *, agreed: bool = False) -> None:
        """Render the selected cell once more: a failed one is tried again, another gets one more take. agreed: a person
        has just said that it may be asked for again; else what may cost something is asked about with its sum."""
        candidate, passage = self.state.candidate(), self.state.passage()
        if candidate is None or passage is None or self.state.runs.goes_on:
            return
        cell = self.state.bench.cell(candidate.id, passage.id)
        takes = cell.takes if cell.state == "there" else 0  # stale ones are of another text
        one = plan_run(self.state.project, repeats=takes + 1, candidates=[candidate], passages=[passage])
        if one.left_out and one.left_out[0][2] == MAY_BE_PAID:
            cell_of = (candidate.id, passage.version_id)
            ask_about_undecided(self, self.state, lambda: self.again(agreed=True),
                                only=lambda row: (row.candidate_id, row.passage_version_id) == cell_of)  # fmt: skip
            return
        if one.left_out:
            self.state.complain(
                tr(
                    "{name} on '{title}': {left_out}.",
                    name=self.state.name(candidate),
                    title=passage.title,
                    left_out=one.left_out[0][2],
                )
            )
            return
        engines = self.state.bench.engines
        paid = [e for e in one.estimates if e.requests and e.own_machine is None and engines[e.engine].is_hosted]
        if agreed or not paid or all(e.cost is not None and not e.cost.amount for e in paid):
            self.begin(one)
            return
        question(
            self, tr("Render this cell once more"),
            tr("{price} for {asked}.", price=price_shown(self.state, one), asked=one.asked),
            "", tr("Render"), tr("Do not render"), lambda: self.begin(one),
        ).open()  # fmt: skip

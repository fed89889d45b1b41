"""Planning a run: whom, on what, how often, under which conditions, at which hours and under which caps; and the price
of it all, with its basis, before anything is sent."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, timedelta
from decimal import Decimal

from PyQt6.QtCore import QDateTime, QLocale
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDateTimeEdit,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.errors import InputError
from zestpanel.core.runs.plan.conditions import LEVELS, Conditions
from zestpanel.core.runs.plan.planning import PlannedRun, plan_run
from zestpanel.core.runs.schedule.schedule import Schedule
from zestpanel.core.runs.schedule.scheduled import keep_schedule
from zestpanel.core.runs.spending.caps import CAPS, SpendingCaps, caps_to_edit, plan_key
from zestpanel.core.texts import LANGUAGE, tr, trn
from zestpanel.core.typed import typed_number
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.plain_tips import plain_tip
from zestpanel.desk.room import Room
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.ticks import Ticks
from zestpanel.desk.widgets import button, label, open_at, yielding

WHEN = (("now", tr("Now")), ("day", tr("Every hour for a day")), ("week", tr("Every four hours for a week")))
_EVERY = {"day": (60, 24), "week": (240, 42)}


class PlanDialog(Dialog):
    """start(planned) begins the run; scheduled() is told when a schedule was set."""

    def __init__(
        self, parent: QWidget, state: DeskState, start: Callable[[PlannedRun], None], scheduled: Callable[[], None]
    ) -> None:
        super().__init__(parent)
        self.state, self._start, self._scheduled = state, start, scheduled
        self.planned: PlannedRun | None = None
        self.setWindowTitle(tr("Plan a run"))
        outer = QVBoxLayout(self)
        outer.setContentsMargins(20, 16, 20, 16)
        outer.addWidget(label(tr("Plan a run"), "name"))
        across = QHBoxLayout()
        across.setSpacing(18)
        outer.addLayout(across, 1)
        who = QVBoxLayout()
        self.candidates = Ticks(tr("Candidates"), {c.id: state.name(c) for c in state.bench.candidates}, self.look)
        self.passages = Ticks(tr("Passages"), {p.id: p.title for p in state.bench.passages}, self.look)
        for ticks in (self.candidates, self.passages):
            ticks.list.setMinimumWidth(theme.px(200))
            who.addWidget(ticks, 1)
        across.addLayout(who, 1)
        right = QVBoxLayout()
        across.addLayout(right, 3)
        asked = QWidget()
        form = QFormLayout(asked)
        form.setContentsMargins(0, 0, 0, 0)
        form.setRowWrapPolicy(QFormLayout.RowWrapPolicy.WrapLongRows)
        self.repeats = QSpinBox()
        self.repeats.setRange(1, 20)
        self.repeats.setValue(3)
        self.repeats.setAccessibleName(tr("Repeats"))
        self.repeats.setMaximumWidth(theme.px(110))
        form.addRow(tr("Repeats"), self.repeats)
        self.ask = QComboBox()
        self.ask.addItem(tr("Only what is missing or stale"), False)
        self.ask.addItem(tr("Ask again, beside the takes there are"), True)
        self.ask.setAccessibleName(tr("What is asked for"))
        form.addRow(tr("Ask for"), self.ask)
        self.cold = QCheckBox(tr("every request cold"))
        self.side_by_side = QCheckBox(tr("programs of this machine side by side"))
        for words, box, means in (
            (tr("Conditions"), self.cold, tr("engine just started, new connection")),
            ("", self.side_by_side, tr("sooner over, waits kept apart")),
        ):
            condition = QHBoxLayout()
            box.setToolTip(means)
            condition.addWidget(box)
            condition.addWidget(yielding(label(means, "small")), 1)
            form.addRow(words, condition)
        levels = QHBoxLayout()
        self.levels = {level: QCheckBox(str(level)) for level in LEVELS}
        for box in self.levels.values():
            levels.addWidget(box)
        levels.addWidget(label(tr("none ticked: each engine's own limit"), "small"))
        levels.addStretch(1)
        form.addRow(tr("Requests at once"), levels)
        when = QHBoxLayout()
        self.when = QComboBox()
        for key, words in WHEN:
            self.when.addItem(words, key)
        self.when.setAccessibleName(tr("When"))
        for choice in (self.when, self.ask):  # long words are cut, the dialog is not widened
            choice.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            choice.setMinimumContentsLength(16)
        self.first = QDateTimeEdit(QDateTime.currentDateTime().addSecs(60))
        self.first.setLocale(QLocale(LANGUAGE))
        self.first.setDisplayFormat("ddd d MMM, HH:mm")
        self.first.setAccessibleName(tr("First run at"))
        self.first.setEnabled(False)
        when.addWidget(self.when, 1)
        when.addWidget(label(tr("starting at")))
        when.addWidget(self.first)
        form.addRow(tr("When"), when)
        self._caps_form(form)
        right.addWidget(Room(asked))
        self.estimate = Table()
        self.estimate.setAccessibleName(tr("Estimate by plan"))
        right.addWidget(label(tr("What it will take"), "strong"))
        right.addWidget(self.estimate, 1)
        self.sums = label("", wrap=True)
        right.addWidget(self.sums)
        self.left_out = label("", "small", wrap=True)
        right.addWidget(self.left_out)
        row = QHBoxLayout()
        self.problem = label("", "bad", wrap=True)
        row.addWidget(self.problem, 1)
        row.addWidget(button(tr("Cancel"), self.reject))
        self.go = button(tr("Render"), self.begin, role="main")
        row.addWidget(self.go)
        outer.addLayout(row)
        for changed in (
            self.repeats.valueChanged, self.ask.currentIndexChanged, self.cold.toggled, self.side_by_side.toggled,
            self.when.currentIndexChanged,
            *(b.toggled for b in self.levels.values()),
        ):  # fmt: skip
            changed.connect(self.look)
        open_at(self, 1000, 660)
        self.repeats.setFocus()
        self.look()

    def _caps_form(self, form: QFormLayout) -> None:
        (caps, odd), currency = caps_to_edit(self.state.project.documents), self.state.bench.brief.currency
        row = QHBoxLayout()
        self.cap_run, self.cap_day = QLineEdit(), QLineEdit()
        for edit, amounts, words in ((self.cap_run, caps.a_run, tr("a run")), (self.cap_day, caps.a_day, tr("a day"))):
            edit.setFixedWidth(theme.px(76))
            edit.setPlaceholderText(tr("no cap"))
            edit.setAccessibleName(tr("Cap {words} in {currency}", words=words, currency=currency))
            edit.setText(str(amounts[currency]) if currency in amounts else "")
            row.addWidget(edit)
            row.addWidget(label(f"{currency} {words}"))
        self.cap_plan = QComboBox()
        self.cap_plan.setAccessibleName(tr("Plan that is capped"))
        plans = sorted({plan_key(c.engine, c.plan) for c in self.state.bench.candidates if c.plan})
        self._plan_caps = {name: str(caps.a_plan.get(name, "")) for name in plans}
        self.cap_month = QLineEdit()
        self.cap_month.setFixedWidth(theme.px(76))
        self.cap_month.setPlaceholderText(tr("no cap"))
        self.cap_month.setAccessibleName(tr("Cap of a month of the plan, in its currency"))
        self.cap_plan.addItems(plans)
        self.cap_plan.currentTextChanged.connect(lambda name: self.cap_month.setText(self._plan_caps.get(name, "")))
        self.cap_month.textEdited.connect(lambda text: self._plan_caps.update({self.cap_plan.currentText(): text}))
        self.cap_month.setText(self._plan_caps.get(self.cap_plan.currentText(), ""))
        row.addStretch(1)
        form.addRow(tr("Spend at most"), row)
        if odd:
            form.addRow("", label(odd, "bad", wrap=True))
        second = QHBoxLayout()
        second.addWidget(self.cap_month)
        second.addWidget(label(tr("a month of")))
        second.addWidget(self.cap_plan)
        second.addStretch(1)
        form.addRow("", second)
        form.addRow("", label(tr("A run stops before the request that would break a cap."), "small"))

    # -- what is chosen

    def conditions(self) -> Conditions:
        levels = tuple(level for level, box in self.levels.items() if box.isChecked())
        kind = "load" if levels else "bench"
        return Conditions(
            at_once=levels,
            cold=self.cold.isChecked(),
            fresh=bool(self.ask.currentData()),
            side_by_side=self.side_by_side.isChecked(),
            kind=kind,
        )

    def look(self) -> None:
        """Plan anew, off the interface thread, and show what it would take."""
        self.first.setEnabled(self.when.currentData() != "now")
        other = self.cold.isChecked() or any(box.isChecked() for box in self.levels.values())
        self.ask.setEnabled(not other)
        self.ask.setToolTip(tr("Other conditions need requests of their own") if other else "")
        bench, whom, what = self.state.bench, self.candidates.ticked(), self.passages.ticked()
        candidates = [c for c in bench.candidates if c.id in whom]
        passages = [p for p in bench.passages if p.id in what]
        project, repeats, conditions = self.state.project, self.repeats.value(), self.conditions()
        self.go.setEnabled(False)

        def arrived(planned: PlannedRun) -> None:
            self.planned = planned
            self._show()

        self.state.background.run(
            lambda: plan_run(
                project, repeats=repeats, candidates=candidates, passages=passages, conditions=conditions
            ),
            arrived, self.state.complain, topic="plan dialog",
        )  # fmt: skip

    def _show(self) -> None:
        planned = self.planned
        assert planned is not None
        rows = []
        for e in planned.estimates:
            used = (
                tr("no allowance")
                if e.allowance_used is None
                else tr("{allowance_used} % used after it", allowance_used=f"{100 * e.allowance_used:.1f}")
            )
            if e.short_by:
                used = tr("{short_by} over", short_by=f"{e.short_by:,.0f}")
            if e.cost is None:  # a sentence, which the column of amounts has no room for
                used = e.says()
            cost = e.says() if e.cost is not None else "–"
            rows.append(
                [", ".join((e.engine, e.plan or tr("no plan"))), f"{e.requests:,}", f"{e.characters:,}", cost, used]
            )
        self.estimate.show_rows(
            [tr("plan"), tr("requests"), tr("characters"), tr("money"), tr("of the month's allowance")],
            rows,
            numbers=(1, 2, 3),
            wide=0,
        )
        scheduled = self.when.currentData() != "now"
        times = _EVERY[self.when.currentData()][1] if scheduled else 1
        money = planned.price
        left = planned.time
        takes = trn(
            "{jobs} take, {asked}, {money}",
            "{jobs} takes, {asked}, {money}",
            len(planned.jobs),
            jobs=len(planned.jobs),
            asked=planned.asked,
            money=money,
        )
        if planned.served:
            takes += tr("; {served} served from the store for nothing", served=planned.served)
        lasts = (
            tr("Time not known yet")
            if left.seconds is None
            else tr("About {duration}", duration=_duration(left.seconds))
        )
        each = tr(", {times} times", times=times) if scheduled else ""
        self.sums.setText(
            f"{takes}{each}. {lasts} ({left.basis})."
            if planned.requests
            else tr("Nothing is sent.")
            if not planned.jobs
            else tr("{takes}. Nothing is sent.", takes=takes)
        )
        why = planned.reasons
        cells = len({(c.id, p.id) for c, p, _ in planned.left_out})
        self.left_out.setText(
            trn(
                "{cells} cell is left out, or timed at fewer loads: {why}",
                "{cells} cells are left out, or timed at fewer loads: {why}",
                cells,
                cells=cells,
                why="; ".join(why[:3]),
            )
            if why
            else ""
        )
        self.left_out.setToolTip(plain_tip("\n".join(why)))
        self.go.setEnabled(bool(planned.jobs))
        self.go.setText(
            tr("Set these hours")
            if scheduled
            else tr("Render · {money}", money=money)
            if planned.jobs
            else nothing_more(planned)
        )

    # -- deeds

    def begin(self) -> None:
        try:
            caps = self.caps()
        except InputError as error:
            self.problem.setText(str(error))
            return
        planned = self.planned
        if planned is None:
            return
        CAPS.write(self.state.project.documents, caps)
        if self.when.currentData() == "now":
            self._start(planned)
        else:
            self._put_schedule(planned)
        self.accept()

    def caps(self) -> SpendingCaps:
        """Raises InputError for an amount that is none."""
        currency, (old, _) = self.state.bench.brief.currency, caps_to_edit(self.state.project.documents)

        def amount(text: str) -> Decimal | None:
            return typed_number(text, tr("The cap"), least=0) if text.strip() else None

        def one(amounts: dict[str, Decimal], text: str) -> dict[str, Decimal]:
            value = amount(text)
            return {k: v for k, v in amounts.items() if k != currency} | ({} if value is None else {currency: value})

        plans = {name: value for name, text in self._plan_caps.items() if (value := amount(text)) is not None}
        return SpendingCaps(
            a_run=one(old.a_run, self.cap_run.text()), a_day=one(old.a_day, self.cap_day.text()), a_plan=plans
        )

    def _put_schedule(self, planned: PlannedRun) -> None:
        every, times = _EVERY[self.when.currentData()]
        first = datetime.fromtimestamp(self.first.dateTime().toSecsSinceEpoch()).astimezone()
        schedule = Schedule(
            first=max(first, datetime.now().astimezone() - timedelta(minutes=1)),
            every_minutes=every,
            times=times,
            repeats=self.repeats.value(),
            candidate_ids=tuple(dict.fromkeys(j.candidate.id for j in planned.jobs)),
            passage_ids=tuple(dict.fromkeys(j.passage.id for j in planned.jobs)),
        )
        keep_schedule(self.state.project, schedule)
        self._scheduled()


def nothing_more(planned: PlannedRun) -> str:
    """Why a plan is empty, on its button."""
    return tr("Nothing more can be rendered") if planned.left_out else tr("Nothing is missing")


def _duration(seconds: float) -> str:
    if seconds < 90:
        return f"{max(1, round(seconds))} s"
    return tr("{seconds} min", seconds=f"{seconds / 60:.0f}") if seconds < 5400 else f"{seconds / 3600:.1f} h"

"""Sweeps: set up, rendered, looked at, heard point by point, and a point kept as a candidate."""

from __future__ import annotations

from pydantic import ValidationError
from PyQt6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QScrollArea,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.analysis.sweeps.results import RULE, PointResult, SweepResult, sweep_result
from zestpanel.core.analysis.sweeps.running import plan_sweep
from zestpanel.core.catalogue.facts import Control
from zestpanel.core.catalogue.varying import values_over
from zestpanel.core.domain.sweep import Axis, Sweep, SweepSpec
from zestpanel.core.errors import InputError, ZestError
from zestpanel.core.report.drawing import Picture
from zestpanel.core.report.sweep_picture import sweep_picture, value_words
from zestpanel.core.runs.plan.planning import PlannedRun
from zestpanel.core.texts import tr, trn
from zestpanel.desk.charts.view import ChartView
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import button, label


class _AxisRow:
    """Which setting, from where to where, in how many steps."""

    def __init__(self, layout: QGridLayout, row: int, title: str) -> None:
        self.control = QComboBox()
        self.control.setAccessibleName(title)
        self.low, self.high, self.count = QDoubleSpinBox(), QDoubleSpinBox(), QSpinBox()
        for spin, words in ((self.low, tr("from")), (self.high, tr("to"))):
            spin.setDecimals(2)
            spin.setRange(-1e6, 1e6)
            spin.setAccessibleName(f"{title} {words}")
        self.count.setRange(2, 30)
        self.count.setValue(6)
        self.count.setSuffix(tr(" steps"))
        self.count.setAccessibleName(tr("{title}, steps", title=title))
        for column, widget in enumerate(
            (label(title), self.control, label(tr("from")), self.low, label(tr("to")), self.high, self.count)
        ):
            layout.addWidget(widget, row, column)
        self.control.currentIndexChanged.connect(self._range)

    def offer(self, controls: list[Control], *, none: bool) -> None:
        before = self.control.currentText()
        self.control.blockSignals(True)
        self.control.clear()
        if none:
            self.control.addItem(tr("none"), None)
        for control in controls:
            self.control.addItem(control.name, control)
        self.control.setCurrentIndex(max(0, self.control.findText(before)))
        self.control.blockSignals(False)
        self._range()

    def _range(self) -> None:
        control: Control | None = self.control.currentData()
        numbers = control is not None and control.kind == "number"
        for widget in (self.low, self.high, self.count):
            widget.setEnabled(numbers)
        if control is not None and numbers and control.low is not None and control.high is not None:
            for spin, value in ((self.low, control.low), (self.high, control.high)):
                spin.setRange(control.low, control.high)
                spin.setSingleStep(control.step or 0.1)
                spin.setValue(value)

    def axis(self) -> Axis | None:
        """Raises InputError."""
        control: Control | None = self.control.currentData()
        if control is None:
            return None
        values = values_over(control, self.low.value(), self.high.value(), self.count.value())
        return Axis(control=control.name, values=values)


class SweepsView(QWidget):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self.sweep: Sweep | None = None
        self.result: SweepResult | None = None
        self.planned: PlannedRun | None = None
        self.point: PointResult | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        self.whom = label("", wrap=True)
        outer.addWidget(self.whom)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        self.first, self.second = _AxisRow(grid, 0, tr("Vary")), _AxisRow(grid, 1, tr("and"))
        self.repeats = QSpinBox()
        self.repeats.setRange(1, 20)
        self.repeats.setValue(3)
        self.repeats.setPrefix("× ")
        self.repeats.setAccessibleName(tr("Repeats at each point"))
        self.repeats.setToolTip(tr("Repeats at each point: their spread shows how steady it is"))
        grid.setColumnStretch(7, 1)
        outer.addLayout(grid)
        row = QHBoxLayout()
        row.addWidget(self.repeats)
        self.new = button(tr("Set up this sweep"), self.set_up)
        row.addWidget(self.new)
        self.pick = QComboBox()
        self.pick.setAccessibleName(tr("Which sweep"))
        self.pick.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.pick.setMinimumContentsLength(8)
        self.pick.currentIndexChanged.connect(self._picked)
        row.addWidget(self.pick, 1)
        self.render_button = button(tr("Render it"), self.start, role="main")
        row.addWidget(self.render_button)
        self.remove = button(tr("Remove"), self.remove_sweep)
        row.addWidget(self.remove)
        outer.addLayout(row)
        self.edges = label("", wrap=True)
        outer.addWidget(self.edges)
        area = QScrollArea()
        area.setWidgetResizable(True)
        content = QWidget()
        body = QVBoxLayout(content)
        body.setContentsMargins(0, 0, 8, 0)
        self.chart = ChartView(self._picture)
        self.chart.candidate_chosen.connect(self._point_chosen)
        body.addWidget(self.chart)
        body.addWidget(label(tr("A click on a point chooses it. ") + RULE, "small", wrap=True))
        body.addStretch(1)
        area.setWidget(content)
        outer.addWidget(area, 1)
        foot = QHBoxLayout()
        self.about_point = label("", wrap=True)
        foot.addWidget(self.about_point, 1)
        self.hear = button(tr("Hear its takes"), self.hear_point)
        self.keep = button(tr("Keep as a candidate"), self.keep_point)
        foot.addWidget(self.hear)
        foot.addWidget(self.keep)
        outer.addLayout(foot)
        state.selected.connect(self._selected)

    def refresh(self) -> None:
        self._offer()
        sweeps = self.state.project.sweeps.all()
        names = {c.id: self.state.name(c) for c in self.state.bench.candidates}
        chosen = self.sweep.id if self.sweep else None
        self.pick.blockSignals(True)
        self.pick.clear()
        for sweep in sweeps:
            axes = tr(" and ").join(axis.control for axis in sweep.spec.axes)
            who = names.get(sweep.spec.candidate_id, tr("a candidate no longer there"))
            self.pick.addItem(
                tr(
                    "{who}: {axes}, {points} points × {repeats}",
                    who=who,
                    axes=axes,
                    points=len(sweep.points),
                    repeats=sweep.spec.repeats,
                ),
                sweep,
            )
        at = next((i for i, s in enumerate(sweeps) if s.id == chosen), 0)
        self.pick.setCurrentIndex(at if sweeps else -1)
        self.pick.blockSignals(False)
        self._picked()

    def _selected(self) -> None:
        if self.isVisible():  # it is filled anew whenever it is shown
            self._offer()

    def _offer(self) -> None:
        """The settings that the selected candidate has."""
        candidate, passage = self.state.candidate(), self.state.passage()
        engine = self.state.bench.engines.get(candidate.engine) if candidate else None
        controls = (
            [c for c in engine.controls if c.applies(model=candidate.model, voice=candidate.voice)]
            if engine and candidate
            else []
        )
        self.first.offer(controls, none=False)
        self.second.offer(controls, none=True)
        self.new.setEnabled(bool(controls) and passage is not None)
        if candidate is None or passage is None:
            self.whom.setText(tr("Choose a candidate and a passage in the grid first."))
        elif not controls:
            self.whom.setText(tr("{name} has no setting that could be varied.", name=self.state.name(candidate)))
        else:
            self.whom.setText(
                tr(
                    "One setting of {name} varied on '{title}', all else held still. Another cell of the "
                    "grid chooses another candidate or text.",
                    name=self.state.name(candidate),
                    title=passage.title,
                )
            )

    def set_up(self) -> None:
        """Store the sweep; nothing is sent before it is rendered."""
        candidate, passage = self.state.candidate(), self.state.passage()
        if candidate is None or passage is None:
            return
        sweeps = self.state.project.sweeps
        try:
            axes = tuple(axis for axis in (self.first.axis(), self.second.axis()) if axis is not None)
            spec = SweepSpec(
                candidate_id=candidate.id, axes=axes, passage_ids=(passage.id,), repeats=self.repeats.value()
            )
            self.sweep = sweeps.add(spec)
        except ValidationError as error:
            self.state.complain(
                InputError(str(error.errors()[0]["msg"]).removeprefix("Value error, ").capitalize() + ".")
            )
            return
        except ZestError as error:
            self.state.complain(error)
            return
        made = self.sweep
        self.state.project.history.run(
            tr("new sweep"), lambda: sweeps.set_removed(made.id, False), lambda: sweeps.set_removed(made.id, True)
        )
        self.state.history_changed.emit()
        self.refresh()

    def remove_sweep(self) -> None:
        if self.sweep is not None:
            sweeps, gone = self.state.project.sweeps, self.sweep.id
            self.sweep = None
            self.state.edit(
                tr("removed sweep"), lambda: sweeps.set_removed(gone, True), lambda: sweeps.set_removed(gone, False)
            )

    def _picked(self) -> None:
        self.sweep = self.pick.currentData()
        self.point = None
        sweep, project = self.sweep, self.state.project
        self.remove.setEnabled(sweep is not None)
        if sweep is None:
            self.result = None
            self.render_button.setEnabled(False)
            self.render_button.setText(tr("Render it"))
            self.edges.setText(tr("No sweep yet."))
            self.chart.refresh()
            self._show_point()
            return

        def arrived(found: tuple[SweepResult, PlannedRun]) -> None:
            self.result, self.planned = found
            self._show()

        self.state.background.run(
            lambda: (sweep_result(project, sweep), plan_sweep(project, sweep)), arrived, self.state.complain,
            topic="sweep",
        )  # fmt: skip

    def _show(self) -> None:
        result, planned, sweep = self.result, self.planned, self.sweep
        if result is None or planned is None or sweep is None:
            return
        money = planned.price
        running = self.state.runs.goes_on
        self.render_button.setEnabled(bool(planned.jobs) and not running)
        self.render_button.setText(
            trn(
                "Render {jobs} take · {money}",
                "Render {jobs} takes · {money}",
                len(planned.jobs),
                jobs=len(planned.jobs),
                money=money,
            )
            if planned.jobs
            else tr("Cannot be rendered")
            if planned.left_out
            else tr("All of it is rendered")
        )
        found = edge_words(result, sweep)
        why = next((reason for _, _, reason in planned.left_out if not planned.jobs), "")
        blocked = tr("Cannot be rendered: {left_out}", left_out=why.rstrip("."))
        self.edges.setText(f"{blocked}. {found}" if why else found)
        self.chart.refresh()
        if self.point is None:
            self.point = next((p for p in result.points if p.here and p.takes), None)
        self._show_point()

    def _picture(self, width: float) -> Picture | None:
        if self.result is None or self.sweep is None:
            return None
        across = tr(" and ").join(axis.control for axis in self.sweep.spec.axes)
        return sweep_picture(
            self.result, across=tr("{across}; the candidate's own value in bold", across=across), width=width
        )

    def start(self) -> None:
        if self.planned is not None and self.planned.jobs:
            self.state.runs.begin(self.planned)
            self._show()

    # -- one point

    def _point_chosen(self, candidate_id: int) -> None:
        if self.result is not None:
            self.point = next((p for p in self.result.points if p.candidate_id == candidate_id), None)
            self._show_point()

    def _show_point(self) -> None:
        point = self.point
        self.hear.setEnabled(point is not None and bool(point.takes))
        self.keep.setEnabled(point is not None and not point.here)
        if point is None:
            self.about_point.setText("")
            return
        state = (
            tr("unstable: {unstable}", unstable=", ".join(point.unstable))
            if point.unstable
            else tr("stable by the rule")
        )
        here = tr(", the candidate's own") if point.here else ""
        self.about_point.setText(
            trn(
                "{value_words}{here}: {takes} take, {state}.",
                "{value_words}{here}: {takes} takes, {state}.",
                len(point.takes),
                value_words=value_words(point),
                here=here,
                takes=len(point.takes),
                state=state,
            )
        )

    def hear_point(self) -> None:
        """Lay the point's takes on the tray and play."""
        if self.point is not None and self.sweep is not None:
            passage = next((p for p in self.state.bench.passages if p.id in self.sweep.spec.passage_ids), None)
            if passage is not None:
                self.state.tray.lay_out_repeats(
                    list(self.point.takes), self.sweep.spec.candidate_id, passage.id, play=True
                )

    def keep_point(self) -> None:
        """Put the point on the shortlist; its takes serve the new candidate without a request."""
        point, sweep, state = self.point, self.sweep, self.state
        if point is None or sweep is None:
            return
        source = next(c for c in sweep.points if c.id == point.candidate_id)
        shortlist, made = state.project.shortlist, list[int]()

        def do() -> None:
            if made:
                shortlist.set_removed(made, False)
            else:
                added = shortlist.add(
                    state.bench.engines[source.engine], voice=source.voice, model=source.model, plan=source.plan,
                    language=source.language, settings=dict(source.settings),
                )  # fmt: skip
                if not added:
                    raise InputError(tr("A candidate with these very settings is on the shortlist already."))
                made.extend(c.id for c in added)

        if state.edit(tr("a point of a sweep as a candidate"), do, lambda: shortlist.set_removed(made, True)):
            state.say(tr("It is on the shortlist. Its takes come from the store: rendering it costs nothing."))


def edge_words(result: SweepResult, sweep: Sweep) -> str:
    """Where the sweep becomes unstable, in a sentence."""
    if not any(p.takes for p in result.points):
        return tr("Nothing of this sweep is rendered yet.")
    name = sweep.spec.axes[0].control
    if len(sweep.spec.axes) == 2:
        bad = [value_words(p) for p in result.points if p.unstable]
        return tr("Unstable at: {bad}.", bad="; ".join(bad)) if bad else tr("Stable over the whole grid.")
    parts = []
    for edge, side in ((result.above, tr("above")), (result.below, tr("below"))):
        if edge is not None:
            parts.append(
                tr(
                    "{name} is stable to {edge} and unstable from {edge2} on {side}",
                    name=name,
                    edge=f"{edge[0]:g}",
                    edge2=f"{edge[1]:g}",
                    side=side,
                )
            )
    if parts:
        return "; ".join(parts) + "."
    bad = [value_words(p) for p in result.points if p.unstable]
    return (
        tr("Unstable at: {bad}.", bad="; ".join(bad))
        if bad
        else tr("{name} is stable over the whole range.", name=name)
    )

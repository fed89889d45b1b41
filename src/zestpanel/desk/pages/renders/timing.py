"""The waits: every point of every candidate, and for the selected one against length, over the day and under load."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from zestpanel.core.analysis.channel import channel_takes
from zestpanel.core.analysis.timing.against_length import LengthFit, fit_length
from zestpanel.core.analysis.timing.playback import least_head_start_s, stalls
from zestpanel.core.analysis.timing.points import PHASES, TimingPoint, give_ups, points_of, usual_points
from zestpanel.core.analysis.timing.rows import TimingRow, timing_rows, watts_of
from zestpanel.core.analysis.timing.waits import in_words
from zestpanel.core.catalogue.candidate import plan_of
from zestpanel.core.domain.take import Timing
from zestpanel.core.report.drawing import Picture
from zestpanel.core.report.timing_pictures import (
    hours_picture,
    length_picture,
    load_picture,
    points_picture,
    request_picture,
)
from zestpanel.core.texts import tr, trn, word
from zestpanel.desk.charts.view import ChartView
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.turns import paint_next_turn
from zestpanel.desk.widgets import button, label


@dataclass(frozen=True, slots=True, kw_only=True)
class _Shown:
    phase: str
    points: list[TimingPoint]
    others: int  # timed takes of texts the figures are not over
    usual: dict[int, list[TimingPoint]]  # by candidate id, under its usual circumstances
    rows: list[TimingRow]
    characters: dict[int, int]  # by take id


class TimingView(QWidget):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self._shown = _Shown(phase="whole clip", points=[], others=0, usual={}, rows=[], characters={})
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        top = QHBoxLayout()
        top.setSpacing(12)
        self.phase = QComboBox()
        self.phase.setAccessibleName(tr("What is timed"))
        for name, (title, _) in PHASES.items():
            self.phase.addItem(title, name)
        self.phase.setCurrentIndex(list(PHASES).index("whole clip"))
        self.phase.currentIndexChanged.connect(self.refresh)
        top.addWidget(self.phase)
        self.about = label("", "quiet", wrap=True)
        top.addWidget(self.about, 1)
        top.addWidget(button(tr("Copy table"), lambda: self.table.copy()))
        outer.addLayout(top)
        outer.addWidget(
            label(
                tr("A dot is a request, hollow where it was cold: first after a start. Bar: the median, in the band of "
                "its 95 % interval. Thin line: 95 of 100 came within it."), "small", wrap=True,
            )
        )  # fmt: skip
        area = QScrollArea()
        area.setWidgetResizable(True)
        content = QWidget()
        self._body = QVBoxLayout(content)
        self._body.setContentsMargins(0, 0, 8, 0)
        area.setWidget(content)
        outer.addWidget(area, 1)
        self.points = ChartView(self._points_picture, aside=state.aside)
        self.points.candidate_chosen.connect(lambda c: state.select(c, state.passage_id))
        self._body.addWidget(self.points)
        self.of_one = label("", "strong")
        self._body.addWidget(self.of_one)
        self.against_length = ChartView(self._length_picture, least=220)
        self.over_the_day = ChartView(lambda w: hours_picture(self._mine(), self._shown.phase, width=w), least=220)
        self.under_load = ChartView(self._load_picture, least=220)
        self.length_words, self.load_words = label("", "small", wrap=True), label("", "small", wrap=True)
        pair = QHBoxLayout()
        for chart, words in (
            (self.against_length, self.length_words),
            (self.over_the_day, label("", "small")),
            (self.under_load, self.load_words),
        ):
            column = QVBoxLayout()
            column.addWidget(chart)
            column.addWidget(words)
            column.addStretch(1)
            pair.addLayout(column, 1)
        self._body.addLayout(pair)
        line = QHBoxLayout()
        line.addWidget(label(tr("One request in full"), "strong"))
        self.request = QComboBox()
        self.request.setAccessibleName(tr("Which request"))
        self.request.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.request.setMinimumContentsLength(26)
        self.request.currentIndexChanged.connect(self._show_request)
        line.addWidget(self.request)
        self.head_start = QDoubleSpinBox()
        self.head_start.setRange(0, 60)
        self.head_start.setSingleStep(0.1)
        self.head_start.setPrefix(tr("head start "))
        self.head_start.setSuffix(" s")
        self.head_start.setToolTip(tr("Seconds that playback waits after the first sound has come"))
        self.head_start.setAccessibleName(tr("Head start in seconds"))
        self.head_start.valueChanged.connect(self._show_request)
        line.addWidget(self.head_start)
        self.stall_words = label("", "small", wrap=True)
        line.addWidget(self.stall_words, 1)
        self._body.addLayout(line)
        self.in_full = ChartView(self._request_picture)
        self._body.addWidget(self.in_full)
        self.table = Table()
        self.table.setAccessibleName(tr("Waits as a table"))
        self._body.addWidget(self.table)
        self._body.addStretch(1)
        state.selected.connect(self._selected)

    def _phase(self) -> str:
        return str(self.phase.currentData())

    # -- what is shown

    def refresh(self) -> None:
        project, phase = self.state.project, self._phase()

        def read() -> _Shown:
            order = {c.id: place for place, c in enumerate(project.shortlist.candidates())}
            takes = sorted(
                (t for of in channel_takes(project).values() for t in of), key=lambda t: order[t.candidate_id]
            )
            points = points_of(takes, project.journal, project.shortlist)
            others = sum(t.timing is not None and t.candidate_id in order for t in project.takes.all()) - len(points)
            lengths = {p.version_id: p.characters for p in project.texts.all()}
            characters = {
                p.take.id: lengths[p.take.passage_version_id] for p in points if p.take.passage_version_id in lengths
            }
            candidates = {c.id: c for c in project.shortlist.candidates()}
            late = give_ups(project.journal.rows(state="failed"), candidates, project.journal.runs(), points)
            usual = usual_points(points)
            return _Shown(
                phase=phase,
                points=points,
                others=others,
                usual=usual,
                rows=timing_rows(points, phase, late),
                characters=characters,
            )

        self.state.background.run(read, self._arrived, self.state.complain, topic="timing")

    def _arrived(self, shown: _Shown) -> None:
        paint_next_turn(self)
        self._shown = shown
        circumstances = {row.circumstances for row in shown.rows}
        machines = {(c.machine, c.network) for c in circumstances}
        others = ""
        if shown.others:
            others = " " + trn(
                "{n} take of another text is not among them.",
                "{n} takes of other texts are not among them.",
                shown.others,
                n=shown.others,
            )
        if not shown.points:
            self.about.setText(tr("Nothing is timed yet. Every take that is rendered is timed.") + others)
        else:
            on = " · ".join(sorted(m + (tr(", network {n}", n=n) if n else "") for m, n in machines))
            self.about.setText(
                tr(
                    "{points} timed takes, on {on}. Different routes and loads are kept apart.",
                    points=len(shown.points),
                    on=on,
                )
                + others
            )
        self.points.refresh_for(len(shown.rows))
        self._fill_table()
        self._show_one()

    def _points_picture(self, width: float) -> Picture | None:
        names = {c.id: (self.state.name(c), self.state.detail(c)) for c in self.state.bench.candidates}
        return points_picture(self._shown.rows, names, self._shown.phase, width=width)

    def _mine(self) -> list[TimingPoint]:
        """The selected candidate's points under its usual circumstances."""
        return self._shown.usual.get(self.state.candidate_id or 0, [])

    def _fit(self) -> LengthFit | None:
        pick = PHASES[self._shown.phase][1]
        warm = [
            (self._shown.characters[p.take.id], value)
            for p in self._mine()
            if p.usable and not p.timing.cold and p.take.id in self._shown.characters and (value := pick(p)) is not None
        ]
        return fit_length([a for a, _ in warm], [b for _, b in warm])

    def _length_picture(self, width: float) -> Picture | None:
        return length_picture(self._mine(), self._shown.characters, self._fit(), self._shown.phase, width=width)

    def _load_picture(self, width: float) -> Picture | None:
        rows = [row for row in self._shown.rows if row.candidate_id == self.state.candidate_id]
        return load_picture(rows, self._shown.phase, width=width)

    def _selected(self) -> None:
        if self.isVisible():  # it is filled anew whenever it is shown
            self._show_one()

    def _show_one(self) -> None:
        candidate = self.state.candidate()
        if candidate is None:
            return
        self.of_one.setText(f"{self.state.name(candidate)}: {self.phase.currentText().lower()}")
        for chart in (self.against_length, self.over_the_day, self.under_load):
            chart.refresh()
        fit = self._fit()
        if fit is None:
            self.length_words.setText(tr("No line: six warm takes of texts of different length are needed."))
        else:
            per = tr("{per_character_s} ms a character", per_character_s=f"{1000 * fit.per_character_s:.1f}")
            sure = tr(
                "95 %: {low_s} to {high_s}; {n} takes",
                low_s=f"{1000 * fit.low_s:.1f}",
                high_s=f"{1000 * fit.high_s:.1f}",
                n=fit.n,
            )
            words = tr(
                "{fixed_s} s for any request + {per} ({sure}).", fixed_s=f"{fit.fixed_s:.2f}", per=per, sure=sure
            )
            if fit.low_s <= 0:
                words = tr("Length makes no difference that shows: {per} ({sure}).", per=per, sure=sure)
            self.length_words.setText(words.replace("-", "−"))
        loaded = any(r.circumstances.at_once for r in self._shown.rows if r.candidate_id == candidate.id)
        self.load_words.setText("" if loaded else tr("Not timed under load yet: see Plan a run."))
        mine = [p for p in self._mine() if not p.timing.typed]
        titles = {p.version_id: p.title for p in self.state.bench.passages}
        self.request.blockSignals(True)
        self.request.clear()
        for p in mine:
            words = tr("cold") if p.timing.cold else tr("warm")
            self.request.addItem(
                tr(
                    "{get}, take {repeat}, {words}",
                    get=titles.get(p.take.passage_version_id, ""),
                    repeat=p.take.repeat,
                    words=words,
                ),
                p,
            )
        self.request.blockSignals(False)
        self._show_request()

    # -- one request

    def _chosen(self) -> TimingPoint | None:
        found: TimingPoint | None = self.request.currentData()
        return found

    def _request_picture(self, width: float) -> Picture | None:
        point = self._chosen()
        if point is None:
            return None
        start = self.head_start.value()
        found = stalls(point.timing.chunks, start) if len(point.timing.chunks) > 1 else []
        return request_picture(point.timing, point.take.duration_s, found, start, width=width)

    def _show_request(self) -> None:
        point = self._chosen()
        self.in_full.refresh()
        self.stall_words.setText("" if point is None else _stall_words(point.timing, self.head_start.value()))

    def _fill_table(self) -> None:
        bench = self.state.bench
        by_id = {c.id: c for c in bench.candidates}
        rows = []
        for row in self._shown.rows:
            candidate = by_id.get(row.candidate_id)
            if candidate is None:
                continue
            sure = (
                "–"
                if row.median is None
                else tr("{seconds} to {seconds2}", seconds=_seconds(row.median.low), seconds2=_seconds(row.median.high))
            )
            tariff = plan_of(candidate, bench.engines.get(candidate.engine)).tariff
            cold = sorted(row.cold)
            rows.append(
                [
                    self.state.name(candidate),
                    word(row.circumstances.route) or tr("not recorded"),
                    str(row.circumstances.at_once or tr("own limit")),
                    tr("{n} ({gave_up} gave up)", n=row.warm.n, gave_up=row.warm.gave_up)
                    if row.warm.gave_up
                    else str(row.warm.n),
                    _seconds(row.warm.median),
                    sure,
                    _seconds(row.warm.p95) if row.warm.p95 is not None else tr("too few"),
                    _seconds(row.warm.p99) if row.warm.p99 is not None else tr("too few"),
                    f"{cold[len(cold) // 2]:.2f} ({len(cold)})" if cold else "–",
                    _seconds(row.load_s),
                    _seconds(row.cpu_per_sound_s),
                    f"{row.peak_memory_mb:.0f}" if row.peak_memory_mb is not None else "–",
                    str(row.threads) if row.threads is not None else "–",
                    watts_of(tariff.components) or "–",
                ]
            )
        head = [
            tr("candidate"),
            tr("route"),
            tr("at once"),
            tr("warm"),
            tr("median"),
            tr("95 % of it"),
            tr("95 of 100"),
            tr("99 of 100"),
            tr("cold (n)"),
            tr("load s"),
            tr("CPU s per s"),
            tr("peak MB"),
            tr("threads"),
            tr("watts assumed"),
        ]
        self.table.show_rows(head, rows, numbers=range(2, 14), wide=1)
        self.table.setFixedHeight(self.table.height_for_rows(60))


def _seconds(value: float | None) -> str:
    return in_words(value).removesuffix(" s") or "–"


def _stall_words(timing: Timing, head_start_s: float) -> str:
    if len(timing.chunks) < 2:
        return tr("It came in one piece: playback can begin when it is there.")
    found = stalls(timing.chunks, head_start_s)
    least = max(0.0, least_head_start_s(timing.chunks))
    start = tr("Nothing stalls from a head start of {least} s on.", least=f"{least:.2f}")
    if not found:
        return tr("No stall. {start}", start=start)
    lost = sum(s.lasts_s for s in found)
    return trn(
        "{found} stall, {lost} s in all. {start}",
        "{found} stalls, {lost} s in all. {start}",
        len(found),
        found=len(found),
        lost=f"{lost:.2f}",
        start=start,
    )

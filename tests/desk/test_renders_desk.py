"""Renders, as a person meets them: planning with a price, takes of a cell, the waits, sweeps, runs and what changed."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from tests.conftest import Unmeasured
from tests.desk.conftest import Opener, cells, recorder, settle, words
from zestpanel.core.analysis.summary import summaries
from zestpanel.core.domain.take import Measured
from zestpanel.core.measures.registry import versions
from zestpanel.core.report.drawing import Dot, Dots
from zestpanel.core.runs.execute.events import RunEvent
from zestpanel.core.runs.execute.running import BenchRun
from zestpanel.core.runs.execute.unattended import make
from zestpanel.core.runs.plan.conditions import Conditions
from zestpanel.core.runs.plan.planning import PlannedRun, plan_run
from zestpanel.core.runs.schedule.schedule import Schedule, finished, look
from zestpanel.core.runs.schedule.scheduled import stored_schedule, take_due
from zestpanel.core.runs.spending.caps import caps_of
from zestpanel.core.store.project import Project
from zestpanel.desk.grid.model import describe
from zestpanel.desk.hours import Hours
from zestpanel.desk.pages.renders import RendersPage
from zestpanel.desk.pages.renders.grid_tab import GridTab
from zestpanel.desk.pages.renders.history import CellHistory
from zestpanel.desk.pages.renders.plan_dialog import PlanDialog
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.viewmodels.cells import Cell, Failure, bench_of, with_news
from zestpanel.desk.window import MainWindow
from zestpanel.standins.service import StandInService


@pytest.fixture
def quick(service: StandInService, monkeypatch: pytest.MonkeyPatch) -> StandInService:
    """The stand-in service without delays, and runs that do not measure."""
    service.behaviour.delay_s = dict.fromkeys(service.behaviour.delay_s, 0.0)
    monkeypatch.setattr("zestpanel.core.runs.execute.running.LocalExecutor", Unmeasured)
    return service


def page_of(window: MainWindow, qtbot: QtBot, view: str = "Grid"):  # type: ignore[no-untyped-def]
    window.go_to("renders")
    page = window.page("renders")
    page.show_view(view)  # type: ignore[attr-defined]
    settle(qtbot, window)
    return page


def test_what_is_hidden_works_nothing_out_and_is_right_when_it_is_shown(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    state = window.state
    page = page_of(window, qtbot, "Waits")
    waits, card = page.widget_of("Waits"), window.card
    page.show_view("Grid")
    window.go_to("evidence")
    settle(qtbot, window)
    assert not card.isVisible()
    first, second = state.bench.candidates[:2]
    said = waits.of_one.text()
    state.select(second.id, state.bench.passages[0].id)
    settle(qtbot, window)
    assert waits.of_one.text() == said, "nobody sees it"
    page = page_of(window, qtbot, "Waits")
    assert waits.of_one.text().startswith(state.name(second))
    assert said.startswith(state.name(first))
    page.show_view("Grid")
    assert card.isVisible()
    assert state.name(second) in words(card)


def press(qtbot: QtBot, button: QPushButton) -> None:
    assert button.isEnabled(), button.text()
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)


def until_over(qtbot: QtBot, window: MainWindow) -> None:
    qtbot.waitUntil(lambda: window.state.runs.run is not None and not window.state.runs.goes_on, timeout=60_000)
    settle(qtbot, window)


def test_a_run_is_planned_with_its_price_and_stops_at_its_cap(
    bench_project: Project, quick: StandInService, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    page = page_of(window, qtbot)
    press(qtbot, page.plan_button)
    dialog = page.findChild(PlanDialog)
    settle(qtbot, window)
    assert "18 takes" in dialog.sums.text(), "three of each are planned, one is there"
    dialog.ask.setCurrentIndex(1)
    dialog.repeats.setValue(1)
    dialog.levels[1].setChecked(True)
    dialog.levels[2].setChecked(True)
    settle(qtbot, window)
    characters = sum(len(p.text) for p in bench_project.texts.all())
    shown = cells(dialog.estimate)
    assert ["Citrange, By the character", "6", f"{2 * characters}"] in [row[:3] for row in shown]
    assert "18 takes, 18 requests" in dialog.sums.text()
    assert "not timed yet" in dialog.sums.text()
    dialog.cap_run.setText("nothing")
    press(qtbot, dialog.go)
    assert "The cap: 'nothing' is no number" in dialog.problem.text()
    assert dialog.isVisible()
    price = 2 * len(TEXTS_FIRST) * 18 / 1e6
    dialog.cap_run.setText(f"{price:.6f}")
    press(qtbot, dialog.go)
    qtbot.waitUntil(
        lambda: window.state.runs.run is not None and window.state.runs.run.progress().paused, timeout=60_000
    )
    settle(qtbot, window)
    page._show_run()
    assert "would be broken by the next request" in words(page)
    assert page.pause.text() == "Go on"
    assert quick.behaviour.used <= 2 * 2 * characters + price * 1e6 / 18
    assert caps_of(bench_project.documents).a_run
    bench_project.documents.put("spending caps", {})
    press(qtbot, page.pause)
    until_over(qtbot, window)
    assert window.state.runs.run is not None
    assert window.state.runs.run.progress().done == 18
    assert {run.kind for run in bench_project.journal.runs().values()} == {"load"}


TEXTS_FIRST = "The last frost falls in May."


def test_takes_of_a_cell_are_listed_preferred_noted_removed_and_swapped_by_ear(
    bench_project: Project, quick: StandInService, open_window: Opener, qtbot: QtBot, tmp_path: Path
) -> None:
    candidate, passage = bench_project.shortlist.candidates()[0], bench_project.texts.all()[0]
    make(bench_project, plan_run(bench_project, candidates=[candidate], passages=[passage], repeats=2,
                                 conditions=Conditions(fresh=True)), executor=Unmeasured())  # fmt: skip
    window = open_window(bench_project)
    page = page_of(window, qtbot)
    window.state.select(candidate.id, passage.id)
    settle(qtbot, window)
    window.actions_by_id["takes"].trigger()
    dialog = page.findChild(CellHistory)
    assert [row[0] for row in cells(dialog.table)] == ["1", "2", "3"]
    dialog.table.selectRow(2)
    assert "seed 2" in dialog.detail.text()
    assert f"Sent: {passage.text}" in dialog.detail.text()
    press(qtbot, dialog.star)
    settle(qtbot, window)
    assert window.state.bench.cell(candidate.id, passage.id).take.repeat == 3  # type: ignore[union-attr]
    dialog.table.selectRow(2)
    qtbot.keyClicks(dialog.note, "the warmest")
    dialog.keep_note()
    settle(qtbot, window)
    assert cells(dialog.table)[2][6] == "the warmest"
    dialog.table.selectRow(1)
    press(qtbot, dialog.remove)
    settle(qtbot, window)
    assert [row[0] for row in cells(dialog.table)] == ["1", "3"]
    window.state.undo()
    settle(qtbot, window)
    assert [row[0] for row in cells(dialog.table)] == ["1", "2", "3"]
    dialog.save_to(tmp_path)
    assert sorted(p.name for p in tmp_path.glob("*.flac")) == [
        f"tangor-ilseth_01-frost_take-{n}.flac" for n in (1, 2, 3)
    ]
    press(qtbot, dialog.hear)
    settle(qtbot, window)
    assert [lane.take.repeat for lane in window.state.tray.lanes] == [1, 2, 3]
    assert [window.state.tray.lane_name(lane) for lane in window.state.tray.lanes] == ["take 1", "take 2", "take 3"]
    window.state.player.play()
    recorder(window).hear(0.1)
    window.actions_by_id["lane_2"].trigger()
    heard = recorder(window).hear(0.2)
    assert window.state.player.mixer.on == 1
    assert np.abs(heard).max() > 0
    window.state.select(bench_project.shortlist.candidates()[1].id, passage.id)
    settle(qtbot, window)
    assert len({lane.candidate.id for lane in window.state.tray.lanes}) == 3, (
        "another cell lays the candidates out again"
    )


def test_the_waits_show_every_point_and_one_request_in_full(
    bench_project: Project, quick: StandInService, open_window: Opener, qtbot: QtBot
) -> None:
    make(bench_project, plan_run(bench_project, repeats=3, conditions=Conditions(fresh=True)), executor=Unmeasured())
    window = open_window(bench_project)
    view = page_of(window, qtbot, "Waits").widget_of("Waits")
    picture = view.points.picture()
    cold = [s for s in picture.shapes if isinstance(s, Dot)]
    warm = [place for s in picture.shapes if isinstance(s, Dots) for place in s.points]
    timed = [t for t in bench_project.takes.all() if t.timing is not None]
    assert len(cold) + len(warm) == len(timed) == 27, "every point is drawn"
    assert sum(d.hollow for d in cold) == sum(t.timing.cold for t in timed if t.timing)
    rows = cells(view.table)
    assert {row[6] for row in rows} == {"too few"}
    assert sum(int(row[3]) for row in rows) == sum(not t.timing.cold for t in timed if t.timing)
    # a click on a candidate's line chooses it
    region = next(r for r in picture.regions if r.candidate_id != window.state.candidate_id)
    QTest.mouseClick(view.points, Qt.MouseButton.LeftButton, pos=QPoint(int(region.x + 20), int(region.y + 12)))
    assert window.state.candidate_id == region.candidate_id
    tangor = bench_project.shortlist.candidates()[0]
    window.state.select(tangor.id, window.state.passage_id)
    settle(qtbot, window)
    assert view.request.count() == 9
    assert "Nothing stalls from a head start of" in view.stall_words.text()
    ends = [s for s in view.in_full.picture().shapes if type(s).__name__ == "Path"][-1].points[-1][0]
    view.head_start.setValue(0.5)
    assert "No stall" in view.stall_words.text()
    later = [s for s in view.in_full.picture().shapes if type(s).__name__ == "Path"][-1].points[0][0]
    assert 0 < later < ends, "playback is drawn from its head start on"
    view.phase.setCurrentIndex(0)
    settle(qtbot, window)
    assert view.points.picture().title == "Wait to first sound"


def test_waits_are_over_the_same_takes_as_every_other_figure(
    bench_project: Project, quick: StandInService, open_window: Opener, qtbot: QtBot
) -> None:
    make(bench_project, plan_run(bench_project, repeats=3, conditions=Conditions(fresh=True)), executor=Unmeasured())
    bench_project.texts.edit(bench_project.texts.all()[0].id, "Another wording of it.")  # 9 of its takes are of the old
    window = open_window(bench_project)
    view = page_of(window, qtbot, "Waits").widget_of("Waits")
    assert view.about.text().startswith("18 timed takes")
    assert view.about.text().endswith("9 takes of other texts are not among them.")
    elsewhere = summaries(bench_project)
    usual = {row.candidate_id: row.warm for row in view._shown.rows}
    assert usual == {i: summary.whole_clip for i, summary in elsewhere.items()}


def test_a_sweep_from_setting_up_to_a_kept_point(
    bench_project: Project, quick: StandInService, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    view = page_of(window, qtbot, "Sweeps").widget_of("Sweeps")
    view.first.control.setCurrentText("liveliness")
    view.first.low.setValue(1.0)
    view.first.high.setValue(2.0)
    view.first.count.setValue(3)
    view.repeats.setValue(2)
    press(qtbot, view.new)
    settle(qtbot, window)
    assert "Tangor · Ilseth: liveliness, 3 points × 2" in view.pick.currentText()
    assert view.edges.text() == "Nothing of this sweep is rendered yet."
    assert "Render 6 takes" in view.render_button.text()
    press(qtbot, view.render_button)
    until_over(qtbot, window)
    for take in bench_project.takes.all():  # what measuring would say of a steady and an unsteady engine
        if take.run_id is not None:
            length = 2.0 * (1 + 0.3 * (take.repeat - 1)) if take.duration_s and take.candidate_id > 5 else 2.0
            bench_project.takes.put_measured(take.id, Measured(values={"duration_s": length}, versions=versions()))
    view.refresh()
    settle(qtbot, window)
    assert view.result is not None
    assert sum(len(p.takes) for p in view.result.points) == 6
    assert view.edges.text() == "liveliness is stable to 1.5 and unstable from 2 on above."
    picture = view.chart.picture()
    region = next(r for r in picture.regions if r.candidate_id == view.result.points[1].candidate_id)
    QTest.mouseClick(view.chart, Qt.MouseButton.LeftButton, pos=QPoint(int(region.x + 5), int(region.y + 40)))
    assert view.about_point.text().startswith("1.5: 2 takes, stable by the rule")
    press(qtbot, view.hear)
    settle(qtbot, window)
    assert [lane.take.repeat for lane in window.state.tray.lanes] == [1, 2]
    asked = quick.behaviour.requests
    press(qtbot, view.keep)
    settle(qtbot, window)
    assert len(bench_project.shortlist.candidates()) == 4
    planned = plan_run(bench_project, repeats=2, candidates=bench_project.shortlist.candidates()[3:],
                       passages=bench_project.texts.all()[:1])  # fmt: skip
    assert planned.served == 2
    assert quick.behaviour.requests == asked
    window.state.undo()
    assert len(bench_project.shortlist.candidates()) == 3


def test_an_earlier_run_once_more_names_what_changed(
    bench_project: Project, quick: StandInService, open_window: Opener, qtbot: QtBot
) -> None:
    for lively in (0.0, 0.6):
        make(bench_project, plan_run(bench_project, conditions=Conditions(fresh=True)), executor=Unmeasured())
        for take in bench_project.takes.all():
            if take.run_id == max(bench_project.journal.runs()):
                pitch = 200.0 * (1 + 0.07 * (lively > 0 and take.candidate_id == 3)) + take.passage_version_id
                values: dict[str, float | str | None] = {"pitch_hz": pitch, "words_per_minute": 150.0 + take.id % 2}
                bench_project.takes.put_measured(take.id, Measured(values=values, versions=versions()))
    window = open_window(bench_project)
    view = page_of(window, qtbot, "Runs").widget_of("Runs")
    assert [row[0] for row in cells(view.table)] == ["2", "1"]
    assert "Run 2 (bench): 9 takes" in view.log.toPlainText()
    view.table.selectAll()
    settle(qtbot, window)
    changed = view.what_changed
    assert changed.heading.text() == "What changed from run 1 to run 2"
    by_name = dict(row[0].split("\n") for row in cells(changed.candidates))
    assert by_name["Citrange · Linnoway"] == "changed without a word: pitch +6.9 %"
    assert by_name["Tangor · Ilseth"] in ("the same to the sample", "no change found")
    assert "Holm" in words(view)
    figures = {row[0]: row[1:] for row in cells(changed.figures)}
    assert figures["pitch"][::2] == ["+6.9 %", "2 %"]
    assert figures["pitch"][3] == "< 0.001"
    press(qtbot, changed.hear)
    settle(qtbot, window)
    assert len(window.state.tray.lanes) == 2
    # then and now as two candidates, and taken back
    press(qtbot, changed.apart)
    settle(qtbot, window)
    shown = [window.state.name(c) for c in window.state.bench.candidates]
    assert shown[-2:] == ["Citrange · Linnoway, earlier", "Citrange · Linnoway"]
    assert "is two candidates now" in window.notice_text.text()
    assert not changed.apart.isEnabled()
    window.state.undo()
    settle(qtbot, window)
    assert [window.state.name(c) for c in window.state.bench.candidates] == [*shown[:2], "Citrange · Linnoway"]
    # once more: the price is told first
    page = window.page("renders")
    view.table.clearSelection()
    view.table.selectRow(1)
    settle(qtbot, window)
    press(qtbot, view.again)
    settle(qtbot, window)
    box = view.findChild(QMessageBox)
    assert box.text().startswith("9 requests, ")
    press(qtbot, next(b for b in box.findChildren(QPushButton) if b.text() == "Render"))
    until_over(qtbot, window)
    assert bench_project.journal.runs()[3].of_run == 1
    assert page.view == "Runs"  # type: ignore[attr-defined]


def test_what_can_be_done_with_a_cell_stands_in_its_menu(
    bench_project: Project, quick: StandInService, open_window: Opener, qtbot: QtBot, tmp_path: Path
) -> None:
    window = open_window(bench_project)
    page = page_of(window, qtbot, "Grid")
    state, grid = window.state, page.grid
    candidate, passage = state.bench.candidates[1], state.bench.passages[0]
    place = grid.visualRect(grid.grid_model.place_of(candidate.id, passage.id)).center()
    grid.customContextMenuRequested.emit(place)
    menu = page.findChild(QMenu)
    assert menu is not None
    deeds = {action.text(): action for action in menu.actions()}
    assert list(deeds) == ["Takes of this cell …", "Render this cell once more", "Bring in clips made elsewhere …",
                           "Log time spent on this engine …"]  # fmt: skip
    assert (state.candidate_id, state.passage_id) == (candidate.id, passage.id), "the cell under the pointer is meant"
    deeds["Takes of this cell …"].trigger()
    assert page.findChild(CellHistory) is not None
    # two takes there; a third one is asked for, and only that
    deeds["Render this cell once more"].trigger()
    until_over(qtbot, window)
    qtbot.waitUntil(lambda: state.bench.cell(candidate.id, passage.id).takes == 2, timeout=60_000)
    # once its text was changed the cell is stale, and once more is one take of the new text
    bench_project.texts.edit(passage.id, "Quite another text stands here now.")
    state.refresh()
    settle(qtbot, window)
    cell = state.bench.cell(candidate.id, passage.id)
    assert (cell.state, cell.takes) == ("stale", 2)
    page.again()
    qtbot.waitUntil(lambda: state.bench.cell(candidate.id, passage.id).state == "there", timeout=60_000)
    settle(qtbot, window)
    assert state.bench.cell(candidate.id, passage.id).takes == 1
    # all that the grid shows, as files that say what they are
    page.save_clips(tmp_path / "clips")
    settle(qtbot, window)
    assert "could not be written (No such file or directory)" in window.notice_text.text()
    assert "Choose another folder." in window.notice_text.text()
    (tmp_path / "clips").mkdir()
    page.save_clips(tmp_path / "clips")
    settle(qtbot, window)
    written = sorted(path.name for path in (tmp_path / "clips").iterdir())
    shown = [c for c in state.bench.cells.values() if c.take is not None]
    assert len(written) == len(shown)
    assert f"{len(written)} clips written to clips." in window.notice_text.text()
    assert any("linnoway" in name.casefold() for name in written)


def test_each_cell_is_told_in_words(bench_project: Project) -> None:
    take = bench_project.takes.all()[0]
    there = Cell(state="there", take=take._replace(duration_s=3.21, sent=("One.", "Two.")), takes=2, marks=1)
    assert describe(there) == "3.2 s, 2 takes; joined from 2 requests; 1 mark"
    failed = (Failure(1, 2, "The reply is a web page, not sound."),)
    assert describe(replace(there, failures=failed)).endswith("a repeat failed: The reply is a web page, not sound.")
    other = replace(there, take=take._replace(voice_used="hesk"), odd_voice=True)
    assert "another voice answered: hesk" in describe(other)
    assert "odd on arrival, not scored: silent" in describe(replace(there, doubts="silent"))
    assert describe(Cell(state="failed", failures=failed)) == "failed: The reply is a web page, not sound."
    assert describe(Cell(state="missing")) == "not rendered yet"
    assert "was changed since" in describe(Cell(state="stale"))
    assert "may have been paid" in describe(Cell(state="open"))
    assert describe(Cell(state="barred", text="voice speaks no French")) == "voice speaks no French"


def test_a_picture_of_waits_can_be_pointed_at_and_copied(
    bench_project: Project, quick: StandInService, open_window: Opener, qtbot: QtBot
) -> None:
    make(bench_project, plan_run(bench_project, conditions=Conditions(fresh=True)), executor=Unmeasured())
    window = open_window(bench_project)
    view = page_of(window, qtbot, "Waits").widget_of("Waits")
    settle(qtbot, window)
    picture = view.points.picture()
    region = picture.regions[-1]
    spot = QPoint(round((region.x + 20) * theme.scale), round((region.y + region.height / 2) * theme.scale))
    assert "warm" in region.says
    assert region.says in view.points.accessibleName(), "what the eye sees is said to a screen reader"
    qtbot.mouseClick(view.points, Qt.MouseButton.LeftButton, pos=spot)
    assert window.state.candidate_id == region.candidate_id
    view.points.copy()
    image = QGuiApplication.clipboard().image()
    assert (image.width(), image.height()) == (round(2 * picture.width), round(2 * picture.height))
    colours = {image.pixelColor(x, y).name() for x in range(0, image.width(), 9) for y in range(0, image.height(), 9)}
    assert len(colours) > 2, "something is drawn on the paper"
    view.table.copy()
    copied = QGuiApplication.clipboard().text().splitlines()
    assert copied[0].split("\t")[:2] == ["candidate", "route"]
    assert len(copied) == 1 + view.table.rowCount()


def test_another_sound_for_the_same_requests_is_told_when_the_run_is_over(
    bench_project: Project, quick: StandInService, open_window: Opener, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    changed = [False]

    class Measuring(Unmeasured):
        def measure(self, *asked: object, **_: object) -> Measured:
            return Measured(
                values={"pitch_hz": (214.0 if changed[0] else 200.0) + len(str(asked[1])) % 7 / 10}, versions=versions()
            )

    monkeypatch.setattr("zestpanel.core.runs.execute.running.LocalExecutor", Measuring)
    window = open_window(bench_project)
    page, said = page_of(window, qtbot, "Grid"), list[str]()
    window.state.notice.connect(lambda kind, text: said.append(text))
    for asked, told in ((1, False), (2, False), (3, True)):
        changed[0] = asked == 3
        page.begin(plan_run(bench_project, conditions=Conditions(fresh=True)))
        qtbot.waitUntil(lambda n=asked: said.count("9 takes rendered.") == n, timeout=60_000)
        settle(qtbot, window)
        assert ("and nothing said so: pitch +7.0 %" in said[-1]) == told
    assert window.notice_text.text().count("sounds otherwise than in run 2") == 3


def test_only_the_grid_can_be_looked_at_while_labels_are_hidden(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    page = page_of(window, qtbot, "Runs")
    window.state.toggle_labels()
    assert page.view == "Grid"
    assert [tab.isEnabled() for tab in page.tabs] == [True, False, False, False]
    window.state.toggle_labels()
    assert all(tab.isEnabled() for tab in page.tabs)


# -- runs at set hours


def test_a_schedule_by_hand() -> None:
    """Every hour from 6:00, four times. Found at 6:05 the first is due; at 8:30 those of 7:00 and 8:00 were missed."""
    six = datetime(2026, 3, 2, 6, 0).astimezone()
    plan = Schedule(first=six, every_minutes=60, times=4)
    assert look(plan, six - timedelta(minutes=1))[1] is None
    plan, due = look(plan, six + timedelta(minutes=5))
    assert (due, plan.missed) == (0, ())
    plan = finished(plan, 0)
    assert look(plan, six + timedelta(minutes=6))[1] is None, "never twice"
    assert look(plan, six - timedelta(hours=3))[1] is None, "nor when the clock is set back"
    plan, due = look(plan, six + timedelta(hours=2, minutes=30))
    assert (due, plan.missed) == (None, (1, 2))
    assert plan.upcoming() == six + timedelta(hours=3)
    plan, due = look(plan, six + timedelta(hours=3, minutes=9))
    assert due == 3
    assert finished(plan, 3).over


def test_a_run_begins_at_its_hour_and_tells_when_it_is_over(
    bench_project: Project, quick: StandInService, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    page = page_of(window, qtbot)
    press(qtbot, page.plan_button)
    dialog = page.findChild(PlanDialog)
    dialog.ask.setCurrentIndex(1)
    dialog.repeats.setValue(1)
    dialog.when.setCurrentIndex(1)
    settle(qtbot, window)
    assert "24 times" in dialog.sums.text()
    press(qtbot, dialog.go)
    schedule = stored_schedule(bench_project.documents)
    assert schedule is not None
    assert (schedule.times, schedule.every_minutes, len(schedule.candidate_ids)) == (24, 60, 3)
    assert "Run 1 of 24" in words(page)
    said: list[str] = []
    window.state.notice.connect(lambda level, text: said.append(text))
    hours = Hours(window.state, clock=lambda: schedule.first + timedelta(minutes=2))
    until_over(qtbot, window)
    qtbot.waitUntil(lambda: any("9 takes rendered at their hour" in text for text in said), timeout=60_000)
    assert [run.kind for run in bench_project.journal.runs().values()] == ["scheduled"]
    assert take_due(bench_project, schedule.first + timedelta(minutes=3))[1] is None
    assert hours is not None
    page.give_up_hours()
    assert stored_schedule(bench_project.documents) is None
    window.state.undo()
    assert stored_schedule(bench_project.documents) is not None


def test_what_a_run_was_planned_for_stays_when_the_project_changes(
    bench_project: Project, quick: StandInService
) -> None:
    planned: PlannedRun = plan_run(bench_project, conditions=Conditions(fresh=True))
    run = BenchRun(bench_project, planned, executor=Unmeasured())
    bench_project.shortlist.set_removed([bench_project.shortlist.candidates()[0].id], True)
    run.start()
    assert run.wait(120)
    assert run.progress().done == 9


def test_the_window_follows_a_run_from_what_it_tells(bench_project: Project, quick: StandInService) -> None:
    """What is pieced together from a run's events is what is read from the project when it is over."""
    quick.behaviour.fault_rate = 0.4
    before, events = bench_of(bench_project), list[RunEvent]()
    planned = plan_run(bench_project, repeats=3)
    run = BenchRun(bench_project, planned, on_event=events.append, executor=Unmeasured())
    run.start()
    assert run.wait(120)
    progress = run.progress()
    assert progress.failed > 0
    assert progress.done > 0
    read, pieced = bench_of(bench_project), with_news(before, events)
    assert pieced.cells == read.cells
    # repeats of a cell are made side by side: in whichever order they end, the cell says the same
    for failures_last in (False, True):
        other_order = sorted(events, key=lambda event: (event.kind == "failed") is failures_last)
        assert with_news(before, other_order).cells == read.cells
    assert (pieced.takes, pieced.unmeasured) == (read.takes, read.unmeasured) == (9 + progress.done, 0)
    # heard again after the project was read: nothing counts twice
    assert with_news(read, events).takes == read.takes


def test_cells_show_figures_with_a_shade_and_the_best_first(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    first, second, third = (c.id for c in bench_project.shortlist.candidates())
    ann = bench_project.panel.add_listener("Ann", languages=["en"])
    bench_project.answers.add_ratings([
        {"listener_id": ann.id, "candidate_id": c, "passage_version_id": p.version_id, "score": score,
         "origin": "file"}
        for p in bench_project.texts.all() for c, score in ((first, 2.0), (second, 5.0), (third, 4.0))
    ])  # fmt: skip
    window = open_window(bench_project)
    settle(qtbot, window)
    page = window.page("renders")
    assert isinstance(page, RendersPage)
    tab = page.widget_of("Grid")
    assert isinstance(tab, GridTab)
    grid, model = tab.grid, tab.grid.grid_model
    high = grid.rowHeight(0)
    tab.shows.setCurrentIndex(tab.shows.findData("quality"))
    settle(qtbot, window)
    assert [model.shade_at(row, 0) for row in range(3)] == [("2.00", 0.875), ("5.00", 0.125), ("4.00", 0.5)]
    assert grid.rowHeight(0) < high, "more of them on the screen"
    qtbot.mouseClick(tab.sorted, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert [model.candidate(row).id for row in range(3)] == [second, third, first]
    assert [lane.candidate.id for lane in window.state.tray.lanes] == [second, third, first], "digits follow the rows"
    window.state.toggle_labels()
    assert model.shade_at(0, 0) is None, "a figure would tell whose it is"
    window.state.toggle_labels()
    for name in (tab.shows.itemData(k) for k in range(tab.shows.count())):
        tab.shows.setCurrentIndex(tab.shows.findData(name))
        settle(qtbot, window)
        grid.viewport().grab()
    tab.shows.setCurrentIndex(0)
    settle(qtbot, window)
    assert model.shading is None
    assert [model.candidate(row).id for row in range(3)] == [first, second, third]

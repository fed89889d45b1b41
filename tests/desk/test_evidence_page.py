"""Where a figure is what it is, one candidate among the others, the lead's own limits and columns, and what is measured
on request."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from tests.desk.conftest import Opener, settle
from zestpanel.core.choice.evidence import evaluate
from zestpanel.core.runs.execute.auditioning import Heard, Line
from zestpanel.core.runs.measuring.measuring import measure_missing
from zestpanel.core.runs.measuring.measuring_process import MeasuringProcess
from zestpanel.core.store.project import Project
from zestpanel.core.text.plain_text import in_plain_signs
from zestpanel.desk.pages.evidence import EvidencePage
from zestpanel.desk.pages.evidence.limits import LimitDialog
from zestpanel.desk.try_it import TryIt
from zestpanel.desk.window import MainWindow


def opened(project: Project, open_window: Opener, qtbot: QtBot) -> tuple[MainWindow, EvidencePage]:
    measure_missing(project.takes, project.texts)
    window = open_window(project)
    window.go_to("evidence")
    settle(qtbot, window)
    page = window.page("evidence")
    assert isinstance(page, EvidencePage)
    return window, page


def limit_dialog(window: QWidget) -> LimitDialog:
    return next(one for one in window.findChildren(LimitDialog) if one.isVisible())


def test_a_cell_of_the_map_plays_and_a_limit_marks_cells_and_bars_the_choice(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window, page = opened(bench_project, open_window, qtbot)
    page.show_view("Where")
    page.where.show_figure("measure pitch_hz")
    settle(qtbot, window)
    seen = page.where.seen
    assert seen is not None
    assert len(seen.values) == 9
    chart = page.where.chart
    picture = chart.picture()
    assert picture is not None
    cell = [r for r in picture.regions if r.passage_id is not None][4]
    qtbot.mouseClick(chart, Qt.MouseButton.LeftButton, pos=chart.rect().topLeft().__class__(
        round(cell.x + cell.width / 2), round(cell.y + cell.height / 2)))  # fmt: skip
    settle(qtbot, window)
    assert (window.state.candidate_id, window.state.passage_id) == (cell.candidate_id, cell.passage_id)
    assert window.state.player.mixer.playing
    window.state.player.pause()

    page.where.ask_limit()
    dialog = limit_dialog(window)
    assert dialog.focusWidget() is dialog.at
    dialog.at.setText("many")
    qtbot.keyClick(dialog.at, Qt.Key.Key_Return)
    assert "many" in dialog.wrong.text()
    middle = sorted(seen.values.values())[4]
    dialog.at.setText(f"{middle:.0f}")
    qtbot.keyClick(dialog.at, Qt.Key.Key_Return)
    settle(qtbot, window)
    settle(qtbot, window)
    over = sum(value > round(middle) for value in seen.values.values())
    assert page.where.says.text().startswith(f"{over} of 9 cells are over your limit of {middle:.0f} Hz.")
    barred = [any("pitch: at most" in gate.name and gate.verdict == "no" for gate in row.gates)
              for row in evaluate(bench_project).rows.values()]  # fmt: skip
    assert any(barred)
    page.show_view("Profile")
    page.profile.whose.setCurrentIndex(barred.index(True))
    assert "is beyond your limits: pitch" in page.profile.says.text()

    page.show_view("Where")
    page.where.ask_limit()
    dialog = limit_dialog(window)
    assert dialog.at.text() == f"{middle:.0f}"
    dialog.at.clear()
    qtbot.keyClick(dialog.at, Qt.Key.Key_Return)
    settle(qtbot, window)
    assert not any("pitch" in gate.name for row in evaluate(bench_project).rows.values() for gate in row.gates)


def test_a_row_of_the_profile_leads_to_where_and_columns_are_chosen(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window, page = opened(bench_project, open_window, qtbot)
    page.show_view("Profile")
    settle(qtbot, window)
    at = next(k for k, one in enumerate(page.profile.lines) if one.figure == "measure pitch_hz")
    page.profile.chart.candidate_chosen.emit(at)
    assert page.view == "Where"
    assert page.where.figure.currentData() == "measure pitch_hz"
    page.show_view("Measures")
    heads = [page.measures.table.horizontalHeaderItem(k).text() for k in range(page.measures.table.columnCount())]
    assert "rhythm, nPVI" not in heads
    page.measures.put_column("measure rhythm_npvi", True)
    heads = [page.measures.table.horizontalHeaderItem(k).text() for k in range(page.measures.table.columnCount())]
    assert "rhythm, nPVI" in heads
    page.measures.put_column("measure rhythm_npvi", False)


def test_what_is_never_scored_is_shown_where_it_is_asked_for(
    bench_project: Project, open_window: Opener, qtbot: QtBot, tmp_path: Path
) -> None:
    take = bench_project.takes.all()[0]
    bench_project.takes.keep(bench_project.takes.load(take), candidate_id=take.candidate_id, repeat=9,
                             passage_version_id=take.passage_version_id, obtained="captured")  # fmt: skip
    window, page = opened(bench_project, open_window, qtbot)
    table = page.measures.table
    assert table.rowCount() == 3
    page.measures.all.setChecked(True)
    settle(qtbot, window)
    assert table.rowCount() == 4
    assert "captured" in table.item(1, 0).text()
    assert table.item(1, 1).text() == "1"
    page.measures.save_to(tmp_path / "measures.csv")
    settle(qtbot, window)
    assert len((tmp_path / "measures.csv").read_text("utf-8-sig").splitlines()) == 11, (
        "a head, nine takes and one captured"
    )


def test_voice_quality_is_measured_on_request_with_its_progress(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window, page = opened(bench_project, open_window, qtbot)
    settle(qtbot, window)
    assert page.measures.slow.isVisibleTo(page.measures)
    told: list[tuple[int, int]] = []
    window.state.measuring.connect(lambda n, of: told.append((n, of)))
    page.measures.slow.click()
    assert page.measures.slow.text() == "Stop measuring" or window.state.measures_now
    qtbot.waitUntil(lambda: not window.state.measures_now, timeout=60_000)
    settle(qtbot, window)
    assert (9, 9) in told
    assert told[-1] == (0, 0)
    assert not page.measures.slow.isVisibleTo(page.measures)
    assert "jitter_percent" in bench_project.takes.measured()[bench_project.takes.all()[0].id].values


def test_measuring_is_stopped_at_once_and_what_came_meanwhile_follows(
    bench_project: Project, open_window: Opener, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    window, page = opened(bench_project, open_window, qtbot)
    # the process waits for ever before it answers
    hangs = (sys.executable, "-c", "import sys, time; sys.stdin.readline(); time.sleep(600)")
    monkeypatch.setattr(MeasuringProcess, "command", hangs)
    with qtbot.waitSignal(window.state.measuring, timeout=20_000):
        page.measures.slow.click()
    qtbot.wait(300)
    page.measures.slow.click()
    assert not window.state.measures_now
    qtbot.waitUntil(lambda: not window.state.background.busy, timeout=20_000)
    with qtbot.waitSignal(window.state.measuring, timeout=20_000):
        page.measures.slow.click()
    window.state.measure_soon()
    assert window.state.measures_now
    window.close()  # waits for nobody: else this test would last ten minutes


def test_a_fault_is_tried_with_plain_text_and_heard_in_turn_with_the_take(
    bench_project: Project, open_window: Opener, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    take = bench_project.takes.all()[0]
    bench_project.takes.add_mark(take.id, 0.6, "gap")
    window, page = opened(bench_project, open_window, qtbot)
    page.show_view("Faults")
    settle(qtbot, window)
    asked: list[Line] = []

    def answered(project: Project, line: Line, again: bool = False) -> Heard:
        asked.append(line)
        return Heard(clip=project.takes.load(take), reply={}, asked_on="")

    monkeypatch.setattr("zestpanel.desk.try_it.hear", answered)
    page.faults.plain.click()
    dialog = next(one for one in window.findChildren(TryIt) if one.isVisible())
    assert not dialog.both.isVisibleTo(dialog)
    dialog.send.click()
    settle(qtbot, window)
    (line,) = asked
    assert line.job.passage.text == in_plain_signs(line.job.passage.text)
    assert line.job.candidate.voice == bench_project.shortlist.candidates()[0].voice
    assert dialog.both.isVisibleTo(dialog)
    mixer = window.state.player.mixer
    dialog.both.click()
    settle(qtbot, window)
    assert (mixer.playing, mixer.on) == (True, 0)
    dialog.both.click()
    assert mixer.on == 1
    assert dialog.both.text() == "Hear the take in its place"
    dialog.accept()
    assert not mixer.playing


def test_likeness_is_compared_when_it_is_looked_at(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    window, page = opened(bench_project, open_window, qtbot)
    page.show_view("Likeness")
    settle(qtbot, window)
    table = page.likeness.table
    assert table.rowCount() == 1  # nothing was repeated: the scale alone
    assert table.item(0, 0).text() == "two voices"
    assert table.item(0, 2).text() == "9"
    assert page.likeness.says.text().startswith("Two voices saying the same are")


def test_a_passage_is_heard_in_all_its_languages_side_by_side(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    first = bench_project.texts.all()[0]
    (french,) = bench_project.texts.add(["Une ligne."], language="fr-FR")
    bench_project.texts.describe(french.id, translation_of=first.id)
    take = bench_project.takes.all()[0]
    bench_project.takes.keep(bench_project.takes.load(take), candidate_id=take.candidate_id, repeat=1,
                             passage_version_id=french.version_id, obtained="import")  # fmt: skip
    window = open_window(bench_project)
    window.state.select(take.candidate_id, first.id)
    settle(qtbot, window)
    tray = window.state.tray
    tray.lay_out_translations()
    settle(qtbot, window)
    names = [tray.lane_name(lane) for lane in tray.lanes]
    assert len(names) == 4
    assert [name.rpartition(" · ")[2] for name in names] == ["en-GB", "en-GB", "en-GB", "fr-FR"]
    assert window.state.player.mixer.playing
    window.state.select(take.candidate_id, bench_project.texts.all()[1].id)
    settle(qtbot, window)
    assert tray.translations() == []

"""What machines find wrong is listed, heard, confirmed and refused by keys, and is seen where the candidate is."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QImage
from PyQt6.QtWidgets import QLabel, QMenu
from pytestqt.qtbot import QtBot

from tests.desk.conftest import Opener, cells, recorder, settle
from zestpanel.core.domain.take import Curve, Measured, Segment
from zestpanel.core.measures.registry import versions
from zestpanel.core.store.project import Project
from zestpanel.desk.faults_view import FaultsView
from zestpanel.desk.pages.evidence import EvidencePage
from zestpanel.desk.window import MainWindow


def planted(project: Project) -> int:
    """A click and a word in the first candidate's first take, and nothing in the others."""
    first = project.shortlist.candidates()[0].id
    takes = project.takes.all()
    mine = next(take for take in takes if take.candidate_id == first)
    for take in takes:
        known = project.takes.measured([take.id])[take.id]
        found = (Segment("click", 1.30, 1.31, 8.0), Segment("word otherwise", 0.4, 0.6, 1.0, "frost\tcost"))
        project.takes.put_measured(take.id, Measured(
            values=known.values, words=known.words, words_by=known.words_by, versions=versions(),
            segments=found if take.id == mine.id else (),
        ))  # fmt: skip
    return mine.id


def at_faults(window: MainWindow, qtbot: QtBot) -> FaultsView:
    window.go_to("evidence")
    settle(qtbot, window)
    page = window.page("evidence")
    assert isinstance(page, EvidencePage)
    page.show_view("Faults")
    settle(qtbot, window)
    return page.faults


def test_findings_are_heard_judged_by_keys_and_taken_back(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    take = planted(bench_project)
    window = open_window(bench_project)
    view = at_faults(window, qtbot)
    assert [(row[3], row[5]) for row in cells(view.table)] == [
        ("click", "not looked at"), ("word heard otherwise", "not looked at"),
    ]  # fmt: skip
    assert "2 findings were not looked at" in view.says.text()
    qtbot.waitUntil(lambda: view.text.text() != "", timeout=10_000)
    view.table.row_chosen.emit(0)
    settle(qtbot, window)
    assert window.state.player.mixer.playing
    assert 0.2 < window.state.player.mixer.time_s < 0.6, "from a second before it"
    assert len(recorder(window).hear(0.2)) > 0
    view.table.setFocus()
    qtbot.keyClick(view.table, Qt.Key.Key_N)
    settle(qtbot, window)
    assert [(v.take_id, v.kind, v.real) for v in bench_project.takes.verdicts()] == [(take, "click", False)]
    assert [(row[3], row[5]) for row in cells(view.table)][-1] == ("click", "nothing wrong")
    window.state.undo()
    settle(qtbot, window)
    assert bench_project.takes.verdicts() == []
    view.table.selectRow(0)
    qtbot.keyClick(view.table, Qt.Key.Key_Y)
    settle(qtbot, window)
    view.in_state.setCurrentIndex(view.in_state.findData("real"))
    assert [row[3] for row in cells(view.table)] == ["click"]
    view.in_state.setCurrentIndex(0)
    window.go_to("renders")
    settle(qtbot, window)
    window.state.select(bench_project.shortlist.candidates()[0].id, window.state.bench.passages[0].id)
    settle(qtbot, window)
    card = " ".join(label.text() for label in window.card.findChildren(QLabel))
    assert "faults a minute" in card
    assert {one.of.kind for of in window.state.tray.faults().values() for one in of} == {"click", "word otherwise"}


def test_pitch_is_drawn_over_the_waves_alone_and_with_the_others(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    for k, take in enumerate(bench_project.takes.all()):
        known = bench_project.takes.measured([take.id])[take.id]
        curve = Curve(0.02, np.linspace(100.0 + 5 * k, 300.0, 100))
        bench_project.takes.put_measured(take.id, replace(known, curves={"pitch": curve}, versions=versions()))
    window = open_window(bench_project)
    settle(qtbot, window)
    strip = window.strip
    assert len(window.state.tray.lanes) > 1

    def menu() -> dict[str, QAction]:
        strip.how.click()
        (of,) = [one for one in strip.findChildren(QMenu) if one.isVisible()]
        of.close()
        return {action.text(): action for action in of.actions()}

    def picture() -> QImage:
        settle(qtbot, window)
        return strip.lanes.grab().toImage()

    plain = picture()
    assert not menu()["The other clips' drawn with it"].isEnabled(), "nothing is drawn yet"
    menu()["Pitch over the waves"].trigger()
    alone = picture()
    assert alone != plain
    menu()["The other clips' drawn with it"].trigger()
    assert picture() != alone

"""Engines use nothing on this machine before its user has seen what it is and said yes."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QWidget
from pytestqt.qtbot import QtBot

from tests.conftest import add_command_engine, demo_engine_source
from tests.desk.conftest import Opener, cells, drop, recorder, settle, words
from zestpanel.core.connectors.agreed import missing
from zestpanel.core.connectors.agreements import agreements_file
from zestpanel.core.runs.schedule.schedule import Schedule
from zestpanel.core.runs.schedule.scheduled import SCHEDULE, sleeps
from zestpanel.core.store.project import Project
from zestpanel.desk.agreeing import AgreeDialog, TakeBackDialog
from zestpanel.desk.pages.engines.changes import ChangesDialog
from zestpanel.standins.service import StandInService

pytestmark = pytest.mark.stranger


@pytest.fixture(autouse=True)
def fresh_settings(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "settings"))


def asked(parent: QWidget) -> AgreeDialog:
    (found,) = [d for d in parent.window().findChildren(AgreeDialog) if d.isVisible()]  # type: ignore[union-attr]
    return found


def test_a_voice_is_heard_after_it_was_agreed_to(
    bench_project: Project, open_window: Opener, qtbot: QtBot, service: StandInService
) -> None:
    window = open_window(bench_project)
    window.go_to("engines")
    page = window.page("engines")
    page.show_view("Voices")  # type: ignore[attr-defined]
    settle(qtbot, window)
    view = page.voices  # type: ignore[attr-defined]
    view.search.setText("corwick")
    view.table.setFocus()
    qtbot.keyClick(view.table, Qt.Key.Key_P)
    dialog = asked(page)
    said = words(dialog)
    assert f"Sends texts to {service.address}." in said
    assert f"Gives the key 'limonaia' to {service.address}." in said
    qtbot.mouseClick(dialog.later, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert service.behaviour.used == 0
    qtbot.keyClick(view.table, Qt.Key.Key_P)
    qtbot.mouseClick(asked(page).yes, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.state.player.mixer.playing, timeout=60_000)
    assert abs(recorder(window).hear(1.0)).max() > 0.01
    assert service.behaviour.used > 0
    qtbot.keyClick(view.table, Qt.Key.Key_P)  # asked once
    assert not [d for d in window.findChildren(AgreeDialog) if d.isVisible()]
    settle(qtbot, window)
    page.show_view("Engines")  # type: ignore[attr-defined]
    page.engines.table.selectRow(0)  # type: ignore[attr-defined]
    qtbot.mouseClick(page.engines.agree, Qt.MouseButton.LeftButton)  # type: ignore[attr-defined]
    (kept,) = [d for d in window.findChildren(TakeBackDialog) if d.isVisible()]
    assert f"Sends texts to {service.address}." in words(kept)
    qtbot.mouseClick(kept.take_back, Qt.MouseButton.LeftButton)
    assert missing(bench_project.shortlist.engines()["Tangor"])
    settle(qtbot, window)


def test_a_project_of_somebody_else_asks_when_it_is_opened(
    bench_project: Project, open_window: Opener, qtbot: QtBot, service: StandInService
) -> None:
    add_command_engine(bench_project)
    bench_project.shortlist.add(bench_project.shortlist.engines()["Kitchen Table"], voice="hesk")
    agreements_file().unlink()
    (first, *_) = bench_project.shortlist.candidates()
    schedule = Schedule(first="2026-01-01T08:00:00+00:00", candidate_ids=(first.id,))  # type: ignore[arg-type]
    SCHEDULE.write(bench_project.documents, schedule)
    bench_project.texts.add(["One text more."], language="en-GB")
    window = open_window(bench_project)
    renders = window.page("renders")
    renders.ask_what_may_be_used()  # type: ignore[attr-defined]
    dialog = asked(renders)
    assert [tick.text() for tick, _ in dialog.ticks] == ["Tangor", "Citrange", "Kitchen Table"]
    assert "Runs the program" in words(dialog)
    dialog.ticks[2][0].click()
    qtbot.mouseClick(dialog.yes, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    engines = bench_project.shortlist.engines()
    assert not missing(engines["Tangor"])
    assert missing(engines["Kitchen Table"])
    assert "They sleep until they are agreed to" in words(renders)
    renders.wake_hours()  # type: ignore[attr-defined]
    assert not sleeps(bench_project, schedule)
    settle(qtbot, window)
    assert service.behaviour.used == 0


def test_a_file_in_the_place_of_an_engine_is_asked_about(
    bench_project: Project, open_window: Opener, qtbot: QtBot, service: StandInService, tmp_path: Path
) -> None:
    """Dropped, it has the name of an engine that is here and another host: the key stays where it was."""
    from zestpanel.core.connectors.agreed import agree

    agree(bench_project.shortlist.engines()["Tangor"])
    window = open_window(bench_project)
    window.go_to("engines")
    other = tmp_path / "tangor.yaml"
    other.write_text(demo_engine_source("tangor").replace("${ZEST_LIMONAIA_ADDRESS}", "https://voices.example"))
    drop(window, other)
    settle(qtbot, window)
    (changes,) = [one for one in window.findChildren(ChangesDialog) if one.isVisible()]
    assert "voices.example" in " ".join(" ".join(row) for row in cells(changes.table)), "what it changes is shown first"
    qtbot.mouseClick(changes.agree, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    dialog = asked(window)
    said = words(dialog)
    assert "Sends texts to https://voices.example:443." in said
    assert f"agreed to for it before: it gives the key 'limonaia' to {service.address}." in said
    qtbot.keyClick(dialog, Qt.Key.Key_Return)  # a hasty Enter
    assert dialog.result() == QDialog.DialogCode.Rejected
    assert missing(bench_project.shortlist.engines()["Tangor"])
    settle(qtbot, window)

"""Listeners elsewhere, as a lead asks them from the window: files written, answers dropped, links that work."""

from __future__ import annotations

import json
import urllib.request
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from tests.desk.conftest import Opener, cells, drop, settle
from tests.elsewhere.test_packs import data_of, entry, signed_by
from zestpanel.core.store.project import Project
from zestpanel.desk.pages.listening.elsewhere_dialog import ElsewhereDialog
from zestpanel.desk.pages.listening.tests_view import TestsView
from zestpanel.desk.window import MainWindow


def dialog_of(window: MainWindow, qtbot: QtBot) -> tuple[TestsView, ElsewhereDialog]:
    window.go_to("listening")
    settle(qtbot, window)
    view = window.page("listening").findChild(TestsView)
    assert view is not None
    if view.chosen is None:
        view.new_test("ACR", view.settings())
        settle(qtbot, window)
    view.elsewhere.click()
    settle(qtbot, window)
    (dialog,) = view.findChildren(ElsewhereDialog)
    return view, dialog


def test_packs_are_written_and_a_dropped_file_of_answers_is_taken_in(
    bench_project: Project, open_window: Opener, qtbot: QtBot, tmp_path: Path
) -> None:
    window = open_window(bench_project)
    view, dialog = dialog_of(window, qtbot)
    assert "MB each" in dialog.how_large.text()
    dialog.names.setText("Ann; Ben, ")
    dialog.languages.setText("English")
    dialog.write_to(tmp_path / "packs")
    settle(qtbot, window)
    assert [row[0] for row in cells(dialog.table)] == ["Ann", "Ben"]
    pages = {data_of(path)["session"]["code"]: path for path in (tmp_path / "packs").glob("*.html")}
    assert len(pages) == 2
    assert view.chosen is not None
    first = bench_project.invitations.of_test(view.chosen.test.id)[0]
    trials = data_of(pages[first.code])["session"]["trials"]
    answers = tmp_path / "answers.json"
    answers.write_text(signed_by(first, [entry(k + 1, one["place"]) for k, one in enumerate(trials)]), "utf-8")
    drop(window, answers)
    settle(qtbot, window)
    qtbot.waitUntil(lambda: cells(dialog.table)[0][-1] == "all answered", timeout=10_000)
    assert f"{len(trials)} new answers of Ann" in window.notice_text.text()
    dialog.table.selectRow(1)
    assert dialog.withdraw.text() == "Withdraw"
    dialog.withdraw.click()
    qtbot.waitUntil(lambda: cells(dialog.table)[1][-1] == "withdrawn", timeout=10_000)
    window.state.undo()
    qtbot.waitUntil(lambda: cells(dialog.table)[1][-1] == "waited for", timeout=10_000)


def test_links_work_until_the_panel_is_ended(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    window = open_window(bench_project)
    view, dialog = dialog_of(window, qtbot)
    assert not dialog.copy_link.isVisible()
    dialog.by_link.click()
    assert dialog.names.hasFocus(), "for whom?"
    dialog.names.setText("Ann")
    dialog.languages.setText("English")
    dialog.by_link.click()
    qtbot.waitUntil(lambda: "Ann" in view.panel.links, timeout=30_000)
    settle(qtbot, window)
    dialog.table.selectRow(0)
    qtbot.mouseClick(dialog.copy_link, Qt.MouseButton.LeftButton)
    board = QApplication.clipboard()
    assert board is not None
    link = board.text()
    with urllib.request.urlopen(link) as reply:
        assert b"zestSession" in reply.read()
    request = urllib.request.Request(f"{link}/answers", headers={"Content-Type": "application/json"}, data=json.dumps({
        "session": link.rpartition("/")[2], "client": "c", "begun": "2028-03-01T09:00:00Z", "finished": False,
        "saved": "2028-03-01T09:00:00Z", "checks": {}, "entries": [entry(1, 0)],
    }).encode())  # fmt: skip
    with urllib.request.urlopen(request) as reply:
        assert json.load(reply)["kept"]
    qtbot.waitUntil(lambda: cells(dialog.table)[0][3].startswith("1 /"), timeout=10_000)
    dialog.table.selectRow(0)
    dialog.withdraw.click()
    dialog.names.setText("Ben")
    dialog.by_link.click()
    qtbot.waitUntil(lambda: "Ben" in view.panel.links, timeout=30_000)
    assert "Ann" not in view.panel.links, "what was withdrawn stays so"
    dialog.end_panel.click()
    qtbot.waitUntil(lambda: not view.panel.runs, timeout=10_000)
    assert not dialog.copy_link.isVisible()

"""Listeners elsewhere, as a lead asks them from the window: files written, answers dropped, links that work."""

from __future__ import annotations

import json
import urllib.request
from dataclasses import replace
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from tests.desk.conftest import Opener, cells, drop, settle
from tests.elsewhere.test_packs import data_of, entry, signed_by
from zestpanel.core.listening.elsewhere.notice import new_notice
from zestpanel.core.listening.session import session_of
from zestpanel.core.store.project import Project
from zestpanel.desk.pages.listening.coming_in import CodeDialog, ComingInDialog
from zestpanel.desk.pages.listening.elsewhere_dialog import ElsewhereDialog
from zestpanel.desk.pages.listening.people_view import PeopleView
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


def test_a_notice_and_a_link_for_all_are_set_told_and_taken_back(
    bench_project: Project, open_window: Opener, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = open_window(bench_project)
    view, dialog = dialog_of(window, qtbot)
    assert view.chosen is not None
    test = view.chosen.test.id
    dialog.ask_coming_in()
    (coming,) = dialog.findChildren(ComingInDialog)
    coming.by.setText("Orchard & Almanac")
    coming.most.setValue(2)
    coming.languages.setText("German 3")
    coming.keep()
    assert "whom a listener turns to" in window.notice_text.text()
    coming.contact.setText("panel@orchard.example")
    coming.keep()
    assert "No clip of this test is in German" in window.notice_text.text()
    assert bench_project.panel.test(test).conduct.notice is None
    coming.languages.setText("English 2")
    qtbot.keyClick(coming.languages, Qt.Key.Key_Return)
    conduct = bench_project.panel.test(test).conduct
    assert conduct.notice is not None
    assert conduct.enrolment is not None
    assert (conduct.enrolment.most, dict(conduct.enrolment.languages)) == (2, {"en": 2})
    dialog.by_link.click()
    qtbot.waitUntil(lambda: bool(view.panel.everybody and view.panel.trial), timeout=30_000)
    settle(qtbot, window)
    board = QApplication.clipboard()
    assert board is not None
    qtbot.mouseClick(dialog.for_all, Qt.MouseButton.LeftButton)
    assert board.text().startswith("Hello,")
    assert view.panel.everybody in board.text()
    qtbot.mouseClick(dialog.code, Qt.MouseButton.LeftButton)
    (code,) = dialog.findChildren(CodeDialog)
    assert code.picture.pixmap().width() > 150
    opened: list[str] = []
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda url: opened.append(url.toString()))
    qtbot.mouseClick(dialog.try_page, Qt.MouseButton.LeftButton)
    with urllib.request.urlopen(opened[0]) as reply:
        assert b'"tried": true' in reply.read()
    with urllib.request.urlopen(view.panel.everybody, data=b"speaks=en") as reply:
        assert b"zestSession" in reply.read()
    qtbot.waitUntil(lambda: [row[0] for row in cells(dialog.table)] == [f"Guest 1 of test {test}"], timeout=10_000)
    dialog.table.selectRow(0)
    qtbot.waitUntil(dialog.invite.isEnabled, timeout=10_000)
    qtbot.mouseClick(dialog.invite, Qt.MouseButton.LeftButton)
    assert f"Guest 1 of test {test}" in board.text()
    window.state.undo()
    assert bench_project.panel.test(test).conduct.notice is None


def test_who_may_be_known_no_longer_is_named_and_forgotten(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    view, _ = dialog_of(window, qtbot)
    assert view.chosen is not None
    panel, test = bench_project.panel, view.chosen.test.id
    ann = panel.add_listener("Ann", languages=["en"])
    session_of(bench_project, test, ann)
    panel.put_conduct(test, replace(panel.test(test).conduct, notice=new_notice("We", "us@orchard.example", 1)))
    session = panel.session_of(test, ann.id)
    assert session is not None
    panel.put_checks(session.id, {"consent": "2026-01-01T00:00:00.000+00:00"})
    with bench_project._database.writing() as connection:
        connection.exec_driver_sql("UPDATE sessions SET created = '2026-01-01T00:00:00.000+00:00'")
    people = window.page("listening").findChild(PeopleView)
    assert people is not None
    people.refresh()
    settle(qtbot, window)
    assert "Ann" in people.over.text()
    people.forget_due.click()
    settle(qtbot, window)
    assert people.over.isHidden()
    assert panel.listener(ann.id).forgotten

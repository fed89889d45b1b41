"""The page of tests: several side by side, covered results, what was changed meanwhile, what all say together."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QInputDialog
from pytestqt.qtbot import QtBot

from tests.desk.conftest import Opener, button_of, cells, settle, words
from zestpanel.core.listening.scores import panel_scores
from zestpanel.core.listening.session import session_of
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.store.project import Project
from zestpanel.desk.pages.listening import ListeningPage
from zestpanel.desk.window import MainWindow


def opened(project: Project, kind: str = "ACR", **more: object) -> int:
    settings = TestSettings(
        candidate_ids=tuple(c.id for c in project.shortlist.candidates()),
        passage_ids=tuple(p.id for p in project.texts.all()), training=0, **more,  # type: ignore[arg-type]
    )  # fmt: skip
    return project.panel.add_test(kind, settings.as_document())


def rate(project: Project, test: int, alias: str, scores: dict[int, int], *, most: int = 1_000) -> None:
    session = session_of(project, test, project.panel.add_listener(alias, languages=["en"]))
    for _ in range(most):
        if session.finished:
            return
        session.played(0, 1.0)
        session.answer({"score": scores[session.trial.stimuli[0].candidate_id]})


def page_of(window: MainWindow, qtbot: QtBot) -> ListeningPage:
    window.go_to("listening")
    settle(qtbot, window)
    page = window.page("listening")
    assert isinstance(page, ListeningPage)
    return page


def press(page: ListeningPage, window: MainWindow, qtbot: QtBot, name: str) -> None:
    qtbot.mouseClick(button_of(page, name), Qt.MouseButton.LeftButton)
    settle(qtbot, window)


def test_three_tests_side_by_side(
    bench_project: Project, open_window: Opener, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    first, second, third = (c.id for c in bench_project.shortlist.candidates())
    good, poor = {first: 5, second: 3, third: 1}, {first: 1, second: 3, third: 5}
    quality = opened(bench_project, listeners=4)
    music = opened(bench_project, context="neighbours", listeners=6)
    rate(bench_project, quality, "Ann", good)
    rate(bench_project, quality, "Ben", good, most=2)
    window = open_window(bench_project)
    page = page_of(window, qtbot)
    table = page.tests.table
    day = bench_project.panel.test(music).created[:10]
    assert [row[0].split("\n")[1] for row in cells(table)] == [
        f"test {music}, {day} · category rating (ACR)", f"test {quality}, {day} · category rating (ACR)"
    ]  # fmt: skip
    assert cells(table)[1][1] == "1 of 4"
    assert cells(table)[1][3] == "open; covered; stopped: Ben after 2 of 9"
    assert "about" in cells(table)[1][2], "minutes that the planned listeners have before them"
    table.selectRow(1)
    settle(qtbot, window)
    assert "The result is covered: 1 of 4 planned listeners have finished." in words(page)
    assert "clearly best" not in words(page)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("First round", True))
    press(page, window, qtbot, "Rename …")
    assert cells(table)[1][0].startswith("First round\n")
    window.actions_by_id["undo"].trigger()
    settle(qtbot, window)
    assert cells(table)[1][0].startswith("How good is each?\n")
    for alias in ("Ben", "Cleo", "Dora"):
        rate(bench_project, quality, alias, good)
    for alias in ("Eve", "Finn", "Gus", "Hal", "Ida", "Jo"):
        rate(bench_project, music, alias, poor)
    window.state.refresh()
    settle(qtbot, window)
    assert "covered" not in words(page.tests)
    assert cells(table)[0][3] == "open; by itself: heard between neighbours"
    assert {round(s.mean) for s in panel_scores(bench_project).by_candidate.values()} == {1, 3, 5}
    page.show_view("Results")
    settle(qtbot, window)
    qtbot.waitUntil(lambda: f"Test {quality} puts" in words(page.results), timeout=20_000)
    said = words(page.results)
    assert "They differ in what was heard around the clips, listeners." in said
    assert "To ask next" in said
    (rows,) = page.results.tables
    assert len(cells(rows)) == 4, "a line about the tests, and one for each candidate"
    rows.setCurrentCell(1, 1)
    rows.row_chosen.emit(1)
    settle(qtbot, window)
    assert page.view == "Tests"
    chosen = page.tests.chosen
    assert chosen is not None
    assert chosen.test.id == quality, "a figure leads to its test"
    press(page, window, qtbot, "Close")
    assert bench_project.panel.test(quality).closed
    assert not page.tests.door.isVisible()
    press(page, window, qtbot, "Reopen")
    assert page.tests.door.isVisible()
    press(page, window, qtbot, "Count by itself")
    assert bench_project.panel.apart()[quality] == "by choice"
    press(page, window, qtbot, "Remove")
    assert len(cells(table)) == 1
    window.actions_by_id["undo"].trigger()
    settle(qtbot, window)
    assert len(cells(table)) == 2


def test_words_that_were_changed_in_the_middle_are_told_and_decided_about(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    ids = [c.id for c in bench_project.shortlist.candidates()]
    test = opened(bench_project)
    for alias in ("Ann", "Ben", "Cleo"):
        rate(bench_project, test, alias, dict(zip(ids, (5, 3, 1), strict=True)))
    passage = bench_project.texts.all()[0]
    bench_project.texts.edit(passage.id, "Words that nobody has heard.")
    window = open_window(bench_project)
    page = page_of(window, qtbot)
    assert f"Words of this test were changed or removed after it began ({passage.title}): 9 answers" in words(page)
    page.tests.alias.setText("Dora")
    page.tests.languages.setText("en")
    page.tests.to_the_booth()
    assert not window.booth.isVisible()
    assert "Words of this test were changed after it began" in window.notice_text.text()
    press(page, window, qtbot, "Go on with the old words")
    qtbot.waitUntil(lambda: "Words of this test were changed" not in words(page), timeout=10_000)
    page.tests.to_the_booth()
    assert window.booth.isVisible()
    heard = {s.passage_version_id for t in window.booth.session.trials for s in t.stimuli}  # type: ignore[union-attr]
    assert passage.version_id in heard

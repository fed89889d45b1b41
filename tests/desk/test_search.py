"""Search everything: found by any words, gone to by Enter."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from tests.desk.conftest import Opener, settle
from zestpanel.core.store.project import Project
from zestpanel.desk.search import SearchDialog
from zestpanel.desk.viewmodels.searching import Found, matching
from zestpanel.desk.window import MainWindow


def opened(window: MainWindow) -> SearchDialog:
    window.actions_by_id["search"].trigger()
    return [one for one in window.findChildren(SearchDialog) if one.isVisible()][-1]


def test_all_words_are_found_wherever_they_stand() -> None:
    found = [Found(what="action", key="a", words="Render what is missing"),
             Found(what="page", key="r", words="Renders"),
             Found(what="passage", key="1", words="Frost: Résumé of a frost", also="names render")]  # fmt: skip
    assert [one.key for one in matching(found, "render")] == ["a", "r", "1"], "own words before others"
    assert [one.key for one in matching(found, "resume FROST")] == ["1"], "accents and case do not matter"
    assert [one.key for one in matching(found, "miss rend")] == ["a"]
    assert matching(found, "nothing") == []
    assert matching(found, "  ") == found


def test_a_page_a_voice_a_text_and_a_deed_are_gone_to(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    settle(qtbot, window)
    dialog = opened(window)
    assert dialog.words.hasFocus() or dialog.focusWidget() is dialog.words
    qtbot.keyClicks(dialog.words, "choice")
    qtbot.keyClick(dialog.words, Qt.Key.Key_Return)
    settle(qtbot, window)
    assert window.current == "choice"
    dialog = opened(window)
    qtbot.keyClicks(dialog.words, "linnoway")
    qtbot.keyClick(dialog.words, Qt.Key.Key_Return)
    settle(qtbot, window)
    voice = next(c for c in bench_project.shortlist.candidates() if c.voice == "linnoway")
    assert (window.current, window.state.candidate_id) == ("renders", voice.id)
    passage = bench_project.texts.all()[-1]
    dialog = opened(window)
    qtbot.keyClicks(dialog.words, f"passage {passage.text.split()[0]}")
    rows = [dialog.list.item(k).text() for k in range(dialog.list.count())]  # type: ignore[union-attr]
    while passage.title not in rows[dialog.list.currentRow()]:
        qtbot.keyClick(dialog.words, Qt.Key.Key_Down)
    qtbot.keyClick(dialog.words, Qt.Key.Key_Return)
    assert window.state.passage_id == passage.id
    dialog = opened(window)
    qtbot.keyClicks(dialog.words, "hide labels")
    qtbot.keyClick(dialog.words, Qt.Key.Key_Return)
    assert window.state.labels_hidden
    dialog = opened(window)
    qtbot.keyClicks(dialog.words, "linnoway")
    assert dialog.list.count() == 0, "no name betrays who speaks while labels are hidden"
    assert "Nothing has all of these words." in dialog.none.text()
    qtbot.keyClick(dialog.words, Qt.Key.Key_Escape)


@pytest.mark.parametrize("deed", ["search", "duplicate", "archive", "unpack"])
def test_the_menu_has_it(bench_project: Project, open_window: Opener, deed: str) -> None:
    assert deed in open_window(bench_project).actions_by_id

"""The booth for every kind of test: planned from the question, answered with keys, read on the page of listening."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QTableWidget
from pytestqt.qtbot import QtBot

from tests.desk.conftest import Opener, pitch_of, recorder, settle, words
from zestpanel.core.listening.registry import kinds
from zestpanel.core.store.project import Project
from zestpanel.desk.booth.booth import Booth
from zestpanel.desk.pages.listening import ListeningPage
from zestpanel.desk.pages.new_test import NewTestDialog, questions
from zestpanel.desk.window import MainWindow


def planned(window: MainWindow, qtbot: QtBot, kind: str, *, most: int = 3) -> ListeningPage:
    """A test of the kind, opened by its dialog as a lead would."""
    window.go_to("listening")
    page = window.page("listening")
    assert isinstance(page, ListeningPage)
    page.ask_for_test()
    (dialog,) = page.findChildren(NewTestDialog)
    at = next(k for k, (_, name, _) in enumerate(questions()) if name == kind)
    dialog.question.setCurrentIndex(at)
    dialog.most.setValue(most)
    dialog.training.setValue(0)
    assert "trials, about" in dialog.told.text()
    qtbot.mouseClick(dialog.agree, Qt.MouseButton.LeftButton)
    dialog.deleteLater()
    qtbot.wait(10)
    return page


def begun(window: MainWindow, page: ListeningPage, qtbot: QtBot, alias: str) -> Booth:
    page.alias.setText(alias)
    page.languages.setText("en")
    qtbot.keyClick(page.alias, Qt.Key.Key_Return)
    settle(qtbot, window)
    qtbot.waitUntil(lambda: bool(window.state.player.mixer.lanes), timeout=60_000)
    return window.booth


def hears_all(window: MainWindow, booth: Booth, qtbot: QtBot) -> list[int]:
    """Every clip of the trial by its digit; the pitches that were heard, rounded to 100 Hz."""
    pitches = []
    for digit in range(1, len(booth.clips) + 1):
        qtbot.keyClick(booth, str(digit))
        assert [one.isChecked() for one in booth.clips].index(True) == digit - 1
        sound = recorder(window).hear(4.0)  # to its end: the next begins at the beginning
        window.state.player.moved.emit()
        pitches.append(round(pitch_of(sound[2400:90_000]) / 100) * 100)
    return pitches


@pytest.mark.parametrize(
    ("kind", "clips", "pick", "says"),
    [
        ("preference", 2, lambda pitches: "f" if pitches[0] < pitches[1] else "s", "Which would you publish?"),
        ("CCR", 2, lambda pitches: "c" if pitches[0] < pitches[1] else "e", "No pair is told apart."),
        ("ABX", 3, lambda pitches: "a" if pitches[2] == pitches[0] else "b", "The difference is heard"),
    ],
)
def test_a_trial_of_several_clips_is_heard_and_answered_by_keys(
    bench_project: Project, open_window: Opener, qtbot: QtBot, kind: str, clips: int,
    pick: Callable[[list[int]], str], says: str,
) -> None:  # fmt: skip
    """The tones of the candidates lie 100 Hz apart, so that what is heard says whose it is."""
    window = open_window(bench_project)
    settle(qtbot, window)
    page = planned(window, qtbot, kind, most=3)
    for alias in ("Ann", "Ben"):
        booth = begun(window, page, qtbot, alias)
        session = booth.session
        assert session is not None
        trials = len(session.trials)
        for trial in range(trials):
            settle(qtbot, window)
            qtbot.waitUntil(lambda: len(window.state.player.mixer.lanes) == clips, timeout=60_000)
            assert not [n for n in ("Tangor", "Citrange", "Ilseth") if n in words(booth)]
            assert not any(answer.isEnabled() for answer in booth.answers.values()), "not before all were heard"
            pitches = hears_all(window, booth, qtbot)
            assert all(answer.isEnabled() for answer in booth.answers.values())
            qtbot.keyClick(booth, pick(pitches))
            assert session.index == trial + 1
        assert "Thank you. Every clip is rated." in words(booth)
        qtbot.mouseClick(booth.leave, Qt.MouseButton.LeftButton)
        settle(qtbot, window)
    assert says in words(page), words(page)
    table = next(t for t in page.findChildren(QTableWidget) if t.accessibleName().endswith(kinds()[kind].title))
    assert table.rowCount() > 0


def test_swapping_in_the_booth_stays_at_the_same_place(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    settle(qtbot, window)
    booth = begun(window, planned(window, qtbot, "preference"), qtbot, "Ann")
    mixer = window.state.player.mixer
    qtbot.keyClick(booth, "1")
    recorder(window).hear(1.0)
    place = mixer.place
    assert place > 0
    qtbot.keyClick(booth, "2")
    assert abs(mixer.place - place) < 0.02
    assert mixer.playing
    qtbot.keyClick(booth, "9")
    qtbot.keyClick(booth, "q")
    assert mixer.on == 1, "other keys do nothing"
    qtbot.keyClick(booth, Qt.Key.Key_Escape)
    assert "You stopped at 1 of 3" in words(booth)


def test_what_is_heard_is_written_down_and_the_text_stays_hidden(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    settle(qtbot, window)
    page = planned(window, qtbot, "dictation", most=2)
    booth = begun(window, page, qtbot, "Ann")
    session = booth.session
    assert session is not None
    for trial in range(len(session.trials)):
        settle(qtbot, window)
        qtbot.waitUntil(lambda: bool(window.state.player.mixer.lanes), timeout=60_000)
        text, _ = bench_project.texts.version_text(session.trial.stimuli[0].passage_version_id)
        assert text not in words(booth)
        qtbot.keyClicks(booth.written, text)
        qtbot.keyClick(booth.written, Qt.Key.Key_Return)
        assert session.index == trial, "not before it was heard"
        recorder(window).hear(4.0)
        window.state.player.moved.emit()
        qtbot.keyClick(booth.written, Qt.Key.Key_Return)
        assert session.index == trial + 1
        assert booth.written.text() == ""
    assert not booth.written.isVisible()
    qtbot.mouseClick(booth.leave, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert "is understood best: 0.0 % of the words wrong." in words(page)

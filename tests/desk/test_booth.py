"""The booth for every kind of test: planned from the question, answered with keys, read on the page of listening."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QCheckBox, QLabel, QPushButton, QTableWidget, QWidget
from pytestqt.qtbot import QtBot

from tests.conftest import tone
from tests.desk.conftest import Opener, button_of, cells, pitch_of, recorder, settle, voice_clip, words
from zestpanel.core.audio.files import write_wav
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.person import person_text
from zestpanel.core.domain.listening import Stimulus
from zestpanel.core.listening.material import takes_to_hear
from zestpanel.core.listening.planned import questions
from zestpanel.core.listening.registry import kind_of, kinds
from zestpanel.core.listening.session import ListeningSession, Unkept, session_of
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.store.project import Project
from zestpanel.desk.booth.booth import Booth
from zestpanel.desk.bring_in import BringInDialog
from zestpanel.desk.pages.engines import EnginesPage
from zestpanel.desk.pages.engines.person import PersonDialog
from zestpanel.desk.pages.listening import ListeningPage
from zestpanel.desk.pages.listening.answers_dialog import AnswersDialog
from zestpanel.desk.pages.listening.asked_dialogs import ContentDialog, EntryDialog
from zestpanel.desk.pages.listening.new_test import NewTestDialog
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.window import MainWindow


def planned(
    window: MainWindow,
    qtbot: QtBot,
    kind: str,
    *,
    most: int = 3,
    prepare: Callable[[NewTestDialog], None] | None = None,
) -> ListeningPage:
    """A test of the kind, opened by its dialog as a lead would."""
    window.go_to("listening")
    page = window.page("listening")
    assert isinstance(page, ListeningPage)
    page.ask_for_test()
    (dialog,) = page.findChildren(NewTestDialog)
    at = next(k for k, (_, name, _) in enumerate(questions()) if name == kind)
    dialog.question.setCurrentIndex(at)
    assert not dialog.agree.isEnabled(), "who and what is heard is chosen, never all unasked"
    for ticks in (dialog.candidates, dialog.passages):
        qtbot.mouseClick(ticks.all, Qt.MouseButton.LeftButton)
    dialog.most.setValue(most)
    dialog.training.setValue(0)
    dialog.level_check.setChecked(False)
    if prepare is not None:
        prepare(dialog)
    settle(qtbot, window)
    qtbot.waitUntil(
        lambda: (f"{most} trials, about" if most else "trials, about") in dialog.told.text(), timeout=20_000
    )
    qtbot.mouseClick(dialog.agree, Qt.MouseButton.LeftButton)
    dialog.deleteLater()
    qtbot.wait(10)
    return page


def to_the_booth(window: MainWindow, page: ListeningPage, qtbot: QtBot, alias: str) -> Booth:
    page.tests.alias.setText(alias)
    page.tests.languages.setText("en")
    qtbot.keyClick(page.tests.alias, Qt.Key.Key_Return)
    return window.booth


def begun(window: MainWindow, page: ListeningPage, qtbot: QtBot, alias: str) -> Booth:
    high = window.height()
    to_the_booth(window, page, qtbot, alias)
    assert "no right or wrong answers" in window.booth.before.words()
    qtbot.keyClick(window.booth, Qt.Key.Key_Return)  # read
    settle(qtbot, window)
    qtbot.waitUntil(lambda: bool(window.state.player.mixer.lanes), timeout=60_000)
    assert window.height() == high, "the booth takes the room there is"
    return window.booth


def opened_early(window: MainWindow, page: ListeningPage, qtbot: QtBot) -> None:
    """What fewer than planned have answered is covered until the lead opens it."""
    qtbot.waitUntil(lambda: "The result is covered: " in words(page), timeout=20_000)
    qtbot.mouseClick(button_of(page, "Open it early"), Qt.MouseButton.LeftButton)
    settle(qtbot, window)


def stopped(window: MainWindow, qtbot: QtBot) -> None:
    """Escape asks; S stops; then back to the desk."""
    qtbot.keyClick(window.booth, Qt.Key.Key_Escape)
    assert "Stop here?" in words(window.booth) or "S’arrêter ici" in words(window.booth)
    qtbot.keyClick(window.booth, "s")
    qtbot.mouseClick(window.booth.leave, Qt.MouseButton.LeftButton)
    settle(qtbot, window)


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
    opened_early(window, page, qtbot)
    qtbot.waitUntil(lambda: says in words(page), timeout=20_000)
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
    assert "Stop here? 0 of 3 are answered" in words(booth)
    qtbot.keyClick(booth, Qt.Key.Key_Return)
    assert booth.session is not None, "Enter goes on"
    qtbot.keyClick(booth, Qt.Key.Key_Escape)
    qtbot.keyClick(booth, "s")
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
    opened_early(window, page, qtbot)
    qtbot.waitUntil(lambda: "0.0 % of the words wrong, not told apart from the next" in words(page), timeout=20_000)


def trial_of(window: MainWindow, qtbot: QtBot, lanes: int) -> ListeningSession:
    settle(qtbot, window)
    qtbot.waitUntil(lambda: len(window.state.player.mixer.lanes) == lanes, timeout=60_000)
    session = window.booth.session
    assert session is not None
    return session


def hear_lanes(window: MainWindow, qtbot: QtBot, digits: str) -> None:
    for digit in digits:
        qtbot.keyClick(window.booth, digit)
        recorder(window).hear(4.0)
        window.state.player.moved.emit()


@pytest.fixture
def person_project(bench_project: Project) -> Project:
    """The last voice's takes stand for a person's recordings."""
    source = person_text("Our narrator", language="en-GB", folder=".")
    shortlist = bench_project.shortlist
    shortlist.add_engine(parse_connector(source, name="person"), source, "person.yaml")
    (person,) = shortlist.add(shortlist.engines()["Our narrator"], voice="own-voice")
    for k, passage in enumerate(bench_project.texts.all()):
        clip, _ = voice_clip(600 + 10 * k, len(passage.text.split()))
        bench_project.takes.keep(clip, candidate_id=person.id, passage_version_id=passage.version_id, repeat=1,
                                 obtained="rendered elsewhere")  # fmt: skip
    return bench_project


@pytest.mark.parametrize("name", ["ACR", "DCR", "match", "yes or no"])
def test_a_kind_is_planned_heard_and_answered_by_keys_to_its_result(
    person_project: Project, open_window: Opener, qtbot: QtBot, name: str
) -> None:
    """The other kinds have journeys of their own."""
    window = open_window(person_project)
    settle(qtbot, window)
    page = planned(window, qtbot, name, most=3, prepare=lambda dialog: dialog.own.setText("Did it laugh?"))
    booth = begun(window, page, qtbot, "Ann")
    session = booth.session
    assert session is not None
    for trial in range(len(session.trials)):
        settle(qtbot, window)
        lanes = len(session.shown.lanes)
        qtbot.waitUntil(lambda n=lanes: len(window.state.player.mixer.lanes) == n, timeout=60_000)  # type: ignore[misc]
        assert not any(answer.isEnabled() for answer in booth.answers.values()), "not before it was heard"
        placed = [answer.geometry() for answer in booth.answers.values()]
        assert all(above.bottom() < below.top() for above, below in pairwise(placed)), "none lies over another"
        if lanes == 1:
            recorder(window).hear(14.0)
            window.state.player.moved.emit()
        else:
            hear_lanes(window, qtbot, "01")
        for _ in session.shown.questions:
            qtbot.keyClick(booth, next(iter(booth.answers)))
        assert session.index == trial + 1
    test = person_project.panel.tests()[-1]
    assert len(person_project.answers.of_test(test.id)) == 3
    qtbot.mouseClick(booth.leave, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    opened_early(window, page, qtbot)
    qtbot.waitUntil(lambda: "1 of 12 planned listeners have answered." in words(page), timeout=20_000)


def test_listeners_are_asked_first_and_a_text_is_heard_once_before_its_question(
    person_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    """All of it by the dialogs a lead has and the keys a listener has."""
    window = open_window(person_project)
    settle(qtbot, window)

    def prepare(dialog: NewTestDialog) -> None:
        dialog.more.click()
        dialog.contents.click()
        (content,) = dialog.findChildren(ContentDialog)
        for question, right, wrong in content.fields.values():
            qtbot.keyClicks(question, "When is it?")
            qtbot.keyClicks(right, "in spring")
            qtbot.keyClicks(wrong, "in winter")
        qtbot.keyClick(content, Qt.Key.Key_Return)
        assert f"{len(content.fields)} question" in dialog.contents.text()
        dialog.asked.click()
        (entry,) = dialog.findChildren(EntryDialog)
        block = entry.questions[0]
        qtbot.keyClicks(block.words, "Audiobooks?")
        qtbot.keyClicks(block.lines[0][0], "often")
        qtbot.keyClick(entry, Qt.Key.Key_Return)
        assert "2 to 9 different answers" in entry.wrong.text()
        qtbot.keyClicks(block.lines[1][0], "never")
        assert len(block.lines) == 3, "there is always room for one more"
        block.lines[1][1].click()
        qtbot.keyClick(entry, Qt.Key.Key_Return)
        assert dialog.asked.text() == "1 question …"

    page = planned(window, qtbot, "content", most=0, prepare=prepare)
    booth = to_the_booth(window, page, qtbot, "Ann")
    assert "Audiobooks?" in booth.before.words()
    qtbot.keyClick(booth, Qt.Key.Key_Return)
    assert "Audiobooks?" in booth.before.words(), "Enter is no answer"
    qtbot.keyClick(booth, "2")
    assert "looks for other listeners" in words(booth)
    qtbot.mouseClick(booth.leave, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    qtbot.waitUntil(lambda: "Ann did not take part: 'never'." in words(page), timeout=20_000)
    again = next(one for one in page.findChildren(QPushButton) if one.text() == "Ask again" and one.isVisible())
    qtbot.mouseClick(again, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    booth = to_the_booth(window, page, qtbot, "Ann")
    qtbot.keyClick(booth, "1")
    qtbot.keyClick(booth, Qt.Key.Key_Return)
    settle(qtbot, window)
    session = booth.session
    assert session is not None
    qtbot.waitUntil(lambda: len(window.state.player.mixer.lanes) == 1, timeout=60_000)
    assert not booth.restart.isVisible()
    assert not booth.looped.isVisible()
    assert not any(answer.isVisible() for answer in booth.answers.values()), "what is asked comes after"
    recorder(window).hear(60.0)
    window.state.player.moved.emit()
    assert all(answer.isVisible() for answer in booth.answers.values())
    qtbot.keyClick(booth, Qt.Key.Key_Space)
    qtbot.keyClick(booth, Qt.Key.Key_Home)
    qtbot.keyClick(booth, Qt.Key.Key_Left)
    assert not window.state.player.mixer.playing, "it is heard once"
    right = next(key for key, answer in booth.answers.items() if "in spring" in answer.text())
    qtbot.keyClick(booth, right)
    assert session.index == 1
    (given,) = person_project.answers.of_test(person_project.panel.tests()[-1].id)
    assert given.answer.given == {"content": "in spring"}
    assert not booth.back.isVisible()


def test_a_new_version_of_a_test_begins_with_what_the_old_one_was_set_to(
    person_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    panel = person_project.panel
    first, second, third, _ = (c.id for c in person_project.shortlist.candidates())
    old = TestSettings(
        candidate_ids=(first, third), passage_ids=tuple(p.id for p in person_project.texts.all())[:2], must_hear=0.5,
        training=1, scale="naturalness", also=("effort",), most=7, stated_id=third, take_rule="first",
        repeats=2, listeners=9, traps=1, comments=True, trim=True, context="neighbours", headphone_check=True,
        bed="x.flac", bed_name="rain.wav", bed_below_lu=20.0,
    )  # fmt: skip
    number = panel.add_test("ACR", old.as_document())
    window = open_window(person_project)
    page = window.page("listening")
    assert isinstance(page, ListeningPage)
    window.go_to("listening")
    settle(qtbot, window)
    qtbot.mouseClick(button_of(page, "New version …"), Qt.MouseButton.LeftButton)
    (dialog,) = page.findChildren(NewTestDialog)
    settle(qtbot, window)
    assert dialog.settings() == ("ACR", replace(old, version_of=number))
    dialog.candidates.tick({first, second, third})
    qtbot.waitUntil(dialog.agree.isEnabled, timeout=20_000)
    qtbot.mouseClick(dialog.agree, Qt.MouseButton.LeftButton)
    before, after = panel.tests()
    assert TestSettings.from_document(before.settings) == old, "the old one stays as it was"
    assert TestSettings.from_document(after.settings).candidate_ids == (first, second, third)
    settle(qtbot, window)
    qtbot.waitUntil(lambda: f"It is a new version of test {number}" in words(page), timeout=20_000)


def test_listeners_hear_the_bed_of_the_test_and_not_the_leads(
    bench_project: Project, open_window: Opener, qtbot: QtBot, tmp_path: Path
) -> None:
    def strength(sound: np.ndarray, hz: float) -> float:
        return float(np.abs(np.mean(sound[:, 0] * np.exp(-2j * np.pi * hz * np.arange(len(sound)) / 48_000))))

    for name, hz in (("leads", 1000.0), ("tests", 2000.0)):
        write_wav(tmp_path / f"{name}.wav", tone(hz, -20, 3.0))
    window = open_window(bench_project)
    settle(qtbot, window)
    window.state.tray.set_bed(tmp_path / "leads.wav")
    settle(qtbot, window)
    page = planned(window, qtbot, "ACR", most=3, prepare=lambda dialog: dialog.take_bed(tmp_path / "tests.wav"))
    test = TestSettings.from_document(bench_project.panel.tests()[-1].settings)
    assert (test.bed_name, test.bed_below_lu) == ("tests.wav", 15.0)
    begun(window, page, qtbot, "Ann")
    heard = recorder(window).hear(2.0)
    assert strength(heard, 2000.0) > 0.003, "the test's own"
    assert strength(heard, 1000.0) < 0.0005, "not what the lead listened over"
    stopped(window, qtbot)
    window.state.player.play()
    assert strength(recorder(window).hear(2.0), 1000.0) > 0.003, "the lead's is back"


def test_many_are_placed_on_one_line_by_keys_and_by_hand(
    person_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(person_project)
    settle(qtbot, window)
    page = planned(window, qtbot, "multi-stimulus", most=1)
    booth = begun(window, page, qtbot, "Ann")
    session = trial_of(window, qtbot, 7)  # the reference, three voices, the hidden reference, two anchors
    assert [one.words() for one in booth.clips] == ["Reference", *(f"Sample {k}" for k in range(1, 7))]
    hear_lanes(window, qtbot, "0123456")
    qtbot.keyClick(booth, "0")
    assert window.state.player.mixer.on == 0, "0 is the reference"
    for digit in "123456":
        qtbot.keyClick(booth, digit)
        qtbot.keyClick(booth, Qt.Key.Key_Right)
        qtbot.keyClick(booth, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert booth.line.places == [60] * 6, "the first step sets it in the middle, then by tens"
    at = booth.line.centres()[1].toPoint()
    qtbot.mousePress(booth.line, Qt.MouseButton.LeftButton, pos=at)
    qtbot.mouseMove(booth.line, at - QPoint(at.x(), 0))
    qtbot.mouseRelease(booth.line, Qt.MouseButton.LeftButton)
    assert booth.line.places == [60, 0, 60, 60, 60, 60], "dragged to the end of the line"
    assert window.state.player.mixer.on == 2, "what is touched is heard"
    assert "sample 2 at 0" in booth.line.accessibleName()
    qtbot.keyClick(booth, Qt.Key.Key_Return)
    assert session.finished
    (answer,) = person_project.answers.of_test(person_project.panel.tests()[-1].id)
    assert answer.answer.given == {"places": [60, 0, 60, 60, 60, 60]}
    qtbot.mouseClick(booth.leave, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    opened_early(window, page, qtbot)
    qtbot.waitUntil(lambda: "1 of 12 planned listeners have answered." in words(page), timeout=20_000)
    assert person_project.panel.tests()[-1].conduct.looks != ()


def test_two_questions_of_a_trial_and_a_step_back_between_them(
    person_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(person_project)
    settle(qtbot, window)
    booth = begun(window, planned(window, qtbot, "likeness", most=2), qtbot, "Ann")
    session = trial_of(window, qtbot, 2)
    texts = [person_project.texts.version_text(s.passage_version_id)[0] for s in session.trial.stimuli]
    assert texts[0] != texts[1], "another sentence of the person"
    assert not any(text in words(booth) for text in texts)
    qtbot.keyClick(booth, "1")
    recorder(window).hear(1.0)
    qtbot.keyClick(booth, "0")
    assert window.state.player.mixer.time_s == 0, "other words have no place in common"
    hear_lanes(window, qtbot, "01")
    qtbot.keyClick(booth, "b")
    assert "Is it the same person?" in words(booth)
    qtbot.keyClick(booth, Qt.Key.Key_Backspace)
    assert "How much alike are the two speakers?" in words(booth)
    qtbot.keyClick(booth, "a")
    qtbot.keyClick(booth, "s")
    assert session.index == 1
    (answer,) = person_project.answers.of_test(person_project.panel.tests()[-1].id)
    assert answer.answer.given == {"score": 5, "person": "same"}


def test_level_and_headphones_are_checked_and_a_break_is_offered(
    bench_project: Project, open_window: Opener, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    def checks(dialog: NewTestDialog) -> None:
        dialog.own.setText("Did it laugh?")
        dialog.level_check.setChecked(True)
        dialog.headphone_check.setChecked(True)
        dialog.comments.setChecked(True)

    window = open_window(bench_project)
    settle(qtbot, window)
    page = planned(window, qtbot, "yes or no", most=3, prepare=checks)
    page.tests.alias.setText("Anne")
    page.tests.languages.setText("fr, en")
    qtbot.keyClick(page.tests.alias, Qt.Key.Key_Return)
    booth, before = window.booth, window.booth.before
    assert "bonne ou de mauvaise réponse" in before.words(), "in the first of the listener's languages"
    qtbot.keyClick(booth, Qt.Key.Key_Return)
    assert "Réglez le volume" in before.words()
    assert recorder(window).hear(0.8).std() > 0.01, "a voice at the level of the test"
    qtbot.keyClick(booth, Qt.Key.Key_Return)
    for trial in range(6):
        qtbot.keyClick(booth, Qt.Key.Key_Return if not trial else Qt.Key.Key_unknown)
        third = recorder(window).hear(4.2)
        loud = [np.abs(third[k * 72_000 : k * 72_000 + 40_000, 0]).max() for k in range(3)]
        qtbot.keyClick(booth, str(int(np.argmin(loud)) + 1))
    assert "ressemble bien à un casque" in before.words()
    qtbot.keyClick(booth, Qt.Key.Key_Return)
    session = trial_of(window, qtbot, 1)
    assert [one.text() for one in booth.answers.values()] == ["Y    Oui", "N    Non", "U    Pas sûr"]
    assert "Did it laugh?" in words(booth), "the lead's own words stand"
    assert {"Play", "Stop here", "Yes", "Clip · 1 of 3"}.isdisjoint(one.text() for one in booth.findChildren(QLabel))
    assert booth.leave.text() == "S’arrêter ici"
    (kept,) = bench_project.panel.sessions(bench_project.panel.tests()[-1].id)
    assert kept.checks == {"level": "set", "headphones": {"right": 6, "of": 6, "passed": True}}
    recorder(window).hear(4.0)
    window.state.player.moved.emit()
    booth.remark.setText("a dry laugh")
    began = session.listened_s
    monkeypatch.setattr(ListeningSession, "listened_s", began + 16 * 60)
    qtbot.keyClick(booth, "y")
    assert "15 minutes" in before.words()
    assert before.isVisible()
    assert session.index == 1, "the answer is kept before the break"
    qtbot.keyClick(booth, Qt.Key.Key_Return)
    assert not before.isVisible()
    (answer,) = bench_project.answers.of_test(bench_project.panel.tests()[-1].id)
    assert answer.answer.note == "a dry laugh"
    stopped(window, qtbot)
    page.show_view("Listeners")
    settle(qtbot, window)
    assert "headphones heard: 6 of 6" in cells(page.people.people)[0][-1]


@pytest.mark.parametrize("kind", ["CCR", "multi-stimulus"])
def test_all_answers_are_seen_at_150_percent_on_a_small_screen(
    kind: str, bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    """A scale whose lower end has to be scrolled to would be answered at its upper end."""
    theme.set(scale=1.5)
    try:
        window = open_window(bench_project)
        window.resize(1366, 768)
        settle(qtbot, window)
        booth = begun(window, planned(window, qtbot, kind, most=1), qtbot, "Ann")
        assert (window.width(), window.height()) == (1366, 768)
        for one in (*booth.answers.values(), booth.play, booth.line if kind == "multi-stimulus" else booth.leave):
            corner = one.mapTo(window, one.rect().bottomRight())
            assert one.isVisible()
            assert window.rect().adjusted(0, 0, 0, -20).contains(corner), one
    finally:
        theme.set(scale=1.0)


def test_a_listener_is_left_out_and_counted_again(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    ids = [c.id for c in bench_project.shortlist.candidates()]
    settings = TestSettings(candidate_ids=tuple(ids), passage_ids=tuple(p.id for p in bench_project.texts.all()),
                            training=0, traps=2)  # fmt: skip
    test = bench_project.panel.add_test("ACR", settings.as_document())
    for k in range(4):
        session = session_of(bench_project, test, bench_project.panel.add_listener(f"L{k}", languages=["en"]))
        while not session.finished:
            session.played(0, 1.0)
            trap = session.trial.detail.get("trap")
            right = 3 if trap is None else trap if k else trap % 5 + 1
            own = ids.index(session.trial.stimuli[0].candidate_id) if trap is None else 0
            session.answer({"score": right + own % 2 if k or trap is not None else 5 - own % 2})
    window = open_window(bench_project)
    window.go_to("listening")
    settle(qtbot, window)
    page = window.page("listening")
    (box,) = page.findChildren(QCheckBox)
    assert box.text().startswith("Leave out L0: did not press the key that was asked for in 2 of 2 checks")
    assert not box.isChecked()
    qtbot.mouseClick(box, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert {r.score for r in bench_project.answers.ratings()} == {3.0, 4.0}
    window.actions_by_id["undo"].trigger()
    settle(qtbot, window)
    assert {r.score for r in bench_project.answers.ratings()} == {3.0, 4.0, 5.0}


def test_the_answers_behind_a_line_are_shown_and_heard(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    ids = tuple(c.id for c in bench_project.shortlist.candidates())
    settings = TestSettings(candidate_ids=ids, passage_ids=(bench_project.texts.all()[0].id,), training=0)
    test = bench_project.panel.add_test("preference", settings.as_document())
    session = session_of(bench_project, test, bench_project.panel.add_listener("Ann", languages=["en"]))
    while not session.finished:
        session.played(0, 1.0)
        session.played(1, 1.0)
        session.answer({"choice": "first"}, note="warmer")
    window = open_window(bench_project)
    window.go_to("listening")
    settle(qtbot, window)
    page = window.page("listening")
    assert isinstance(page, ListeningPage)
    page.tests.open_answers(test, ids[1])
    (dialog,) = page.findChildren(AnswersDialog)
    settle(qtbot, window)
    assert {tuple(row[:4]) for row in cells(dialog.table)} == {("Ann", "Frost", "first", "warmer")}
    dialog.table.row_chosen.emit(0)
    settle(qtbot, window)
    assert abs(pitch_of(recorder(window).hear(1.0)) - 300) < 5, "the clip of this voice"
    dialog.accept()
    settle(qtbot, window)
    assert len(window.state.player.mixer.lanes) == 3, "the tray is as it was"


def test_a_persons_recordings_are_heard_and_never_chosen(
    bench_project: Project, open_window: Opener, qtbot: QtBot, tmp_path: Path
) -> None:
    for k, passage in enumerate(bench_project.texts.all(), 1):
        clip, _ = voice_clip(500, len(passage.text.split()))
        write_wav(tmp_path / f"{k:02d} {passage.title}.wav", clip)
    window = open_window(bench_project)
    window.go_to("engines")
    page = window.page("engines")
    assert isinstance(page, EnginesPage)
    page.ask_for_person()
    (dialog,) = page.findChildren(PersonDialog)
    assert not dialog.go.isEnabled()
    qtbot.keyClicks(dialog.name, "Our narrator")
    dialog.take(sorted(tmp_path.glob("*.wav")))
    qtbot.mouseClick(dialog.go, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    (bringing,) = page.findChildren(BringInDialog)
    assert all(one.ready for one in bringing.clippings())
    qtbot.mouseClick(bringing.take, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    person = bench_project.shortlist.candidates()[-1]
    assert (person.engine, len(bench_project.takes.all(candidate_id=person.id))) == ("Our narrator", 3)
    window.go_to("choice")
    settle(qtbot, window)
    assert window.state.evaluation is not None
    row = window.state.evaluation.rows[person.id]
    assert not row.passes
    assert [g.why for g in row.gates if g.verdict == "no"] == ["recordings of a person, to compare with"]


def rated(window: MainWindow, qtbot: QtBot, key: str = "4") -> None:
    """The clip of the trial to its end, then a grade."""
    settle(qtbot, window)
    qtbot.waitUntil(lambda: bool(window.state.player.mixer.lanes), timeout=60_000)
    recorder(window).hear(4.0)
    window.state.player.moved.emit()
    qtbot.keyClick(window.booth, key)


def test_a_part_is_heard_over_and_over_and_a_clip_begun_anew(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    settle(qtbot, window)
    booth = begun(window, planned(window, qtbot, "preference"), qtbot, "Ann")
    mixer = window.state.player.mixer
    recorder(window).hear(1.0)
    begin = mixer.place
    qtbot.keyClick(booth, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier)
    assert booth.looped.words() == "Loop to here"
    recorder(window).hear(0.6)
    end = mixer.place
    qtbot.mouseClick(booth.looped, Qt.MouseButton.LeftButton)
    assert booth.looped.words() == "No loop"
    for _ in range(12):
        recorder(window).hear(0.25)
        assert begin - 0.05 <= mixer.place <= end + 0.05
    qtbot.keyClick(booth, "2")
    assert begin - 0.05 <= mixer.place <= end + 0.05, "the other clip at the same words"
    qtbot.mouseClick(booth.looped, Qt.MouseButton.LeftButton)
    assert mixer.loop is None
    qtbot.keyClick(booth, Qt.Key.Key_Left)
    qtbot.keyClick(booth, Qt.Key.Key_Home)
    assert mixer.time_s < 0.05
    assert mixer.playing


def test_the_last_answer_is_corrected_after_the_end_and_after_a_stop(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    settle(qtbot, window)
    page = planned(window, qtbot, "ACR", most=2)
    booth = begun(window, page, qtbot, "Ann")
    rated(window, qtbot)
    stopped(window, qtbot)
    page.tests.to_the_booth()
    qtbot.keyClick(booth, Qt.Key.Key_Return)
    settle(qtbot, window)
    qtbot.keyClick(booth, Qt.Key.Key_Backspace)
    session = booth.session
    assert session is not None
    assert session.index == 0, "what was answered before the stop"
    assert session.heard(0) > 0.8, "what was heard then counts on"
    rated(window, qtbot, "2")
    rated(window, qtbot, "3")
    test = bench_project.panel.tests()[-1].id
    assert bench_project.panel.progress()[test].finished == 1
    assert "Thank you. Every clip is rated." in words(booth)
    qtbot.keyClick(booth, Qt.Key.Key_Backspace)
    assert bench_project.panel.progress()[test].finished == 0
    rated(window, qtbot, "5")
    assert [one.answer.given["score"] for one in bench_project.answers.of_test(test)] == [2, 5]
    assert bench_project.panel.progress()[test].finished == 1
    (listener_session,) = bench_project.panel.sessions(test)
    qtbot.mouseClick(booth.leave, Qt.MouseButton.LeftButton)
    assert len(bench_project.panel.sessions(test)[0].sittings) == 2, "each time at it is kept"
    assert listener_session.sittings[0].kit == "headphones"


def test_a_clip_that_is_gone_is_skipped_and_only_the_lead_is_told(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    settle(qtbot, window)
    page = planned(window, qtbot, "ACR", most=3)
    begun(window, page, qtbot, "Ann")
    session = window.booth.session
    assert session is not None
    take = session.trials[1].stimuli[0].take_id
    gone = next(one for one in bench_project.takes.all() if one.id == take)
    (bench_project.folder / "clips" / gone.clip).unlink()
    window.state.complain("voice Ilseth is broken")
    assert not window.notices.isVisible(), "in the booth only the booth speaks"
    rated(window, qtbot)
    qtbot.waitUntil(lambda: session.index == 2, timeout=20_000)
    assert "Ilseth" not in words(window)
    rated(window, qtbot)
    assert "Every clip is rated" in words(window.booth)
    qtbot.mouseClick(window.booth.leave, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert window.notices.isVisible()
    opened_early(window, page, qtbot)
    qtbot.waitUntil(lambda: "1 clip could not be heard and was skipped: " in words(page), timeout=20_000)


def test_a_number_is_typed_on_the_line(person_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    window = open_window(person_project)
    settle(qtbot, window)
    booth = begun(window, planned(window, qtbot, "multi-stimulus", most=1), qtbot, "Ann")
    trial_of(window, qtbot, 7)
    qtbot.keyClick(booth, "2")
    qtbot.keyClick(booth, "p")
    assert window.focusWidget() is booth.number
    qtbot.keyClicks(booth.number, "73")
    qtbot.keyClick(booth.number, Qt.Key.Key_Return)
    assert booth.line.places[:3] == [None, 73, None]
    assert window.focusWidget() is booth


def test_tab_comes_to_the_remark_first_and_to_the_end_last(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    settle(qtbot, window)
    page = planned(window, qtbot, "ACR", most=2, prepare=lambda dialog: dialog.comments.setChecked(True))
    booth = begun(window, page, qtbot, "Ann")
    recorder(window).hear(4.0)
    window.state.player.moved.emit()
    found = []
    for _ in range(20):
        qtbot.keyClick(window.focusWidget() or booth, Qt.Key.Key_Tab)
        found.append(window.focusWidget())
        if found[-1] is booth.leave:
            break
    assert found[0] is booth.remark
    assert set(booth.answers.values()) <= set(found[:-1])
    assert found[-1] is booth.leave


@pytest.mark.parametrize("kind", ["ACR", "preference", "ABX", "multi-stimulus"])
def test_nothing_but_the_sound_tells_who_is_heard(
    bench_project: Project, open_window: Opener, qtbot: QtBot, kind: str
) -> None:
    """The same trials with the candidates exchanged: every word, hint, name and state of every widget is the same, and
    so are the files of the project."""
    window = open_window(bench_project)
    settle(qtbot, window)
    first, second, _ = ids = tuple(c.id for c in bench_project.shortlist.candidates())
    settings = TestSettings(candidate_ids=ids, passage_ids=tuple(p.id for p in bench_project.texts.all()), training=0)
    able = takes_to_hear(bench_project.takes, bench_project.texts, settings)
    planned = kind_of(kind).design(able, settings, listener=0, rng=np.random.default_rng(1))
    others = {first: second, second: first}

    def exchanged(one: Stimulus) -> Stimulus:
        candidate = others.get(one.candidate_id, one.candidate_id)
        return replace(one, candidate_id=candidate, take_id=able[candidate, one.passage_version_id])

    files = sorted(str(path) for path in bench_project.folder.rglob("*"))
    seen = []
    for trials in (planned, [replace(one, stimuli=tuple(map(exchanged, one.stimuli))) for one in planned]):
        session = ListeningSession(Unkept(trials[:1]), kind_of(kind), settings, level_lufs=-23.0)
        window._to_booth(session)
        qtbot.keyClick(window.booth, Qt.Key.Key_Return)
        settle(qtbot, window)
        qtbot.waitUntil(lambda: bool(window.state.player.mixer.lanes), timeout=60_000)
        window.state.player.pause()
        settle(qtbot, window)
        qtbot.wait(100)  # "Play" is narrower than "Pause": laid out anew
        seen.append([
            (type(one).__name__, one.objectName(), one.accessibleName(), one.toolTip(), one.isEnabled(),
             one.text() if isinstance(one, QLabel | QPushButton) else "", one.geometry())
            for one in window.findChildren(QWidget) if one.isVisible()
        ] + [window.windowTitle()])  # fmt: skip
        stopped(window, qtbot)
    assert seen[0] == seen[1]
    assert len(seen[0]) > 15
    assert sorted(str(path) for path in bench_project.folder.rglob("*")) == files

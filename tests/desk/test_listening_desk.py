"""Sound first: playing, swapping, hiding labels, marking; judged on what would have been heard and on what is seen."""

from __future__ import annotations

import itertools
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import QMenu
from pytestqt.qtbot import QtBot

from tests.conftest import pretend_take
from tests.desk.conftest import Opener, cells, pitch_of, recorder, settle, words
from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import write_wav
from zestpanel.core.store.project import Project
from zestpanel.desk.defects import DefectsDialog
from zestpanel.desk.pages.renders import RendersPage
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.window import MainWindow


def grid_of(window: MainWindow) -> object:
    page = window.page("renders")
    assert isinstance(page, RendersPage)
    return page.grid


def test_space_plays_and_digits_swap_at_the_same_word(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    mixer = window.state.player.mixer
    qtbot.keyClick(window, Qt.Key.Key_Space)
    assert mixer.playing
    heard = recorder(window).hear(1.0)
    assert abs(pitch_of(heard) - 200) < 5
    place = mixer.place
    qtbot.keyClick(window, Qt.Key.Key_3)
    assert abs(mixer.place - place) < 0.02, "the same place in the text"
    assert mixer.on == 2
    assert abs(pitch_of(recorder(window).hear(0.4)[2400:]) - 400) < 8
    assert window.state.candidate_id == bench_project.shortlist.candidates()[2].id
    qtbot.keyClick(window, Qt.Key.Key_Space)
    recorder(window).hear(0.1)
    assert not mixer.playing
    assert abs(recorder(window).hear(0.1)).max() == 0


def test_arrows_walk_and_go_on_hearing(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    window = open_window(bench_project)
    grid = grid_of(window)
    grid.setFocus()  # type: ignore[attr-defined]
    qtbot.keyClick(grid, Qt.Key.Key_Return)
    recorder(window).hear(0.6)
    qtbot.keyClick(grid, Qt.Key.Key_Down)
    assert window.state.player.mixer.playing
    assert abs(pitch_of(recorder(window).hear(0.4)[2400:]) - 300) < 8, "the same text by the next voice"
    qtbot.keyClick(grid, Qt.Key.Key_Right)
    settle(qtbot, window)
    passage = window.state.passage()
    assert passage is not None
    assert passage.title == "Lent"
    assert window.state.player.mixer.playing, "the same voice on the next text"
    assert abs(pitch_of(recorder(window).hear(0.8)) - 300) < 8


def test_a_click_on_a_word_plays_from_it(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    window = open_window(bench_project)
    lanes = window.strip.lanes
    x = round(lanes.x_of_word(3))
    qtbot.mouseClick(lanes, Qt.MouseButton.LeftButton, pos=QPoint(x, 12))
    mixer = window.state.player.mixer
    assert mixer.playing
    assert abs(mixer.place - 3) < 0.01
    qtbot.mouseClick(lanes, Qt.MouseButton.LeftButton, pos=QPoint(x, lanes.needed_height() - 20))
    assert mixer.on == 2, "a click on a lane swaps to it there"
    assert 3 < mixer.place < 4


def test_real_time_is_one_key_and_keeps_the_second(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    window = open_window(bench_project)
    qtbot.keyClick(window, Qt.Key.Key_T)
    assert window.state.tray.real_time
    assert "real time" in words(window.strip)
    window.state.player.seek(1.0)
    qtbot.keyClick(window, Qt.Key.Key_2)
    assert window.state.player.mixer.time_s == 1.0


def test_hidden_labels_show_no_name_anywhere(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    from PyQt6.QtWidgets import QAbstractButton, QLabel

    window = open_window(bench_project)
    names = {"Tangor", "Citrange", "Ilseth", "Corwick", "Linnoway"}
    qtbot.keyClick(window, Qt.Key.Key_H)
    settle(qtbot, window)

    def visible_texts() -> str:
        grid = grid_of(window)
        model = grid.model()  # type: ignore[attr-defined]
        texts = [str(model.headerData(i, Qt.Orientation.Vertical)) for i in range(model.rowCount())]
        texts += [model.data(model.index(r, c), Qt.ItemDataRole.AccessibleTextRole)
                  for r in range(model.rowCount()) for c in range(model.columnCount())]  # fmt: skip
        texts += [w.text() for kind in (QLabel, QAbstractButton) for w in window.findChildren(kind) if w.isVisible()]  # type: ignore[attr-defined]
        return " ".join(
            [*texts, *(window.state.name(lane.candidate) for lane in window.state.tray.lanes), window.windowTitle()]
        )

    shown = visible_texts()
    assert not [name for name in names if name in shown]
    assert {window.state.name(lane.candidate) for lane in window.state.tray.lanes} == {"A", "B", "C"}
    assert [window.state.name(lane.candidate) for lane in window.state.tray.lanes] == ["A", "B", "C"], (
        "lanes in letter order"
    )
    qtbot.keyClick(window, Qt.Key.Key_H)
    settle(qtbot, window)
    assert "Ilseth" in visible_texts()


def test_a_defect_is_marked_where_it_is_heard_and_undone(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    window.state.player.seek(0.9)
    qtbot.keyClick(window, Qt.Key.Key_M)
    menu = window.strip.findChild(QMenu)
    assert menu is not None
    menu.actions()[0].trigger()
    menu.close()
    marks = bench_project.takes.marks()
    assert [(m.kind, round(m.at_s, 2)) for m in marks] == [("gap", 0.9)]
    assert window.state.bench.cell(window.state.candidate_id or 0, window.state.passage_id or 0).marks == 1
    window.actions_by_id["undo"].trigger()
    assert bench_project.takes.marks() == []
    window.actions_by_id["redo"].trigger()
    assert len(bench_project.takes.marks()) == 1


def test_waveforms_are_drawn_with_their_silences(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    """In the heard lane there is ink where a word sounds, and next to none in the gap before the next word."""
    window = open_window(bench_project)
    lanes = window.strip.lanes
    image = QImage(lanes.size(), QImage.Format.Format_RGB32)
    image.fill(theme.colour("paper"))
    lanes.render(image)
    mixer, columns = window.state.player.mixer, lanes._columns
    assert columns is not None
    top = lanes._top + mixer.on * lanes._lane_height

    def ink(time_s: float) -> int:
        """Dark pixels in the three columns about a second of the heard lane."""
        x = round(lanes._left + float(columns.x_of(mixer.lanes[mixer.on].axis.place_at(time_s))))
        return sum(
            image.pixelColor(x + dx, top + dy).lightness() < 190
            for dx in (-1, 0, 1)
            for dy in range(lanes._lane_height)
        )

    word, start, end, _ = window.state.tray.lanes[0].measured.words[2]
    assert word == "frost"
    assert ink((start + end) / 2) > 15
    assert ink(end - 0.012) < 8


def test_lanes_are_painted_anew_when_anything_they_show_changes_and_only_then(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    settle(qtbot, window)
    tray, lanes = window.state.tray, window.strip.lanes

    def shown() -> QImage:
        lanes.grab()
        qtbot.waitUntil(lambda: lanes.whole)
        return lanes.grab().toImage()

    def still() -> list[QPixmap]:
        shown()
        return [picture for _, picture in sorted(lanes._still().items())]

    window.state.player.seek_place(2.0)
    pictures = still()
    window.state.player.seek_place(1.0)
    assert all(a is b for a, b in zip(still(), pictures, strict=True)), "what plays moves nothing but the head"
    tray.swap_to(1)
    assert [a is b for a, b in zip(still(), pictures, strict=True)] == [False, False, True]
    tray.swap_to(0)
    before, size = shown(), window.size()
    changes = {
        "another lane": (lambda: tray.swap_to(1), lambda: tray.swap_to(0)),
        "a mark": (lambda: tray.mark_here("gap"), window.state.undo),
        "pinned": (tray.pin, tray.pin),
        "real time": (lambda: tray.set_real_time(True), lambda: tray.set_real_time(False)),
        "dark": (lambda: theme.set(dark=True), lambda: theme.set(dark=False)),
        "narrower": (lambda: window.resize(1_000, size.height()), lambda: window.resize(size)),
    }
    for name, (change, back) in changes.items():
        change()
        settle(qtbot, window)
        assert shown() != before, name
        back()
        settle(qtbot, window)
        assert shown() == before, f"back from {name}"


def test_a_pinned_lane_stays_where_there_are_more_candidates_than_digits(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    engine = bench_project.shortlist.engines()["Tangor"]
    first = bench_project.shortlist.candidates()[0].id
    passage = bench_project.texts.all()[0]
    for k in range(9):
        made = bench_project.shortlist.add(engine, voice="corwick", settings={"pace": 0.8 + 0.01 * k})[-1]
        pretend_take(bench_project, made.id, passage.version_id, hz=600 + 20 * k)
    window = open_window(bench_project)
    window.go_to("renders")
    window.state.select(first, passage.id)
    settle(qtbot, window)
    grid = window.at_renders().grid
    grid.setFocus()
    qtbot.keyClick(grid, "n")
    settle(qtbot, window)
    last = window.state.ordered()[-1].id
    window.state.select(last, passage.id)
    settle(qtbot, window)
    lanes = [lane.candidate.id for lane in window.state.tray.lanes]
    assert (len(lanes), lanes[0]) == (9, first)
    assert last in lanes
    qtbot.keyClick(grid, "1")
    assert window.state.candidate_id == first, "the same digit, wherever one is"
    window.state.toggle_labels()
    settle(qtbot, window)
    window.state.toggle_labels()
    settle(qtbot, window)
    window.actions_by_id["undo"].trigger()
    settle(qtbot, window)
    assert window.state.tray.pinned == []


def test_lanes_and_words_are_walked_by_keys(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    window = open_window(bench_project)
    window.go_to("renders")
    state, lanes = window.state, window.strip.lanes
    state.select(state.ordered()[0].id, state.bench.passages[0].id)
    settle(qtbot, window)
    lanes.setFocus(Qt.FocusReason.TabFocusReason)
    for _ in range(3):  # before the first word to begin with
        qtbot.keyClick(lanes, Qt.Key.Key_Right)
    assert lanes.accessibleDescription().startswith("word 3 of 6, frost, Tangor")
    qtbot.keyClick(lanes, Qt.Key.Key_Down)
    assert state.candidate_id == state.ordered()[1].id
    assert int(state.player.mixer.place + 1e-3) == 2, "the same word"
    for _ in range(2):
        qtbot.keyClick(lanes, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert state.player.mixer.loop == (2.0, 5.0)
    qtbot.keyClick(lanes, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert state.player.mixer.loop == (2.0, 4.0)
    qtbot.keyClick(lanes, Qt.Key.Key_Escape)
    assert state.player.mixer.loop is None


def test_without_a_sound_device_all_else_works(bench_project: Project, qtbot: QtBot) -> None:
    from zestpanel.desk.playing.output import ClockOutput
    from zestpanel.desk.playing.player import Player

    window = MainWindow(bench_project, player=Player(open_device=ClockOutput))
    window.show()
    settle(qtbot, window)
    window.state.tray.toggle_play()
    qtbot.waitUntil(lambda: window.state.player.mixer.time_s > 0.2, timeout=60_000)
    assert "no sound device: everything but hearing works" in window.strip._describe()
    window.close()


def test_space_on_a_focused_button_presses_it_and_letters_type(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    window.go_to("brief")
    field = window.page("brief").field("channel")  # type: ignore[attr-defined]
    field.setFocus()
    field.clear()
    qtbot.keyClicks(field, "Hot Tom 12")
    assert field.text() == "Hot Tom 12"
    assert not window.state.labels_hidden
    assert not window.state.player.mixer.playing


def test_words_dragged_across_are_heard_over_and_over(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    lanes, mixer = window.strip.lanes, window.state.player.mixer
    start, end = (QPoint(round(lanes.x_of_word(k)), 12) for k in (1, 2))
    qtbot.mousePress(lanes, Qt.MouseButton.LeftButton, pos=start)
    qtbot.mouseMove(lanes, end)
    qtbot.mouseRelease(lanes, Qt.MouseButton.LeftButton, pos=end)
    assert mixer.loop == (1.0, 3.0)
    assert "over and over" in words(window.strip)
    places = []
    for _ in range(200):
        recorder(window).hear(0.02)
        places.append(mixer.place)
    assert 0.9 < min(places) < 1.2
    assert 2.7 < max(places) <= 3.05
    rounds = sum(b < a for a, b in itertools.pairwise(places))
    assert rounds >= 2
    qtbot.keyClick(window, Qt.Key.Key_2)
    assert mixer.loop == (1.0, 3.0), "in whichever lane is on"
    qtbot.keyClick(window, Qt.Key.Key_O)
    assert mixer.loop is None
    recorder(window).hear(3.0)
    assert mixer.place > 3.1, "on to the end"


def test_copies_neighbours_and_a_bed_change_what_is_heard(
    bench_project: Project, open_window: Opener, qtbot: QtBot, tmp_path: Path
) -> None:
    window = open_window(bench_project)
    tray, mixer = window.state.tray, window.state.player.mixer
    raw = mixer.lanes[0].duration_s
    qtbot.keyClick(window, Qt.Key.Key_C)
    settle(qtbot, window)
    assert tray.copies
    assert mixer.lanes[0].duration_s < raw - 0.05, "the silence around the words is cut"
    tray.mark_here("gap")
    assert bench_project.takes.marks() == [], "a place in a copy is none of the clip"
    qtbot.keyClick(window, Qt.Key.Key_C)
    settle(qtbot, window)
    second = bench_project.texts.all()[1]
    window.state.select(window.state.candidate_id, second.id)
    qtbot.keyClick(window, Qt.Key.Key_B)
    settle(qtbot, window)
    assert mixer.lanes[0].duration_s > 3 * raw, "the passages before and after, with their pauses"
    window.state.player.seek_place(0.0)
    assert mixer.time_s > raw, "the words are those of the passage in the middle"
    qtbot.keyClick(window, Qt.Key.Key_B)
    settle(qtbot, window)
    rng = np.random.default_rng(1)
    write_wav(tmp_path / "room.wav", Clip(samples=0.1 * rng.standard_normal(48_000 * 2), rate_hz=48_000))
    tray.set_bed(tmp_path / "room.wav", below_lu=20)
    settle(qtbot, window)
    assert "over room, 20 LU below" in words(window.strip)
    window.state.player.seek(0.0)
    window.state.player.play()
    lead = recorder(window).hear(0.15)[4_000:]
    assert 0.0005 < np.abs(lead).mean() < 0.05, "before the first word there is the room"
    tray.set_bed(None)
    window.state.player.seek(0.0)
    assert np.abs(recorder(window).hear(0.15)[4_000:]).max() < 1e-3


def test_defects_have_keys_of_their_own_and_a_list(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    window = open_window(bench_project)
    window.state.player.seek(1.2)
    window.actions_by_id["defect_2"].trigger()
    qtbot.keyClick(window, Qt.Key.Key_2)
    window.actions_by_id["defect_5"].trigger()
    assert [m.kind for m in bench_project.takes.marks()] == ["gap", "odd stress"]
    window.actions_by_id["defects"].trigger()
    settle(qtbot, window)
    (dialog,) = window.findChildren(DefectsDialog)
    view = dialog.view
    marked = {m.take_id for m in bench_project.takes.marks()}  # what nobody heard is no minute without a defect
    heard = [sum(t.duration_s for t in bench_project.takes.all(candidate_id=c.id) if t.id in marked)
             for c in bench_project.shortlist.candidates()]  # fmt: skip
    first, second = (60 / seconds for seconds in heard if seconds)
    assert sorted((row[4], row[6], row[7]) for row in cells(view.rates)) == sorted([
        ("0", "not heard", ""), ("1", f"{first:.2f}", "1 gap"), ("1", f"{second:.2f}", "1 odd stress"),
    ])  # fmt: skip
    row = next(k for k, one in enumerate(cells(view.table)) if one[3] == "odd stress")
    view.table.selectRow(row)
    view.put_note(view.shown[row], "on the second word")
    settle(qtbot, window)
    assert cells(view.table)[row][4] == "on the second word"
    view.table.row_chosen.emit(row)
    settle(qtbot, window)
    assert window.state.player.mixer.time_s < 0.6, "from a second before it"
    assert abs(pitch_of(recorder(window).hear(0.5)[4_800:]) - 300) < 8, "of the voice that was marked"
    view.table.selectRow(row)
    qtbot.keyClick(view, Qt.Key.Key_Delete)
    settle(qtbot, window)
    assert [m.kind for m in bench_project.takes.marks()] == ["gap"]
    dialog.accept()
    settle(qtbot, window)
    assert len(window.state.player.mixer.lanes) == 3


def test_what_was_undone_is_done_again_at_once_where_reading_the_project_takes_a_while(
    bench_project: Project, open_window: Opener, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = open_window(bench_project)
    window.state.select(window.state.candidate_id or 0, window.state.passage_id or 0)
    monkeypatch.setattr("zestpanel.desk.state.MOST_S_AT_ONCE", -1.0)  # always off the interface thread
    take = window.state.tray.takes()[0]
    takes = bench_project.takes
    window.state.edit("a mark", lambda: takes.add_mark(take.id, 0.5, "gap") and None, lambda: [
        takes.set_mark_removed(mark.id, True) for mark in takes.marks()] and None)  # fmt: skip
    for name, marks in (("undo", 0), ("redo", 1), ("undo", 0)):
        window.actions_by_id[name].trigger()  # the next key comes before anything was read
        assert len(takes.marks()) == marks
    settle(qtbot, window)

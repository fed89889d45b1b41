"""What may be dropped, held down or taken away: the window goes on, and what it names is what is heard."""

from __future__ import annotations

import sys
import threading
import time
from decimal import Decimal
from pathlib import Path

import pytest
from PyQt6.QtCore import QEvent, QObject, Qt, QTimer
from PyQt6.QtGui import QPixmap, QTextOption
from PyQt6.QtWidgets import QApplication, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from tests.conftest import pretend_take
from tests.desk.conftest import Opener, Recorder, settle, words
from tests.desk.stalls import StallMeter
from zestpanel.core.domain.passage import LONGEST_PASSAGE
from zestpanel.core.secrets.keys import is_kept, keep_secret
from zestpanel.core.store.project import Project
from zestpanel.core.waiting import give_way
from zestpanel.desk import collecting, preparing
from zestpanel.desk.application import Desk, _catch_crashes
from zestpanel.desk.asking_keys import ask_for_key
from zestpanel.desk.flow import FlowLayout
from zestpanel.desk.pages.passages.importing import ImportDialog
from zestpanel.desk.pages.passages.set_view import SetView
from zestpanel.desk.pages.renders.page import RendersPage
from zestpanel.desk.pages.tabbed import TabbedPage
from zestpanel.desk.playing.player import Player
from zestpanel.desk.strip import lane_painting
from zestpanel.desk.viewmodels.steps import PAGE_CLASSES
from zestpanel.desk.window import MainWindow
from zestpanel.standins.service import StandInService

# What a hold may be at most here. The goal is 50 ms; a test beside two others on two cores measures their turns, too,
# so it fails on what hung for seconds. benchmarks/ hold the goal itself.
MOST_S = 3.0


@pytest.mark.parametrize(
    "text", ["word " * 400_000, "word" * 500_000, "Dr. Smith paid £3.50 on 3 May for it, she said. " * 2_000],
    ids=["2 MB of one word again and again", "2 MB in one word", "100 KB of prose"],
)  # fmt: skip
def test_no_text_that_is_dropped_holds_the_window(
    bench_project: Project, open_window: Opener, qtbot: QtBot, tmp_path: Path, text: str
) -> None:
    window = open_window(bench_project)
    window.go_to("passages")
    settle(qtbot, window)
    script = tmp_path / "script.txt"
    script.write_text(text)
    with StallMeter() as meter:
        window.bring_in([script])
        settle(qtbot, window)
        for dialog in window.findChildren(ImportDialog):
            qtbot.mouseClick(dialog.agree, Qt.MouseButton.LeftButton)
        settle(qtbot, window)
        window.go_to("renders")
        settle(qtbot, window)
    assert meter.longest_s < MOST_S, meter.held[:3]
    added = bench_project.texts.all()[3:]
    assert added
    assert max(len(passage.text) for passage in added) <= LONGEST_PASSAGE


def test_held_arrow_keys_keep_the_window_alive(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    engine = bench_project.shortlist.engines()["Tangor"]
    for number in range(36):
        bench_project.shortlist.add(engine, voice="ilseth", settings={"pace": 0.7 + number / 100})
    passages = bench_project.texts.add([f"Keep it at {n} degrees." for n in range(56)], language="en-GB")
    for candidate in bench_project.shortlist.candidates():
        pretend_take(bench_project, candidate.id, passages[0].version_id)
    window = open_window(bench_project)
    window.go_to("renders")
    page = window.page("renders")
    assert isinstance(page, RendersPage)
    window.state.select(window.state.bench.candidates[0].id, passages[0].id, play=True)
    settle(qtbot, window)
    page.grid.setFocus()
    with StallMeter() as meter:
        for key in (Qt.Key.Key_Right, Qt.Key.Key_Down):
            for _ in range(25):
                qtbot.keyClick(page.grid, key)
                qtbot.wait(30)
    assert meter.longest_s < MOST_S, meter.held[:3]
    settle(qtbot, window)


def test_a_digit_pressed_while_lanes_load_is_heard_as_it_is_named(
    bench_project: Project, open_window: Opener, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = open_window(bench_project)
    state = window.state
    load = bench_project.takes.load
    monkeypatch.setattr(bench_project.takes, "load", lambda take: (time.sleep(0.15), load(take))[1])
    first, second = state.bench.passages[:2]
    state.select(state.bench.candidates[0].id, first.id, play=True)
    settle(qtbot, window)
    state.select(state.bench.candidates[0].id, second.id)
    assert not state.player.mixer.playing, "nothing of the passage before is heard under the new one's name"
    qtbot.wait(20)
    window.actions_by_id["lane_3"].trigger()
    third = state.bench.candidates[2]
    assert state.candidate() == third
    settle(qtbot, window)
    lane = state.tray.lanes[state.player.mixer.on]
    assert (lane.candidate, state.passage_id) == (third, second.id)
    assert state.player.mixer.playing
    assert isinstance(state.player.output, Recorder)
    sound = state.player.output.hear(0.6)[:, 0]
    crossings = ((sound[:-1] < 0) & (sound[1:] >= 0)).sum() / 0.6
    assert crossings == pytest.approx(400, rel=0.45), "lane 3 sounds at 400 Hz, with pauses between its words"


def test_a_candidate_that_goes_while_lanes_load_takes_its_sound_along(
    bench_project: Project, open_window: Opener, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = open_window(bench_project)
    state = window.state
    load = bench_project.takes.load
    monkeypatch.setattr(bench_project.takes, "load", lambda take: (time.sleep(0.15), load(take))[1])
    state.select(state.bench.candidates[2].id, state.bench.passages[1].id)
    bench = state.bench
    object.__setattr__(bench, "candidates", bench.candidates[1:])
    settle(qtbot, window)
    assert len(state.tray.lanes) == len(state.player.mixer.lanes) == 2
    assert [lane.candidate for lane in state.tray.lanes] == list(bench.candidates)


def test_a_sound_device_that_goes_pauses_and_says_so(bench_project: Project, qtbot: QtBot) -> None:
    window = MainWindow(bench_project, player=Player(open_device=Recorder, still_s=0.3))
    qtbot.addWidget(window)
    window.show()
    settle(qtbot, window)
    window.state.select(window.state.bench.candidates[0].id, window.state.bench.passages[0].id, play=True)
    settle(qtbot, window)
    qtbot.waitUntil(lambda: "The sound device is gone" in window.notice_text.text(), timeout=10_000)
    assert not window.state.player.mixer.playing
    window.actions_by_id["play"].trigger()
    assert window.state.player.mixer.playing, "it goes on with whatever is there"
    window.close()


def test_a_click_in_the_import_dialog_drops_one_part_and_no_other(
    bench_project: Project, open_window: Opener, qtbot: QtBot, tmp_path: Path
) -> None:
    window = open_window(bench_project)
    script = tmp_path / "talk.txt"
    script.write_text("\n".join(f"{who}: Line {n} of the talk." for n in range(4) for who in ("MARGE", "TOM")))
    window.bring_in([script])
    settle(qtbot, window)
    [dialog] = window.findChildren(ImportDialog)
    assert len(dialog.chosen()) == 8
    viewport = dialog.list.viewport()
    assert viewport is not None
    place = dialog.list.visualRect(dialog.model.index(2)).center()
    qtbot.mouseClick(viewport, Qt.MouseButton.LeftButton, pos=place)
    assert len(dialog.chosen()) == 7
    dialog.language.setText("klingonish")
    [agree] = [b for b in dialog.findChildren(QPushButton) if b.text() == "Make 7 passages"]
    qtbot.mouseClick(agree, Qt.MouseButton.LeftButton)
    assert "'klingonish' is no language this program knows" in words(dialog)
    assert dialog.isVisible()
    dialog.language.setText("en-gb")
    qtbot.mouseClick(agree, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert [p.language for p in bench_project.texts.all()[3:]] == ["en-GB"] * 7


def test_what_another_program_renders_is_seen(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    passage = bench_project.texts.add(["A new one."], language="en-GB")[0]
    window = open_window(bench_project)
    candidate = window.state.bench.candidates[0]
    assert window.state.bench.cell(candidate.id, passage.id).state == "missing"
    other = Project.open(bench_project.folder)
    pretend_take(other, candidate.id, passage.version_id)
    other.close()
    qtbot.waitUntil(lambda: window.state.bench.cell(candidate.id, passage.id).state == "there", timeout=15_000)


def test_a_project_that_cannot_be_written_to_is_looked_at_and_heard(
    bench_project: Project, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    bench_project.close()
    before = {p.name: p.stat().st_mtime_ns for p in bench_project.folder.rglob("*")}
    monkeypatch.setattr("zestpanel.core.store.opening._unwritable", lambda folder: "read-only")
    desk = Desk()
    desk.open(bench_project.folder)
    window = desk.window
    assert window is not None
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    monkeypatch.setattr(threading, "excepthook", threading.excepthook)
    _catch_crashes(desk)
    settle(qtbot, window)
    assert "can be read and heard, not changed: it lies where nothing can be written" in window.notice_text.text()
    for step in PAGE_CLASSES:
        window.go_to(step)
        settle(qtbot, window)
    state = window.state
    state.select(state.bench.candidates[1].id, state.bench.passages[0].id)
    settle(qtbot, window)
    assert len(state.tray.lanes) == 3
    window.go_to("brief")
    budget = window.page("brief").field("budget_per_month")  # type: ignore[attr-defined]
    budget.setText("5")
    budget.editingFinished.emit()
    assert "can be read here, not written to. Nothing was changed." in window.notice_text.text()
    window.close()
    state.project.close()
    window.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    assert {p.name: p.stat().st_mtime_ns for p in bench_project.folder.rglob("*")} == before


def test_a_project_is_checked_from_the_menu(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    window = open_window(bench_project)
    window.actions_by_id["check"].trigger()
    settle(qtbot, window)
    assert "Desk.zest is whole" in window.notice_text.text()
    with bench_project._database.writing() as connection:
        connection.exec_driver_sql("UPDATE takes SET timing = '{' WHERE id = 2")
    window.actions_by_id["check"].trigger()
    settle(qtbot, window)
    assert "1 place is damaged, the first: takes, row 2: the timing cannot be read." in window.notice_text.text()


def test_what_is_dearer_than_the_budget_leaves_is_asked_about_once(
    bench_project: Project, open_window: Opener, qtbot: QtBot, service: StandInService
) -> None:
    bench_project.set_brief(bench_project.brief.model_copy(update={"budget_per_month": Decimal("0.0001")}))
    bench_project.texts.add(["A text that costs more than there is."], language="en-GB")
    window = open_window(bench_project)
    page = window.page("renders")
    assert isinstance(page, RendersPage)
    window.go_to("cost")
    settle(qtbot, window)
    window.actions_by_id["render"].trigger()  # from another page Ctrl+R leads to the price, and stops there
    settle(qtbot, window)
    assert window.current == "renders"
    assert not page.findChildren(QMessageBox)

    def box() -> QMessageBox:
        window.actions_by_id["render"].trigger()
        qtbot.waitUntil(lambda: any(b.isVisible() for b in page.findChildren(QMessageBox)))
        return next(b for b in page.findChildren(QMessageBox) if b.isVisible())

    asked = service.behaviour.requests
    first = box()
    assert "Of the budget of 0.00010 EUR a month 0.00010 EUR are left." in first.text()
    assert "3 requests" in first.text()
    assert "Citrange (" in first.informativeText()
    qtbot.keyClick(first, Qt.Key.Key_Return)
    settle(qtbot, window)
    assert service.behaviour.requests == asked, "Enter spends nothing"
    second = box()
    [yes] = [b for b in second.findChildren(QPushButton) if b.text() == "Render all the same"]
    qtbot.mouseClick(yes, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "3 takes rendered" in window.notice_text.text(), timeout=60_000)
    assert service.behaviour.requests == asked + 3


def test_a_missing_key_is_named_with_the_way_to_enter_it(
    bench_project: Project, open_window: Opener, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.delenv("ZEST_SECRET_LIMONAIA")
    bench_project.texts.add(["A new text."], language="en-GB")
    asked: list[str] = []
    monkeypatch.setattr(
        "zestpanel.desk.asking_keys.QInputDialog.getText", lambda *args: (asked.append(args[1]), ("", False))[1]
    )
    window = open_window(bench_project)
    window.go_to("renders")
    page = window.page("renders")
    settle(qtbot, window)
    said = words(page)
    assert "3 cannot be" in said
    assert "the key 'limonaia' is missing" in said
    [link] = [b for b in page.findChildren(QPushButton) if b.text() == "Enter the key for Tangor …"]
    qtbot.mouseClick(link, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: asked == ["Key for Tangor"])


def test_a_key_that_is_kept_is_replaced_or_forgotten(
    bench_project: Project, open_window: Opener, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.delenv("ZEST_SECRET_LIMONAIA")
    keep_secret("limonaia", "a-key-of-some-length")
    window = open_window(bench_project)
    settle(qtbot, window)
    engine = bench_project.shortlist.engines()["Tangor"]

    def box() -> QMessageBox:
        ask_for_key(window, window.state, engine)
        qtbot.waitUntil(lambda: any(b.isVisible() for b in window.findChildren(QMessageBox)))
        return next(b for b in window.findChildren(QMessageBox) if b.isVisible())

    qtbot.keyClick(box(), Qt.Key.Key_Escape)
    settle(qtbot, window)
    assert is_kept("limonaia")
    [forget] = [b for b in box().findChildren(QPushButton) if b.text() == "Forget it"]
    qtbot.mouseClick(forget, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not is_kept("limonaia"), timeout=20_000)
    qtbot.waitUntil(lambda: "The key 'limonaia' is forgotten." in window.notice_text.text())


def test_pages_are_made_while_nobody_does_anything(
    bench_project: Project, open_window: Opener, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(preparing, "QUIET_S", 0.3)
    window = open_window(bench_project)
    settle(qtbot, window)
    before = set(window.pages)
    ready: list[str] = []
    ahead = preparing.Preparing(window, window.page, tuple(PAGE_CLASSES), lambda: ready.append("sound"),
                                busy=lambda: window.state.background.busy)  # fmt: skip
    ahead.begin()
    qtbot.keyPress(window.windowHandle(), Qt.Key.Key_Shift)
    qtbot.wait(100)
    assert set(window.pages) == before
    qtbot.waitUntil(lambda: ahead.done, timeout=60_000)
    assert set(window.pages) == set(PAGE_CLASSES)
    assert ready == ["sound"]
    for page in window.findChildren(TabbedPage):
        assert not page._makers
    assert window.current == "renders"


def test_work_that_is_asked_for_again_begins_no_more_or_stops(empty_project: Project, open_window: Opener) -> None:
    background, got = open_window(empty_project).state.background, list[str]()
    looked, replaced, begun = threading.Event(), threading.Event(), list[int]()

    def long_one() -> str:
        looked.set()
        replaced.wait(20)
        for _ in range(1_000):
            give_way()
        return "first"

    background.run(long_one, got.append, lambda _: None, topic="figures")
    assert looked.wait(20)
    background.run(lambda: time.sleep(0.2), lambda _: None, lambda _: None)  # the second of two workers
    for number in (1, 2, 3):
        background.run(lambda n=number: begun.append(n) or str(n), got.append, lambda _: None, topic="figures")  # type: ignore[misc]
    replaced.set()
    while background.busy:
        QApplication.processEvents()
    assert got == ["3"]
    assert begun == [3], "what nobody waits for is not begun"


def test_a_page_is_laid_out_without_asking_every_widget_over_and_over(
    bench_project: Project, open_window: Opener, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = open_window(bench_project)
    asked = 0
    height = FlowLayout.heightForWidth

    def counted(layout: FlowLayout, width: int) -> int:
        nonlocal asked
        asked += 1
        return height(layout, width)

    monkeypatch.setattr(FlowLayout, "heightForWidth", counted)
    for step in PAGE_CLASSES:
        window.go_to(step)
        settle(qtbot, window)
    assert 0 < asked < 3_000, "a stack that asks all it holds makes it tens of thousands"


def test_of_many_notices_the_first_are_shown_and_all_are_listed(
    empty_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(empty_project)
    for number in range(60):
        window.state.complain(f"File {number} is damaged.")
    qtbot.waitUntil(lambda: "52 more like these" in window.notice_text.text())
    assert [one.text for one in window.notices.said if "damaged" in one.text] == [
        f"File {number} is damaged." for number in range(60)
    ]


def test_the_walk_over_all_objects_waits_for_a_quiet_moment(
    bench_project: Project, open_window: Opener, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(collecting, "QUIET_S", 0.2)
    window = open_window(bench_project)
    mixer = window.state.player.mixer
    collector = collecting.QuietCollector(window, lambda: mixer.playing)
    qtbot.keyPress(window.windowHandle(), Qt.Key.Key_Shift)
    assert not collector.look(), "somebody types"
    qtbot.wait(300)
    assert collector.look()
    window.state.select(window.state.bench.candidates[0].id, window.state.bench.passages[0].id, play=True)
    settle(qtbot, window)
    qtbot.wait(300)
    assert mixer.playing
    assert not collector.look(), "somebody listens"


def test_work_in_the_background_stands_aside_while_the_window_fills_and_paints(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    settle(qtbot, window)
    background = window.state.background
    steps, ended = {"usual": 0, "urgent": 0, "writing": 0}, threading.Event()

    def work(name: str) -> None:
        while not ended.is_set():
            give_way()
            steps[name] += 1
            time.sleep(0.001)

    def write() -> None:
        """As long as it writes others wait for it: it does not wait for them."""
        with bench_project.documents.alone():
            work("writing")

    background._pool.setMaxThreadCount(3)
    background.run(lambda: work("usual"), lambda _: None, window.state.complain)
    background.run(lambda: work("urgent"), lambda _: None, window.state.complain, urgent=True)
    background.run(write, lambda _: None, window.state.complain)
    qtbot.waitUntil(lambda: min(steps.values()) > 5)
    background.stand_aside()
    time.sleep(0.02)  # a step that was begun may end
    before = dict(steps)
    time.sleep(0.1)
    assert steps["usual"] == before["usual"]
    assert steps["urgent"] > before["urgent"]
    assert steps["writing"] > before["writing"]
    qtbot.waitUntil(lambda: steps["usual"] > before["usual"] + 5)  # once the window is painted it goes on
    seen: list[int] = []
    background.stand_aside()
    at = steps["usual"]
    QTimer.singleShot(8, lambda: seen.append(steps["usual"]))  # when what was laid out anew is painted
    qtbot.waitUntil(lambda: bool(seen))
    ended.set()
    settle(qtbot, window)
    assert seen[0] <= at + 1, "until the last of it is painted, but for a step that was begun"


def test_a_page_is_filled_in_one_turn_and_painted_in_the_next(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    painted: list[str] = []

    class Watch(QObject):
        def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
            if event is not None and event.type() == QEvent.Type.Paint:
                painted.append("painted")
            return False

    watch = Watch()
    table = window.at_engines().engines.table
    table.viewport().installEventFilter(watch)
    window.go_to("brief")
    settle(qtbot, window)
    window.go_to("engines")
    window.at_engines().show_view("Engines")
    assert table.rowCount() == 2, "it is filled"
    QApplication.sendPostedEvents()
    assert painted == [], "and not painted yet"
    qtbot.waitUntil(lambda: bool(painted))


def test_lanes_come_one_by_one_where_drawing_takes_long_the_heard_one_first(
    bench_project: Project, open_window: Opener, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = open_window(bench_project)
    settle(qtbot, window)
    lanes, on = window.strip.lanes, window.state.player.mixer.on
    qtbot.waitUntil(lambda: lanes.whole)
    began, draw = [0.0], lanes._picture_of

    def slowly(index: int, name: str, *, on: bool) -> QPixmap:
        time.sleep(lane_painting.MOST_DRAWING_S)
        began[0] += 1
        return draw(index, name, on=on)

    monkeypatch.setattr(lanes, "_picture_of", slowly)
    lanes._new_marks()  # all are drawn anew
    assert list(lanes._still()) == [on]
    assert (began[0], lanes.whole) == (1, False)
    qtbot.waitUntil(lambda: lanes.whole)
    assert began[0] == len(window.state.tray.lanes) > 1


def test_a_long_passage_that_is_left_and_come_back_to_at_once_is_counted(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    bench_project.texts.add(["pear " * 500, "plum " * 600], language="en-GB")
    window = open_window(bench_project)
    window.go_to("passages")
    settle(qtbot, window)
    view = window.at_passages().widget_of(0)
    assert isinstance(view, SetView)
    pears = len(window.state.bench.passages) - 2
    view.table.selectRow(pears)
    qtbot.waitUntil(lambda: "500 words" in view._counts.text())
    view.table.selectRow(pears + 1)
    view.table.selectRow(pears)
    assert view._counts.text() == "", "not what was counted in another"
    qtbot.waitUntil(lambda: "500 words" in view._counts.text())


def test_nothing_begins_once_the_window_is_closed(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    window = open_window(bench_project)
    settle(qtbot, window)
    background, begun = window.state.background, threading.Event()
    background.close()
    background.run(begun.set, lambda _: None, window.state.complain)
    assert not background.busy
    assert not begun.wait(0.2)


def test_what_is_pasted_into_a_passage_is_no_longer_than_a_passage(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    window.go_to("passages")
    settle(qtbot, window)
    editor = window.page("passages").set.text  # type: ignore[attr-defined]
    before, clipboard = editor.plain_text(), QApplication.clipboard()
    assert clipboard is not None
    clipboard.setText("word" * 500_000)
    editor.setFocus()
    qtbot.keyClick(editor, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert editor.plain_text() == before
    said = f"{2_000_000 + len(before):,} characters; it may have at most 20,000. Nothing was pasted."
    assert said in window.notice_text.text()
    clipboard.setText("Warm, ")
    qtbot.keyClick(editor, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert editor.plain_text() == f"Warm, {before}"
    editor.set_marked("a" * 15_000, [])
    clipboard.setText("b" * 15_000)
    editor.selectAll()
    qtbot.keyClick(editor, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert editor.plain_text() == "b" * 15_000, "what is selected makes room"
    editor.set_marked(before, [])
    settle(qtbot, window)


def test_a_word_of_pages_is_broken_anywhere_and_other_texts_between_words(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    bench_project.texts.add(["word" * 4_000], language="en-GB")
    window = open_window(bench_project)
    window.go_to("passages")
    view = window.page("passages").set  # type: ignore[attr-defined]
    settle(qtbot, window)
    anywhere, between = QTextOption.WrapMode.WrapAnywhere, QTextOption.WrapMode.WrapAtWordBoundaryOrAnywhere
    for row, wrap in ((3, anywhere), (0, between), (3, anywhere), (1, between), (3, anywhere), (2, between)):
        view.table.selectRow(row)
        assert view.text.wordWrapMode() == wrap
        assert view.text.plain_text() == window.state.bench.passages[row].text


def test_a_bare_key_asks_before_it_spends(
    bench_project: Project, open_window: Opener, qtbot: QtBot, service: StandInService
) -> None:
    """R at a cell of a paid engine asks with the sum, Enter sends nothing; from another page it only leads there."""
    window = open_window(bench_project)
    settle(qtbot, window)
    paid = next(c for c in bench_project.shortlist.candidates() if c.engine == "Citrange")
    window.state.select(paid.id, window.state.bench.passages[0].id)
    window.go_to("cost")
    settle(qtbot, window)
    asked = service.behaviour.requests
    window.actions_by_id["again"].trigger()
    settle(qtbot, window)
    page = window.page("renders")
    assert window.current == "renders"
    assert not page.findChildren(QMessageBox)
    window.actions_by_id["again"].trigger()
    qtbot.waitUntil(lambda: any(b.isVisible() for b in page.findChildren(QMessageBox)))
    box = next(b for b in page.findChildren(QMessageBox) if b.isVisible())
    assert "under 0.01 EUR for 1 request," in box.text()
    qtbot.keyClick(box, Qt.Key.Key_Return)
    settle(qtbot, window)
    assert service.behaviour.requests == asked

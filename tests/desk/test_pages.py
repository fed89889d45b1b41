"""The pages: what a person does on them, and what they see."""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QDialog, QLabel, QMenu, QPushButton
from pytestqt.qtbot import QtBot

from tests.conftest import COMMAND_ENGINE
from tests.desk.conftest import Opener, Recorder, button_of, cells, drop, recorder, settle, words
from zestpanel.core.choice.decided import decisions
from zestpanel.core.measures.registry import listed
from zestpanel.core.store.project import Project
from zestpanel.desk import notices, remembered
from zestpanel.desk.actions import ACTIONS
from zestpanel.desk.pages.brief import BriefPage
from zestpanel.desk.pages.choice import ChoicePage
from zestpanel.desk.pages.choice.beside import BesideDialog
from zestpanel.desk.pages.choice.records import RecordsDialog
from zestpanel.desk.pages.choice.roles import RolesDialog
from zestpanel.desk.pages.engines import EnginesPage
from zestpanel.desk.pages.evidence import EvidencePage
from zestpanel.desk.pages.listening import ListeningPage
from zestpanel.desk.pages.listening.listener_dialog import ListenerDialog
from zestpanel.desk.pages.passages import PassagesPage
from zestpanel.desk.pages.renders import RendersPage
from zestpanel.desk.pages.tabbed import TabbedPage
from zestpanel.desk.playing.output import ClockOutput
from zestpanel.desk.playing.player import Player
from zestpanel.desk.sources import behind_cost, behind_score, behind_takes, behind_waits
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.viewmodels.steps import STEPS
from zestpanel.desk.window import MainWindow
from zestpanel.standins.service import StandInService


def test_every_page_of_an_empty_project_says_the_next_thing_to_do(
    empty_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(empty_project)
    assert window.current == "brief"
    for step, *_ in STEPS:
        window.go_to(step)
        settle(qtbot, window)
        page = window.page(step)
        if step != "brief":
            assert page.empty is not None, step
            assert page.empty.action.isEnabled()
    window.go_to("renders")
    empty = window.page("renders").empty
    assert empty is not None
    qtbot.mouseClick(empty.action, Qt.MouseButton.LeftButton)
    assert window.current == "engines"


def test_the_brief_is_kept_as_it_is_typed_and_undone(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    window = open_window(bench_project)
    window.go_to("brief")
    page = window.page("brief")
    assert isinstance(page, BriefPage)
    budget = page.field("budget_per_month")
    budget.setFocus()
    qtbot.keyClicks(budget, "12,50")
    qtbot.keyClick(budget, Qt.Key.Key_Return)
    assert "The budget: '12,50' is no number. Nothing was changed. Write 12.50, with a point." in words(page)
    assert bench_project.brief.budget_per_month is None
    budget.clear()
    qtbot.keyClicks(budget, "1,012.50")
    qtbot.keyClick(budget, Qt.Key.Key_Return)
    assert str(bench_project.brief.budget_per_month) == "1012.50"
    budget.clear()
    qtbot.keyClicks(budget, "much")
    qtbot.keyClick(budget, Qt.Key.Key_Return)
    assert "The budget: 'much' is no number. Nothing was changed. Write it like 2.50." in words(page)
    assert str(bench_project.brief.budget_per_month) == "1012.50"
    window.actions_by_id["undo"].trigger()
    assert bench_project.brief.budget_per_month is None


def test_scripts_and_engines_are_dropped_on_the_window(
    empty_project: Project, open_window: Opener, qtbot: QtBot, tmp_path: Path
) -> None:
    script, engine, other = tmp_path / "own.txt", tmp_path / "kitchen.yaml", tmp_path / "photo.jpg"
    script.write_text("First paragraph, of two\nlines.\n\nSecond one.", encoding="utf-8")
    engine.write_text(COMMAND_ENGINE, encoding="utf-8")
    other.write_bytes(b"x")
    window = open_window(empty_project)
    drop(window, script)
    settle(qtbot, window)
    assert window.current == "passages"
    assert [p.text for p in empty_project.texts.all()] == ["First paragraph, of two lines.", "Second one."]
    drop(window, engine)
    settle(qtbot, window)
    page = window.page("engines")
    assert isinstance(page, EnginesPage)
    assert page.voices.model.rowCount() == 2
    drop(window, other)
    settle(qtbot, window)
    assert "photo.jpg was not imported" in window.notice_text.text()
    bad = tmp_path / "bad.yaml"
    bad.write_text("zest-connector: 1\nengine: X\nspeak: {kind: command, arguments: [x]}\n", encoding="utf-8")
    drop(window, bad)
    settle(qtbot, window)
    assert "bad.yaml, line 1: the file: voices: list at least one" in window.notice_text.text()
    assert list(empty_project.shortlist.engines()) == ["Kitchen Table"]


def test_a_passage_is_edited_split_and_removed_with_undo(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    window.go_to("passages")
    page = window.page("passages")
    assert isinstance(page, PassagesPage)
    view = page.set
    view.text.setPlainText("The last frost falls in May. It may fall in June.")
    qtbot.waitUntil(lambda: "not kept yet" in words(page), timeout=60_000)
    qtbot.mouseClick(view.keep, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    first = bench_project.texts.all()[0]
    assert first.number == 2
    assert all(window.state.bench.cell(c.id, first.id).state == "stale" for c in window.state.bench.candidates)
    view.split_sentences()
    assert [p.text for p in bench_project.texts.all()][:2] == ["The last frost falls in May.", "It may fall in June."]
    window.actions_by_id["undo"].trigger()
    window.actions_by_id["undo"].trigger()
    settle(qtbot, window)
    assert next(p.text for p in bench_project.texts.all()) == "The last frost falls in May."
    assert window.state.bench.cell(window.state.bench.candidates[0].id, first.id).state == "there"
    qtbot.mouseClick(view.remove, Qt.MouseButton.LeftButton)
    assert len(bench_project.texts.all()) == 2
    window.actions_by_id["undo"].trigger()
    assert len(bench_project.texts.all()) == 3


def test_unfinished_typing_is_not_lost(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    window = open_window(bench_project)
    window.go_to("passages")
    page = window.page("passages")
    assert isinstance(page, PassagesPage)
    page.set.text.setPlainText("Half a thou")
    window.close()
    again = open_window(bench_project)
    again.go_to("passages")
    page = again.page("passages")
    assert isinstance(page, PassagesPage)
    assert page.set.text.toPlainText() == "Half a thou"


def test_a_run_from_the_price_to_the_last_take(
    bench_project: Project, open_window: Opener, qtbot: QtBot, service: StandInService
) -> None:
    bench_project.texts.add(["A new one."], language="en-GB", titles=["New"])
    service.behaviour.faults.append("web page")
    window = open_window(bench_project)
    page = window.page("renders")
    assert isinstance(page, RendersPage)
    qtbot.waitUntil(lambda: "Render what is missing" in page.render_button.text(), timeout=60_000)
    settle(qtbot, window)
    assert page.planned is not None
    assert len(page.planned.jobs) == 3
    assert "under 0.01 EUR" in page.render_button.text()
    qtbot.mouseClick(page.render_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.state.runs.run is not None and not window.state.runs.goes_on, timeout=60_000)
    settle(qtbot, window)
    qtbot.waitUntil(lambda: "takes rendered" in window.notice_text.text(), timeout=60_000)
    assert window.notice_text.text().startswith("2 takes rendered, 1 failed: The reply is a web page, not ")

    def states() -> list[str]:
        return sorted(window.state.bench.cell(c.id, 4).state for c in window.state.bench.candidates)

    qtbot.waitUntil(lambda: states() == ["failed", "there", "there"], timeout=20_000)  # read anew in the background
    failed = next(c for c in window.state.bench.candidates if window.state.bench.cell(c.id, 4).state == "failed")
    assert "a web page, not sound" in window.state.bench.cell(failed.id, 4).why or "JSON" in window.state.bench.cell(failed.id, 4).why  # fmt: skip  # noqa: E501
    settle(qtbot, window)
    assert page.planned.jobs == (), "what may have been paid is not asked for again by itself"
    assert "1 cell brought no sound and may have been paid for." in words(page)
    window.state.select(failed.id, 4)
    settle(qtbot, window)
    page.grid.setFocus()
    qtbot.keyClick(page.grid, Qt.Key.Key_R)
    qtbot.waitUntil(lambda: any(b.text() == "Let it be asked again" for b in page.findChildren(QPushButton)))
    box = next(b for b in page.findChildren(QPushButton) if b.text() == "Let it be asked again")
    assert "brought no sound (1 not sound)" in words(box.window())
    qtbot.mouseClick(box, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.state.bench.cell(failed.id, 4).state == "there", timeout=60_000)


def test_requests_left_open_are_asked_about_and_never_sent_by_themselves(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    candidate, passage = bench_project.shortlist.candidates()[0], bench_project.texts.add(["New."], language="en-GB")[0]
    run = bench_project.journal.begin_run(repeats=1, seed=0, machine="m")
    bench_project.journal.open_request(run_id=run, candidate_id=candidate.id, passage_version_id=passage.version_id,
                                     repeat=1, attempt=1, plan="Conservatory", characters=4)  # fmt: skip
    window = open_window(bench_project)
    page = window.page("renders")
    assert isinstance(page, RendersPage)
    page.refresh()
    settle(qtbot, window)
    assert page.planned is not None
    assert (candidate.id, passage.id) not in {(j.candidate.id, j.passage.id) for j in page.planned.jobs}
    page.ask_about_open_requests()
    qtbot.waitUntil(lambda: any(b.text() == "Let it be asked again" for b in page.findChildren(QPushButton)))
    box = next(b for b in page.findChildren(QPushButton) if b.text() == "Let it be asked again")
    assert "may have been paid" in words(box.window())
    qtbot.mouseClick(box, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert (candidate.id, passage.id) in {(j.candidate.id, j.passage.id) for j in page.planned.jobs}


def rate_all(project: Project) -> None:
    passages = project.texts.all()
    rows = []
    for k in range(6):
        listener = project.panel.add_listener(f"Listener {k}", languages=["en"])
        for n, candidate in enumerate(project.shortlist.candidates()):
            rows += [
                {"listener_id": listener.id, "candidate_id": candidate.id, "passage_version_id": p.version_id,
                 "score": float(4 - n + (k + p.id) % 2), "origin": "file"}
                for p in passages
            ]  # fmt: skip
    project.answers.add_ratings(rows)


def test_every_figure_leads_to_what_is_behind_it(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    rate_all(bench_project)
    window = open_window(bench_project)
    evaluation = window.state.evaluation
    assert evaluation is not None
    row = next(iter(evaluation.rows.values()))
    score = behind_score(window, bench_project, row)
    assert score.table.rowCount() == 18
    assert behind_takes(window, bench_project, row, "Sound", listed()).table.rowCount() == 3
    cost = behind_cost(window, row)
    assert "Conservatory" in words_of(cost)
    assert cost.table.rowCount() == 3
    assert behind_waits(window, bench_project, row).table.rowCount() == 0
    assert "95 %: " in words(window.card)
    score.table.copy()
    from PyQt6.QtGui import QGuiApplication

    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    assert clipboard.text().startswith("listener\tspeaks\tpassage\tscore\tfrom\nListener 0\ten\t")


def words_of(widget: object) -> str:
    return " | ".join(w.text() for w in widget.findChildren(QLabel))  # type: ignore[attr-defined]


def test_the_booth_from_the_first_clip_to_a_stop_and_on_again(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    window.go_to("listening")
    page = window.page("listening")
    assert isinstance(page, ListeningPage)
    qtbot.mouseClick(page.tests.start, Qt.MouseButton.LeftButton)
    assert "Who listens?" in window.notice_text.text()
    qtbot.keyClicks(page.tests.alias, "Ann")
    qtbot.keyClicks(page.tests.languages, "en")
    qtbot.mouseClick(page.tests.start, Qt.MouseButton.LeftButton)
    booth = window.booth
    assert booth.isVisible()
    qtbot.keyClick(booth, Qt.Key.Key_Return)  # what to do was read
    for rated in range(3):
        settle(qtbot, window)
        qtbot.waitUntil(lambda: bool(window.state.player.mixer.lanes), timeout=60_000)
        assert not [n for n in ("Tangor", "Citrange", "Ilseth") if n in words(booth)]
        qtbot.keyClick(booth, Qt.Key.Key_4)
        assert not booth.answers["4"].isEnabled(), "not before enough was heard"
        recorder(window).hear(1.0)
        window.state.player.moved.emit()
        assert not booth.answers["4"].isEnabled()
        recorder(window).hear(2.6)
        window.state.player.moved.emit()
        assert booth.answers["4"].isEnabled()
        qtbot.keyClick(booth, Qt.Key.Key_4)
        assert len(bench_project.answers.ratings(training=True)) == rated + 1
    assert len(bench_project.answers.ratings()) == 1, "two training clips are not scored"
    qtbot.mouseClick(booth.leave, Qt.MouseButton.LeftButton)
    qtbot.mouseClick(button_of(booth, "S    Stop"), Qt.MouseButton.LeftButton)
    assert booth.isVisible(), "no name and no score is shown to who was listening"
    assert "You stopped at 2 of 9. All your answers are kept." in words(booth)
    assert not any(grade.isVisible() for grade in booth.answers.values())
    qtbot.mouseClick(booth.leave, Qt.MouseButton.LeftButton)
    assert not booth.isVisible()
    settle(qtbot, window)
    assert "open; stopped: Ann after 3 of 11" in cells(page.tests.table)[0][-1]
    qtbot.mouseClick(page.tests.start, Qt.MouseButton.LeftButton)
    assert booth.session is not None
    assert booth.session.index == 3


def test_weights_gates_and_a_decision(
    bench_project: Project, open_window: Opener, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    rate_all(bench_project)
    window = open_window(bench_project)
    window.go_to("choice")
    settle(qtbot, window)
    page = window.page("choice")
    assert isinstance(page, ChoicePage)
    first = page.table.item(0, 1)
    assert first is not None
    assert first.text().startswith("Tangor · Ilseth")
    page.weighing.boxes["quality"].setFocus()
    page.weighing.boxes["quality"].setValue(0)
    first = page.table.item(0, 1)
    assert first is not None
    assert first.text().startswith("Citrange"), "the order follows at once, before anything is kept"
    assert bench_project.documents.get("criteria") is None
    page.weighing.boxes["quality"].editingFinished.emit()
    settle(qtbot, window)
    first = page.table.item(0, 1)
    assert first is not None
    assert first.text().startswith("Citrange"), "without quality the cheapest leads"
    window.actions_by_id["undo"].trigger()
    settle(qtbot, window)
    form = page.deciding
    form.who.setCurrentIndex(0)
    qtbot.mouseClick(form.choose, Qt.MouseButton.LeftButton)
    assert "needs its reason" in window.notice_text.text()
    qtbot.keyClicks(form.why, "Best of the panel")
    qtbot.mouseClick(form.choose, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert [d.why for d in decisions(bench_project.documents)] == ["Best of the panel"]
    opened: list[Path] = []
    monkeypatch.setattr(page, "show_record", opened.append)
    page.write()
    qtbot.waitUntil(lambda: bool(opened), timeout=60_000)
    assert "Best of the panel" in opened[0].read_text("utf-8")


def test_unknown_rights_stand_in_the_way_in_plain_words(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    rate_all(bench_project)
    bench_project.set_brief(bench_project.brief.model_copy(update={"must_haves": ("no watermark",)}))
    window = open_window(bench_project)
    window.go_to("choice")
    settle(qtbot, window)
    page = window.page("choice")
    assert isinstance(page, ChoicePage)
    citrange = bench_project.shortlist.candidates()[2].id
    page.deciding.name_candidate(citrange)
    assert not page.deciding.choose.isEnabled()
    assert "'no watermark' is unknown (plan 'By the character' does not say)" in words(page)


def test_actions_are_unique_and_all_reachable(bench_project: Project, open_window: Opener) -> None:
    window = open_window(bench_project)
    ids, keys = [d.id for d in ACTIONS], [d.keys for d in ACTIONS if d.keys]
    assert len(set(ids)) == len(ids)
    assert len(set(keys)) == len(keys)
    assert set(ids) == set(window.actions_by_id)
    assert all(d.menu or d.keys for d in ACTIONS)
    window.actions_by_id["keys"].trigger()
    sheet = next(w for w in window.findChildren(QLabel) if w.text() == "Shortcuts").window()
    assert sheet is not None
    assert "Hear that lane, from the same place in the text" in words(sheet)
    sheet.close()


@pytest.mark.parametrize("dark", [False, True])
def test_both_schemes_and_large_text_show_every_page(
    bench_project: Project, open_window: Opener, qtbot: QtBot, dark: bool
) -> None:
    rate_all(bench_project)
    window = open_window(bench_project)
    theme.set(dark=dark, scale=1.5)
    for step, *_ in STEPS:
        window.go_to(step)
        settle(qtbot, window)
        image = window.grab().toImage()
        assert image.pixelColor(image.width() // 2, 3).name() == theme.colour("paper").name()


def test_at_150_percent_every_page_and_view_fits_a_small_screen(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    theme.set(scale=1.5)
    window = open_window(bench_project)
    for step, *_ in [*STEPS, STEPS[3]]:
        window.go_to(step)
        page = window.page(step)
        for view in range(page.stack.count()) if isinstance(page, TabbedPage) else [0]:
            if isinstance(page, TabbedPage):
                page.show_view(view)
            settle(qtbot, window)
            least = window.minimumSizeHint()
            assert (least.width() <= 1280, least.height() <= 800) == (True, True), (step, view, least)
    # nor is a dialog larger than the window it belongs to
    window.resize(1280, 800)
    renders = window.page("renders")
    assert isinstance(renders, RendersPage)
    for open_dialog in (renders.plan_a_run, renders.show_takes):
        open_dialog()
        settle(qtbot, window)
        dialog = next(w for w in renders.findChildren(QDialog) if w.isVisible())
        assert (dialog.width() <= 1280, dialog.height() <= 800) == (True, True), dialog.size()
        dialog.close()


def test_hard_parts_are_shown_corrected_and_counted(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    window = open_window(bench_project)
    window.go_to("passages")
    page = window.page("passages")
    assert isinstance(page, PassagesPage)
    view = page.set
    view.text.setPlainText("It bore on 14 May 1976, at £3 a pound. Who read that?")
    qtbot.waitUntil(lambda: "dates: 14 May 1976" in view.hard.text(), timeout=60_000)
    assert "read (reed (now) or red (then))" in view.hard.text()
    qtbot.mouseClick(view.keep, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    shown = view.table.item(0, 1)
    assert shown is not None
    assert shown.text().split("\n")[1] == "dates, money, homographs, questions"
    assert "of 24 kinds of hard parts" in view.coverage.text()
    view.correct_kind("money", False)
    view.correct_kind("names", True)
    passage = bench_project.texts.all()[0]
    assert bench_project.hard_parts.kinds(passage) == ["dates", "names", "homographs", "questions"]
    window.actions_by_id["undo"].trigger()
    window.actions_by_id["undo"].trigger()
    assert bench_project.hard_parts.kinds(passage) == ["dates", "money", "homographs", "questions"]


def test_several_lines_of_ones_own_survive_other_edits_of_the_brief(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    lines = {"en": "One plain line.\nA second one."}
    bench_project.set_brief(bench_project.brief.model_copy(update={"audition_lines": lines}))
    window = open_window(bench_project)
    window.go_to("brief")
    page = window.page("brief")
    assert isinstance(page, BriefPage)
    assert page.field("line_en").text() == "One plain line. | A second one."
    budget = page.field("budget_per_month")
    qtbot.keyClicks(budget, "12")
    qtbot.keyClick(budget, Qt.Key.Key_Return)
    assert bench_project.brief.audition_lines == lines
    own = page.field("line_en")
    own.setText("Only | three | now")
    qtbot.keyClick(own, Qt.Key.Key_Return)
    assert bench_project.brief.audition_line("en-GB") == "Only\nthree\nnow"


def test_without_a_sound_device_nothing_is_rated_and_with_one_it_goes_on(bench_project: Project, qtbot: QtBot) -> None:
    devices = [ClockOutput, ClockOutput, Recorder]
    window = MainWindow(bench_project, player=Player(open_device=lambda mixer, parent: devices.pop(0)(mixer, parent)))
    window.show()
    settle(qtbot, window)
    page = window.page("listening")
    assert isinstance(page, ListeningPage)
    window.go_to("listening")
    page.tests.alias.setText("Ann")
    page.tests.languages.setText("en")
    page.tests.to_the_booth()
    settle(qtbot, window)
    booth = window.booth
    qtbot.keyClick(booth, Qt.Key.Key_Return)
    assert "There is no sound device, so nothing can be rated" in words(booth)
    mixer = window.state.player.mixer
    qtbot.waitUntil(lambda: bool(mixer.lanes), timeout=60_000)
    mixer.play()
    mixer.render(200_000)  # all of the clip is pulled by the clock, and nobody hears it
    window.state.player.moved.emit()
    qtbot.keyClick(booth, Qt.Key.Key_4)
    assert not booth.answers["4"].isEnabled()
    assert bench_project.answers.ratings(training=True) == []
    mixer.pause()
    qtbot.keyClick(booth, Qt.Key.Key_Space)  # a device was connected
    assert "Listen to at least 80%" in words(booth)
    mixer.seek(0)
    recorder(window).hear(3.6)
    window.state.player.moved.emit()
    qtbot.keyClick(booth, Qt.Key.Key_4)
    assert len(bench_project.answers.ratings(training=True)) == 1
    window.close()


@pytest.mark.parametrize("step", ["evidence", "listening", "cost", "choice"])
def test_pages_about_names_stay_covered_while_labels_are_hidden(
    bench_project: Project, open_window: Opener, qtbot: QtBot, step: str
) -> None:
    rate_all(bench_project)
    window = open_window(bench_project)
    window.state.toggle_labels()
    window.go_to(step)
    settle(qtbot, window)
    page = window.page(step)
    assert "Labels are hidden" in words(page)
    shown = " ".join(w.text() for w in page.findChildren(QLabel) if w.isVisible())
    assert not [name for name in ("Tangor", "Citrange", "Ilseth", "Linnoway") if name in shown]
    assert page.empty is not None
    qtbot.mouseClick(page.empty.action, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert page.empty is None


def test_exchange_rates_are_typed_once_and_refused_in_words(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    window.go_to("brief")
    page = window.page("brief")
    assert isinstance(page, BriefPage)
    field = page.field("rates")

    def write(text: str) -> None:
        field.setText(text)
        field.editingFinished.emit()

    write("USD 0.92 2026-11-02 the bank | gbp 1.17")
    rates = bench_project.brief.exchange_rates
    assert [(r.currency, str(r.rate), str(r.dated), r.source) for r in rates] == [
        ("USD", "0.92", "2026-11-02", "the bank"), ("GBP", "1.17", "None", "")]  # fmt: skip
    page.refresh()
    assert field.text() == "USD 0.92 2026-11-02 the bank | GBP 1.17"
    for text, complaint in (
        ("dollars", "'dollars' is no exchange rate"),
        ("USD nothing", "The rate of USD: 'nothing' is no number"),
        ("EUR 1", "EUR is the currency of the brief itself"),
        ("USD 0.9 2026-13-40", "'2026-13-40' is no date"),
        ("USD -1", "is below 0"),
        ("USD 0.9 | USD 0.8", "two exchange rates"),
    ):
        write(text)
        assert complaint in words(page), text
        assert "Nothing was changed." in words(page)
        assert bench_project.brief.exchange_rates == rates
    days = page.days
    days.setValue(8)
    write("")
    assert (bench_project.brief.days_of_work, bench_project.brief.exchange_rates) == (8, ())
    page.field("one_off_months").setText("24")
    page.field("one_off_months").editingFinished.emit()
    assert bench_project.brief.one_off_months == 24


def test_listeners_are_told_which_languages_they_speak(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    candidate, passage = bench_project.shortlist.candidates()[0], bench_project.texts.all()[0]
    ann = bench_project.panel.add_listener("Ann")
    bench_project.answers.add_ratings([{"listener_id": ann.id, "candidate_id": candidate.id, "score": 4.0,
                                      "passage_version_id": passage.version_id, "origin": "file"}])  # fmt: skip
    window = open_window(bench_project)
    window.go_to("listening")
    settle(qtbot, window)
    page = window.page("listening")
    assert isinstance(page, ListeningPage)
    page.show_view("Results")
    settle(qtbot, window)
    assert "1 by listeners whose languages are not stated" in words(page.results)
    page.show_view("Listeners")
    settle(qtbot, window)
    page.people.open_listener(0)
    (dialog,) = page.findChildren(ListenerDialog)
    dialog.languages.setText("EN; fr")
    assert "English, French" in words(dialog)
    dialog.accent.setText("Scottish")
    qtbot.mouseClick(button_of(dialog, "Keep"), Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert cells(page.people.people)[0][1:3] == ["en, fr", "Scottish"]
    page.show_view("Results")
    settle(qtbot, window)
    assert "not stated" not in words(page.results)
    window.actions_by_id["undo"].trigger()
    assert bench_project.panel.listeners()[0].languages == ()
    page.tests.alias.setText("Ann")
    page.tests.languages.clear()
    page.tests.to_the_booth()
    assert "Which languages does Ann speak?" in window.notice_text.text()


def test_a_newcomer_hears_something_in_the_first_minute(
    empty_project: Project, open_window: Opener, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("ZEST_PYTHON", sys.executable)
    window = open_window(empty_project)
    brief = window.page("brief")
    assert isinstance(brief, BriefPage)
    window.go_to("brief")
    assert brief.doors.isVisible()
    assert "Three ways to begin" in words(brief)
    window.go_to("engines")
    page = window.page("engines")
    assert isinstance(page, EnginesPage)
    page.add_first()
    settle(qtbot, window)
    for dialog in page.findChildren(QDialog):
        if dialog.isVisible():
            qtbot.mouseClick(next(b for b in dialog.findChildren(QPushButton) if b.text().startswith("Allow")),
                             Qt.MouseButton.LeftButton)  # fmt: skip
    empty_project.texts.add(["The last frost falls in May."], language="en-GB")
    window.state.refresh()
    window.go_to("renders")
    renders = window.page("renders")
    assert isinstance(renders, RendersPage)
    settle(qtbot, window)
    renders.start()
    qtbot.waitUntil(lambda: window.state.runs.run is not None and not window.state.runs.goes_on, timeout=60_000)
    settle(qtbot, window)
    assert window.state.bench.candidates[0].engine == "Built-in voice"
    qtbot.waitUntil(lambda: bool(window.state.player.mixer.lanes), timeout=20_000)
    qtbot.keyClick(window, Qt.Key.Key_Space)
    assert np.abs(recorder(window).hear(1.5)).max() > 0.05, "it speaks"
    window.go_to("brief")
    assert not brief.doors.isVisible(), "the project is not empty any more"


def test_notices_stack_fade_and_are_kept_and_escape_closes_them(
    bench_project: Project, open_window: Opener, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(notices, "GOOD_NEWS_MS", 200)
    window = open_window(bench_project)
    page_at = window.page("renders").mapTo(window, QPoint(0, 0))
    window.state.say("All is well.")
    window.state.complain("Something is wrong.")
    window.state.complain("Something is wrong.")
    assert window.page("renders").mapTo(window, QPoint(0, 0)) == page_at, "nothing moves under the hand"
    assert [one.text for one in window.notices.said][-2:] == ["Something is wrong."] * 2
    assert words(window.notices).count("Something is wrong.") == 1
    qtbot.waitUntil(lambda: "All is well." not in words(window.notices), timeout=5_000)
    assert "Something is wrong." in words(window.notices), "a problem stays"
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    assert not window.notices.any
    window.actions_by_id["said"].trigger()
    (dialog,) = window.findChildren(notices.NoticesDialog)
    assert [row[2] for row in cells(dialog.table)][:3] == ["Something is wrong.", "Something is wrong.", "All is well."]


def test_alt_left_goes_back_the_way_one_came(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    window = open_window(bench_project)
    window.go_to("engines")
    page = window.page("engines")
    assert isinstance(page, TabbedPage)
    page.show_view("Shortlist")
    window.go_to("cost")
    settle(qtbot, window)
    window.actions_by_id["go_back"].trigger()
    assert (window.current, page.view) == ("engines", "Shortlist")
    window.actions_by_id["go_back"].trigger()
    assert (window.current, page.view) == ("engines", "Voices")
    window.actions_by_id["go_on"].trigger()
    window.actions_by_id["go_on"].trigger()
    assert window.current == "cost"
    window.actions_by_id["go_on"].trigger()
    assert window.current == "cost"


def test_the_window_comes_back_where_it_stood_and_never_larger_than_the_screen(
    bench_project: Project, open_window: Opener
) -> None:
    window = open_window(bench_project)
    window.resize(1100, 700)
    window.go_to("cost")
    remembered.keep_place(window, bench_project.folder, window.current)
    remembered.add_recent(bench_project.folder)
    window.resize(5_000, 4_000)
    remembered.put_in_place(window)
    screen = window.screen()
    assert screen is not None
    room = screen.availableGeometry()
    assert window.height() == min(700, room.height())
    assert window.width() <= max(room.width(), window.minimumSizeHint().width(), 1100)
    assert remembered.page_of(bench_project.folder) == "cost"
    assert remembered.recent()[0] == bench_project.folder


def test_records_are_listed(
    bench_project: Project, open_window: Opener, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    rate_all(bench_project)
    window = open_window(bench_project)
    window.go_to("choice")
    settle(qtbot, window)
    page = window.page("choice")
    assert isinstance(page, ChoicePage)
    opened: list[Path] = []
    monkeypatch.setattr(page, "show_record", opened.append)
    for _ in range(2):
        page.write()
        settle(qtbot, window)
    page.open_records()
    (dialog,) = page.findChildren(RecordsDialog)
    assert len(cells(dialog.table)) == 2, "two of one minute stand beside each other"
    dialog.table.row_chosen.emit(1)
    assert opened[-1].name == cells(dialog.table)[1][1]


def test_roles_are_added_named_and_filled_in_the_window(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    rate_all(bench_project)
    window = open_window(bench_project)
    window.go_to("choice")
    settle(qtbot, window)
    page = window.page("choice")
    assert isinstance(page, ChoicePage)
    assert list(page.tabs) == ["main-narrator", "fall-back"]
    qtbot.keyClicks(page.deciding.why, "Best of the panel")
    qtbot.mouseClick(page.deciding.choose, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert page.tabs["main-narrator"].text() == "Main narrator, English ✓"
    qtbot.mouseClick(page.tabs["fall-back"], Qt.MouseButton.LeftButton)
    page.deciding.name_candidate(bench_project.shortlist.candidates()[0].id)
    assert "not on the engine of main narrator" in words(page.deciding), "a fall-back on the same engine is refused"
    assert not page.deciding.choose.isEnabled()
    page.deciding.ask_why_not()
    (beside,) = page.findChildren(BesideDialog)
    assert any(line[0] == "Not on the engine of main narrator" for line in cells(beside.table))
    qtbot.keyClick(beside, Qt.Key.Key_Return)
    assert not beside.isVisible()

    page.ask_for_roles()
    (roles,) = page.findChildren(RolesDialog)
    roles.list.setCurrentRow(0)
    roles.fields["name"].setText("")
    qtbot.mouseClick(roles.keep_button, Qt.MouseButton.LeftButton)
    assert "A role has a name" in roles.wrong.text()
    roles.fields["name"].setText("Lead voice")
    roles.new.setCurrentText("adverts")
    roles.add_role()
    assert roles.list.count() == 3
    roles.fields["share_percent"].setText("a tenth")
    roles.list.setCurrentRow(0)
    assert roles.list.currentRow() == 2, "what makes no sense is not left behind"
    roles.fields["share_percent"].setText("10")
    qtbot.keyClick(roles.fields["share_percent"], Qt.Key.Key_Return)
    assert not roles.isVisible()
    settle(qtbot, window)
    assert list(page.tabs) == ["main-narrator", "fall-back", "adverts"]
    assert page.tabs["main-narrator"].text() == "Lead voice, English ✓", "renamed, it keeps its decision"
    assert "Lead voice" in words(page.deciding)
    window.actions_by_id["undo"].trigger()
    assert [one.name for one in bench_project.brief.roles] == ["main narrator", "fall-back"]


def test_evidence_answers_in_sentences_before_it_shows(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    window.go_to("evidence")
    settle(qtbot, window)
    page = window.page("evidence")
    assert isinstance(page, EvidencePage)
    assert page.measures.verdict.text()
    assert page.measures.verdict.y() < page.measures.table.y(), "sentence, then table"
    page.show_view("Waits")
    settle(qtbot, window)
    assert page.waits.whole.picture() is None, "nothing was timed: no request was sent"


def test_enter_presses_the_button_one_is_at(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    window = open_window(bench_project)
    window.go_to("engines")
    settle(qtbot, window)
    page = window.at_engines()
    tab = page.tabs[1]
    for button, pressed in ((tab, lambda: page.view == "Engines"), (page.exchange, lambda: page.findChildren(QMenu))):
        button.setFocus()
        assert not pressed()
        qtbot.keyClick(button, Qt.Key.Key_Return)
        settle(qtbot, window)
        assert pressed()

"""Engines and voices: what a person does there, and what they see."""

from __future__ import annotations

import sys
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import TypeVar

import numpy as np
import pytest
from PyQt6 import sip
from PyQt6.QtCore import QItemSelectionModel, Qt
from PyQt6.QtWidgets import QComboBox, QDialog, QDoubleSpinBox, QFileDialog, QLineEdit
from pytestqt.qtbot import QtBot

from tests.conftest import KEY, add_demo_engine, demo_engine_source, pretend_take, tone
from tests.desk.conftest import Opener, cells, pitch_of, recorder, settle
from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import write_wav
from zestpanel.core.clock import today
from zestpanel.core.report.catalogue_file import as_yaml, export_catalogue, parse_catalogue
from zestpanel.core.store.own_voices import Consent
from zestpanel.core.store.project import Project
from zestpanel.desk.pages.cost import CostPage
from zestpanel.desk.pages.engines import EnginesPage
from zestpanel.desk.pages.engines.by_hand import ByHandDialog
from zestpanel.desk.pages.engines.changes import ChangesDialog
from zestpanel.desk.pages.engines.notes import ConsentDialog, NoteDialog, SetupDialog, StatementDialog
from zestpanel.desk.pages.engines.own_voice import OwnVoiceDialog, RemoveVoiceDialog
from zestpanel.desk.pages.engines.price import PriceDialog
from zestpanel.desk.pages.engines.shortlist import VariantDialog, VersionsDialog
from zestpanel.desk.pages.engines.wizard import WizardDialog
from zestpanel.desk.window import MainWindow
from zestpanel.standins.service import StandInService
from zestpanel.standins.timbre import speak
from zestpanel.standins.voices import PIPS, VOICES


@pytest.fixture
def on_page(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> Callable[[str], tuple[MainWindow, EnginesPage]]:
    def open_it(view: str) -> tuple[MainWindow, EnginesPage]:
        window = open_window(bench_project)
        window.go_to("engines")
        page = window.page("engines")
        assert isinstance(page, EnginesPage)
        page.show_view(view)
        settle(qtbot, window)
        return window, page

    return open_it


OnPage = Callable[[str], tuple[MainWindow, EnginesPage]]


D = TypeVar("D", bound=QDialog)


def dialog_of(page: EnginesPage, kind: type[D]) -> D:
    found = [d for d in page.findChildren(kind) if d.isVisible()]
    assert found, kind.__name__
    return found[-1]


def test_voices_are_found_heard_on_ones_own_line_and_shortlisted(
    bench_project: Project, on_page: OnPage, qtbot: QtBot, service: StandInService
) -> None:
    window, page = on_page("Voices")
    view = page.voices
    window.actions_by_id["find"].trigger()
    assert view.search.hasFocus()
    qtbot.keyClicks(view.search, "american brisk")
    assert view.model.rowCount() == 1
    found = view.chosen()
    assert found is not None
    assert found.voice.label == "Brindal"
    view.table.setFocus()
    qtbot.keyClick(view.table, Qt.Key.Key_P)
    qtbot.waitUntil(lambda: window.state.player.mixer.playing, timeout=60_000)
    assert abs(recorder(window).hear(1.0)).max() > 0.01
    assert service.behaviour.used == len("One plain line.")
    pace = view.settings.widgets["pace"]
    assert isinstance(pace, QDoubleSpinBox)
    pace.setValue(0.9)
    qtbot.mouseClick(view.add, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    added = bench_project.shortlist.candidates()[-1]
    assert (added.voice, added.settings["pace"], added.factory) == ("brindal", 0.9, False)
    qtbot.mouseClick(view.add, Qt.MouseButton.LeftButton)
    assert "is on the shortlist already" in window.notice_text.text()
    window.actions_by_id["undo"].trigger()
    assert len(bench_project.shortlist.candidates()) == 3


def test_facets_narrow_with_counts_and_several_voices_are_listed_at_once(
    bench_project: Project, on_page: OnPage, qtbot: QtBot
) -> None:
    window, page = on_page("Voices")
    view = page.voices
    texts = [view.facets.item(i).text() for i in range(view.facets.count())]  # type: ignore[union-attr]
    assert "Italian, 2" in texts
    italian = view.facets.item(texts.index("Italian, 2"))
    assert italian is not None
    view.facets.setFocus()
    view.facets.setCurrentItem(italian)
    qtbot.keyClick(view.facets, Qt.Key.Key_Space)
    assert view.model.rowCount() == 2
    assert view._count.text() == "2 of 14 voices: 1 woman, 1 man"
    view.table.selectAll()
    qtbot.mouseClick(view.favourite, Qt.MouseButton.LeftButton)
    assert {v for (_, v), n in bench_project.notes.voices().items() if n.favourite} == {"fiorenda", "massarro"}
    view.table.selectAll()
    qtbot.mouseClick(view.add, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert [c.voice for c in bench_project.shortlist.candidates()[-2:]] == ["fiorenda", "massarro"]
    qtbot.mouseClick(view.reset, Qt.MouseButton.LeftButton)
    assert view.model.rowCount() == 14
    window.actions_by_id["undo"].trigger()
    window.actions_by_id["undo"].trigger()
    assert not any(n.favourite for n in bench_project.notes.voices().values())


def test_a_note_is_written_and_found_and_a_style_a_voice_lacks_is_said(
    bench_project: Project, on_page: OnPage, qtbot: QtBot
) -> None:
    _, page = on_page("Voices")
    view = page.voices
    qtbot.keyClicks(view.search, "corwick")
    qtbot.mouseClick(view.note, Qt.MouseButton.LeftButton)
    note = dialog_of(page, NoteDialog)
    note.tags.setText("mature, calm")
    note.words.setPlainText("a good uncle")
    qtbot.mouseClick(note.keep_button, Qt.MouseButton.LeftButton)
    view.search.clear()
    qtbot.keyClicks(view.search, "uncle mature")
    assert view.model.rowCount() == 1
    assert view.chosen().voice.id == "corwick"
    mood = view.settings.widgets["mood"]
    assert isinstance(mood, QComboBox)
    assert [mood.itemText(i) for i in range(mood.count())] == ["plain", "calm", "warm – not in this voice"]
    view.line.setEditText("Another line to keep.")
    qtbot.mouseClick(view.keep_line, Qt.MouseButton.LeftButton)
    assert bench_project.brief.audition_lines["en"] == "One plain line.\nAnother line to keep."


def test_facts_are_stated_with_a_source_and_disagreement_is_shown(
    bench_project: Project, on_page: OnPage, qtbot: QtBot
) -> None:
    window, page = on_page("Engines")
    view = page.engines
    view.table.selectRow(1)
    qtbot.mouseClick(view.state_fact, Qt.MouseButton.LeftButton)
    dialog = dialog_of(page, StatementDialog)
    dialog.subject.setCurrentText("plan By the character")
    dialog.fact.setCurrentText("download")
    dialog.value.setText("perhaps")
    qtbot.mouseClick(dialog.keep_button, Qt.MouseButton.LeftButton)
    assert "'download' is yes or no" in dialog.wrong.text()
    dialog.value.setText("no")
    dialog.source.setText("terms page")
    qtbot.mouseClick(dialog.keep_button, Qt.MouseButton.LeftButton)
    shown = [row for row in cells(view.detail) if row[:2] == ["plan By the character", "download"]]
    assert shown[0][2] == "yes or no – sources disagree"
    assert "terms page" in shown[0][3]
    window.actions_by_id["undo"].trigger()
    assert bench_project.notes.statements() == {}
    qtbot.mouseClick(view.log, Qt.MouseButton.LeftButton)
    log = dialog_of(page, SetupDialog)
    log.minutes.setValue(25)
    log.words.setPlainText("asked for an account")
    qtbot.mouseClick(log.keep_button, Qt.MouseButton.LeftButton)
    view.what.setCurrentText("Set-up log")
    assert cells(view.detail)[0][2:] == ["setting up", "25", "asked for an account"]


def test_engines_are_narrowed_by_facets_in_a_row(bench_project: Project, on_page: OnPage, qtbot: QtBot) -> None:
    add_demo_engine(bench_project, "rangpur")
    window, page = on_page("Engines")
    qtbot.waitUntil(lambda: "on this machine" in page.engines.facets.buttons, timeout=60_000)
    bar = page.engines.facets
    menu = bar.menu("paid")
    next(one for one in menu.actions() if one.text().startswith("own machine")).trigger()
    assert [row[0] for row in cells(page.engines.table)] == ["Rangpur"]
    assert bar.buttons["paid"].text() == "paid: own machine"
    assert page.engines.counted.text() == f"1 of {len(window.state.bench.engines)} engines"
    qtbot.mouseClick(bar.all, Qt.MouseButton.LeftButton)
    assert len(cells(page.engines.table)) == len(window.state.bench.engines)


def test_engines_side_by_side_and_claims_against_our_figures(on_page: OnPage, qtbot: QtBot) -> None:
    _, page = on_page("Engines")
    view = page.engines
    view.table.selectAll()
    rows = {row[0]: row[1:] for row in cells(view.detail)}
    assert rows["keeps no data"] == ["yes", "no"]
    assert "facts differ" in view.heading.text()
    view.what.setCurrentText("Claims and outside opinions")
    claims = cells(view.detail)
    assert claims[0][:3] == ["Tangor", "claim: Starts to speak within a second", "unverified"]
    assert any("ranking: Growers' listening circle" in row[1] and row[2] == "place 1 of 9" for row in claims)
    view.what.setCurrentText("To look at again")
    assert any("Citrange" in row[0] and "older than 90 days" in row[1] for row in cells(view.detail))


def test_a_claim_that_no_figure_answers_is_settled_by_hand(
    bench_project: Project, on_page: OnPage, qtbot: QtBot
) -> None:
    add_demo_engine(bench_project, "mandelo")
    window, page = on_page("Engines")
    view = page.engines
    view.table.selectRow(2)
    view.what.setCurrentText("Claims and outside opinions")
    row = next(i for i, r in enumerate(cells(view.detail)) if r[1] == "claim: The widest choice of voices")
    states = []
    for _ in range(3):
        view.detail.row_chosen.emit(row)
        states.append(cells(view.detail)[row][2])
    assert states == ["confirmed", "refuted", "unverified"]
    window.actions_by_id["undo"].trigger()
    page.refresh()
    assert cells(view.detail)[row][2:4] == ["refuted", "set by hand"]
    measured = next(i for i, r in enumerate(cells(view.detail)) if "fifth of a second" in r[1])
    view.detail.row_chosen.emit(measured)
    assert cells(view.detail)[measured][2] == "unverified", "a claim that a figure can answer is not settled by hand"


def test_a_key_goes_to_the_key_store_and_nowhere_else(
    bench_project: Project, on_page: OnPage, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    import keyring
    from PyQt6.QtWidgets import QInputDialog

    window, page = on_page("Engines")
    kept: dict[str, str] = {}
    monkeypatch.setattr(keyring, "set_password", lambda _, name, value: kept.update({name: value}))
    monkeypatch.setattr(keyring, "get_password", lambda _, name: kept.get(name))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: (" a-secret ", True))
    qtbot.mouseClick(page.engines.key, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert kept == {"limonaia": "a-secret"}
    assert "a-secret" not in window.notice_text.text()
    assert "a-secret" not in as_yaml(export_catalogue(bench_project))
    for path in bench_project.folder.rglob("*"):
        assert path.is_dir() or b"a-secret" not in path.read_bytes(), "a key never enters the project"


def test_try_it_masks_the_key_and_says_what_was_understood(
    on_page: OnPage, qtbot: QtBot, service: StandInService
) -> None:
    from zestpanel.desk.try_it import TryIt

    _, page = on_page("Voices")
    qtbot.mouseClick(page.voices.try_it, Qt.MouseButton.LeftButton)
    dialog = dialog_of(page, TryIt)
    assert KEY not in dialog.asked.toPlainText()
    assert "••••" in dialog.asked.toPlainText()
    qtbot.mouseClick(dialog.send, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "first sound" in dialog.answer.toPlainText(), timeout=60_000)
    assert "Characters billed: " in dialog.answer.toPlainText()
    dialog.close()


def test_a_services_voices_are_taken_over_after_a_preview_while_the_window_is_used(
    bench_project: Project, on_page: OnPage, qtbot: QtBot, service: StandInService
) -> None:
    add_demo_engine(bench_project, "mandelo")
    window, page = on_page("Engines")
    view = page.engines
    view.table.selectRow(2)
    qtbot.mouseClick(view.fetch, Qt.MouseButton.LeftButton)
    page.show_view("Voices")  # the window goes on meanwhile
    qtbot.keyClicks(page.voices.search, "ilseth")
    assert page.voices.model.rowCount() == 1
    page.voices.search.clear()
    page.show_view("Engines")
    settle(qtbot, window)
    changes = dialog_of(page, ChangesDialog)
    assert f"{PIPS} new" in changes.summary.text()
    assert len(bench_project.shortlist.engines()["Mandelo"].voices) == 0
    qtbot.mouseClick(changes.agree, Qt.MouseButton.LeftButton)
    assert len(bench_project.shortlist.engines()["Mandelo"].voices) == PIPS
    page.show_view("Voices")
    settle(qtbot, window)
    assert page.voices.model.rowCount() == 14 + PIPS


def test_the_shortlist_says_what_stands_in_the_way_and_takes_a_variant(
    bench_project: Project, on_page: OnPage, qtbot: QtBot, service: StandInService
) -> None:
    bench_project.texts.add(["Une poire."], language="fr-FR")
    bench_project.texts.add(["A pear. <break/>"], language="en-GB")
    window, page = on_page("Shortlist")
    view = page.shortlist
    settle(qtbot, window)
    first = cells(view.table)[0]
    assert first[4] == (
        "<break> would be read aloud: turn the tags of the text into marks (1 of 5 passages)\n"
        "reads 4 of 5 passages; the others are in other languages"
    )
    view.table.selectRow(0)
    qtbot.mouseClick(view.duplicate, Qt.MouseButton.LeftButton)
    dialog = dialog_of(page, VariantDialog)
    assert dialog.differs.text() == "Nothing differs yet."
    qtbot.mouseClick(dialog.keep_button, Qt.MouseButton.LeftButton)
    assert "Nothing differs from the candidate" in dialog.wrong.text()
    pace, lively = dialog.settings.widgets["pace"], dialog.settings.widgets["liveliness"]
    assert isinstance(pace, QDoubleSpinBox)
    assert isinstance(lively, QDoubleSpinBox)
    pace.setValue(0.9)
    assert dialog.differs.text() == "Differs in pace."
    lively.setValue(1.5)
    assert "cannot be told apart by ear" in dialog.differs.text()
    lively.setValue(1.0)
    qtbot.mouseClick(dialog.keep_button, Qt.MouseButton.LeftButton)
    added = bench_project.shortlist.candidates()[-1]
    assert (added.voice, added.settings["pace"]) == ("ilseth", 0.9)
    view.table.selectRow(3)
    qtbot.mouseClick(view.off, Qt.MouseButton.LeftButton)
    assert len(bench_project.shortlist.candidates()) == 3


def test_a_recording_is_checked_agreed_to_and_made_a_voice(
    bench_project: Project, on_page: OnPage, qtbot: QtBot, tmp_path: Path
) -> None:
    add_demo_engine(bench_project, "sunquat")
    window, page = on_page("Own voices")
    view = page.recordings
    assert view.empty.isVisible()
    clip, _ = speak(
        "The last frost of spring falls, on average, in the middle of May, or so they say.", VOICES["ilseth"]
    )
    write_wav(tmp_path / "Ann.wav", clip)
    view.add_file(tmp_path / "Ann.wav")
    settle(qtbot, window)
    checks = {row[0]: row[1:] for row in cells(view.checks)}
    assert checks["length"][0] == "fail" or checks["length"][0] == "warning"
    assert checks["clipping"][0] == "pass"
    assert cells(view.table)[0][4] == "nobody's: it may not speak"
    qtbot.mouseClick(view.trim, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert [row[1] for row in cells(view.table)] == ["as given", "best stretch"]
    qtbot.mouseClick(view.make, Qt.MouseButton.LeftButton)
    voice = dialog_of(page, OwnVoiceDialog)
    voice.engine.setCurrentText("Sunquat")
    qtbot.mouseClick(voice.keep_button, Qt.MouseButton.LeftButton)
    assert cells(view.voices) == [["Ann", "Sunquat", "Ann, best stretch"]]
    bench_project.shortlist.add(bench_project.shortlist.engines()["Sunquat"], voice="own-ann")
    window.state.refresh()
    page.show_view("Shortlist")
    settle(qtbot, window)
    assert cells(page.shortlist.table)[-1][4].split("\n")[0] == "nobody's consent is recorded for 'Ann'"
    page.show_view("Own voices")
    qtbot.mouseClick(view.consent, Qt.MouseButton.LeftButton)
    consent = dialog_of(page, ConsentDialog)
    consent.who.setText("Ann")
    consent.given.setText("yesterday")
    qtbot.mouseClick(consent.keep_button, Qt.MouseButton.LeftButton)
    assert "is written as 2026-11-25" in consent.wrong.text()
    consent.given.setText("2026-11-01")
    consent.use.setText("narration")
    qtbot.mouseClick(consent.keep_button, Qt.MouseButton.LeftButton)
    kept = bench_project.own_voices.recordings()[1].consent
    assert kept is not None
    assert kept.given == date(2026, 11, 1)
    page.show_view("Shortlist")
    settle(qtbot, window)
    assert cells(page.shortlist.table)[-1][4].split("\n")[0] == "nothing"


def test_a_recording_is_cleaned_heard_and_taken_away_with_undo(
    bench_project: Project, on_page: OnPage, qtbot: QtBot, tmp_path: Path
) -> None:
    window, page = on_page("Own voices")
    view = page.recordings
    # noise is learnt from where nobody speaks, so there is a second of it on either side
    hummed = np.pad(tone(220, -14, 2.0, 16_000).samples, ((16_000, 16_000), (0, 0)))
    noise = np.random.default_rng(3).standard_normal(hummed.shape) * 0.002
    write_wav(tmp_path / "Ann.wav", Clip(samples=(hummed + noise).astype("float32"), rate_hz=16_000))
    view.add_file(tmp_path / "Ann.wav")
    view.add_file(tmp_path / "gone.wav")
    settle(qtbot, window)
    assert "gone.wav" in window.notice_text.text()
    qtbot.mouseClick(view.clean, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert [row[:2] for row in cells(view.table)] == [["Ann", "as given"], ["Ann", "cleaned"]]
    as_given, taken_down = (bench_project.own_voices.load(r) for r in bench_project.own_voices.recordings())
    assert len(as_given.samples) == len(taken_down.samples), "the original is kept beside it"
    qtbot.mouseClick(view.hear, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.state.player.mixer.playing, timeout=60_000)
    assert pitch_of(recorder(window).hear(2.5)) == pytest.approx(220, abs=3)
    qtbot.mouseClick(view.remove, Qt.MouseButton.LeftButton)
    assert [row[1] for row in cells(view.table)] == ["as given"]
    window.actions_by_id["undo"].trigger()
    page.refresh()
    assert [row[1] for row in cells(view.table)] == ["as given", "cleaned"]
    # none of these engines makes voices, and it is said which word in a file would change that
    bench_project.shortlist.remove_engine("Citrange")
    window.state.refresh()
    settle(qtbot, window)
    qtbot.mouseClick(view.make, Qt.MouseButton.LeftButton)
    assert "takes_recordings or makes_voices in its connector file" in window.notice_text.text()
    view.make_described()
    assert "takes_descriptions in its file" in window.notice_text.text()


def test_a_voice_is_described(bench_project: Project, on_page: OnPage, qtbot: QtBot) -> None:
    add_demo_engine(bench_project, "sunquat")
    _, page = on_page("Own voices")
    page.recordings.make_described()
    dialog = dialog_of(page, OwnVoiceDialog)
    dialog.name.setText("Old Tom")
    dialog.language.setText("english")
    qtbot.mouseClick(dialog.keep_button, Qt.MouseButton.LeftButton)
    assert "is no language tag" in dialog.wrong.text()
    dialog.language.setText("en-GB")
    age = dialog.described["age"]
    assert isinstance(age, QComboBox)
    age.setCurrentText("old")
    qtbot.mouseClick(dialog.keep_button, Qt.MouseButton.LeftButton)
    made = bench_project.own_voices.voices()[0]
    assert made.described["age"] == "old"
    assert bench_project.shortlist.engines()["Sunquat"].voice("own-old-tom") is not None


def test_an_example_call_becomes_an_engine(
    bench_project: Project, on_page: OnPage, qtbot: QtBot, service: StandInService, monkeypatch: pytest.MonkeyPatch
) -> None:
    import keyring

    kept: dict[str, str] = {}
    monkeypatch.setattr(keyring, "set_password", lambda _, name, value: kept.update({name: value}))
    monkeypatch.setattr(keyring, "get_password", lambda _, name: kept.get(name))
    window, page = on_page("Voices")
    page.start_wizard()
    wizard = dialog_of(page, WizardDialog)
    qtbot.mouseClick(wizard.next, Qt.MouseButton.LeftButton)
    assert "Nothing was pasted" in wizard.wrong.text()
    wizard.pasted.setPlainText(
        f"curl {service.address}/tangor/as/json -H 'X-Key: {KEY}' "
        '-d \'{"text": "Hello there you", "voice": "corwick", "pace": 1.0}\''
    )
    wizard.name.setText("From the docs")
    qtbot.mouseClick(wizard.next, Qt.MouseButton.LeftButton)
    assert wizard.step == 1
    assert KEY not in wizard.file.toPlainText()
    assert "voice: corwick" in wizard.understood.text()
    assert wizard.key.text() == KEY
    qtbot.mouseClick(wizard.next, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert list(kept.values()) == [KEY]
    qtbot.mouseClick(wizard.send, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert "sound at: json sound" in wizard.found.toPlainText()
    qtbot.mouseClick(wizard.next, Qt.MouseButton.LeftButton)
    qtbot.mouseClick(wizard.hear_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "It speaks" in wizard.heard.toPlainText(), timeout=60_000)
    assert abs(recorder(window).hear(1.0)).max() > 0.01
    tried = [(one.engine, one.state, one.requests) for one in bench_project.auditions.rows()]
    assert tried == [("From the docs", "unused", 1), ("From the docs", "done", 1)], "what is tried is counted"
    qtbot.mouseClick(wizard.next, Qt.MouseButton.LeftButton)
    assert bench_project.shortlist.engines()["From the docs"].voice("corwick") is not None
    window.actions_by_id["undo"].trigger()
    assert "From the docs" not in bench_project.shortlist.engines()


def test_a_command_line_becomes_an_engine_in_three_steps(bench_project: Project, on_page: OnPage, qtbot: QtBot) -> None:
    window, page = on_page("Voices")
    page.start_wizard()
    wizard = dialog_of(page, WizardDialog)
    wizard.pasted.setPlainText(f'{sys.executable} -m zestpanel.standins.local --voice hesk --output o.wav "Some words"')
    qtbot.mouseClick(wizard.next, Qt.MouseButton.LeftButton)
    qtbot.mouseClick(wizard.next, Qt.MouseButton.LeftButton)
    assert wizard.step == 3, "a program has no reply to look into"
    qtbot.mouseClick(wizard.back, Qt.MouseButton.LeftButton)
    assert wizard.step == 1
    wizard.file.setPlainText(wizard.file.toPlainText().replace("kind: command", "kind: commando"))
    qtbot.mouseClick(wizard.next, Qt.MouseButton.LeftButton)
    assert "the file, line" in wizard.wrong.text()
    wizard.file.setPlainText(wizard.file.toPlainText().replace("kind: commando", "kind: command"))
    qtbot.mouseClick(wizard.next, Qt.MouseButton.LeftButton)
    qtbot.mouseClick(wizard.hear_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "It speaks" in wizard.heard.toPlainText(), timeout=60_000)
    settle(qtbot, window)
    wizard.reject()


def test_the_catalogue_goes_out_and_comes_in_with_a_preview(
    bench_project: Project, on_page: OnPage, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window, page = on_page("Engines")
    path = tmp_path / "c.yaml"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    page.write_catalogue()
    assert parse_catalogue(path.read_text("utf-8"), name="c") == export_catalogue(bench_project)
    page.add_files([path])
    settle(qtbot, window)
    assert "holds nothing that is not known already" in window.notice_text.text()
    path.write_text(path.read_text("utf-8").replace("name: Odrine", "name: Odrina"), encoding="utf-8")
    page.add_files([path])
    settle(qtbot, window)
    dialog = dialog_of(page, ChangesDialog)
    assert ["changed", "voice of Tangor", "odrine", "name: Odrine → Odrina"] in cells(dialog.table)
    qtbot.mouseClick(dialog.agree, Qt.MouseButton.LeftButton)
    voice = bench_project.shortlist.engines()["Tangor"].voice("odrine")
    assert voice is not None
    assert voice.name == "Odrina"
    votes = tmp_path / "votes.csv"
    votes.write_text("name,strength,votes\ntangor,1.25,90\nElse,1,2\n", encoding="utf-8")
    page.attach_votes(votes)
    page.engines.what.setCurrentText("Claims and outside opinions")
    page.engines.table.selectAll()
    assert any(row[1] == "vote table: votes.csv" and row[2] == "1.25" for row in cells(page.engines.detail))
    selection = page.engines.table.selectionModel()
    assert selection is not None
    selection.setCurrentIndex(page.engines.table.model().index(1, 0), QItemSelectionModel.SelectionFlag.ClearAndSelect |  # type: ignore[union-attr]
                              QItemSelectionModel.SelectionFlag.Rows)  # fmt: skip
    qtbot.mouseClick(page.engines.remove, Qt.MouseButton.LeftButton)
    assert list(bench_project.shortlist.engines()) == ["Tangor"]
    window.actions_by_id["undo"].trigger()
    assert "Citrange" in bench_project.shortlist.engines()


def test_a_price_list_is_entered_by_hand_and_a_plan_chosen(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    window.go_to("engines")
    page = window.page("engines")
    assert isinstance(page, EnginesPage)
    page.show_view("Engines")
    settle(qtbot, window)
    view = page.engines
    names = list(window.state.bench.engines)
    view.table.selectRow(names.index("Citrange"))
    view._change_price(window.state.bench.engines["Citrange"], None)
    (dialog,) = view.findChildren(PriceDialog)
    assert not dialog.keep_button.isEnabled()
    fee, included, beyond = (line.fields for line in dialog.lines)
    for edit, text in ((fee["price"], "22"), (included["amount"], "100,000"), (beyond["price"], "0,3")):
        qtbot.keyClicks(edit, text)
    assert "Price for every unit: '0,3' is no number." in dialog.told.text()
    assert isinstance(beyond["price"], QLineEdit)
    beyond["price"].clear()
    qtbot.keyClicks(beyond["price"], "0.30")
    assert "22.00 EUR a month; 100,000 characters a month included; 0.30 EUR per 1,000" in dialog.told.text()
    assert "A usual month, 32 finished minutes.\nsubscription, 22.00 a month: 22.00" in dialog.months.text()
    assert dialog.picture.picture() is not None, "the curve is drawn while it is edited"
    dialog._add("tax")
    qtbot.keyClicks(dialog.lines[-1].fields["percent"], "19")
    assert "19 % tax on top" in dialog.told.text()
    dialog.lines[-1].removed.emit()
    assert "tax" not in dialog.told.text()
    qtbot.mouseClick(dialog.keep_button, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    engine = bench_project.shortlist.engines()["Citrange"]
    assert [p.name for p in engine.plans][-1] == "Standard"
    window.go_to("cost")
    settle(qtbot, window)
    cost = window.page("cost")
    assert isinstance(cost, CostPage)
    assert "Cheapest at this volume:" in cost.verdict.text()
    at = next(k for k, one in enumerate(cost._other_plans) if one.plan.name == "Standard")
    cost._buy_under(at)
    settle(qtbot, window)
    bought = [c.plan for c in bench_project.shortlist.candidates() if c.engine == "Citrange"]
    assert "Standard" in bought
    takes = bench_project.takes.all()
    view._change_price(window.state.bench.engines["Citrange"], engine.plans[-1])
    again = [one for one in view.findChildren(PriceDialog) if one.isVisible()][-1]
    assert again.earlier.text() == ""
    dearer = again.lines[0].fields["price"]
    assert isinstance(dearer, QLineEdit)
    dearer.setText("33")
    again.limits["requests_at_once"].setText("2.5")
    assert "requests at once" in again.told.text()
    again.limits["requests_at_once"].setText("2")
    qtbot.mouseClick(again.keep_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "The new price of Citrange: A month costs: " in window.notice_text.text())
    assert "22.00 EUR → 33.00 EUR (+50 %)" in window.notice_text.text()
    assert bench_project.shortlist.engines()["Citrange"].limits_under(["Standard"]).requests_at_once == 2
    view._change_price(window.state.bench.engines["Citrange"], window.state.bench.engines["Citrange"].plans[-1])
    third = [one for one in view.findChildren(PriceDialog) if one.isVisible()][-1]
    assert f"Until {today()}, price of {today()}: 22.00 EUR a month; 100,000" in third.earlier.text()
    assert "A month: 22.00 EUR." in third.earlier.text()
    third.reject()
    window.state.undo()
    assert bench_project.shortlist.former_plans("Citrange") == []
    window.state.undo()
    window.state.undo()
    settle(qtbot, window)
    assert [p.name for p in bench_project.shortlist.engines()["Citrange"].plans] == ["By the character", "Credits"]
    assert bench_project.takes.all() == takes


def test_an_engine_heard_of_gets_a_voice_a_claim_and_a_limit_in_the_window(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    window.go_to("engines")
    page = window.page("engines")
    assert isinstance(page, EnginesPage)
    page.add_heard_of("Somewhere")
    settle(qtbot, window)
    view = page.engines
    (dialog,) = view.findChildren(ByHandDialog)
    vendor = dialog.fields["vendor"]
    assert isinstance(vendor, QLineEdit)
    qtbot.keyClicks(vendor, "Nobody knows")
    qtbot.mouseClick(dialog.keep_button, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert window.state.bench.engines["Somewhere"].vendor == "Nobody knows"
    names = list(window.state.bench.engines)
    view.table.clearSelection()
    view.table.selectRow(names.index("Somewhere"))
    view.enter_by_hand(window.state.bench.engines["Somewhere"], "outside")
    dialog = view.findChildren(ByHandDialog)[-1]
    for name, text in (("board", "A vote of listeners"), ("rank", "zero"), ("votes", "1,200")):
        field = dialog.fields[name]
        assert isinstance(field, QLineEdit)
        field.setText(text)
    qtbot.mouseClick(dialog.keep_button, Qt.MouseButton.LeftButton)
    assert "Place: 'zero' is no number." in dialog.wrong.text()
    rank = dialog.fields["rank"]
    assert isinstance(rank, QLineEdit)
    rank.setText("3")
    qtbot.mouseClick(dialog.keep_button, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    view.what.setCurrentIndex(4)
    assert [row[1] for row in cells(view.detail)] == ["About the engine", "A place in a ranking: A vote of listeners"]
    assert "Place: 3; Votes: 1200" in cells(view.detail)[1][2]
    view.what.setCurrentIndex(1)
    assert any("A vote of listeners" in row[1] for row in cells(view.detail))
    window.actions_by_id["undo"].trigger()
    settle(qtbot, window)
    assert window.state.bench.engines["Somewhere"].outside == ()


def test_a_file_loaded_anew_asks_and_a_new_version_is_put_beside_and_compared(
    bench_project: Project, open_window: Opener, qtbot: QtBot, tmp_path: Path
) -> None:
    window = open_window(bench_project)
    window.go_to("engines")
    page = window.page("engines")
    assert isinstance(page, EnginesPage)
    old = next(c for c in window.state.bench.candidates if c.engine == "Tangor")
    newer = demo_engine_source("tangor").replace(old.model_version, "9.1")
    (tmp_path / "tangor.yaml").write_text(newer, encoding="utf-8")
    page.add_files([tmp_path / "tangor.yaml"])
    settle(qtbot, window)
    changes = dialog_of(page, ChangesDialog)
    assert f"version: {old.model_version} → 9.1" in " ".join(" ".join(row) for row in cells(changes.table))
    assert bench_project.shortlist.engines()["Tangor"].models[0].version == old.model_version, "nothing before yes"
    qtbot.mouseClick(changes.agree, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    page.show_view("Shortlist")
    settle(qtbot, window)
    view = page.shortlist
    view.table.selectRow([c.id for c in window.state.bench.candidates].index(old.id))
    assert view.newer.text() == "Put version 9.1 beside"
    assert view.versions.isHidden()
    qtbot.mouseClick(view.newer, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    new = bench_project.shortlist.candidates()[-1]
    assert (new.voice, new.model_version, dict(new.settings)) == (old.voice, "9.1", dict(old.settings))
    for take in [t for t in bench_project.takes.all() if t.candidate_id == old.id]:
        pretend_take(bench_project, new.id, take.passage_version_id)
    window.state.refresh()
    settle(qtbot, window)
    view.table.selectRow([c.id for c in window.state.bench.candidates].index(old.id))
    assert view.newer.isHidden()
    qtbot.mouseClick(view.versions, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    found = dialog_of(page, VersionsDialog).found
    assert found.heading.text().startswith(f"Version 9.1 beside {old.model_version}, ")
    assert "without a word" not in found.heading.text()
    assert len(cells(found.candidates)) == 1
    qtbot.mouseClick(found.hear, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert [lane.take.candidate_id for lane in window.state.tray.lanes] == [old.id, new.id]


def test_a_service_makes_a_voice_of_recordings_and_deletes_it(
    bench_project: Project, on_page: OnPage, qtbot: QtBot, service: StandInService
) -> None:
    add_demo_engine(bench_project, "citrange")
    yes = Consent(who="Ann", given=date(2026, 1, 1), use="the channel")
    spoken, _ = speak("The quince keeps through the winter, wrapped in straw.", VOICES["brindal"])
    own = bench_project.own_voices
    for name, consent in (("Second", None), ("First", yes)):
        own.add_recording(spoken, name=name, language="en-GB", checks=[], consent=consent)
    window, page = on_page("Own voices")
    view = page.recordings
    view.table.selectRow(1)
    qtbot.mouseClick(view.make, Qt.MouseButton.LeftButton)
    dialog = dialog_of(page, OwnVoiceDialog)
    dialog.engine.setCurrentText("Citrange")
    assert dialog.visibility.currentText() == "private", "nothing else unless it is asked for"
    assert dialog.warning.isHidden()
    dialog.visibility.setCurrentText("public")
    assert "Anybody may speak as this person" in dialog.warning.text()
    dialog.visibility.setCurrentText("private")
    assert "0 of 2 places" in dialog.slots.text()
    dialog.more.tick({own.recordings()[0].id})
    qtbot.mouseClick(dialog.keep_button, Qt.MouseButton.LeftButton)
    assert "'Second' was not sent: nobody's consent is recorded" in dialog.wrong.text()
    own.set_consent(own.recordings()[0].id, yes)
    qtbot.mouseClick(dialog.keep_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: sip.isdeleted(dialog) or not dialog.isVisible(), timeout=30_000)
    settle(qtbot, window)
    (voice,) = [one for one in own.voices() if one.engine == "Citrange"]
    assert voice.at_service is not None
    assert len(voice.at_service.recordings) == 2
    assert voice.voice.id in [one.id for one in window.state.bench.engines["Citrange"].voices]
    assert "kept at the service, private" in cells(view.voices)[-1][2]
    view.voices.selectRow(len(own.voices()) - 1)
    qtbot.mouseClick(view.remove_voice, Qt.MouseButton.LeftButton)
    asked = dialog_of(page, RemoveVoiceDialog)
    qtbot.mouseClick(asked.there, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "was deleted at Citrange" in window.notice_text.text(), timeout=30_000)
    assert own.slots_used("Citrange") == 0
    assert voice.id not in [one.id for one in own.voices()]

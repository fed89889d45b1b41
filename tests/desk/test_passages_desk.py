"""The passages page driven by hand: marks as chips, what is sent, how words are said, the picker, dialogues."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import docx
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication, QTextCursor, QTextDocument
from PyQt6.QtWidgets import QApplication, QPushButton
from pytestqt.qtbot import QtBot

from tests.conftest import add_demo_engine
from tests.desk.conftest import Opener, cells, drop, settle, words
from zestpanel.core.domain.mark import DeliveryMark, in_order
from zestpanel.core.store.project import Project
from zestpanel.desk.pages.passages import PassagesPage
from zestpanel.desk.pages.passages.about_text import AboutText
from zestpanel.desk.pages.passages.chips import read_document, write_document
from zestpanel.desk.pages.passages.delivering import DeliverDialog
from zestpanel.desk.pages.passages.importing import ImportDialog
from zestpanel.desk.pages.passages.ipa_chart import IpaChart
from zestpanel.desk.pages.passages.mark_popup import MarkPopup
from zestpanel.desk.pages.passages.recipes import RecipesDialog
from zestpanel.desk.window import MainWindow
from zestpanel.standins.service import StandInService

OnPassages = Callable[[Project], tuple[MainWindow, PassagesPage]]


@pytest.fixture
def on_passages(open_window: Opener, qtbot: QtBot) -> OnPassages:
    def go(project: Project) -> tuple[MainWindow, PassagesPage]:
        window = open_window(project)
        window.go_to("passages")
        settle(qtbot, window)
        page = window.page("passages")
        assert isinstance(page, PassagesPage)
        return window, page

    return go


def select_word(page: PassagesPage, word: str) -> None:
    editor = page.set.text
    at = editor.toPlainText().index(word)
    cursor = editor.textCursor()
    cursor.setPosition(at)
    cursor.setPosition(at + len(word), QTextCursor.MoveMode.KeepAnchor)
    editor.setTextCursor(cursor)


def press(qtbot: QtBot, page: PassagesPage, text: str) -> None:
    button = next(b for b in page.findChildren(QPushButton) if b.text() == text and b.isVisible())
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)


def test_marks_are_put_in_by_button_and_key_changed_and_kept(
    bench_project: Project, on_passages: OnPassages, qtbot: QtBot
) -> None:
    window, page = on_passages(bench_project)
    editor, passage = page.set.text, bench_project.texts.all()[0]
    text = passage.text
    word = text.split()[1]
    select_word(page, word)
    press(qtbot, page, "Emphasis")
    popup = page.set._popup
    assert isinstance(popup, MarkPopup)
    popup.edit.setCurrentText("strong")  # type: ignore[union-attr]
    popup.close()
    cursor = editor.textCursor()
    cursor.movePosition(QTextCursor.MoveOperation.End)
    editor.setTextCursor(cursor)
    qtbot.keyClick(editor, Qt.Key.Key_P, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert page.set._popup is not popup
    assert page.set._popup is not None
    page.set._popup.edit.setCurrentText("soon")  # type: ignore[union-attr]
    assert "Not kept: a pause is a time" in page.set._popup.hint.text()
    page.set._popup.edit.setCurrentText("0.8 s")  # type: ignore[union-attr]
    page.set._popup.close()
    start = text.index(word)
    assert editor.marked() == (
        text,
        [
            DeliveryMark(start, start + len(word), "emphasis", "strong"),
            DeliveryMark(len(text), len(text), "pause", "800 ms"),
        ],
    )
    qtbot.waitUntil(lambda: "2 marks · not kept yet" in words(page), timeout=60_000)
    qtbot.mouseClick(page.set.keep, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    kept = bench_project.texts.get(passage.id)
    assert (kept.number, [m.kind for m in kept.marks]) == (2, ["emphasis", "pause"])
    window.actions_by_id["undo"].trigger()
    assert bench_project.texts.get(passage.id).marks == ()


def test_a_mark_lives_and_dies_whole(bench_project: Project, on_passages: OnPassages, qtbot: QtBot) -> None:
    window, page = on_passages(bench_project)
    editor = page.set.text
    editor.set_marked(
        "One two three four.", [DeliveryMark(4, 13, "rate", "85 %"), DeliveryMark(8, 13, "emphasis", "strong")]
    )
    cursor = editor.textCursor()
    cursor.setPosition(4)
    editor.setTextCursor(cursor)
    qtbot.keyClick(editor, Qt.Key.Key_Delete)  # the opening chip of the rate
    assert editor.marked() == ("One two three four.", [DeliveryMark(8, 13, "emphasis", "strong")])
    select_word(page, "three")
    qtbot.keyClick(editor, Qt.Key.Key_Delete)  # all the words of the emphasis
    assert editor.marked() == ("One two  four.", [])
    editor.set_marked("One two three four.", [DeliveryMark(4, 13, "rate", "85 %")])
    cursor = editor.textCursor()
    cursor.setPosition(0)
    cursor.setPosition(7, QTextCursor.MoveMode.KeepAnchor)  # from before the mark into it
    editor.setTextCursor(cursor)
    assert editor.add_mark("emphasis") is None
    assert "cross each other" in window.notice_text.text()
    assert editor.marked() == ("One two three four.", [DeliveryMark(4, 13, "rate", "85 %")])
    editor.selectAll()
    editor.copy()
    cursor.movePosition(QTextCursor.MoveOperation.End)
    editor.setTextCursor(cursor)
    editor.paste()
    assert editor.plain_text() == "One two three four.One two three four."
    assert len(editor.marked()[1]) == 1, "pasted text comes without marks"


def test_typed_tags_become_marks_or_are_explained(
    bench_project: Project, on_passages: OnPassages, qtbot: QtBot
) -> None:
    window, page = on_passages(bench_project)
    view = page.set
    view.text.setPlainText('Wait <break time="500ms"/>here, <emphasis>now</emphasis>.')
    qtbot.waitUntil(view.tags_to_marks.isVisible, timeout=60_000)
    qtbot.mouseClick(view.tags_to_marks, Qt.MouseButton.LeftButton)
    assert view.text.plain_text() == "Wait here, now."
    assert [m.value for m in view.text.marked()[1]] == ["500 ms", "moderate"]
    assert not view.tags_to_marks.isVisible()
    view.text.setPlainText("Wait <emphasis>here.")
    qtbot.waitUntil(view.tags_to_marks.isVisible, timeout=60_000)
    qtbot.mouseClick(view.tags_to_marks, Qt.MouseButton.LeftButton)
    assert "line 1: a tag is closed that was not the last one opened" in window.notice_text.text()
    assert view.text.plain_text() == "Wait <emphasis>here."


def test_a_passage_goes_out_as_ssml_and_comes_back_the_same(
    bench_project: Project, on_passages: OnPassages, qtbot: QtBot, tmp_path: Path
) -> None:
    window, page = on_passages(bench_project)
    view = page.set
    view.text.setPlainText("Rain at noon. Snow by dusk.")
    whole = len("Rain at noon. Snow by dusk.")
    view.apply_marks([DeliveryMark(0, whole, "rate", "85 %")])
    view.apply_marks([DeliveryMark(0, whole, "rate", "110 %")])
    assert view.text.marked()[1] == [DeliveryMark(0, whole, "rate", "110 %")], "one in the place of the other"
    cursor = view.text.textCursor()
    cursor.movePosition(QTextCursor.MoveOperation.End)
    view.text.setTextCursor(cursor)
    view.add_mark("pause")
    popup = view._popup
    assert isinstance(popup, MarkPopup)
    popup.edit.setCurrentText("x-weak")  # type: ignore[union-attr]
    assert "x-weak: 60 ms with Tangor." in popup.hint.text(), "what the engines' files state"
    popup.edit.setCurrentText("700 ms")  # type: ignore[union-attr]
    popup.close()
    marked = view.text.marked()
    view.write_ssml(str(tmp_path / "nowhere" / "out.ssml"))
    assert "The passage is as it was." in window.notice_text.text()
    view.write_ssml(str(tmp_path / "Rain.ssml"))
    assert window.notice_text.text() == "Written: Rain.ssml."
    before = len(bench_project.texts.all())
    page.import_ssml([tmp_path / "Rain.ssml", tmp_path / "none.ssml"])
    settle(qtbot, window)
    assert "none.ssml" in window.notice_text.text()
    new = bench_project.texts.all()[-1]
    assert len(bench_project.texts.all()) == before + 1
    assert (new.text, list(new.marks), new.title, new.language) == (*marked, "Rain", "en-GB")


def test_text_is_pasted_as_passages_and_an_empty_clipboard_is_told(
    bench_project: Project, on_passages: OnPassages, qtbot: QtBot
) -> None:
    window, page = on_passages(bench_project)
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    clipboard.setText("  \n \n")
    page.paste()
    assert window.notice_text.text() == "The clipboard holds no text."
    before = [p.text for p in bench_project.texts.all()]
    clipboard.setText("The medlar is best late.\n\nThe quince keeps until Christmas.")
    page.paste()
    settle(qtbot, window)
    pasted = ["The medlar is best late.", "The quince keeps until Christmas."]
    assert [p.text for p in bench_project.texts.all()] == [*before, *pasted]
    window.actions_by_id["undo"].trigger()
    assert [p.text for p in bench_project.texts.all()] == before


def test_the_set_is_ordered_merged_doubled_and_described(
    bench_project: Project, on_passages: OnPassages, qtbot: QtBot
) -> None:
    window, page = on_passages(bench_project)
    view, before = page.set, [p.id for p in bench_project.texts.all()]

    def order() -> list[int]:
        return [p.id for p in bench_project.texts.all()]

    view.table.selectRow(2)
    qtbot.mouseClick(view.up, Qt.MouseButton.LeftButton)
    assert order() == [before[0], before[2], before[1]]
    window.actions_by_id["undo"].trigger()
    assert order() == before
    view.table.selectRow(0)
    qtbot.mouseClick(view.double, Qt.MouseButton.LeftButton)
    assert bench_project.texts.all()[-1].title == "Frost, copy"
    window.actions_by_id["undo"].trigger()
    view.table.selectAll()
    qtbot.mouseClick(view.merge, Qt.MouseButton.LeftButton)
    assert len(order()) == 1
    assert bench_project.texts.all()[0].text.count("\n\n") == 2
    window.actions_by_id["undo"].trigger()
    assert order() == before
    view.table.selectRow(0)
    view.open_about()
    about = page.findChild(AboutText)
    assert isinstance(about, AboutText)
    about.tags.setText("news, a laugh")
    about.rights.setCurrentIndex(about.rights.findData("testing only"))
    about.reviewed.setChecked(True)
    assert not about.agree.isEnabled(), "a review needs a name"
    about.by.setText("R. T.")
    qtbot.mouseClick(about.agree, Qt.MouseButton.LeftButton)
    found = bench_project.texts.all()[0]
    assert (found.tags, found.rights, found.reviewed and found.reviewed.by) == (
        ("news", "a laugh"),
        "testing only",
        "R. T.",
    )
    assert "for testing only · news, a laugh" in words(page)
    window.actions_by_id["undo"].trigger()
    assert bench_project.texts.all()[0].tags == ()


def test_as_sent_shows_each_engines_text_and_what_was_decided(
    bench_project: Project, on_passages: OnPassages, qtbot: QtBot
) -> None:
    passage = bench_project.texts.all()[0]
    bench_project.texts.edit(passage.id, "It cost £3.50. Wait, here.", [DeliveryMark(20, 20, "pause", "weak")])
    add_demo_engine(bench_project, "rangpur")
    bench_project.shortlist.add(bench_project.shortlist.engines()["Rangpur"], voice="hesk")
    window, page = on_passages(bench_project)
    page.show_view("As sent")
    view = page.as_sent
    settle(qtbot, window)
    assert cells(view.overview.table)[0] == ["01  Frost", "all kept", "all kept", "1 lost: pause"]
    assert "Rangpur loses most: one mark or word. Nothing is lost at Tangor, Citrange." in words(page)
    view.overview.table.setFocus()
    view.overview.table.setCurrentCell(0, 3)
    qtbot.keyClick(view.overview.table, Qt.Key.Key_Return)
    assert view.head.text() == "Rangpur gets plain text"
    assert window.state.candidate_id == bench_project.shortlist.candidates()[-1].id
    rows = [row[0].split("\n")[0] for row in cells(view.table)]
    view.table.selectRow(next(i for i, name in enumerate(rows) if name.startswith("Tangor")))
    assert '<break strength="weak"/>' in view.sent.toPlainText()
    assert ["kept", "pause", "here", "weak", "95 ms with Tangor"] in cells(view.changes)
    view.table.selectRow(next(i for i, name in enumerate(rows) if name.startswith("Rangpur")))
    assert view.head.text() == "Rangpur gets plain text"
    assert ["left out", "pause", "weak", "Rangpur does not take it", ""] in cells(view.changes)
    view.spell["money"].click()
    assert view.sent.toPlainText() == "It cost three pounds fifty pence. Wait, here."
    assert bench_project.sending.choices("Rangpur").spell_out == ("money",)
    assert "45 characters counted under own machine" in view.facts.text()
    window.actions_by_id["undo"].trigger()
    page.refresh()
    assert bench_project.sending.choices("Rangpur").spell_out == ()
    assert view.sent.toPlainText() == "It cost £3.50. Wait, here."
    window.state.toggle_labels()
    window.go_to("passages")
    assert cells(view.table) == []
    assert "Labels are hidden" in view.head.text()
    assert not any(name in words(page) for name in ("Tangor", "Rangpur"))
    window.state.toggle_labels()
    assert len(cells(view.table)) == 4
    qtbot.mouseClick(view.back, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert len(cells(view.overview.table)) == 3


def test_words_are_found_heard_and_kept_in_the_list(
    bench_project: Project, on_passages: OnPassages, qtbot: QtBot, tmp_path: Path
) -> None:
    passage = bench_project.texts.all()[0]
    bench_project.texts.edit(passage.id, "The Doyenné fell. A Doyenné rose.")
    window, page = on_passages(bench_project)
    page.show_view("Pronunciation")
    view = page.pronunciation
    settle(qtbot, window)
    rows = cells(view.unknown)
    view.unknown.selectRow(next(i for i, row in enumerate(rows) if row[:2] == ["Doyenné", "2"]))
    assert view.word.text() == "Doyenné"
    assert view.ipa.text(), "the built-in voice's guess stands there to be corrected"
    view.ipa.setText("")
    view.open_chart()
    chart = page.findChild(IpaChart)
    assert isinstance(chart, IpaChart)
    for name in ("voiced alveolar plosive", "velar nasal"):
        sign = next(b for b in chart.findChildren(QPushButton) if b.accessibleName() == name)
        qtbot.mouseClick(sign, Qt.MouseButton.LeftButton)
    assert view.ipa.text() == "dŋ"
    chart.close()
    view.ipa.setText("dwajɛne9")
    qtbot.mouseClick(view.keep, Qt.MouseButton.LeftButton)
    assert "9 is no sign of the IPA" in window.notice_text.text()
    view.ipa.setText("dwajɛne")
    view.respelling.setText("dwah-yen-nay")
    qtbot.mouseClick(view.hear_button, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert window.state.player.mixer.playing
    qtbot.mouseClick(view.keep, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert cells(view.table) == [["Doyenné", "/dwajɛne/", "dwah-yen-nay", "en-GB", "2"]]
    assert not any(row[0] == "Doyenné" for row in cells(view.unknown))
    view.write_file(tmp_path / "list.pls", "en-GB")
    window.actions_by_id["undo"].trigger()
    page.refresh()
    assert cells(view.table) == []
    view.read_file(tmp_path / "list.pls")
    assert [e.respelling for e in bench_project.pronunciations.all()] == ["dwah-yen-nay"]
    (tmp_path / "bad.pls").write_text('<lexicon version="2.0" alphabet="ipa" xml:lang="en"/>', "utf-8")
    view.read_file(tmp_path / "bad.pls")
    assert "bad.pls, line 1: version 1.0 is needed" in window.notice_text.text()


def test_recipes_are_kept_compared_and_laid_over_all(
    bench_project: Project, on_passages: OnPassages, qtbot: QtBot
) -> None:
    window, page = on_passages(bench_project)
    page.set.open_recipes()
    dialog = page.findChild(RecipesDialog)
    assert isinstance(dialog, RecipesDialog)
    for name, rate in (("calm", "85"), ("brisk", "115 %"), ("odd", "fast")):
        dialog.name.setText(name)
        dialog.values["rate"].setText(rate)
        dialog.keep()
    assert "'odd': 'fast' is not from 20 to 300 percent of normal" in window.notice_text.text()
    assert [row[0] for row in cells(dialog.list)] == ["brisk", "calm"]
    dialog.list.selectAll()
    assert cells(dialog.differences) == [["rate, of normal", "115 %", "85 %"]]
    assert "calm: about" in dialog.duration.text()
    dialog.list.clearSelection()
    dialog.list.selectRow(1)
    qtbot.mouseClick(dialog.use_all, Qt.MouseButton.LeftButton)
    assert all(p.marks[0].value == "85 %" and p.number == 2 for p in bench_project.texts.all())
    window.actions_by_id["undo"].trigger()
    assert all(p.marks == () for p in bench_project.texts.all())


def _three_scripts(folder: Path) -> list[Path]:
    """A Word document, a Markdown file and a dialogue, as a channel has them."""
    document = docx.Document()
    document.add_heading("The frost year", 1)
    for text in (
        "Nobody forgets 1976. By 3 May the trees stood white; at 4:15 on the 11th it was minus four.",
        "Of 1,240 trees the Doyenné kept one. The loss was £18,500. “What else could it do?” asked Marge.",
        "Keep it at 3 °C, in the dark, and it loses less than 5 % of 18 kg. (It still does.)",
        "We sent leaves, fruit and bark to the RHS, and Dr. Quick wrote back: HOPELESS. We laughed!",
    ):
        document.add_paragraph(text)
    document.save(str(folder / "frost.docx"))
    (folder / "spring.md").write_text(
        "# Spring\n\nWrite to marge@northslope.example, or ring at 10:30. The wind chills; who will wind the clock?\n\n"
        "She sells six sweet seedlings, singly sold. Nooo exceptions. "
        "The Beurré and the Comice measured up with pleasure.\n",
        encoding="utf-8",
    )
    (folder / "at_the_gate.txt").write_text(
        "MARGE: You came about the pear?\nTOM: If it is there.\nMARGE: Mind the step!\nTOM: I do.\n", encoding="utf-8"
    )
    return [folder / "frost.docx", folder / "spring.md", folder / "at_the_gate.txt"]


def test_from_three_scripts_to_a_set_a_cast_dialogue_and_what_it_will_cost(
    project: Project, on_passages: OnPassages, qtbot: QtBot, tmp_path: Path, service: StandInService
) -> None:
    """What a lead does with the scripts of a channel, from dropping them to the price of each candidate."""
    for name, voices in (("tangor", ("ilseth", "corwick")), ("citrange", ("linnoway",))):
        add_demo_engine(project, name)
        for voice in voices:
            project.shortlist.add(project.shortlist.engines()[name.capitalize()], voice=voice)
    window, page = on_passages(project)
    drop(window, *_three_scripts(tmp_path))
    settle(qtbot, window)
    dialogs = {d.windowTitle(): d for d in page.findChildren(ImportDialog)}
    for name in ("frost.docx", "spring.md"):
        dialogs[name].rights.setCurrentIndex(dialogs[name].rights.findData("ours"))
        dialogs[name].list.clearSelection()
        assert dialogs[name].agree.text() == "Keep whole"
        qtbot.mouseClick(dialogs[name].agree, Qt.MouseButton.LeftButton)
    talk = dialogs["at_the_gate.txt"]
    talk.as_dialogue.setChecked(True)
    assert talk.agree.text() == "Make 4 turns"
    qtbot.mouseClick(talk.agree, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    # a set that covers what the channel says
    page.show_view("Coverage")
    view = page.coverage
    for place, most in ((0, 8), (1, 4)):
        settle(qtbot, window)
        view.script.setCurrentIndex(place)
        view.most.setValue(most)
        qtbot.mouseClick(view.go, Qt.MouseButton.LeftButton)
        settle(qtbot, window)
        qtbot.mouseClick(view.take, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert len(project.texts.all()) == 12
    assert all(p.rights == "ours" for p in project.texts.all())
    held = {kind for p in project.texts.all() for kind in project.hard_parts.kinds(p)}
    wanted = "dates times money units numbers acronyms capitals parentheses questions exclamations dialogue addresses"
    assert {*wanted.split(), "homographs", "tongue-twisters", "repeated letters"} <= held
    # four words that would come out wrong
    page.show_view("Pronunciation")
    settle(qtbot, window)
    for word, said in (("Doyenné", "dwah-yen-nay"), ("Beurré", "burray"), ("Comice", "kommeece"), ("Marge", "marj")):
        page.pronunciation.word.setText(word)
        page.pronunciation.ipa.clear()
        page.pronunciation.respelling.setText(said)
        qtbot.mouseClick(page.pronunciation.keep, Qt.MouseButton.LeftButton)
        settle(qtbot, window)
    hits = {row[0]: int(row[4]) for row in cells(page.pronunciation.table)}
    assert set(hits) == {"Doyenné", "Beurré", "Comice", "Marge"}
    assert hits["Doyenné"] >= 1
    # who speaks for whom
    page.show_view("Dialogue")
    settle(qtbot, window)
    dialogue = page.dialogue
    for speaker, place in (("Marge", 1), ("Tom", 2)):
        dialogue.cast_boxes[speaker].setCurrentIndex(place)
        dialogue.cast_boxes[speaker].activated.emit(place)
    assert "4 requests" in dialogue.cost.text()
    dialogue.turns.selectRow(2)
    dialogue.own_gap.setValue(1.2)
    assert cells(dialogue.turns)[2][3] == "1.20 s"
    qtbot.mouseClick(dialogue.render_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: dialogue.play.isEnabled(), timeout=60_000)
    settle(qtbot, window)
    qtbot.mouseClick(dialogue.play, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert window.state.player.mixer.playing
    window.state.player.pause()
    dialogue.deliver()
    (delivering,) = page.findChildren(DeliverDialog)
    delivering.folder.setText(str(tmp_path / "out"))
    delivering.loudness.setText("loud")
    qtbot.keyClick(delivering.loudness, Qt.Key.Key_Return)
    assert "loud" in delivering.wrong.text(), "what makes no sense is said, and nothing is written"
    delivering.loudness.setText("-18")
    delivering.kind.setCurrentIndex(delivering.kind.findData("flac"))
    qtbot.keyClick(delivering.loudness, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: any((tmp_path / "out").glob("*.delivery.json")), timeout=60_000)
    settle(qtbot, window)
    assert sorted(p.suffix for p in (tmp_path / "out").iterdir()) == [".flac", ".json", ".json", ".srt", ".vtt"]
    assert re.search(r"-1(8\.[01]|7\.9) LUFS", window.notice_text.text())
    # what will be sent and what it costs
    page.show_view("As sent")
    sent = page.as_sent
    text = next(p for p in project.texts.all() if "Doyenné" in p.text)
    sent.show_one(text.id, project.shortlist.candidates()[0].id)
    for row, (name, written) in enumerate((("Tangor", "SSML"), ("Tangor", "SSML"), ("Citrange", "its own marks"))):
        sent.table.selectRow(row)
        assert sent.head.text() == f"{name} gets {written}"
        assert "dwah-yen-nay" in sent.sent.toPlainText()
        assert "it would add" in sent.facts.text()


def test_twins_and_unpredictable_sentences_from_the_page(
    bench_project: Project, on_passages: OnPassages, qtbot: QtBot
) -> None:
    window, page = on_passages(bench_project)
    page.show_view("Coverage")
    page.coverage.make_twins()
    assert "at least four" in window.notice_text.text()
    page.coverage.add_unpredictable("en-GB", 5)
    settle(qtbot, window)
    assert len(bench_project.texts.all()) == 8
    page.coverage.make_twins()
    tags = [set(p.tags) & {"twin A", "twin B"} for p in bench_project.texts.all()]
    assert sorted(tag for own in tags for tag in own) == ["twin A"] * 4 + ["twin B"] * 4
    window.actions_by_id["undo"].trigger()
    window.actions_by_id["undo"].trigger()
    assert len(bench_project.texts.all()) == 3


@given(
    text=st.text(alphabet="ab 🍐é\n𝄞\u00a0", min_size=1, max_size=30),
    cuts=st.lists(st.tuples(st.integers(0, 30), st.integers(0, 30)), max_size=4),
)
def test_a_text_with_marks_is_read_as_it_was_written(
    qapp: QApplication, text: str, cuts: list[tuple[int, int]]
) -> None:
    """Characters beyond the basic plane are two places to the editor, and one to the text."""
    assert qapp is not None
    places = sorted({min(cut, len(text)) for pair in cuts for cut in pair})
    marks = [DeliveryMark(start, end, "style", "calm") for start, end in zip(places[::2], places[1::2], strict=False)]
    marks += [DeliveryMark(place, place, "pause", "400 ms") for place in places[:1]]
    document = QTextDocument()
    write_document(document, text, marks)
    assert read_document(document) == (text, in_order(marks))


def test_marks_and_splits_stand_where_the_cursor_is_behind_an_emoji(
    bench_project: Project, on_passages: OnPassages, qtbot: QtBot
) -> None:
    text = "🍐 Pears 🍎 and apples. Ripe."
    bench_project.texts.add([text], language="en-GB")
    window, page = on_passages(bench_project)
    view = page.set
    view.table.selectRow(view.table.rowCount() - 1)
    editor = view.text

    def stand_before(word: str) -> None:
        cursor = editor.page().find(word)
        cursor.setPosition(cursor.selectionStart())
        editor.setTextCursor(cursor)

    stand_before("Pears")
    editor.add_mark("emphasis")
    stand_before("apples")
    editor.add_mark("emphasis")
    assert [text[m.start : m.end] for m in editor.marked()[1]] == ["Pears", "apples"]
    assert editor.plain_text() == text
    view.save_text()
    stand_before("Ripe")
    view.split_at_cursor()
    settle(qtbot, window)
    assert [p.text.strip() for p in bench_project.texts.all()[-2:]] == ["🍐 Pears 🍎 and apples.", "Ripe."]

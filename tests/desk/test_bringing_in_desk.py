"""Clips and tables dropped on the window: where they go, and what is asked before they are taken."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QItemSelectionModel, QPointF, Qt
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox
from pytestqt.qtbot import QtBot

from tests.conftest import tone
from tests.desk.conftest import Opener, drop_at, settle
from zestpanel.core.audio.files import write_wav
from zestpanel.core.store.project import Project
from zestpanel.desk.bring_in import BringInDialog
from zestpanel.desk.files import sort_files
from zestpanel.desk.pages.engines import EnginesPage
from zestpanel.desk.pages.engines.changes import ChangesDialog
from zestpanel.desk.pages.renders import RendersPage


def test_a_clip_dropped_on_a_cell_becomes_a_take_of_it(
    bench_project: Project, open_window: Opener, qtbot: QtBot, tmp_path: Path
) -> None:
    path = tmp_path / "from somewhere"
    write_wav(path, tone(330, -12, 1.5, 16_000))
    window = open_window(bench_project)
    window.go_to("renders")
    settle(qtbot, window)
    page = window.page("renders")
    assert isinstance(page, RendersPage)
    candidate, passage = bench_project.shortlist.candidates()[1], bench_project.texts.all()[2]
    before = len(bench_project.takes.all())
    index = page.grid.grid_model.place_of(candidate.id, passage.id)
    middle = page.grid.viewport().mapTo(window, page.grid.visualRect(index).center())  # type: ignore[union-attr]
    drop_at(window, QPointF(middle), path)
    settle(qtbot, window)
    dialog = page.findChild(BringInDialog)
    assert dialog is not None
    how, wait = dialog.table.cellWidget(0, 3), dialog.table.cellWidget(0, 4)
    assert isinstance(how, QComboBox)
    assert isinstance(wait, QDoubleSpinBox)
    how.setCurrentText("captured")
    wait.setValue(12)
    qtbot.mouseClick(dialog.take, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    takes = bench_project.takes.all()
    assert len(takes) == before + 1
    new = takes[-1]
    assert (new.candidate_id, new.passage_version_id, new.obtained) == (candidate.id, passage.version_id, "captured")
    assert new.timing is not None
    assert (new.timing.typed, new.timing.last_byte_s) == (True, 12)
    qtbot.waitUntil(lambda: new.id in bench_project.takes.measured(), timeout=60_000)
    settle(qtbot, window)


def test_what_a_name_does_not_tell_is_asked(
    bench_project: Project, open_window: Opener, qtbot: QtBot, tmp_path: Path
) -> None:
    folder = tmp_path / "Corwick"
    folder.mkdir()
    for name in ("Lent.wav", "strange.wav"):
        write_wav(folder / name, tone(330, -12, 1.0, 16_000))
    (folder / "notes.pdf").write_bytes(b"%PDF")
    window = open_window(bench_project)
    drop_at(window, QPointF(400, 300), folder)
    settle(qtbot, window)
    assert window.current == "renders"
    page = window.page("renders")
    dialog = page.findChild(BringInDialog)
    assert dialog is not None
    assert [c.ready for c in dialog.clippings()] == [True, False]
    assert dialog.take.text() == "Bring in 1 of 2"
    passage = dialog.table.cellWidget(1, 2)
    assert isinstance(passage, QComboBox)
    passage.setCurrentIndex(1)
    assert dialog.take.text() == "Bring in"
    dialog.reject()


def test_tables_go_where_their_columns_say(
    bench_project: Project, open_window: Opener, qtbot: QtBot, tmp_path: Path
) -> None:
    write_wav(tmp_path / "a.wav", tone(330, -12, 1.0, 16_000))
    tables = {
        "clips.csv": "file,candidate,passage\na.wav,Corwick,2\n",
        "voices.csv": "engine,id,languages,name\nTangor,zora,it-IT,Zora\nElse,x,en,\n",
        "bad.csv": "file,candidate,passage\nnone.wav,Corwick,2\n",
    }
    for name, text in tables.items():
        (tmp_path / name).write_text(text, encoding="utf-8")
    found = sort_files([tmp_path / name for name in tables])
    assert [len(found[k]) for k in ("clips", "voices", "ratings")] == [2, 1, 0]
    window = open_window(bench_project)
    window.bring_in([tmp_path / "bad.csv"])
    settle(qtbot, window)
    assert "bad.csv, row 2: there is no file 'none.wav'" in window.notice_text.text()
    window.bring_in([tmp_path / "clips.csv"])
    settle(qtbot, window)
    dialog = window.page("renders").findChild(BringInDialog)
    assert dialog is not None
    assert all(c.ready for c in dialog.clippings())
    dialog.reject()
    window.bring_in([tmp_path / "voices.csv"])
    settle(qtbot, window)
    assert "lists voices of Else, which the catalogue does not hold" in window.notice_text.text()
    page = window.page("engines")
    assert isinstance(page, EnginesPage)
    changes = page.findChild(ChangesDialog)
    assert changes is not None
    assert "1 new" in changes.summary.text()
    qtbot.mouseClick(changes.agree, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    assert bench_project.shortlist.engines()["Tangor"].voice("zora") is not None
    window.actions_by_id["undo"].trigger()
    assert bench_project.shortlist.engines()["Tangor"].voice("zora") is None


def test_a_script_that_leaves_a_choice_is_asked_about(
    empty_project: Project, open_window: Opener, qtbot: QtBot, tmp_path: Path
) -> None:
    from zestpanel.desk.pages.passages.importing import ImportDialog

    path = tmp_path / "notes.md"
    path.write_text("# Frost\n\nIt falls in May. It may fall in June.\n\n[^1]: On average.\n", encoding="utf-8")
    talk = tmp_path / "talk.csv"
    talk.write_text("speaker,text,note\nAnn,Will it fruit?,a\nTom,Not this year.,b\n", encoding="utf-8")
    window = open_window(empty_project)
    window.bring_in([path, talk])
    settle(qtbot, window)
    page = window.page("passages")
    notes, table = page.findChildren(ImportDialog)
    assert notes.counted.text() == "1 of 1 parts, 37 characters."
    notes.kinds["footnote"].setChecked(True)
    notes.cut.setCurrentIndex(1)
    assert [p.text for p in notes.chosen()] == ["It falls in May.", "It may fall in June.", "On average."]
    selection = notes.list.selectionModel()
    assert selection is not None
    selection.select(notes.model.index(2), QItemSelectionModel.SelectionFlag.Deselect)
    qtbot.mouseClick(notes.agree, Qt.MouseButton.LeftButton)
    assert [p.text for p in empty_project.texts.all()] == ["It falls in May.", "It may fall in June."]
    table.column.setCurrentIndex(2)
    table.column.activated.emit(2)
    assert [p.text for p in table.chosen()] == ["a", "b"]
    table.column.setCurrentIndex(1)
    table.column.activated.emit(1)
    table.language.setText("en-US")
    qtbot.mouseClick(table.agree, Qt.MouseButton.LeftButton)
    made = empty_project.texts.all()[-1]
    assert (made.title, made.language) == ("Tom: Not this year", "en-US")
    window.actions_by_id["undo"].trigger()
    assert len(empty_project.texts.all()) == 2

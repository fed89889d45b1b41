"""Widgets of the engines page by themselves: rows that break, facets, controls, samples, this machine, reports."""

from __future__ import annotations

import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
import yaml
from PyQt6.QtCore import QCoreApplication, QEvent, QRect, Qt
from PyQt6.QtGui import QGuiApplication, QTextDocument
from PyQt6.QtWidgets import QCheckBox, QComboBox, QDoubleSpinBox, QLabel, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from tests.conftest import KEY, add_demo_engine, demo_engine_source, tone
from tests.desk.conftest import Opener, cells, recorder, settle
from zestpanel.core.audio.files import write_wav
from zestpanel.core.catalogue.browsing import FacetValue
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.choice.evidence import evaluate
from zestpanel.core.report.drawing import Picture, Region
from zestpanel.core.runs.files.bringing_in import Clipping, bring_in
from zestpanel.core.store.project import Project
from zestpanel.desk.background import Background
from zestpanel.desk.charts.view import ChartView
from zestpanel.desk.flow import FlowLayout, flow_row
from zestpanel.desk.pages.engines import EnginesPage
from zestpanel.desk.pages.engines.facets import FEW, FacetPanel
from zestpanel.desk.pages.engines.machine import MachineDialog
from zestpanel.desk.pages.engines.settings_row import SettingsRow
from zestpanel.desk.pages.engines.voices import MANY
from zestpanel.desk.plain_tips import plain_tip
from zestpanel.desk.sources import behind_waits
from zestpanel.desk.ticks import Ticks


def test_a_row_breaks_where_the_width_does_not_do(qtbot: QtBot) -> None:
    buttons = [QPushButton(f"Button {n}") for n in range(5)]
    last = QPushButton("At the right")
    row = flow_row(*buttons, right=(last,))
    qtbot.addWidget(row)
    layout = row.layout()
    assert isinstance(layout, FlowLayout)
    wide = layout.sizeHint().width() + 60
    one_line = layout.heightForWidth(wide)
    assert layout.heightForWidth(wide // 2) >= 2 * one_line
    assert layout.minimumSize().width() <= max(b.sizeHint().width() for b in [*buttons, last])
    row.resize(wide, one_line)
    row.show()
    layout.setGeometry(QRect(0, 0, wide, one_line))
    assert abs(last.geometry().right() - wide) <= 2
    layout.setGeometry(QRect(0, 0, wide // 2, 3 * one_line))
    tops = {b.geometry().top() for b in buttons}
    assert len(tops) >= 2
    assert all(b.geometry().right() <= wide // 2 for b in buttons)
    taken = layout.takeAt(0)
    assert taken is not None
    assert taken.widget() is buttons[0]
    assert layout.count() == 5
    assert layout.itemAt(9) is None


def test_facets_fold_long_lists_and_keep_what_is_chosen_in_sight(qtbot: QtBot) -> None:
    panel = FacetPanel()
    qtbot.addWidget(panel)
    values = [FacetValue(f"v{n:02d}", 40 - n, n == 20) for n in range(30)]
    panel.show_facets({"tag": values})
    texts = [panel.item(i).text() for i in range(panel.count())]  # type: ignore[union-attr]
    assert texts[0] == "tag"
    assert "v20, 20" in texts, "a chosen value stays in sight"
    assert texts[-1] == f"{30 - FEW - 1} more"
    more = panel.item(panel.count() - 1)
    panel._act(more)
    assert panel.count() == 31
    changed: list[bool] = []
    panel.changed.connect(lambda: changed.append(True))
    panel.show()
    panel.setFocus()
    panel.setCurrentRow(3)
    qtbot.keyClick(panel, Qt.Key.Key_Return)
    assert panel.chosen == {"tag": frozenset({"v02"})}
    panel.clear_choice()
    assert panel.chosen == {}
    assert len(changed) == 2
    assert not panel.grab().isNull()


CONTROLS = [
    {"name": "pace", "kind": "number", "low": 0.5, "high": 2, "step": 0.05, "default": 1.0},
    {"name": "mood", "kind": "choice", "choices": ["plain", "calm"], "default": "plain", "means": "style"},
    {"name": "normalise", "kind": "switch", "default": True},
    {"name": "depth", "kind": "number", "default": 3, "models": ["large"]},
]


def test_controls_of_every_kind_keep_their_values_and_their_scope(qtbot: QtBot) -> None:
    data = yaml.safe_load(demo_engine_source("rangpur")) | {"controls": CONTROLS}
    engine = Engine.model_validate(data)
    row = SettingsRow()
    qtbot.addWidget(row)
    row.show_controls(engine, engine.voices[0], "small")
    assert row.values() == {"pace": 1.0, "mood": "plain", "normalise": True}
    pace, mood, switch = row.widgets["pace"], row.widgets["mood"], row.widgets["normalise"]
    assert isinstance(pace, QDoubleSpinBox)
    assert isinstance(mood, QComboBox)
    assert isinstance(switch, QCheckBox)
    assert mood.itemText(1) == "calm – not in this voice"
    moved: list[bool] = []
    row.changed.connect(lambda: moved.append(True))
    pace.setValue(1.25)
    switch.setChecked(False)
    assert len(moved) == 2
    row.show_controls(engine, engine.voices[1], "large")
    assert row.values() == {"pace": 1.25, "mood": "plain", "normalise": False, "depth": 3.0}
    row.set_values({"pace": 0.8, "mood": "calm", "normalise": True, "gone": 1})
    assert row.values()["mood"] == "calm"
    row.show_controls(engine.model_copy(update={"engine": "Other", "controls": ()}), None, "x")
    assert row.values() == {}
    assert any("has no settings" in w.text() for w in row.findChildren(QLabel))


def test_a_vendors_sample_is_played_as_one(
    bench_project: Project, open_window: Opener, qtbot: QtBot, tmp_path: Path
) -> None:
    write_wav(tmp_path / "theirs.wav", tone(440, -14, 2.0, 16_000))
    source = demo_engine_source("rangpur").replace(
        "character: [husky]", f"character: [husky], sample: {tmp_path}/theirs.wav"
    )
    bench_project.shortlist.add_engine(parse_connector(source, name="r"), source, "r.yaml")
    window = open_window(bench_project)
    window.go_to("engines")
    settle(qtbot, window)
    page = window.page("engines")
    assert isinstance(page, EnginesPage)
    view = page.voices
    qtbot.keyClicks(view.search, "ilseth")
    assert not view.sample.isVisible()
    view.search.clear()
    qtbot.keyClicks(view.search, "husky")
    assert view.sample.isVisible()
    qtbot.mouseClick(view.sample, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.state.player.mixer.playing, timeout=60_000)
    assert "vendor's own sample of Hesk" in window.notice_text.text()
    assert "never scored" in window.notice_text.text()
    assert abs(recorder(window).hear(0.5)).max() > 0.01


def test_this_machine_against_local_models(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    add_demo_engine(bench_project, "sunquat")
    window = open_window(bench_project)
    shown = MachineDialog(window, window.state)
    qtbot.addWidget(shown)
    settle(qtbot, window)
    rows = cells(shown.table)
    giant = next(row for row in rows if row[1] == "giant")
    assert giant[2] == "cannot"
    assert "900,000 MB of memory" in giant[3]
    qtbot.keyClicks(shown.memory, "many")
    shown.there.setChecked(True)
    assert "'many' is no number" in shown.wrong.text()
    shown.memory.setText("12,000")
    shown.memory.editingFinished.emit()
    settle(qtbot, window)
    assert "as you state, 12,000 MB (you)" in shown.how.text()
    assert shown.wrong.text() == ""
    shown.there.setChecked(False)
    settle(qtbot, window)
    assert "as you state" not in shown.how.text()
    assert {row[0] for row in rows} == {"Sunquat"}, "hosted engines need nothing of this machine"


def test_the_text_for_a_bug_report_goes_to_the_clipboard_without_a_key(
    bench_project: Project, open_window: Opener, qtbot: QtBot
) -> None:
    window = open_window(bench_project)
    window.actions_by_id["report"].trigger()
    settle(qtbot, window)
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    assert "3 candidates, 3 passages, 9 takes" in clipboard.text()
    assert KEY not in clipboard.text()
    assert "Frost" not in clipboard.text(), "no titles, no texts"


def test_a_typed_wait_is_shown_as_typed(bench_project: Project, qtbot: QtBot, tmp_path: Path) -> None:
    write_wav(tmp_path / "a.wav", tone(330, -12, 1.0, 16_000))
    candidate, passage = bench_project.shortlist.candidates()[0], bench_project.texts.all()[0]
    bring_in(
        bench_project.takes,
        bench_project.texts,
        bench_project.shortlist,
        Clipping(path=tmp_path / "a.wav", candidate_id=candidate.id, passage_id=passage.id, wait_s=9),
    )
    parent = QWidget()
    qtbot.addWidget(parent)
    shown = behind_waits(parent, bench_project, evaluate(bench_project).rows[candidate.id])
    kinds = [shown.table.item(r, 2).text() for r in range(shown.table.rowCount())]  # type: ignore[union-attr]
    assert kinds == ["typed"]


@pytest.mark.parametrize("count", [MANY + 500])
def test_very_many_voices_are_put_together_off_the_interface_thread(
    bench_project: Project, open_window: Opener, qtbot: QtBot, count: int
) -> None:
    data = yaml.safe_load(demo_engine_source("rangpur"))
    data["engine"] = "Crowd"
    data["voices"] = [{"id": f"v{n}", "name": f"Voice {n}", "languages": ["en-GB"]} for n in range(count)]
    source = yaml.safe_dump(data)
    bench_project.shortlist.add_engine(parse_connector(source, name="crowd"), source, "crowd.yaml")
    window = open_window(bench_project)
    window.go_to("engines")
    page = window.page("engines")
    assert isinstance(page, EnginesPage)
    settle(qtbot, window)
    assert page.voices.model.rowCount() == count + 14
    qtbot.keyClicks(page.voices.search, "voice 3499")
    assert page.voices.model.rowCount() == 1


@pytest.mark.parametrize("said", ["<b>Bold</b> & <img src='x'>", "plain & simple", "two\nlines <i>", "a < b"])
def test_a_tool_tip_shows_what_a_file_says_as_it_stands(qapp: object, said: str) -> None:
    """Held against Qt's own reading of a page, for what it would take for one."""
    tip = plain_tip(said)
    page = QTextDocument()
    if tip == said:
        assert "<" not in said
    else:
        page.setHtml(tip)
        assert page.toPlainText() == said


def test_the_places_of_a_picture_are_walked_by_keys_and_chosen(qtbot: QtBot) -> None:
    regions = tuple(Region(x=0, y=20.0 * k, width=400, height=20, says=f"candidate {k}", candidate_id=k or None)
                    for k in range(3))  # fmt: skip
    chart = ChartView(lambda width: Picture(width=width, height=60, shapes=(), regions=regions, title="Scores"))
    qtbot.addWidget(chart)
    chart.refresh()
    chart.show()
    assert chart.accessibleName() == "Scores. candidate 0; candidate 1; candidate 2"
    chosen: list[int] = []
    chart.candidate_chosen.connect(chosen.append)
    chart.setFocus(Qt.FocusReason.TabFocusReason)
    for key, says in ((Qt.Key.Key_Down, 0), (Qt.Key.Key_Right, 1), (Qt.Key.Key_Down, 2), (Qt.Key.Key_Down, 2),
                      (Qt.Key.Key_Up, 1)):  # fmt: skip
        qtbot.keyClick(chart, key)
        assert chart.accessibleDescription() == f"candidate {says}"
    qtbot.keyClick(chart, Qt.Key.Key_Return)
    assert chosen == [1]
    bare = ChartView(lambda width: Picture(width=width, height=60, shapes=(), regions=(), title="Nothing to choose"))
    qtbot.addWidget(bare)
    bare.refresh()
    assert bare.focusPolicy() == Qt.FocusPolicy.NoFocus, "no stop where nothing is to be done"


def test_a_picture_of_many_rows_is_made_off_the_interface_thread(qtbot: QtBot) -> None:
    made_in: list[str] = []
    background = Background()

    def make(width: float) -> Picture:
        made_in.append(threading.current_thread().name)
        return Picture(width=width, height=40 + len(made_in), shapes=(), title="Waits")

    def aside(work: Callable[[], Any], show: Callable[[Any], None], topic: str) -> None:
        background.run(work, show, pytest.fail, topic=topic)

    chart = ChartView(make, aside=aside)
    qtbot.addWidget(chart)
    chart.refresh_for(5)
    assert made_in == ["MainThread"], "a few are there at once"
    chart.refresh_for(500)
    assert chart.height() == 41, "until then the earlier one stays"
    qtbot.waitUntil(lambda: not background.busy)
    assert made_in[1:] != ["MainThread"]
    assert chart.height() == 42
    late = ChartView(make, aside=aside)
    late.refresh_for(500)
    late.deleteLater()
    QCoreApplication.sendPostedEvents(late, QEvent.Type.DeferredDelete.value)
    qtbot.waitUntil(lambda: not background.busy)  # what comes too late is dropped
    background.close()


def test_a_list_of_ticks_is_one_stop_and_its_keys_tick_all_and_none(qtbot: QtBot) -> None:
    box = Ticks("Passages", {1: "Frost dates", 2: "Latin names"}, lambda: None, ticked=False)
    qtbot.addWidget(box)
    box.show()
    box.list.setFocus()
    qtbot.waitUntil(box.list.hasFocus)
    qtbot.keyClick(box.list, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    assert box.ticked() == (1, 2)
    qtbot.keyClick(box.list, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert box.ticked() == ()
    stops = [one for one in box.findChildren(QWidget) if one.focusPolicy() & Qt.FocusPolicy.TabFocus]
    assert stops == [box.list]

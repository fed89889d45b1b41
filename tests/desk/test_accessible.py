"""What a screen reader is told: everything that takes a key or a click has a name."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QComboBox,
    QDialog,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QSlider,
    QWidget,
)
from pytestqt.qtbot import QtBot

from tests.desk.conftest import Opener, settle
from zestpanel.core.store.project import Project
from zestpanel.desk.defects import DefectsDialog
from zestpanel.desk.pages.listening import ListeningPage
from zestpanel.desk.pages.tabbed import TabbedPage
from zestpanel.desk.viewmodels.steps import STEPS

TAKES_KEYS = (QAbstractButton, QLineEdit, QComboBox, QAbstractSpinBox, QAbstractItemView, QPlainTextEdit, QSlider)
# parts of other widgets, which are named themselves
INNER = ("qt_spinbox_lineedit", "qt_scrollarea_viewport", "qt_tableview_cornerbutton")


def name_of(widget: QWidget) -> str:
    """As Qt tells it: the stated name, a button's words, the label it belongs to, or the hint in an empty field."""
    if widget.accessibleName():
        return widget.accessibleName()
    if isinstance(widget, QAbstractButton) and widget.text():
        return widget.text()
    buddies = [one.text() for one in widget.window().findChildren(QLabel) if one.buddy() is widget]
    hint = widget.placeholderText() if isinstance(widget, QLineEdit | QPlainTextEdit) else ""
    return next((text for text in (*buddies, hint) if text), "")


def nameless(root: QWidget) -> list[str]:
    """Visible widgets that take keys and have no name."""
    out = []
    for widget in root.findChildren(QWidget):
        inner = widget.objectName() in INNER or isinstance(widget.parent(), QComboBox | QAbstractSpinBox)
        if inner or not widget.isVisible() or not isinstance(widget, TAKES_KEYS):
            continue
        if widget.focusPolicy() == Qt.FocusPolicy.NoFocus and not isinstance(widget, QAbstractButton):
            continue
        if not name_of(widget):
            out.append(f"{type(widget).__name__} in {type(widget.parent()).__name__}")
    return out


def test_everything_on_every_page_has_a_name(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    window = open_window(bench_project)
    found: list[object] = []
    for step in STEPS:
        window.go_to(step.key)
        page = window.page(step.key)
        for view in range(page.stack.count()) if isinstance(page, TabbedPage) else [None]:
            if isinstance(page, TabbedPage) and view is not None:
                page.show_view(view)
            settle(qtbot, window)
            found += [(step.key, view, one) for one in nameless(window)]
    assert found == []


@pytest.mark.parametrize("which", ["new test", "listener", "defects", "groups"])
def test_everything_in_a_dialog_has_a_name(
    bench_project: Project, open_window: Opener, qtbot: QtBot, which: str
) -> None:
    bench_project.panel.add_listener("Ann", languages=["en"])
    window = open_window(bench_project)
    window.go_to("listening")
    page = window.page("listening")
    assert isinstance(page, ListeningPage)
    settle(qtbot, window)
    {"new test": page.ask_for_test, "listener": lambda: page.people.open_listener(0), "groups": page.open_groups,
     "defects": lambda: DefectsDialog(page, window.state).show()}[which]()  # fmt: skip
    settle(qtbot, window)
    (dialog,) = [one for one in window.findChildren(QDialog) if one.isVisible()]
    assert nameless(dialog) == []


def test_tabs_lanes_and_the_trail_are_what_they_are(bench_project: Project, open_window: Opener, qtbot: QtBot) -> None:
    window = open_window(bench_project)
    settle(qtbot, window)
    said = window.strip.lanes.accessibleName()
    assert "Tangor · Ilseth" in said
    assert "The last frost falls in May." in said, "the words that are heard"
    page = window.page("renders")
    assert isinstance(page, TabbedPage)
    assert page.tabs[0].accessibleName() == "Grid, view 1 of 4, shown"

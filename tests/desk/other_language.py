"""A window in another language, in a process of its own: python -m tests.desk.other_language FOLDER (ZEST_LANGUAGE).

Goes to every page and view, opens the menu and the dialogs that need nothing, and prints what is shown in English
although the catalogue has other words for it, and, with the text at 150 %, what a screen of 1366 x 768 cannot hold.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QEvent, QSize, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QDialog,
    QDoubleSpinBox,
    QLabel,
    QLineEdit,
    QListWidget,
    QSpinBox,
    QTableView,
    QWidget,
)

from tests import catalogue
from tests.waiting import pause, wait
from zestpanel.core.domain.listening import PlannedTrial, Stimulus
from zestpanel.core.listening.registry import kind_of
from zestpanel.core.listening.session import ListeningSession, Unkept
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.listening.told import Told
from zestpanel.core.store.project import Project
from zestpanel.core.texts import LANGUAGE
from zestpanel.desk.application import leave, make_application
from zestpanel.desk.pages.listening.new_test import NewTestDialog
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.viewmodels.steps import TITLES
from zestpanel.desk.window import MainWindow

SCREEN = QSize(1366, 768)
DIALOGS = ("keys", "said", "defects", "plan", "language", "takes")  # actions that open one and ask for nothing


def english() -> set[str]:
    """What the language has other words for, as it stands in the code."""
    out = set()
    for message in catalogue.of(LANGUAGE):
        one, said = message.id, message.string
        if isinstance(one, str) and one and said != one and "{" not in one:
            out.add(one)
    return out


def _said(widget: QWidget) -> Iterator[str]:
    """What of a widget a person reads."""
    if isinstance(widget, QLabel | QAbstractButton):
        yield widget.text()
    if isinstance(widget, QLineEdit):
        yield widget.placeholderText()
    if isinstance(widget, QComboBox):
        yield from (widget.itemText(k) for k in range(widget.count()))
    if isinstance(widget, QSpinBox | QDoubleSpinBox):
        yield from (widget.suffix(), widget.specialValueText())
    if isinstance(widget, QListWidget):
        yield from (item.text() for k in range(widget.count()) if (item := widget.item(k)) is not None)
    if isinstance(widget, QTableView) and (model := widget.model()) is not None:
        for column in range(model.columnCount()):
            yield str(model.headerData(column, Qt.Orientation.Horizontal) or "")
            for row in range(min(12, model.rowCount())):
                yield from str(model.index(row, column).data() or "").split("\n")
    yield widget.toolTip()
    yield widget.accessibleName()


def own_words(project: Project) -> set[str]:
    """Words of engines' files and of the project: they stand as they were written."""
    engines = project.shortlist.engines().values()
    voices = [voice for engine in engines for voice in engine.voices]
    return {word for v in voices for word in (*v.styles, *v.character, v.tier)} | {
        p.name for e in engines for p in e.plans
    }


def left(widget: QWidget, known: set[str]) -> set[str]:
    return {text for one in (widget, *widget.findChildren(QWidget)) for text in _said(one)} & known


def main(folder: str) -> int:
    application = make_application()
    project = Project.open(Path(folder))
    window = MainWindow(project)
    window.resize(SCREEN)
    window.show()
    theme.set(dark=False, scale=1.5)

    def settle() -> None:
        wait(lambda: not window.state.background.busy, 120)
        pause(50)

    settle()
    known, found, grown = english() - own_words(project), set[str](), list[str]()

    def held(widget: QWidget, where: str) -> None:
        needed = widget.size().expandedTo(widget.minimumSizeHint())
        if needed.expandedTo(SCREEN) != SCREEN:
            grown.append(f"{where} takes {needed.width()} x {needed.height()}")
            widget.resize(SCREEN)

    for step in TITLES:
        window.go_to(step)
        settle()
        page = window.page(step)
        for view in range(len(getattr(page, "tabs", [])) or 1):
            if hasattr(page, "show_view"):
                page.show_view(view)
                settle()
            found |= left(window, known)
            held(window, f"{step}, view {view + 1}")
    for action in DIALOGS:
        window.actions_by_id[action].trigger()
        settle()
    NewTestDialog(window, window.state, lambda *_: None, []).show()
    settle()
    dialogs = [one for one in QApplication.topLevelWidgets() if isinstance(one, QDialog) and one.isVisible()]
    for dialog in dialogs:
        found |= left(dialog, known)
        held(dialog, type(dialog).__name__)
        dialog.close()
    before = window.booth.before  # a listener's words are those of the listener
    settings = TestSettings(candidate_ids=(), passage_ids=(), headphone_check=True)
    trials = [PlannedTrial(stimuli=(Stimulus(candidate_id=1, passage_version_id=1, take_id=None),))]
    session = ListeningSession(Unkept(trials), kind_of("ACR"), settings, told=Told(["es"]))
    before.begin(session, level_lufs=None)
    for said in ("Oirá fragmentos breves", "Póngase los auriculares", "¿Qué tono fue el más suave?"):
        if said not in before.words():
            found.add(before.words())
        before.keyPressEvent(QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_Return, Qt.KeyboardModifier.NoModifier))
    for text in (*(f"English: {one}" for one in sorted(found)), *grown, f"{len(dialogs)} dialogs"):
        print(text)
    window.close()
    project.close()
    application.processEvents()
    return 1 if found or grown else 0


if __name__ == "__main__":
    leave(main(sys.argv[1]))

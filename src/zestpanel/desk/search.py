"""Search everything: type any words of an action, a page, a voice, a text, a test or a role, and go there."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from zestpanel.core.texts import capital, tr, word
from zestpanel.desk.actions import ACTIONS
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.viewmodels.searching import Found, matching, places
from zestpanel.desk.viewmodels.steps import TITLES
from zestpanel.desk.widgets import label, open_at

if TYPE_CHECKING:
    from zestpanel.desk.pages.choice import ChoicePage
    from zestpanel.desk.window import MainWindow

_WALKS = (Qt.Key.Key_Down, Qt.Key.Key_Up, Qt.Key.Key_PageDown, Qt.Key.Key_PageUp)


class SearchDialog(Dialog):
    """Arrows walk the list while one types; Enter goes to what is marked."""

    def __init__(self, parent: QWidget, found: Sequence[Found], go: Callable[[Found], None]) -> None:
        super().__init__(parent)
        self._found, self._go, self._shown = found, go, list[Found]()
        self.setWindowTitle(tr("Search everything"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        self.words = QLineEdit()
        self.words.setPlaceholderText(tr("any words: an action, a page, a voice, a text, a test, a role"))
        self.words.setAccessibleName(tr("Search everything"))
        self.words.textChanged.connect(self._show)
        self.words.returnPressed.connect(self.choose)
        self.words.installEventFilter(self)
        layout.addWidget(self.words)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Found"))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.list.itemActivated.connect(lambda _: self.choose())
        layout.addWidget(self.list, 1)
        self.none = label("", "quiet", wrap=True)
        layout.addWidget(self.none)
        open_at(self, 640, 480)
        self._show("")

    def _show(self, words: str) -> None:
        self._shown = matching(self._found, words)
        self.list.clear()
        for one in self._shown:
            keys = f"   {one.keys}" if one.keys else ""
            self.list.addItem(QListWidgetItem(f"{one.kind} · {capital(one.words)}{keys}"))
        self.list.setCurrentRow(0)
        self.none.setText("" if self._shown else tr("Nothing has all of these words."))

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if watched is self.words and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress \
                and Qt.Key(event.key()) in _WALKS:  # fmt: skip
            self.list.keyPressEvent(event)
            return True
        return super().eventFilter(watched, event)

    def choose(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self._shown):
            one = self._shown[row]
            self.accept()
            self._go(one)


def search_from(window: MainWindow) -> None:
    """All that the window can do and its project holds."""
    state = window.state
    deeds = [Found(what="action", key=one.id, words=one.text.removesuffix(" …"), also=word(one.menu),
                   keys=QKeySequence(one.keys.split(" ")[0]).toString() if one.keys else "")
             for one in ACTIONS if not one.id.startswith(("lane_", "step_")) and one.id != "search"]  # fmt: skip
    pages = [Found(what="page", key=step, words=title) for step, title in TITLES.items()]
    here = places(state.bench, state.evaluation, state.project.panel.tests(), names_shown=not state.labels_hidden)

    def go(one: Found) -> None:
        match one.what:
            case "action":
                window.actions_by_id[one.key].trigger()
            case "page":
                window.go_to(one.key)
            case "candidate":
                window.go_to("renders")
                state.select(int(one.key), state.passage_id)
            case "passage":
                window.go_to("renders")
                state.select(state.candidate_id, int(one.key))
            case "role":
                window.go_to("choice")
                cast("ChoicePage", window.page("choice")).show_role(one.key)
            case "test":
                window.go_to("listening")
            case "engine":
                window.go_to("engines")

    SearchDialog(window, [*pages, *here, *deeds], go).show()

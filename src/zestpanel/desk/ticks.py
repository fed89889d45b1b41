"""A list of names with a tick each: whom and what a run or a test is about."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from zestpanel.core.texts import tr
from zestpanel.desk.widgets import button, label


class Ticks(QWidget):
    """*All* and *none* above, Ctrl+A and Ctrl+Shift+A in the list. changed: called when a tick changes. ticked:
    whether all are at first.
    """

    def __init__(
        self, title: str, names: Mapping[int, str], changed: Callable[[], None], *, ticked: bool = True
    ) -> None:
        super().__init__()
        self._changed = changed
        self.list = QListWidget()
        self.list.setAccessibleName(title)
        for key, name in names.items():
            item = QListWidgetItem(name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
            item.setData(Qt.ItemDataRole.UserRole, key)
            self.list.addItem(item)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        head = QHBoxLayout()
        head.addWidget(label(title, "strong"), 1)
        self.all = self._for_all(tr("All"), set(names), "Ctrl+A")
        head.addWidget(self.all)
        head.addWidget(self._for_all(tr("None"), set(), "Ctrl+Shift+A"))
        column.addLayout(head)
        column.addWidget(self.list, 1)
        self.list.itemChanged.connect(lambda _: self._changed())

    def _for_all(self, text: str, keys: set[int], shortcut: str) -> QPushButton:
        """By mouse, and by a key in the list: Tab has one stop less to make."""
        out = button(text, lambda: self.tick(keys), role="link", tip=tr("in the list: {keys}", keys=shortcut))
        out.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        found = QShortcut(QKeySequence(shortcut), self.list, context=Qt.ShortcutContext.WidgetShortcut)
        found.activated.connect(lambda: self.tick(keys))
        return out

    def tick(self, keys: set[int]) -> None:
        """Tick these, and no others."""
        self.list.blockSignals(True)
        for item in self._items():
            on = item.data(Qt.ItemDataRole.UserRole) in keys
            item.setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)
        self.list.blockSignals(False)
        self._changed()

    def show_only(self, keys: set[int]) -> None:
        """Hide the others, which are then not ticked."""
        for item in self._items():
            item.setHidden(item.data(Qt.ItemDataRole.UserRole) not in keys)

    def ticked(self) -> tuple[int, ...]:
        return tuple(
            item.data(Qt.ItemDataRole.UserRole) for item in self._items()
            if item.checkState() == Qt.CheckState.Checked and not item.isHidden()
        )  # fmt: skip

    def _items(self) -> list[QListWidgetItem]:
        return [item for i in range(self.list.count()) if (item := self.list.item(i)) is not None]

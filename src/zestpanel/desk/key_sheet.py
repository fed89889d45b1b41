"""The shortcut sheet, made from the table of actions."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from zestpanel.core.texts import tr, word
from zestpanel.desk.actions import ACTIONS
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.widgets import button, label

_MORE = (
    (tr("Arrow keys on the grid"), tr("↑ ↓ the same text by other voices, ← → the same voice on other texts")),
    (tr("Enter on the grid"), tr("Play the cell")),
    (tr("1 to 5 in the booth"), tr("Rate the clip")),
    (tr("Ctrl+L in the booth"), tr("A loop: it begins here, it ends here, no loop")),
)


class KeySheet(Dialog):
    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Shortcuts"))
        outer = QVBoxLayout(self)
        outer.setContentsMargins(24, 18, 24, 20)
        head = QHBoxLayout()
        head.addWidget(label(tr("Shortcuts"), "page"), 1)
        head.addWidget(button(tr("Close"), self.accept, role="main"))
        outer.addLayout(head)
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(3)
        outer.addLayout(grid)
        deeds = [d for d in ACTIONS if not d.id.startswith("lane_")]
        lines = [(word(QKeySequence(d.keys.split(" ")[0]).toString()), d.text) for d in deeds if d.keys]
        lines.insert(8, (tr("1 to 9"), tr("Hear that lane, from the same place in the text")))
        lines += list(_MORE)
        half = (len(lines) + 1) // 2
        for index, (keys, text) in enumerate(lines):
            row, column = index % half, index // half * 2
            grid.addWidget(label(keys, "strong"), row, column, Qt.AlignmentFlag.AlignTop)
            words = label(text, wrap=True)
            words.setMinimumWidth(250)
            grid.addWidget(words, row, column + 1)

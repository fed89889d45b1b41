"""The chart of the International Phonetic Alphabet, to click: consonants by manner and place, vowels by height."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from zestpanel.core.text.lexicon.ipa import CONSONANTS, FRONTNESS, MARKS, OTHERS, PLACES, VOWELS, name_of
from zestpanel.core.texts import tr
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.flow import flow_row
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import button, label


class IpaChart(Dialog):
    """``picked`` gives a sign each time one is clicked."""

    picked = pyqtSignal(str)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Sounds (IPA)"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(tr("Consonants"), "strong"))
        grid = QGridLayout()
        grid.setSpacing(2)
        for column, place in enumerate(PLACES, 1):
            head = label(place, "small")
            head.setAlignment(Qt.AlignmentFlag.AlignCenter)
            grid.addWidget(head, 0, column)
        for row, (manner, cells) in enumerate(CONSONANTS.items(), 1):
            grid.addWidget(label(manner, "small"), row, 0)
            for column, cell in enumerate(cells, 1):
                self._cell(grid, row, column, cell)
        layout.addLayout(grid)
        layout.addWidget(label(tr("Vowels"), "strong"))
        vowels = QGridLayout()
        vowels.setSpacing(2)
        for column, front in enumerate(FRONTNESS, 1):
            head = label(front, "small")
            head.setAlignment(Qt.AlignmentFlag.AlignCenter)
            vowels.addWidget(head, 0, column)
        for row, (height, cells) in enumerate(VOWELS.items(), 1):
            vowels.addWidget(label(height, "small"), row, 0)
            for column, cell in enumerate(cells, 1):
                self._cell(vowels, row, column, cell)
        across = QHBoxLayout()
        across.addLayout(vowels)
        across.addStretch(1)
        side = QVBoxLayout()
        side.addWidget(label(tr("Others"), "strong"))
        side.addWidget(flow_row(*(self._sign(sign) for sign in OTHERS)))
        side.addWidget(label(tr("Stress, length and shades"), "strong"))
        side.addWidget(flow_row(*(self._sign(sign) for sign in MARKS)))
        side.addStretch(1)
        holder = QWidget()
        holder.setLayout(side)
        holder.setFixedWidth(theme.px(330))
        across.addWidget(holder)
        layout.addLayout(across)
        self.said = label(tr("Point at a sign to read what it stands for."), "quiet")
        foot = QHBoxLayout()
        foot.addWidget(self.said)
        foot.addStretch(1)
        foot.addWidget(button(tr("Close"), self.accept, role="main"))
        layout.addLayout(foot)

    def _cell(self, grid: QGridLayout, row: int, column: int, signs: str) -> None:
        holder = QHBoxLayout()
        holder.setSpacing(2)
        for sign in signs.split():
            holder.addWidget(self._sign(sign))
        if signs:
            grid.addLayout(holder, row, column, Qt.AlignmentFlag.AlignCenter)

    def _sign(self, sign: str) -> QWidget:
        shown = f"◌{sign}" if len(sign) == 1 and 0x300 <= ord(sign) <= 0x36F else sign
        made = button(shown, partial(self._pick, sign), role="sign", tip=name_of(sign))
        made.setAccessibleName(name_of(sign))
        made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        return made

    def _pick(self, sign: str) -> None:
        self.said.setText(f"{sign}  {name_of(sign)}")
        self.picked.emit(sign)

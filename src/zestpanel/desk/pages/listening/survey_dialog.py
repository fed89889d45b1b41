"""A survey form's table: which of its columns is the listener, and whose score each of the others is. Asked once."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QTableWidget, QVBoxLayout, QWidget

from zestpanel.core.domain.listening import QUALITY
from zestpanel.core.listening.scales import FROM_TABLES, SCALES
from zestpanel.core.listening.survey import Column, What
from zestpanel.core.texts import tr
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import button, label, open_at

HEAD = (tr("Column"), tr("such as"), tr("holds"), tr("of passage"), tr("by candidate"), tr("on scale"))
WHATS: dict[What, str] = {"": tr("nothing"), "listener": tr("the listener"), "languages": tr("languages they speak"),
                          "passage": tr("the passage"), "candidate": tr("the candidate"), "scale": tr("the scale"),
                          "score": tr("a score")}  # fmt: skip
_LONG = 24  # characters of an example


class SurveyDialog(Dialog):
    """read(columns) is called when the lead agrees."""

    def __init__(
        self, parent: QWidget, state: DeskState, name: str, columns: list[Column], read: Callable[[list[Column]], None],
        examples: Mapping[str, Sequence[str]] | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._columns, self._read = columns, read
        self.setWindowTitle(name)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(tr("What is in {name}?", name=name), "name"))
        about = tr(
            "Say what each column holds, and of a score whose it is, where no other column says that: a row a listener "
            "or a row a score, both are read. It is kept for the next table with the same columns. Scores are numbers, "
            "or the words of a scale; empty cells are left out."
        )
        layout.addWidget(label(about, "quiet", wrap=True))
        self.table = QTableWidget(len(columns), len(HEAD))
        self.table.setHorizontalHeaderLabels(list(HEAD))
        self.table.setAccessibleName(tr("Columns of the table"))
        down = self.table.verticalHeader()
        assert down is not None
        down.hide()
        passages = [(f"{k:02d} {p.title}", p.title) for k, p in enumerate(state.bench.passages, 1)]
        candidates = [(state.name(c), state.name(c)) for c in state.bench.candidates]
        scales = [(tr("quality, 1 to 5"), ""), *((of.short, one) for one, of in (SCALES | FROM_TABLES).items()
                                                 if one != QUALITY)]  # fmt: skip
        for row, column in enumerate(columns):
            self.table.setCellWidget(row, 0, label(column.column))
            shown = next(iter((examples or {}).get(column.column, ())), "")
            self.table.setCellWidget(row, 1, label(shown if len(shown) <= _LONG else f"{shown[: _LONG - 1]}…", "quiet"))
            for at, choices, now in ((2, [(words, what) for what, words in WHATS.items()], column.what),
                                     (3, [("–", ""), *passages], column.passage),
                                     (4, [("–", ""), *candidates], column.candidate),
                                     (5, scales, column.scale)):  # fmt: skip
                box = QComboBox()
                for words, data in choices:
                    box.addItem(words, data)
                box.setCurrentIndex(max(0, box.findData(now)))
                box.setAccessibleName(f"{column.column}, {HEAD[at]}")
                self.table.setCellWidget(row, at, box)
        for at, width in enumerate((180, 130, 150, 160, 190, 180)):
            self.table.setColumnWidth(at, theme.px(width))
        layout.addWidget(self.table, 1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button(tr("Cancel"), self.reject))
        foot.addWidget(button(tr("Read the scores"), self._go, role="main"))
        layout.addLayout(foot)
        open_at(self, 1060, 540)

    def _chosen(self, row: int, at: int) -> Any:
        box = self.table.cellWidget(row, at)
        assert isinstance(box, QComboBox)
        return box.currentData()

    def columns(self) -> list[Column]:
        """As they are set now."""
        out = []
        for row, column in enumerate(self._columns):
            what, passage, candidate, scale = (self._chosen(row, at) for at in (2, 3, 4, 5))
            out.append(Column(column=column.column, what=what, passage=passage, candidate=candidate, scale=scale))
        return out

    def _go(self) -> None:
        self.accept()
        self._read(self.columns())

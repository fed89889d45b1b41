"""A survey form's table: which of its columns is the listener, and whose score each of the others is. Asked once."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QTableWidget, QVBoxLayout, QWidget

from zestpanel.core.listening.survey import Column, What
from zestpanel.core.texts import tr
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import button, label, open_at

HEAD = (tr("Column"), tr("holds"), tr("of passage"), tr("by candidate"))
WHATS: dict[What, str] = {"": tr("nothing"), "listener": tr("the listener"), "languages": tr("languages they speak"),
                          "score": tr("a score")}  # fmt: skip


class SurveyDialog(Dialog):
    """read(columns) is called when the lead agrees."""

    def __init__(
        self, parent: QWidget, state: DeskState, name: str, columns: list[Column], read: Callable[[list[Column]], None]
    ) -> None:
        super().__init__(parent)
        self._columns, self._read = columns, read
        self.setWindowTitle(name)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(tr("What is in {name}?", name=name), "name"))
        about = tr(
            "A row a listener, a column a question. Say whose score each column is; it is kept for the next table "
            "with the same columns. Scores are numbers, or the words of a scale."
        )
        layout.addWidget(label(about, "quiet", wrap=True))
        self.table = QTableWidget(len(columns), 4)
        self.table.setHorizontalHeaderLabels(list(HEAD))
        self.table.setAccessibleName(tr("Columns of the table"))
        down = self.table.verticalHeader()
        assert down is not None
        down.hide()
        passages = [(f"{k:02d} {p.title}", p.title) for k, p in enumerate(state.bench.passages, 1)]
        candidates = [(state.name(c), state.name(c)) for c in state.bench.candidates]
        for row, column in enumerate(columns):
            self.table.setCellWidget(row, 0, label(column.column))
            for at, choices, now in ((1, [(words, what) for what, words in WHATS.items()], column.what),
                                     (2, [("–", ""), *passages], column.passage),
                                     (3, [("–", ""), *candidates], column.candidate)):  # fmt: skip
                box = QComboBox()
                for words, data in choices:
                    box.addItem(words, data)
                box.setCurrentIndex(max(0, box.findData(now)))
                box.setAccessibleName(f"{column.column}, {HEAD[at]}")
                self.table.setCellWidget(row, at, box)
        for at, width in enumerate((230, 180, 210, 230)):
            self.table.setColumnWidth(at, theme.px(width))
        layout.addWidget(self.table, 1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button(tr("Cancel"), self.reject))
        foot.addWidget(button(tr("Read the scores"), self._go, role="main"))
        layout.addLayout(foot)
        open_at(self, 900, 520)

    def columns(self) -> list[Column]:
        """As they are set now."""
        out = []
        for row, column in enumerate(self._columns):
            what, passage, candidate = (self.table.cellWidget(row, at) for at in (1, 2, 3))
            assert isinstance(what, QComboBox)
            assert isinstance(passage, QComboBox)
            assert isinstance(candidate, QComboBox)
            out.append(Column(column=column.column, what=what.currentData(), passage=passage.currentData(),
                              candidate=candidate.currentData()))  # fmt: skip
        return out

    def _go(self) -> None:
        self.accept()
        self._read(self.columns())

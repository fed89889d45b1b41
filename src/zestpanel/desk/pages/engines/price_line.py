"""One line of a plan's tariff, as it is typed."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QFrame, QHBoxLayout, QLineEdit, QVBoxLayout

from zestpanel.core.money.components import KINDS
from zestpanel.core.money.components.part import Entry, Typed
from zestpanel.core.money.typed_parts import YES
from zestpanel.core.texts import tr
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import button, label
from zestpanel.desk.word_box import add_words, choose_word, chosen_word

_WIDTHS = {"money": 90, "whole": 100, "number": 100, "percent": 60, "factors": 190}


class LineEditor(QFrame):
    """One line of the tariff. changed: something was typed; removed: the line is to go."""

    changed = pyqtSignal()
    removed = pyqtSignal()

    def __init__(self, typed: Typed) -> None:
        super().__init__()
        self.kind = typed.kind
        self.fields: dict[str, QLineEdit | QComboBox | QCheckBox] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 6)
        column.setSpacing(3)
        head = QHBoxLayout()
        head.addWidget(label(KINDS[typed.kind].title, "strong"), 1)
        head.addWidget(button(tr("Take away"), self.removed.emit, role="link"))
        column.addLayout(head)
        form = KINDS[typed.kind].form
        # what a price list seldom says stands in a second row
        seldom = [entry for entry in form if entry.may_lack or (entry.what == "switch" and len(form) > 3)]
        for entries in ([one for one in form if one not in seldom], seldom):
            if entries:
                column.addLayout(self._row(entries, typed))

    def _row(self, entries: Sequence[Entry], typed: Typed) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(6)
        for entry in entries:
            if entry.before:
                row.addWidget(label(entry.before, "quiet"))
            field = self._field(entry, str(typed.texts.get(entry.name, "")))
            field.setAccessibleName(f"{KINDS[typed.kind].title}: {entry.before or entry.after or entry.name}")
            self.fields[entry.name] = field
            row.addWidget(field)
            if entry.after and not isinstance(field, QCheckBox):
                row.addWidget(label(entry.after, "quiet"))
        row.addStretch(1)
        return row

    def _field(self, entry: Entry, text: str) -> QLineEdit | QComboBox | QCheckBox:
        if entry.what == "switch":
            tick = QCheckBox(entry.after)
            tick.setChecked(text == YES)
            tick.toggled.connect(lambda _: self.changed.emit())
            return tick
        if entry.what == "choice":
            box = QComboBox()
            add_words(box, entry.choices)
            choose_word(box, text)
            box.currentIndexChanged.connect(lambda _: self.changed.emit())
            return box
        edit = QLineEdit(text)
        edit.setFixedWidth(theme.px(60 if entry.may_lack else _WIDTHS[entry.what]))
        edit.textChanged.connect(lambda _: self.changed.emit())
        return edit

    def typed(self) -> Typed:
        return Typed(self.kind, {name: _text_of(field) for name, field in self.fields.items()})


def _text_of(field: QLineEdit | QComboBox | QCheckBox) -> str:
    if isinstance(field, QCheckBox):
        return YES if field.isChecked() else ""
    return chosen_word(field) if isinstance(field, QComboBox) else field.text()

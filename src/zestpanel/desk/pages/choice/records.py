"""Decision records that were written: a list, each opened from here."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from zestpanel.core.texts import tr
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import button, label, open_at

_STAMP = re.compile(r"decision-record-(\d{4}-\d\d-\d\d)-(\d\d)(\d\d)(?:-(\d+))?")


def records_in(folder: Path) -> list[Path]:
    """The newest first."""
    return sorted(folder.glob("decision-record-*.html"), reverse=True)


class RecordsDialog(Dialog):
    """show(file) opens one."""

    def __init__(self, parent: QWidget, folder: Path, show: Callable[[Path], None]) -> None:
        super().__init__(parent)
        self._records, self._show = records_in(folder), show
        self.setWindowTitle(tr("Decision records"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(tr("Decision records"), "name"))
        words = (
            tr("In {folder}. Enter opens one.", folder=folder)
            if self._records
            else tr("None was written yet: Write decision record.")
        )
        layout.addWidget(label(words, "quiet", wrap=True))
        self.table = Table()
        self.table.setAccessibleName(tr("Decision records"))
        self.table.row_chosen.connect(self._open)
        self.table.show_rows(
            [tr("written"), tr("file"), "kB"], [_row(one) for one in self._records], numbers=[2], wide=1
        )
        layout.addWidget(self.table, 1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button(tr("Close"), self.accept, role="main"))
        layout.addLayout(foot)
        open_at(self, 640, 420)

    def _open(self, row: int) -> None:
        self._show(self._records[row])


def _row(record: Path) -> list[str]:
    found = _STAMP.match(record.stem)
    when = f"{found[1]} {found[2]}:{found[3]}" if found else "–"
    return [when, record.name, f"{record.stat().st_size / 1000:,.0f}"]

"""Why not this one? Two candidates of a role, side by side."""

from __future__ import annotations

from typing import Final

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from zestpanel.core.choice.side_by_side import beside, why_not
from zestpanel.core.choice.standing import Standing
from zestpanel.core.texts import capital, tr
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import button, label, open_at

HALF: Final = 0.005  # of what is shown


def _worth(worth: float | None) -> str:
    if worth is None or abs(worth) < HALF:
        return "" if worth is None else "0.00"
    return f"{worth:+.2f}".replace("-", "−")


class BesideDialog(Dialog):
    """first: the one that is chosen, or leads; other: the one that is asked about."""

    def __init__(self, parent: QWidget, standing: Standing, first: int, other: int) -> None:
        super().__init__(parent)
        a, b = standing.rows[first], standing.rows[other]
        self.setWindowTitle(tr("Why not {name}?", name=b.name))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(tr("Why not {name}?", name=b.name), "name", wrap=True))
        said = tr("Beside {name}, for {role}: {why}.", name=a.name, role=standing.name,
                  why=why_not(standing, other, first))  # fmt: skip
        layout.addWidget(label(said, wrap=True))
        self.table = Table()
        self.table.setAccessibleName(tr("Side by side"))
        lines = beside(standing, first, other)
        self.table.show_rows(
            ["", a.name, b.name, tr("who is ahead"), tr("worth in the total")],
            [[capital(one.words), one.first, one.second, one.says,
              _worth(one.worth)] for one in lines],
            numbers=[4], wide=0,
        )  # fmt: skip
        layout.addWidget(self.table, 1)
        about = tr("Worth: what the difference moves the total by, for {name} where it is more than 0.", name=a.name)
        layout.addWidget(label(about, "small", wrap=True))
        foot = QHBoxLayout()
        foot.addStretch(1)
        close = button(tr("Close"), self.accept, role="main")
        close.setDefault(True)
        foot.addWidget(close)
        layout.addLayout(foot)
        open_at(self, 860, 520)

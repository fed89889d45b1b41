"""Scores split by groups: by what is in the text, by passage, by who listens."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from zestpanel.core.languages import language_name
from zestpanel.core.listening.groups import BY, WARNING, Split, split_scores
from zestpanel.core.listening.scores import primary
from zestpanel.core.listening.together import listed
from zestpanel.core.texts import tr
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import button, label, open_at


class GroupsDialog(Dialog):
    def __init__(self, parent: QWidget, state: DeskState) -> None:
        super().__init__(parent)
        self._state = state
        self.setWindowTitle(tr("Scores by groups"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        head = QHBoxLayout()
        self.what = QComboBox()
        self.what.setAccessibleName(tr("What is split"))
        self.what.addItem(tr("the panel's score"), None)
        for test, said in listed(state.project):
            self.what.addItem(f"{test.id} · {said.name}", test.id)
        self.what.currentIndexChanged.connect(self._look)
        head.addWidget(self.what)
        self.by = QComboBox()
        self.by.setAccessibleName(tr("Split"))
        for name, words in BY.items():
            self.by.addItem(words, name)
        self.by.currentIndexChanged.connect(self._look)
        head.addWidget(self.by)
        self.language = QComboBox()
        self.language.setAccessibleName(tr("Language"))
        for tag in dict.fromkeys(primary(p.language) for p in state.bench.passages):
            self.language.addItem(language_name(tag), tag)
        self.language.currentIndexChanged.connect(self._look)
        head.addWidget(self.language)
        head.addStretch(1)
        layout.addLayout(head)
        self.says = label("", "lead", wrap=True)
        layout.addWidget(self.says)
        layout.addWidget(label(WARNING, "quiet", wrap=True))
        self.table = Table()
        self.table.setAccessibleName(tr("Scores by group"))
        layout.addWidget(self.table, 1)
        layout.addWidget(
            label(
                tr(
                    "Mean, ± half of the 95 % interval over listeners where there are three, and how many answers. Of "
                    "pairs: 1 where it is preferred, −1 where the other is; of yes or no, right or wrong: the share."
                ),
                "small",
                wrap=True,
            )
        )
        foot = QHBoxLayout()
        foot.addWidget(button(tr("Copy table"), self.table.copy))
        foot.addStretch(1)
        foot.addWidget(button(tr("Close"), self.accept, role="main"))
        layout.addLayout(foot)
        open_at(self, 960, 520)
        self._look()

    def _look(self) -> None:
        project, by, language = self._state.project, self.by.currentData(), self.language.currentData()
        test = self.what.currentData()
        self._state.background.run(lambda: split_scores(project, by, language, test_id=test), self._show,
                                   self._state.complain, topic="groups")  # fmt: skip

    def _show(self, found: Split) -> None:
        self.says.setText(found.says)
        rows = []
        for candidate in found.candidate_ids:
            row = [found.names.get(candidate, "?")]
            for group in found.groups:
                cell = found.cells.get((candidate, group))
                if cell is None:
                    row.append("–")
                    continue
                mean, half, n = cell
                row.append(f"{mean:.2f}" + (f" ± {half:.2f}" if half is not None else "") + f"  ({n})")
            rows.append(row)
        self.table.show_rows([tr("Candidate"), *found.groups], rows, numbers=range(1, len(found.groups) + 1),
                             wide=0)  # fmt: skip

"""Clips made elsewhere, brought in: each file with its candidate and passage, as guessed or as a person says."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.errors import ZestError
from zestpanel.core.runs.files.bringing_in import HOW_OBTAINED, Clipping, bring_in
from zestpanel.core.texts import tr, trn
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.plain_tips import plain_tip
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import button, label, open_at

_HEAD = (tr("File"), tr("Candidate"), tr("Passage"), tr("How obtained"), tr("Wait"), tr("Credits"))


class BringInDialog(Dialog):
    """One row a file. What was typed (wait, credits) is kept as typed and never averaged with the clock's."""

    def __init__(self, parent: QWidget, state: DeskState, clippings: Sequence[Clipping]) -> None:
        super().__init__(parent)
        self._state, self._clippings = state, list(clippings)
        self.setWindowTitle(tr("Clips made elsewhere"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(tr("Clips made elsewhere"), "name"))
        about = tr(
            "Each clip becomes a take of its cell. Captured sound and vendors' samples are heard and never scored. "
            "A wait or credits typed here are kept as typed."
        )
        layout.addWidget(label(about, "quiet", wrap=True))
        self.table = QTableWidget(len(self._clippings), len(_HEAD))
        self.table.setHorizontalHeaderLabels(list(_HEAD))
        self.table.setAccessibleName(tr("Clips to bring in"))
        self.table.setShowGrid(False)
        across, down = self.table.horizontalHeader(), self.table.verticalHeader()
        assert across is not None
        assert down is not None
        down.hide()
        across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        across.setHighlightSections(False)
        down.setDefaultSectionSize(theme.px(40))
        across.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for column, width in enumerate((0, 190, 150, 184, 92, 92)):
            if width:
                self.table.setColumnWidth(column, theme.px(width))
        for row, clipping in enumerate(self._clippings):
            self._fill(row, clipping)
        layout.addWidget(self.table, 1)
        self.wrong = label("", "bad", wrap=True)
        layout.addWidget(self.wrong)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button(tr("Cancel"), self.reject))
        self.take = button(tr("Bring in"), self.go, role="main")
        foot.addWidget(self.take)
        layout.addLayout(foot)
        open_at(self, 940, 460)
        self._count()

    def _fill(self, row: int, clipping: Clipping) -> None:
        bench = self._state.bench
        item = QTableWidgetItem(clipping.path.name)
        item.setToolTip(plain_tip(str(clipping.path)))
        self.table.setItem(row, 0, item)
        candidates = [(self._state.name(c), c.id) for c in bench.candidates]
        passages = [(f"{n:02d} {p.title}", p.id) for n, p in enumerate(bench.passages, 1)]
        for column, choices, now, what in (
            (1, candidates, clipping.candidate_id, tr("Candidate")),
            (2, passages, clipping.passage_id, tr("Passage")),
        ):
            box = QComboBox()
            box.setAccessibleName(tr("{what} of {name}", what=what, name=clipping.path.name))
            box.addItem(tr("choose …"), None)
            for text, data in choices:
                box.addItem(text, data)
            box.setCurrentIndex(max(0, box.findData(now)))
            box.currentIndexChanged.connect(lambda _: self._count())
            self.table.setCellWidget(row, column, box)
        how = QComboBox()
        for name, words in HOW_OBTAINED.items():
            how.addItem(name, name)
            how.setItemData(how.count() - 1, words, 3)  # the tool tip
        how.setCurrentIndex(max(0, how.findData(clipping.obtained)))
        self.table.setCellWidget(row, 3, how)
        for column, value, suffix in ((4, clipping.wait_s, " s"), (5, clipping.credits, "")):
            number = QDoubleSpinBox()
            number.setRange(0, 1e6)
            number.setDecimals(1)
            number.setSuffix(suffix)
            number.setSpecialValueText("–")
            number.setValue(value or 0)
            self.table.setCellWidget(row, column, number)

    def clippings(self) -> list[Clipping]:
        """What is set in the rows now."""
        out = []
        for row, clipping in enumerate(self._clippings):
            candidate, passage, how = (self.table.cellWidget(row, c) for c in (1, 2, 3))
            wait, credits = (self.table.cellWidget(row, c) for c in (4, 5))
            assert isinstance(candidate, QComboBox)
            assert isinstance(passage, QComboBox)
            assert isinstance(how, QComboBox)
            assert isinstance(wait, QDoubleSpinBox)
            assert isinstance(credits, QDoubleSpinBox)
            out.append(
                replace(
                    clipping,
                    candidate_id=candidate.currentData(),
                    passage_id=passage.currentData(),
                    obtained=how.currentData(),
                    wait_s=wait.value() or None,
                    credits=credits.value() or None,
                )
            )
        return out

    def _count(self) -> None:
        ready = sum(clipping.ready for clipping in self.clippings())
        total = len(self._clippings)
        self.take.setEnabled(ready > 0)
        self.take.setText(
            tr("Bring in") if ready == total else tr("Bring in {ready} of {total}", ready=ready, total=total)
        )

    def go(self) -> None:
        """Bring in the rows that are ready; the others stay here, each problem is said."""
        project, wanted = self._state.project, self.clippings()
        self.take.setEnabled(False)

        def work() -> tuple[int, list[str]]:
            done, problems = 0, []
            for clipping in wanted:
                if not clipping.ready:
                    continue
                try:
                    bring_in(project.takes, project.texts, project.shortlist, clipping)
                    done += 1
                except ZestError as error:
                    problems.append(str(error))
            return done, problems

        def arrived(found: tuple[int, list[str]]) -> None:
            done, problems = found
            self.accept()
            if done:
                self._state.say(trn("{done} clip brought in.", "{done} clips brought in.", done, done=done))
                self._state.refresh()
                self._state.measure_soon()
            if problems:
                more = tr(" And {problems} more.", problems=len(problems) - 1) if len(problems) > 1 else ""
                self._state.complain(problems[0] + more)

        self._state.background.run(work, arrived, self._state.complain)

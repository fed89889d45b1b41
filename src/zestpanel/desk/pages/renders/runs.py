"""Past runs: what each did, its log, an earlier one once more, and two of them held against each other."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from datetime import datetime

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPlainTextEdit, QSplitter, QVBoxLayout, QWidget

from zestpanel.core.analysis.changes.again import plan_again
from zestpanel.core.analysis.changes.comparing import CandidateChange
from zestpanel.core.analysis.changes.silent import in_words, silent_changes
from zestpanel.core.domain.run import JournalRow, RunRow
from zestpanel.core.runs.execute.run_log import log_path
from zestpanel.core.runs.plan.planning import PlannedRun
from zestpanel.core.store.auditions import Audition
from zestpanel.core.texts import dated, tr, trn
from zestpanel.desk.pages.renders.questions import price_shown
from zestpanel.desk.pages.what_changed import WhatChanged
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import Stack, button, label

MOST_TOLD = 3
KINDS = {
    "bench": tr("bench"),
    "load": tr("under load"),
    "scheduled": tr("at its hour"),
    "sweep": tr("sweep"),
    "again": tr("once more"),
}


class RunsView(QWidget):
    """start(planned) begins a run, asked for by the page."""

    def __init__(self, state: DeskState, start: Callable[[PlannedRun], None]) -> None:
        super().__init__()
        self.state, self._start = state, start
        self.runs: list[RunRow] = []
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        split = QSplitter(Qt.Orientation.Vertical)
        outer.addWidget(split, 1)
        above = QWidget()
        upper = QVBoxLayout(above)
        upper.setContentsMargins(0, 0, 0, 8)
        self.answer = label("", "lead", wrap=True)
        upper.addWidget(self.answer)
        self.table = Table()
        self.table.setAccessibleName(tr("Runs"))
        self.table.itemSelectionChanged.connect(self._show_chosen)
        upper.addWidget(self.table, 1)
        row = QHBoxLayout()
        self.again = button(tr("Render this run once more"), self.ask_again, role="main",
                            tip=tr("The same requests to the character, to see what changed since"))  # fmt: skip
        self.compare = button(tr("What changed"), self.compare_chosen,
                              tip=tr("Select two runs; or one that was made once more"))  # fmt: skip
        self.log_button = button(tr("Log"), self._show_log)
        self.sentence = label("", "quiet", wrap=True)
        for one in (self.again, self.compare, self.log_button):
            row.addWidget(one)
        row.addWidget(self.sentence, 1)
        upper.addLayout(row)
        self.lines = label("", "small", wrap=True)
        upper.addWidget(self.lines)
        split.addWidget(above)
        self.below = Stack()
        self.log = QPlainTextEdit()
        self.log.setReadOnly(True)
        self.log.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.log.setAccessibleName(tr("Log of the run"))
        self.below.addWidget(self.log)
        self.what_changed = WhatChanged(state)
        self.below.addWidget(self.what_changed)
        split.addWidget(self.below)
        split.setSizes([theme.px(230), theme.px(260)])

    def refresh(self) -> None:
        project = self.state.project

        def read() -> tuple[list[RunRow], Counter[int], list[JournalRow], list[Audition]]:
            kept = Counter(t.run_id for t in project.takes.all(with_timing=False) if t.run_id is not None)
            runs = list(project.journal.runs().values())[::-1]
            return runs, kept, project.journal.rows(), project.auditions.rows()

        self.state.background.run(read, self._arrived, self.state.complain, topic="runs")

    def _arrived(self, found: tuple[list[RunRow], Counter[int], list[JournalRow], list[Audition]]) -> None:
        chosen = {run.id for run in self.chosen()}
        self.runs, kept, journal, lines = found
        self.lines.setText(_beside_runs(lines))
        if self.runs:
            self._look_for_changes(self.runs[0].id)
        failed = Counter(r.run_id for r in journal if r.state == "failed")
        again = Counter(r.run_id for r in journal if r.attempt > 1)
        rows = []
        for run in self.runs:
            kind = KINDS.get(run.kind, run.kind) + (tr(" as {of_run}", of_run=run.of_run) if run.of_run else "")
            load = tr("{at_once} at once", at_once=run.at_once) if run.at_once else tr("own limits")
            conditions = load + (tr(", all cold") if run.cold else "")
            ended = "" if run.ended else tr("not finished")
            rows.append(
                [
                    str(run.id),
                    dated(datetime.fromisoformat(run.created).astimezone(), tr("EEE dd MMM HH:mm")),
                    kind,
                    conditions,
                    str(kept[run.id]),
                    str(failed[run.id]),
                    str(again[run.id]),
                    tr("{machine}, network {network}", machine=run.machine, network=run.network or tr("not recorded")),
                    ended,
                ]
            )
        head = [
            tr("run"),
            tr("began"),
            tr("kind"),
            tr("conditions"),
            tr("takes"),
            tr("failed tries"),
            tr("tried again"),
            tr("on"),
            "",
        ]
        self.table.show_rows(head, rows, numbers=(0, 4, 5, 6), wide=7)
        for place, run in enumerate(self.runs):
            if run.id in chosen or (not chosen and place == 0):
                self.table.selectRow(place)
        self._show_chosen()

    def _look_for_changes(self, newest: int) -> None:
        """The answer first: whether anything sounds otherwise than it did for the very same requests."""
        project, state = self.state.project, self.state

        def arrived(found: list[tuple[int, CandidateChange]]) -> None:
            said = [in_words(state.name(change.candidate), earlier, change) for earlier, change in found]
            nothing = tr("Run {newest}: nothing sounds otherwise than for the same requests before.", newest=newest)
            self.answer.setText(" ".join(said[:MOST_TOLD]) or nothing)

        state.background.run(
            lambda: silent_changes(project.takes, project.shortlist, project.journal, newest),
            arrived,
            state.complain,
            topic="runs changed",
        )

    def chosen(self) -> list[RunRow]:
        """The selected runs, the earlier one first."""
        rows = sorted({index.row() for index in self.table.selectedIndexes()}, reverse=True)
        return [self.runs[row] for row in rows if row < len(self.runs)]

    def _pair(self) -> tuple[int, int] | None:
        chosen = self.chosen()
        if len(chosen) == 2:
            return chosen[0].id, chosen[1].id
        if len(chosen) == 1 and chosen[0].of_run is not None:
            return chosen[0].of_run, chosen[0].id
        return None

    def _show_chosen(self) -> None:
        chosen, pair = self.chosen(), self._pair()
        running = self.state.runs.goes_on
        self.again.setEnabled(len(chosen) == 1 and not running)
        self.compare.setEnabled(pair is not None)
        self.log_button.setEnabled(len(chosen) == 1)
        if not self.runs:
            self.sentence.setText(tr("No run yet."))
        elif pair is None:
            self.sentence.setText(tr("Select two runs to see what changed between them."))
        else:
            self.sentence.setText("")
        if pair is not None:
            self.compare_chosen()
        else:
            self._show_log()

    def _show_log(self) -> None:
        chosen = self.chosen()
        if chosen:
            path = log_path(self.state.project.folder, chosen[-1].id)
            try:
                self.log.setPlainText(path.read_text("utf-8"))
            except OSError:
                self.log.setPlainText(
                    tr("This run has no log of its own: it is one of several levels of load, or an old one.")
                )
        else:
            self.log.setPlainText("")
        self.below.setCurrentIndex(0)

    # -- once more

    def ask_again(self) -> None:
        chosen = self.chosen()
        if len(chosen) == 1:
            project, run = self.state.project, chosen[0]
            self.state.background.run(
                lambda: plan_again(project, run), self._planned, self.state.complain, topic="again"
            )

    def _planned(self, planned: PlannedRun) -> None:
        from PyQt6.QtWidgets import QMessageBox

        box = QMessageBox(self)
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setWindowTitle(tr("Once more"))
        box.setText(tr("{asked}: {price}.", asked=planned.asked, price=price_shown(self.state, planned)))
        changed = len({(c.id, p.id) for c, p, _ in planned.left_out})
        left = (
            trn(
                " {changed} cell is left out: its request would differ from then.",
                " {changed} cells are left out: their request would differ from then.",
                changed,
                changed=changed,
            )
            if changed
            else ""
        )
        box.setInformativeText(tr("They are the same to the character as then.") + left)
        go = box.addButton(tr("Render"), QMessageBox.ButtonRole.AcceptRole)
        box.addButton(tr("Cancel"), QMessageBox.ButtonRole.RejectRole)
        box.finished.connect(lambda _: self._start(planned) if box.clickedButton() is go else None)
        box.open()

    def compare_chosen(self) -> None:
        if (pair := self._pair()) is not None:
            self.what_changed.show_runs(*pair)
            self.below.setCurrentWidget(self.what_changed)


def _beside_runs(lines: Sequence[Audition]) -> str:
    """What was asked for outside of runs, '' where nothing was."""
    if not lines:
        return ""
    requests, characters = sum(one.requests for one in lines), sum(one.characters for one in lines)
    failed = sum(one.state == "failed" for one in lines)
    return trn(
        "Beside runs: {lines} line heard or tried, in {requests} requests of {characters} "
        "characters{x}. They count against plans and caps alike.",
        "Beside runs: {lines} lines heard or tried, in {requests} requests of {characters} "
        "characters{x}. They count against plans and caps alike.",
        len(lines),
        lines=len(lines),
        requests=requests,
        characters=f"{characters:,}",
        x=tr(", {failed} failed", failed=failed) if failed else "",
    )

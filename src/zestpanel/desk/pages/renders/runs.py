"""Past runs: what each did, its log, an earlier one once more, and what changed between two."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from datetime import datetime

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPlainTextEdit, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from zestpanel.core.bench.planning import PlannedRun
from zestpanel.core.bench.run_log import log_path
from zestpanel.core.changes.again import plan_again
from zestpanel.core.changes.comparing import YARDSTICKS, CandidateChange, compare_runs
from zestpanel.core.errors import ZestError
from zestpanel.core.project.journal import JournalRow, RunRow
from zestpanel.core.tariffs.money import shown
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import Table, button, label

KINDS = {
    "bench": "bench",
    "load": "under load",
    "scheduled": "at its hour",
    "sweep": "sweep",
    "again": "once more",
}
HOW = (
    "Each request of the later run is paired with the very same request of the earlier one. Two-sided t test of the "
    "paired differences, adjusted for all measures of all candidates together (Holm), 5 %; and a change must be over "
    "its allowance: "
    + ", ".join(
        f"{y.words} {100 * y.allowance:.0f} %" if y.ratio else f"{y.words} {y.allowance:g} {y.unit}"
        for y in YARDSTICKS.values()
        if y.allowance
    )
    + ". Waits are compared only between runs that asked the same candidates."
)


class RunsView(QWidget):
    """start(planned) begins a run, asked for by the page."""

    def __init__(self, state: DeskState, start: Callable[[PlannedRun], None]) -> None:
        super().__init__()
        self.state, self._start = state, start
        self.runs: list[RunRow] = []
        self.changes: list[CandidateChange] = []
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        split = QSplitter(Qt.Orientation.Vertical)
        outer.addWidget(split, 1)
        above = QWidget()
        upper = QVBoxLayout(above)
        upper.setContentsMargins(0, 0, 0, 0)
        self.table = Table()
        self.table.setAccessibleName("Runs")
        self.table.itemSelectionChanged.connect(self._show_chosen)
        upper.addWidget(self.table, 1)
        row = QHBoxLayout()
        self.again = button("Render this run once more", self.ask_again, role="main",
                            tip="The same requests to the character, to see what changed since")  # fmt: skip
        self.compare = button("What changed", self.compare_chosen,
                              tip="Select two runs; or one that was made once more")  # fmt: skip
        self.log_button = button("Log", self._show_log)
        self.sentence = label("", "quiet", wrap=True)
        for one in (self.again, self.compare, self.log_button):
            row.addWidget(one)
        row.addWidget(self.sentence, 1)
        upper.addLayout(row)
        split.addWidget(above)
        self.below = QStackedWidget()
        self.log = QPlainTextEdit()
        self.log.setReadOnly(True)
        self.log.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.log.setAccessibleName("Log of the run")
        self.below.addWidget(self.log)
        comparing = QWidget()
        lower = QVBoxLayout(comparing)
        lower.setContentsMargins(0, 0, 0, 0)
        self.heading = label("", "strong")
        lower.addWidget(self.heading)
        self.change_table = Table()
        self.change_table.setAccessibleName("What changed, by candidate")
        self.change_table.itemSelectionChanged.connect(self._show_figures)
        lower.addWidget(self.change_table, 3)
        self.figures = label("", "small", wrap=True)
        lower.addWidget(self.figures)
        foot = QHBoxLayout()
        foot.addWidget(label(HOW, "small", wrap=True), 1)
        self.hear = button("Hear then and now", self.hear_pair)
        foot.addWidget(self.hear)
        lower.addLayout(foot)
        self.below.addWidget(comparing)
        split.addWidget(self.below)
        split.setSizes([theme.px(230), theme.px(260)])

    def refresh(self) -> None:
        project = self.state.project

        def read() -> tuple[list[RunRow], Counter[int], list[JournalRow]]:
            kept = Counter(t.run_id for t in project.takes.all(with_timing=False) if t.run_id is not None)
            return list(project.journal.runs().values())[::-1], kept, project.journal.rows()

        self.state.background.run(read, self._arrived, self.state.complain, topic="runs")

    def _arrived(self, found: tuple[list[RunRow], Counter[int], list[JournalRow]]) -> None:
        chosen = {run.id for run in self.chosen()}
        self.runs, kept, journal = found
        failed = Counter(r.run_id for r in journal if r.state == "failed")
        again = Counter(r.run_id for r in journal if r.attempt > 1)
        rows = []
        for run in self.runs:
            kind = KINDS.get(run.kind, run.kind) + (f" as {run.of_run}" if run.of_run else "")
            load = f"{run.at_once} at once" if run.at_once else "own limits"
            conditions = load + (", all cold" if run.cold else "")
            ended = "" if run.ended else "not finished"
            rows.append([str(run.id), f"{datetime.fromisoformat(run.created).astimezone():%a %d %b %H:%M}", kind,
                         conditions, str(kept[run.id]), str(failed[run.id]), str(again[run.id]),
                         f"{run.machine}, network {run.network or 'not recorded'}", ended])  # fmt: skip
        head = ["run", "began", "kind", "conditions", "takes", "failed tries", "tried again", "on", ""]
        self.table.show_rows(head, rows, numbers=(0, 4, 5, 6), wide=7)
        for place, run in enumerate(self.runs):
            if run.id in chosen or (not chosen and place == 0):
                self.table.selectRow(place)
        self._show_chosen()

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
        running = self.state.run_goes_on
        self.again.setEnabled(len(chosen) == 1 and not running)
        self.compare.setEnabled(pair is not None)
        self.log_button.setEnabled(len(chosen) == 1)
        if not self.runs:
            self.sentence.setText("No run yet.")
        elif pair is None:
            self.sentence.setText("Select two runs to see what changed between them.")
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
                    "This run has no log of its own: it is one of several levels of load, or an old one."
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
        box.setWindowTitle("Once more")
        money = " + ".join(f"{shown(m.amount)} {m.currency}" for m in planned.costs) or "no price stated"
        box.setText(f"{planned.requests} requests of {planned.characters:,} characters, {money}.")
        changed = len({(c.id, p.id) for c, p, _ in planned.left_out})
        left = f" {changed} cells are left out: their request would differ from then." if changed else ""
        box.setInformativeText("They are the same to the character as then." + left)
        go = box.addButton("Render", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Cancel", QMessageBox.ButtonRole.RejectRole)
        box.finished.connect(lambda _: self._start(planned) if box.clickedButton() is go else None)
        box.open()

    # -- what changed

    def compare_chosen(self) -> None:
        pair, project = self._pair(), self.state.project
        if pair is None:
            return
        first, second = pair

        def arrived(found: list[CandidateChange]) -> None:
            self.changes = found
            self._show_changes(first, second)

        self.state.background.run(
            lambda: compare_runs(project, first, second), arrived, self.state.complain, topic="compare runs"
        )

    def _show_changes(self, first: int, second: int) -> None:
        self.heading.setText(f"What changed from run {first} to run {second}")
        rows, bad = [], []
        for place, change in enumerate(self.changes):
            verdict = change.verdict()
            if change.silently:
                verdict = "changed without a word" + verdict.removeprefix("changed")
            rows.append([self.state.name(change.candidate), verdict, f"{change.same_sound} of {len(change.pairs)}",
                         f"{change.failed[0]} → {change.failed[1]}"])  # fmt: skip
            if change.changes:
                bad.append((place, 1))
        head = ["candidate", "verdict", "same to the sample", "failed tries"]
        self.change_table.show_rows(head, rows, numbers=(2, 3), bad=bad, wide=1)
        if not rows:
            self.heading.setText(f"Runs {first} and {second} have no request in common.")
        self.below.setCurrentIndex(1)
        if rows:
            worst = bad[0][0] if bad else 0
            self.change_table.selectRow(worst)
        self._show_figures()

    def _change(self) -> CandidateChange | None:
        row = self.change_table.currentRow()
        return self.changes[row] if 0 <= row < len(self.changes) else None

    def _show_figures(self) -> None:
        change = self._change()
        self.hear.setEnabled(change is not None)
        if change is None:
            self.figures.setText("")
            return
        parts = []
        for d in change.differences:
            rule = d.yardstick
            low, high = (f"{100 * v:+.1f}" if rule.ratio else f"{v:+.1f}" for v in (d.low, d.high))
            parts.append(f"{d.says()} ({low} to {high}, p {d.adjusted_p:.2g})".replace("-", "−"))
        self.figures.setText(f"{len(change.pairs)} pairs. " + "; ".join(parts) + ".")

    def hear_pair(self) -> None:
        """Lay the pair of the passage that is looked at (or the first) on the tray: 1 is then, 2 is now."""
        change = self._change()
        if change is None or not change.pairs:
            return
        passages = {p.version_id: p for p in self.state.bench.passages}
        pairs = [pair for pair in change.pairs if pair[0].passage_version_id in passages]
        if not pairs:
            self.state.complain(ZestError("The texts of these takes were changed since: they cannot be laid out."))
            return
        here = self.state.passage()
        pair = next((p for p in pairs if here and p[0].passage_version_id == here.version_id), pairs[0])
        passage = passages[pair[0].passage_version_id]
        self.state.lay_out_repeats(list(pair), change.candidate.id, passage.id, play=True)

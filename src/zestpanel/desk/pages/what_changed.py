"""What changed between two runs: a verdict a candidate, the figures behind it, then and now by ear, and kept apart."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from zestpanel.core.analysis.changes.comparing import ALPHA, CandidateChange, Difference, compare_runs, compare_versions
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.errors import ZestError
from zestpanel.core.store.splitting import Split
from zestpanel.core.texts import tr, word
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import button, label

HOW = tr(
    "Each request of the later run is paired with the very same request of the earlier one. "
    "Two-sided t test of the paired differences; p adjusted for all measures of all "
    "candidates together (Holm). Changed: p below {alpha} %, and over the allowance, below "
    "which nobody would act on it. Waits are compared only between runs that asked the same "
    "candidates.",
    alpha=f"{100 * ALPHA:.0f}",
)

HOW_VERSIONS = tr(
    "Each take of the new version is paired with one of the old on the same text. Two-sided "
    "t test of the paired differences; p adjusted for all measures together (Holm). Changed: "
    "p below {alpha} %, and over the allowance. Which of the two is better is for listeners: "
    "both stand in a listening test like any two candidates.",
    alpha=f"{100 * ALPHA:.0f}",
)


class WhatChanged(QWidget):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self.changes: list[CandidateChange] = []
        self._runs = (0, 0)
        self._about, self._none = "", tr("There is no passage that both versions were rendered for.")
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 8, 0, 0)
        self.heading = label("", "strong", wrap=True)
        outer.addWidget(self.heading)
        tables = QHBoxLayout()
        tables.setSpacing(18)
        self.candidates = Table()
        self.candidates.setAccessibleName(tr("What changed, by candidate"))
        self.candidates.itemSelectionChanged.connect(self._show_figures)
        tables.addWidget(self.candidates, 5)
        self.figures = Table()
        self.figures.setAccessibleName(tr("What changed of the selected candidate, by measure"))
        tables.addWidget(self.figures, 6)
        outer.addLayout(tables, 1)
        foot = QHBoxLayout()
        self._how = label(HOW, "small", wrap=True)
        foot.addWidget(self._how, 1)
        self.apart = button(
            tr("Keep then and now apart"), self.keep_apart,
            tip=tr("Two candidates instead of one: what was made before stays heard and scored, and is made no more"),
        )  # fmt: skip
        self.hear = button(tr("Hear then and now"), self.hear_pair, tip=tr("1 is then, 2 is now"))
        foot.addWidget(self.apart)
        foot.addWidget(self.hear)
        outer.addLayout(foot)

    def show_runs(self, first: int, second: int) -> None:
        """Compare two runs, the earlier one first, and show what is found."""
        project = self.state.project

        def arrived(found: list[CandidateChange]) -> None:
            self.changes, self._runs = found, (first, second)
            self._about = tr("What changed from run {first} to run {second}", first=first, second=second)
            self._none = tr("Runs {first} and {second} have no request in common.", first=first, second=second)
            self._show()

        self.state.background.run(
            lambda: compare_runs(project.shortlist, project.takes, project.journal, first, second),
            arrived,
            self.state.complain,
            topic="compare runs",
        )

    def show_versions(self, old: Candidate, new: Candidate) -> None:
        """Compare a voice under two versions of its model."""
        project = self.state.project
        self.apart.hide()  # they are two candidates
        self.candidates.hide()  # one pair, whose verdict stands in the heading
        self._how.setText(HOW_VERSIONS)

        def arrived(found: CandidateChange) -> None:
            self.changes = [found] if found.pairs else []
            self._about = tr(
                "Version {model_version} beside {model_version2}, {pairs} pairs of takes: ",
                model_version=new.model_version,
                model_version2=old.model_version,
                pairs=len(found.pairs),
            )
            self._about += f"{found.verdict()}."
            self._show()

        self.state.background.run(
            lambda: compare_versions(project.takes, project.texts, old, new),
            arrived,
            self.state.complain,
            topic="compare versions",
        )

    def _show(self) -> None:
        rows, bad = [], []
        for place, change in enumerate(self.changes):
            verdict = change.verdict()
            if change.silently:
                verdict = tr("changed without a word") + verdict.removeprefix("changed")
            name = self.state.name(change.candidate)
            rows.append(
                [
                    f"{name}\n{verdict}",
                    tr("{same_sound} of {pairs}", same_sound=change.same_sound, pairs=len(change.pairs)),
                    f"{change.failed[0]} → {change.failed[1]}",
                ]
            )
            if change.changes:
                bad.append((place, 0))
        head = [tr("candidate"), tr("same sound"), tr("failed")]
        self.candidates.show_rows(head, rows, numbers=(1, 2), bad=bad, wide=0)
        self.heading.setText(self._about if rows else self._none)
        if rows:
            self.candidates.selectRow(bad[0][0] if bad else 0)
        self._show_figures()

    def change(self) -> CandidateChange | None:
        row = self.candidates.currentRow()
        return self.changes[row] if 0 <= row < len(self.changes) else None

    def _show_figures(self) -> None:
        change = self.change()
        self.hear.setEnabled(change is not None)
        kept_apart = change is not None and change.kept_apart
        changed = change is not None and bool(change.sound_changes)
        # takes of a run that goes on are kept for the candidate it was planned with
        self.apart.setEnabled(changed and not kept_apart and not self.state.runs.goes_on)
        self.apart.setText(tr("Then and now are kept apart") if kept_apart else tr("Keep then and now apart"))
        differences = change.differences if change else ()
        head = [tr("measure"), tr("change"), tr("95 % interval"), tr("allowance"), "p"]
        bad = [(place, 1) for place, d in enumerate(differences) if d.changed]
        self.figures.show_rows(head, [_row(d) for d in differences], numbers=(1, 2, 3, 4), bad=bad, wide=0)

    # -- what a person does about it

    def hear_pair(self) -> None:
        """Lay the pair of the passage that is looked at (or the first) on the tray: 1 is then, 2 is now."""
        change = self.change()
        if change is None or not change.pairs:
            return
        passages = {p.version_id: p for p in self.state.bench.passages}
        pairs = [pair for pair in change.pairs if pair[0].passage_version_id in passages]
        if not pairs:
            self.state.complain(ZestError(tr("The texts of these takes were changed since: they cannot be laid out.")))
            return
        here = self.state.passage()
        pair = next((p for p in pairs if here and p[0].passage_version_id == here.version_id), pairs[0])
        passage = passages[pair[0].passage_version_id]
        self.state.tray.lay_out_repeats(list(pair), change.candidate.id, passage.id, play=True)

    def keep_apart(self) -> None:
        """Two candidates instead of one, from the later run on; can be taken back."""
        change = self.change()
        if change is None:
            return
        shortlist, run = self.state.project.shortlist, self._runs[1]
        name, made = self.state.name(change.candidate), list[Split]()

        def do() -> None:
            made[:] = [shortlist.split(change.candidate.id, run)]

        def undo() -> None:
            shortlist.merge_back(made[0])

        if self.state.edit(tr("keep takes of {name} apart", name=name), do, undo):
            self.state.say(
                tr("{name} is two candidates now: its takes of before run {run}, and those since.", name=name, run=run)
            )
        self.show_runs(*self._runs)


def _row(difference: Difference) -> list[str]:
    rule = difference.yardstick
    scale, unit = (100, " %") if rule.ratio else (1, f" {word(rule.unit)}")
    low, high, mean = (f"{scale * v:+.1f}" for v in (difference.low, difference.high, difference.mean))
    p = "< 0.001" if difference.adjusted_p < 0.001 else f"{difference.adjusted_p:.3f}"
    row = [
        rule.words,
        f"{mean}{unit}",
        tr("{low} to {high}", low=low, high=high),
        f"{scale * rule.allowance:g}{unit}",
        p,
    ]
    return [row[0], *(cell.replace("-", "−") for cell in row[1:])]

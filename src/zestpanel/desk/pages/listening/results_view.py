"""What all tests say: the panel's score, then every test beside the others, what contradicts, and what to ask next."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.languages import language_name
from zestpanel.core.listening.scores import LanguageScores
from zestpanel.core.listening.together import Column, Together
from zestpanel.core.report.drawing import Picture
from zestpanel.core.report.pictures import scores_picture
from zestpanel.core.texts import tr
from zestpanel.desk.charts.view import ChartView
from zestpanel.desk.pages.listening.tests_view import empty
from zestpanel.desk.sources import behind_score
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.viewmodels.listening import Results, from_outside, look_at_results
from zestpanel.desk.widgets import label


class ResultsView(QScrollArea):
    test_chosen = pyqtSignal(int)

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self.setWidgetResizable(True)
        inside = QWidget()
        self.body = QVBoxLayout(inside)
        self.body.setContentsMargins(0, 4, 8, 8)
        self.body.setSpacing(10)
        self.setWidget(inside)
        self._scores = QVBoxLayout()
        self._scores.setSpacing(4)
        self.body.addLayout(self._scores)
        self._notes = label(tr("Reading the answers …"), "small", wrap=True)
        self.body.addWidget(self._notes)
        self._together = QVBoxLayout()
        self._together.setSpacing(6)
        self.body.addLayout(self._together)
        self.body.addStretch(1)
        self.charts: list[ChartView] = []
        self.tables: list[Table] = []

    def refresh(self) -> None:
        project, evaluation = self.state.project, self.state.evaluation
        self.state.background.run(
            lambda: look_at_results(project, evaluation), partial(self._show, evaluation), self.state.complain,
            topic="listening",
        )  # fmt: skip

    def _show(self, evaluation: Evaluation | None, found: Results) -> None:
        if evaluation is not None:
            self._show_scores(evaluation, found.verdicts)
        empty(self._together)
        self.tables = []
        for one in found.together:
            self._add_together(one, several=len(found.together) > 1)

    # -- what the panel says on the main scale

    def _show_scores(self, found: Evaluation, verdicts: dict[str, str]) -> None:
        empty(self._scores)
        self.charts = []
        for k, language in enumerate(found.scores.languages):
            if k:
                self._scores.addSpacing(10)
            where = f"{language_name(language.language)}: " if len(found.scores.languages) > 1 else ""
            self._scores.addWidget(label(where + verdicts[language.language], "lead", wrap=True))
            chart = ChartView(partial(_picture_of, found, language.language), aside=self.state.aside)
            chart.candidate_chosen.connect(self._open_ratings)
            self._scores.addWidget(chart)
            self.charts.append(chart)
            chart.refresh_for(len(language.scores))
            if agreement := _agreement(language):
                self._scores.addWidget(label(agreement, "small", wrap=True))
        if not found.scores.languages:
            self._scores.addWidget(label(tr("No ratings yet."), "quiet"))
        elif outside := from_outside(self.state.bench.engines):
            self._scores.addWidget(label(outside, "small", wrap=True))
        notes = (
            [
                tr(
                    "Bar: 95 % interval; intervals, letters, equality and chances hold for other listeners and "
                    "other texts "
                    "of the kind. Thin line: t interval over listener means. Candidates that share a letter "
                    "are not told "
                    "apart; that is not the same as equal."
                )
            ]
            if found.scores.languages
            else []
        )
        if apart := found.scores.why_kept_apart():
            notes.append(
                apart + (tr(" Double-click a listener to state languages.") if found.scores.not_stated else "")
            )
        self._notes.setText(" ".join(notes))

    def _open_ratings(self, candidate_id: int) -> None:
        if self.state.evaluation and candidate_id in self.state.evaluation.rows:
            behind_score(self, self.state.project, self.state.evaluation.rows[candidate_id]).show()

    # -- every test beside the others

    def _add_together(self, found: Together, *, several: bool) -> None:
        where = f"{language_name(found.language)}: " if several else ""
        self._together.addSpacing(8)
        self._together.addWidget(label(where + tr("What each test says"), "strong"))
        for said in found.contradicts:
            self._together.addWidget(label(said, "bad", wrap=True))
        for said in found.both_true:
            self._together.addWidget(label(said, wrap=True))
        table = Table()
        table.setAccessibleName(where + tr("What each test says"))
        head = [tr("Candidate"), *(f"{one.test_id} · {one.name}" for one in found.columns)]
        rows = [[_about(one) for one in found.columns]]
        cells = [[tr("When, how many, how"), *rows[0]]]
        tips = {}
        for r, (_, name, said_of) in enumerate(found.rows, 1):
            cells.append([name, *(_cell(one.value, one.note, one.between, one.told_from) for one in said_of)])
            for c, one in enumerate(said_of, 1):
                if one.told_from:
                    tips[r, c] = tr("Told apart from {names}", names=one.told_from)
        table.show_rows(head, cells, tips=tips, wide=0)
        table.setFixedHeight(table.height_for_rows(20))
        table.row_chosen.connect(lambda _: self._open_column(table, found))
        self._together.addWidget(table)
        self.tables.append(table)
        rule = tr("Estimate and letters above its 95 % interval, each on the scale of its own test; in a test of pairs "
                  "alone, from whom it is told apart. Tests are not mixed: what counts in the choice is set test by "
                  "test, and by the weights.")  # fmt: skip
        self._together.addWidget(label(rule, "small", wrap=True))
        if found.next:
            self._together.addWidget(label(tr("To ask next"), "strong"))
            for said in found.next:
                self._together.addWidget(label(said, wrap=True))

    def _open_column(self, table: Table, found: Together) -> None:
        column = table.currentColumn() - 1
        if 0 <= column < len(found.columns):
            self.test_chosen.emit(found.columns[column].test_id)


def _about(one: Column) -> str:
    """'2026-12-01, 12 listeners' above the kind, or above why it stands by itself."""
    when = tr("{day}, n = {n}", day=one.opened, n=one.listeners)
    return f"{when}\n{one.apart or one.kind}"


def _cell(value: str, note: str, between: str, told_from: str) -> str:
    if value:
        return f"{value} {note}".strip() + (f"\n{between}" if between else "")
    return tr("told from {names}", names=told_from) if told_from else "–"


def _picture_of(found: Evaluation, language: str, width: float) -> Picture | None:
    return scores_picture(found, width=width, language=language)


def _agreement(found: LanguageScores) -> str:
    agreement = found.agreement
    if agreement is None:
        return ""
    single, average = (
        tr("undefined") if value is None else f"{value:.2f}".replace("-", "−")
        for value in (agreement.single, agreement.average)
    )  # fmt: skip
    return tr(
        "Agreement of single listeners {single}, of the panel's mean {average} (ICC 2,1 and 2,k; 1 is full agreement)",
        single=single,
        average=average,
    )

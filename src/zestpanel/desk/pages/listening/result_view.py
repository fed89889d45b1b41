"""What one test says: a sentence or two, the picture, then the figures; and which listeners' answers are in doubt."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QInputDialog, QPushButton, QVBoxLayout, QWidget

from zestpanel.core.domain.listening import Listener
from zestpanel.core.languages import language_name
from zestpanel.core.listening.kind import Found, Versus
from zestpanel.core.listening.results import OfLanguage, Result
from zestpanel.core.report.drawing import Picture
from zestpanel.core.report.listening_pictures import bars_picture, listener_picture, versus_picture
from zestpanel.core.texts import tr
from zestpanel.desk.charts.view import ChartView
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import button, label


class ResultView(QWidget):
    """decide(test id, listener id, whether left out) is called when the lead ticks; open_answers(test id, candidate id)
    when something in the picture is clicked; give_reason(test id, listener id, words) for leaving somebody out."""

    def __init__(
        self, result: Result, people: dict[int, Listener], decide: Callable[[int, int, bool], None],
        open_answers: Callable[[int, int], None], give_reason: Callable[[int, int, str], None],
    ) -> None:  # fmt: skip
        super().__init__()
        self._result = result
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 6)
        column.setSpacing(5)
        about = tr(
            "{title}  ·  {created}  ·  test {id}",
            title=result.title,
            created=result.test.created[:10],
            id=result.test.id,
        )
        column.addWidget(label(about, "strong"))
        if not result.parts:
            column.addWidget(label(tr("Nobody has answered yet."), "quiet"))
        for part in result.parts:
            self._add_part(column, part, open_answers)
        for part in result.parts:
            if part.found is not None and part.found.stated:
                column.addWidget(label(part.found.stated, wrap=True))
        for part in result.parts:
            if part.worst:
                column.addWidget(label(tr("Lowest clips: {worst}.", worst=part.worst), "small", wrap=True))
        if result.about:
            column.addWidget(label(" ".join(result.about), "small", wrap=True))
        doubts: dict[int, list[str]] = {listener: [] for listener in sorted(result.out)}
        for flag in result.flags:
            doubts.setdefault(flag.listener_id, []).append(flag.why)
        for listener, why in doubts.items():
            person = people.get(listener)
            name = person.alias if person else str(listener)
            own = result.test.conduct.reasons.get(listener, "")
            said = "; ".join([*([own] if own else []), *why])
            box = QCheckBox(
                tr("Leave out {name}: {why}", name=name, why=said) if said else tr("Leave out {name}", name=name)
            )
            box.setChecked(listener in result.out)
            box.toggled.connect(partial(decide, result.test.id, listener))
            row = QHBoxLayout()
            row.addWidget(box)
            row.addWidget(button(tr("Reason …"), partial(self._reason, listener, name, own), role="link"))
            column.addLayout(row)
            if points := result.beside.get(listener):
                chart = ChartView(partial(listener_picture, points))
                chart.setVisible(False)
                row.addWidget(button(tr("See it"), partial(self._see, chart), role="link"))
                column.addWidget(chart)
            row.addStretch(1)
        self._give_reason = give_reason
        others = {p.alias: p.id for p in people.values() if p.id in result.heard_by and p.id not in doubts}
        if others:
            self._others = QComboBox()
            self._others.addItem(tr("Leave somebody out …"), 0)
            for alias, number in others.items():
                self._others.addItem(alias, number)
            self._others.activated.connect(
                lambda _: (
                    decide(result.test.id, self._others.currentData(), True) if self._others.currentData() else None
                )
            )
            column.addWidget(self._others, 0, Qt.AlignmentFlag.AlignLeft)

    @staticmethod
    def _see(chart: ChartView) -> None:
        chart.setVisible(chart.isHidden())
        chart.refresh()

    def _reason(self, listener: int, name: str, known: str) -> None:
        """A reason of the lead's own, kept with the test and printed without the name."""
        words, good = QInputDialog.getText(self, tr("Leave out {name}", name=name), tr("Why"), text=known)
        if good:
            self._give_reason(self._result.test.id, listener, words.strip()[:200])

    def _add_part(self, column: QVBoxLayout, part: OfLanguage, open_answers: Callable[[int, int], None]) -> None:
        where = f"{language_name(part.language)}: " if len(self._result.parts) > 1 else ""
        if part.found is None:
            column.addWidget(label(f"{where}{part.why}", "quiet", wrap=True))
            return
        found = part.found
        column.addWidget(label(f"{where}{found.says}", "lead", wrap=True))
        if part.effect:
            column.addWidget(label(part.effect, "small", wrap=True))
        if found.bars:
            chart = ChartView(partial(_picture, found))
            chart.candidate_chosen.connect(partial(open_answers, self._result.test.id))
            column.addWidget(chart)
            chart.refresh()
        versus = None
        if found.versus is not None:
            versus = ChartView(partial(_versus, found.versus))
            versus.candidate_chosen.connect(partial(open_answers, self._result.test.id))
            versus.refresh()
        table = Table()
        table.setAccessibleName(f"{self._result.title}{' ' + where if where else ''}".strip())
        numbers = list(found.numbers or range(1, len(found.head)))
        table.show_rows(list(found.head), [list(row) for row in found.rows], numbers=numbers)
        table.setFixedHeight(table.height_for_rows())
        rule = label(
            tr(
                "{rule} {answers} answers of {listeners} listeners.",
                rule=found.rule,
                answers=part.answers,
                listeners=part.listeners,
            ),
            "small",
            wrap=True,
        )
        fold = button(tr("Figures"), lambda: None, role="link")
        behind: list[QWidget] = [table, rule] if versus is None else [versus, table, rule]
        for hidden in behind:
            hidden.setVisible(not found.bars)
        fold.setVisible(bool(found.bars))
        fold.clicked.connect(partial(_unfold, fold, behind))
        column.addWidget(fold)
        for hidden in behind:
            column.addWidget(hidden)


def _picture(found: Found, width: float) -> Picture | None:
    return bars_picture(found, width)


def _versus(versus: Versus, width: float) -> Picture | None:
    return versus_picture(versus, width)


def _unfold(fold: QPushButton, behind: Sequence[QWidget], _: bool = False) -> None:
    show = behind[0].isHidden()
    for one in behind:
        one.setVisible(show)
    fold.setText(tr("Hide figures") if show else tr("Figures"))

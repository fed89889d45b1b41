"""Questions before money is spent: a sum beyond what is left, and requests that may have been paid already."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QMessageBox, QWidget

from zestpanel.core.domain.run import JournalRow
from zestpanel.core.errors import FAILURE_KINDS
from zestpanel.core.runs.plan.planning import PlannedRun
from zestpanel.core.runs.plan.undecided import undecided
from zestpanel.core.runs.spending.left_to_spend import left_of_budget
from zestpanel.core.texts import tr, trn, word
from zestpanel.desk.state import DeskState


def question(
    parent: QWidget, title: str, text: str, more: str, yes: str, no: str, then: Callable[[], None]
) -> QMessageBox:
    box = QMessageBox(parent)
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setWindowTitle(title)
    box.setText(text)
    box.setInformativeText(more)
    go_on = box.addButton(yes, QMessageBox.ButtonRole.AcceptRole)
    box.setDefaultButton(box.addButton(no, QMessageBox.ButtonRole.RejectRole))  # Enter spends nothing
    box.finished.connect(lambda _: then() if box.clickedButton() is go_on else None)
    return box


def price_shown(state: DeskState, planned: PlannedRun) -> str:
    """The price in words; amounts alone while labels are hidden, because what has none is told by its name."""
    if state.labels_hidden:
        return " + ".join(map(str, planned.costs)) or tr("no price stated")
    return planned.price


def ask_about_price(parent: QWidget, state: DeskState, planned: PlannedRun, then: Callable[[], None]) -> None:
    """Begin at once, or after a yes where the sum is beyond what the budget leaves this month, or a large one."""
    project = state.project

    def arrived(reason: str) -> None:
        if not reason:
            then()
            return
        plans = ", ".join(
            dict.fromkeys(
                tr("{engine} ({plan})", engine=e.engine, plan=e.plan or tr("no plan"))
                for e in planned.estimates
                if e.cost
            )
        )
        question(
            parent,
            tr("Before it is spent"),
            tr(
                "{price} for {asked}. {reason}",
                price=price_shown(state, planned),
                asked=planned.asked,
                reason=reason,
            ),
            "" if state.labels_hidden else tr("Billed by {plans}.", plans=plans),
            tr("Render all the same"),
            tr("Do not render"),
            then,
        ).open()

    state.background.run(lambda: left_of_budget(project, planned), arrived, state.complain, topic="price")


def ask_about_undecided(
    parent: QWidget, state: DeskState, decided: Callable[[], None], *,
    only: Callable[[JournalRow], bool] = lambda row: True,
) -> None:  # fmt: skip
    """Let requests that may have been paid be made anew, or leave them; nothing is asked where there are none."""
    project = state.project

    def arrived(rows: list[JournalRow]) -> None:
        if not rows:
            return
        kinds = Counter(
            tr("left open")
            if r.state == "open"
            else tr("stopped under way")
            if r.state == "cancelled"
            else word(FAILURE_KINDS.get(r.failure_kind, ""))
            for r in rows
        )
        how = ", ".join(f"{count} {kind}" for kind, count in kinds.most_common())
        box = question(
            parent,
            tr("Requests without a sound"),
            trn(
                "{rows} request of {rows2} characters brought no sound ({how}). It may have been paid "
                "for; every finished take is kept.",
                "{rows} requests of {rows2} characters brought no sound ({how}). They may have been paid "
                "for; every finished take is kept.",
                len(rows),
                rows=len(rows),
                rows2=f"{sum(r.characters for r in rows):,}",
                how=how,
            ),
            trn(
                "It is not sent again without a word of yours.",
                "They are not sent again without a word of yours.",
                len(rows),
            ),
            tr("Let them be asked again") if len(rows) > 1 else tr("Let it be asked again"),
            tr("Decide later"),
            lambda: _let(state, rows, decided),
        )
        if not state.labels_hidden:
            box.setDetailedText(_listed(state, rows))
        box.open()

    state.background.run(
        lambda: [row for row in undecided(project) if only(row)], arrived, state.complain, topic="undecided"
    )


def _let(state: DeskState, rows: Sequence[JournalRow], decided: Callable[[], None]) -> None:
    state.project.journal.let_be_asked_again([row.id for row in rows])
    decided()


def _listed(state: DeskState, rows: Sequence[JournalRow]) -> str:
    """The requests one by one: whom, on what, when."""
    by_id = {c.id: c for c in state.project.shortlist.candidates(removed=True, of_sweeps=True)}
    titles, names = {p.version_id: p.title for p in state.bench.passages}, state.bench.names
    lines = []
    for row in rows:
        who = names.get(row.candidate_id) or f"{by_id[row.candidate_id].engine} {by_id[row.candidate_id].voice}"
        title = titles.get(row.passage_version_id, tr("an earlier text"))
        lines.append(
            tr(
                "{who}, '{title}', take {repeat}: {characters} characters, {opened}",
                who=who,
                title=title,
                repeat=row.repeat,
                characters=f"{row.characters:,}",
                opened=row.opened[:19],
            )
        )
    return "\n".join(lines)

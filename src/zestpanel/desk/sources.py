"""What is behind a figure: the takes, ratings or tariff lines it was computed from, in a table that copies."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from zestpanel.core.catalogue.facts import Plan
from zestpanel.core.choice.row import Row
from zestpanel.core.domain.money import summed
from zestpanel.core.errors import FAILURE_KINDS
from zestpanel.core.measures.declared import Measure
from zestpanel.core.money.volume import VolumeCost
from zestpanel.core.store.project import Project
from zestpanel.core.texts import tr, trn, word
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import button, label, open_at


class SourceDialog(Dialog):
    """One table with a title and a sentence on how the figure comes about."""

    def __init__(
        self, parent: QWidget, title: str, how: str, head: list[str], rows: list[list[str]], numbers: list[int]
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(title, "name"))
        layout.addWidget(label(how, "quiet", wrap=True))
        self.table = Table()
        self.table.show_rows(head, rows, numbers=numbers)
        layout.addWidget(self.table, 1)
        foot = QHBoxLayout()
        foot.addWidget(button(tr("Copy table"), self.table.copy))
        foot.addStretch(1)
        foot.addWidget(button(tr("Close"), self.accept, role="main"))
        layout.addLayout(foot)
        open_at(self, 760, 480)


def behind_takes(
    parent: QWidget, project: Project, row: Row, title: str, measures: Mapping[str, Measure]
) -> SourceDialog:
    """Takes with some of their measures, by name."""
    measured = project.takes.measured([t.id for t in row.summary.takes])
    titles = {p.version_id: p.title for p in project.texts.all()}
    rows = []
    for take in row.summary.takes:
        values = measured[take.id].values if take.id in measured else {}
        cells = []
        for name, one in measures.items():
            value = values.get(name)
            cells.append(
                f"{value:.{one.decimals}f}".replace("-", "−")
                if isinstance(value, int | float)
                else str(values.get(f"{name}_why") or "–")
            )
        rows.append([titles.get(take.passage_version_id, ""), str(take.repeat), f"{take.duration_s:.2f}", *cells])
    how = tr("The card shows the median over these takes and the span of the middle half.")
    head = [tr("passage"), tr("repeat"), tr("length s"), *(one.label for one in measures.values())]
    return SourceDialog(parent, title, how, head, rows, list(range(1, len(head))))


def behind_waits(parent: QWidget, project: Project, row: Row) -> SourceDialog:
    titles = {p.version_id: p.title for p in project.texts.all()}

    def s(value: float | None) -> str:
        return "–" if value is None else f"{value:.3f}"

    rows = []
    for take in row.summary.takes:
        t = take.timing
        if t is not None:
            rows.append(
                [
                    titles.get(take.passage_version_id, ""),
                    str(take.repeat),
                    tr("typed") if t.typed else tr("cold") if t.cold else tr("warm"),
                    s(t.connected_s),
                    s(t.first_byte_s),
                    s(t.first_sound_s),
                    s(t.last_byte_s),
                    s(t.stall_free_start_s()),
                    s(t.load_s),
                    f"{t.real_time_factor(take.duration_s):.3f}",
                ]
            )
    failures = [
        [
            titles.get(r.passage_version_id, ""),
            str(r.repeat),
            tr("failed"),
            word(FAILURE_KINDS.get(r.failure_kind, r.failure_kind)),
            r.failure_text,
            "",
            "",
            "",
            "",
            "",
        ]
        for r in project.journal.rows(state="failed")
        if r.candidate_id == row.candidate.id
    ]
    head = [
        tr("passage"),
        tr("repeat"),
        "",
        tr("connected"),
        tr("first byte"),
        tr("first sound"),
        tr("whole clip"),
        tr("stall-free from"),
        tr("load"),
        tr("real-time factor"),
    ]
    how = tr(
        "Seconds from the start of each request by the monotonic clock. Cold requests, and waits typed in by hand, are "
        "kept out of the medians."
    )
    return SourceDialog(parent, tr("Waits: {name}", name=row.name), how, head, rows + failures, list(range(3, 10)))


def behind_score(parent: QWidget, project: Project, row: Row) -> SourceDialog:
    listeners = {p.id: p for p in project.panel.listeners()}
    passages = {p.version_id: p.title for p in project.texts.all()}
    rows = [
        [
            listeners[r.listener_id].alias,
            ", ".join(listeners[r.listener_id].languages) or tr("not stated"),
            passages[r.passage_version_id],
            f"{r.score:g}",
            tr("simulated") if listeners[r.listener_id].simulated else r.origin,
        ]
        for r in project.answers.ratings()
        if r.candidate_id == row.candidate.id and r.passage_version_id in passages
    ]
    score = row.score
    how = tr("No ratings yet.")
    if score is not None:
        parts = [tr("Mean {mean}.", mean=f"{score.mean:.2f}")]
        for interval, words in (
            (score.crossed, tr("95 % for other listeners and other texts of the kind (crossed bootstrap)")),
            (score.by_listener, tr("t interval over listener means")),
            (score.naive, tr("naive t interval over all ratings, for comparison with other tables only")),
        ):
            if interval is not None:
                parts.append(
                    tr("{low} to {high}: {words}.", low=f"{interval.low:.2f}", high=f"{interval.high:.2f}", words=words)
                )
        if score.these_texts != score.letters:
            parts.append(
                tr(
                    "Letters for these very texts alone: {these_texts}; for others too: {letters}.",
                    these_texts=score.these_texts,
                    letters=score.letters,
                )
            )
        how = " ".join(parts) + (
            tr(" Ratings of a language the listener does not speak, or is not known to, are listed and do not count.")
        )
    return SourceDialog(
        parent,
        tr("Ratings: {name}", name=row.name),
        how,
        [tr("listener"), tr("speaks"), tr("passage"), tr("score"), tr("from")],
        rows,
        [3],
    )


def behind_cost(parent: QWidget, row: Row) -> SourceDialog:
    return behind_month(parent, row.name, row.plan, row.cost)


def behind_month(parent: QWidget, name: str, plan: Plan, cost: VolumeCost) -> SourceDialog:
    """A month's sum, line by line, and what it rests on."""
    month = cost.month
    rows = [[text, summed(money.amount), money.currency] for text, money in month.lines]
    if month.total is not None:
        rows.append([tr("month"), summed(month.total.amount), month.total.currency])
    rates = cost.rates
    pace = tr(
        "{characters_per_minute} characters a minute, ", characters_per_minute=f"{rates.characters_per_minute:.0f}"
    ) + (
        tr("assumed: nothing measured yet")
        if rates.assumed
        else trn("measured on {takes} take", "measured on {takes} takes", rates.takes, takes=rates.takes)
    )
    dated = tr(", price of {dated}", dated=plan.dated) if plan.dated else tr(", price without a date")
    how = tr(
        "{name}{dated}. {characters} characters a month at {pace}.",
        name=plan.name,
        dated=dated,
        characters=f"{cost.characters:,.0f}",
        pace=pace,
    )
    if cost.retakes is not None:
        how += tr(" Retakes are {retakes} of it.", retakes=cost.retakes)
    if cost.between is not None:
        low, high = cost.between
        how += tr(
            " For other texts of the kind the month lies between {amount} and {high} (95 %, by the pace).",
            amount=summed(low.amount),
            high=high,
        )
    if plan.source:
        how += tr(" Source: {source}.", source=plan.source)
    if not month.covers:
        how += tr(" The plan stops {short_by} units short of this volume.", short_by=f"{month.short_by:,.0f}")
    elif cost.why_not:
        how += tr(" Not computed: {why_not}.", why_not=cost.why_not)
    if cost.requests_per_episode > 1:
        how += tr(
            " An episode is cut into {requests_per_episode} requests.", requests_per_episode=cost.requests_per_episode
        )
    if rates.billed_per_character != 1:
        how += tr(
            " The plan counts {billed_per_character} for each character of the script.",
            billed_per_character=f"{rates.billed_per_character:.2f}",
        )
    return SourceDialog(
        parent, tr("Money: {name}", name=name), how, [tr("line of the tariff"), tr("amount"), ""], rows, [1]
    )

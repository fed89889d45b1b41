"""What is behind a figure: the takes, ratings or tariff lines it was computed from, in a table that copies."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtWidgets import QDialog, QHBoxLayout, QVBoxLayout, QWidget

from zestpanel.core.catalogue.facts import Plan
from zestpanel.core.choice.row import Row
from zestpanel.core.domain.money import shown
from zestpanel.core.measures.declared import Measure
from zestpanel.core.money.volume import VolumeCost
from zestpanel.core.store.project import Project
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import button, label, open_at


class SourceDialog(QDialog):
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
        foot.addWidget(button("Copy table", self.table.copy))
        foot.addStretch(1)
        foot.addWidget(button("Close", self.accept, role="main"))
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
    how = "The card shows the median over these takes and the span of the middle half."
    head = ["passage", "repeat", "length s", *(one.label for one in measures.values())]
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
                    "typed" if t.typed else "cold" if t.cold else "warm",
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
            "failed",
            r.failure_kind,
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
        "passage",
        "repeat",
        "",
        "connected",
        "first byte",
        "first sound",
        "whole clip",
        "stall-free from",
        "load",
        "real-time factor",
    ]
    how = (
        "Seconds from the start of each request by the monotonic clock. Cold requests, and waits typed in by hand, are "
        "kept out of the medians."
    )
    return SourceDialog(parent, f"Waits: {row.name}", how, head, rows + failures, list(range(3, 10)))


def behind_score(parent: QWidget, project: Project, row: Row) -> SourceDialog:
    listeners = {p.id: p for p in project.panel.listeners()}
    passages = {p.version_id: p.title for p in project.texts.all()}
    rows = [
        [
            listeners[r.listener_id].alias,
            ", ".join(listeners[r.listener_id].languages) or "not stated",
            passages[r.passage_version_id],
            f"{r.score:g}",
            "simulated" if listeners[r.listener_id].simulated else r.origin,
        ]
        for r in project.answers.ratings()
        if r.candidate_id == row.candidate.id and r.passage_version_id in passages
    ]
    score = row.score
    how = "No ratings yet."
    if score is not None:
        parts = [f"Mean {score.mean:.2f}."]
        for interval, words in (
            (score.crossed, "95 % for other listeners and other texts of the kind (crossed bootstrap)"),
            (score.by_listener, "t interval over listener means"),
            (score.naive, "naive t interval over all ratings, for comparison with other tables only"),
        ):
            if interval is not None:
                parts.append(f"{interval.low:.2f} to {interval.high:.2f}: {words}.")
        if score.these_texts != score.letters:
            parts.append(f"Letters for these very texts alone: {score.these_texts}; for others too: {score.letters}.")
        how = " ".join(parts) + (
            " Ratings of a language the listener does not speak, or is not known to, are listed and do not count."
        )
    return SourceDialog(
        parent, f"Ratings: {row.name}", how, ["listener", "speaks", "passage", "score", "from"], rows, [3]
    )


def behind_cost(parent: QWidget, row: Row) -> SourceDialog:
    return behind_month(parent, row.name, row.plan, row.cost)


def behind_month(parent: QWidget, name: str, plan: Plan, cost: VolumeCost) -> SourceDialog:
    """A month's sum, line by line, and what it rests on."""
    month = cost.month
    rows = [[text, shown(money.amount), money.currency] for text, money in month.lines]
    if month.total is not None:
        rows.append(["month", shown(month.total.amount), month.total.currency])
    rates = cost.rates
    pace = f"{rates.characters_per_minute:.0f} characters a minute, " + (
        "assumed: nothing measured yet" if rates.assumed else f"measured on {rates.takes} takes"
    )
    dated = f", price of {plan.dated}" if plan.dated else ", price without a date"
    how = f"{plan.name}{dated}. {cost.characters:,.0f} characters a month at {pace}."
    if cost.between is not None:
        low, high = cost.between
        how += (
            f" For other texts of the kind the month lies between {shown(low.amount)} and {high} (95 %, by the pace)."
        )
    if plan.source:
        how += f" Source: {plan.source}."
    if not month.covers:
        how += f" The plan stops {month.short_by:,.0f} units short of this volume."
    elif cost.why_not:
        how += f" Not computed: {cost.why_not}."
    if cost.requests_per_episode > 1:
        how += f" An episode is cut into {cost.requests_per_episode} requests."
    if rates.billed_per_character != 1:
        how += f" The plan counts {rates.billed_per_character:.2f} for each character of the script."
    return SourceDialog(parent, f"Money: {name}", how, ["line of the tariff", "amount", ""], rows, [1])

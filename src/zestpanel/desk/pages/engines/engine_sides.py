"""What is known of the selected engines, side by side: facts, claims, the set-up log, what is to be looked up again."""

from __future__ import annotations

from PyQt6.QtWidgets import (
    QComboBox,
    QLabel,
    QWidget,
)

from zestpanel.core.catalogue.claims import OwnFigure, hold
from zestpanel.core.catalogue.comparing import compare
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.ledger import OwnStatement, ledger, price_is_old, troubles
from zestpanel.core.choice.evidence import own_figures
from zestpanel.core.store.small_documents import CLAIMS, OUTSIDE_VOTES
from zestpanel.core.texts import tr, word
from zestpanel.desk.pages.engines.by_hand import What, rows_of
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table

VIEWS = (
    tr("Facts"),
    tr("Claims and outside opinions"),
    tr("Set-up log"),
    tr("To look at again"),
    tr("Entered by hand"),
)


class EngineSides(QWidget):
    """Under the view of the catalogue, which makes the parts that are named here."""

    state: DeskState
    what: QComboBox
    heading: QLabel
    detail: Table
    _by_hand: dict[int, tuple[str, str]]
    _entered: list[tuple[Engine, What, int | None]]

    @property
    def age_days(self) -> int:
        raise NotImplementedError

    def enter_by_hand(self, engine: Engine, what: What, at: int | None = None) -> None:
        raise NotImplementedError

    def _show_detail(self) -> None:
        raise NotImplementedError

    def _troubles(self, engine: Engine, own: list[OwnStatement]) -> list[str]:
        return troubles(engine, own, age_days=self.age_days)

    def _show_facts(self, chosen: list[Engine]) -> None:
        own = self.state.project.notes.statements()
        if len(chosen) == 1:
            rows, bad = self._facts_of(chosen[0], own.get(chosen[0].engine, []))
            self.heading.setText(tr("Select several engines to see them side by side."))
            self.detail.show_rows([tr("About"), tr("Fact"), tr("Value"), tr("Source and date")], rows, bad=bad)
            return
        compared = compare(chosen, own)
        differing = sum(row.differs for row in compared)
        self.heading.setText(
            tr(
                "{differing} facts differ, {compared} are the same.",
                differing=differing,
                compared=len(compared) - differing,
            )
            if chosen
            else ""
        )
        rows = [[": ".join(map(word, row.fact.split(": "))), *map(word, row.values)] for row in compared]
        self.detail.show_rows([tr("Fact"), *(engine.engine for engine in chosen)], rows)

    def _facts_of(self, engine: Engine, own: list[OwnStatement]) -> tuple[list[list[str]], list[tuple[int, int]]]:
        rows: list[list[str]] = []
        bad: list[tuple[int, int]] = []
        for plan in engine.plans:
            when = ", ".join(str(part) for part in (plan.source or tr("no source"), plan.dated or tr("no date")))
            if price_is_old(plan, age_days=self.age_days):
                bad.append((len(rows), 3))
                when += tr(" – old")
            price = "; ".join(part.words(plan.tariff.currency) for part in plan.tariff.components)
            rows.append([tr("plan {name}", name=plan.name), word("price"), price or word("unknown"), when])
        things = [("engine", "", engine.engine)] + [
            ("model", m.id, tr("model {label}", label=m.label)) for m in engine.models
        ]
        things += [("plan", p.name, tr("plan {name}", name=p.name)) for p in engine.plans]
        unknown: list[list[str]] = []
        for about, item, shown in things:
            for name, known in ledger(engine, about, item, own, age_days=self.age_days).items():  # type: ignore[arg-type]
                if known.state == "unknown" and not known.disagree:
                    unknown.append([shown, word(name), word("unknown"), ""])
                    continue
                if known.disagree or known.old:
                    bad.append((len(rows), 2 if known.disagree else 3))
                value = tr("{words} – sources disagree", words=known.words) if known.disagree else known.words
                rows.append(
                    [shown, word(name), word(value), _source(known.source) + (tr(" – old") if known.old else "")]
                )
        for name, words in (
            (tr("vendor"), engine.vendor),
            (tr("found"), engine.found),
            (tr("recommended by"), engine.recommended_by),
        ):
            if words:
                rows.append([engine.engine, name, str(words), ""])
        if engine.note:
            rows.append([engine.engine, tr("note"), engine.note, ""])
        for route in engine.routes:
            rows.append(
                [
                    engine.engine,
                    tr("also reached by"),
                    tr("{name}; files: {files}", name=route.name, files=route.files),
                    route.note,
                ]
            )
        return rows + unknown, bad

    def _show_claims(self, chosen: list[Engine]) -> None:
        by_hand = CLAIMS.read(self.state.project.documents)
        rows: list[list[str]] = []
        bad: list[tuple[int, int]] = []
        self._by_hand = {}
        for engine in chosen:
            figures = self._figures(engine)
            for claim in engine.claims:
                key = f"{engine.engine}: {claim.says}"
                held = hold(claim, figures, by_hand.get(key, ""))
                if not claim.about:
                    self._by_hand[len(rows)] = (key, held.state)
                if held.state == "refuted":
                    bad.append((len(rows), 2))
                source = ", ".join(str(p) for p in (claim.source, claim.dated, claim.interest) if p)
                rows.append(
                    [
                        engine.engine,
                        tr("claim: {says}", says=claim.says),
                        held.state,
                        held.why,
                        source or tr("no source"),
                    ]
                )
            for rank in engine.outside:
                of = tr(" of {of}", of=rank.of) if rank.of else ""
                votes = tr("{votes} votes", votes=f"{rank.votes:,}") if rank.votes is not None else tr("votes unknown")
                source = ", ".join(
                    str(p)
                    for p in (
                        rank.source,
                        rank.dated,
                        tr("interest: {interest}", interest=rank.interest or tr("unknown")),
                    )
                    if p
                )
                rows.append(
                    [
                        engine.engine,
                        tr("ranking: {board}", board=rank.board),
                        tr("place {rank}{of}", rank=rank.rank, of=of),
                        "; ".join((votes, rank.basis or tr("basis unknown"))),
                        source,
                    ]
                )
            for vote in OUTSIDE_VOTES.read(self.state.project.documents).get(engine.engine, ()):
                basis = tr("{vote} votes", vote=vote.votes or tr("unknown"))
                source = tr("outside opinion, never mixed into scores")
                rows.append([engine.engine, tr("vote table: {vote}", vote=vote.table), vote.strength, basis, source])
        self.heading.setText(
            tr("Claims are held against our own figures. Enter on one that no figure answers settles it by hand.")
        )
        self.detail.show_rows(
            [tr("Engine"), tr("What is said"), tr("State"), tr("Our figure, or the basis"), tr("Who says so")],
            rows,
            bad=bad,
        )

    def _settle_claim(self, row: int) -> None:
        """Enter on a claim that no figure answers: unverified, confirmed, refuted, and round again; on what was entered
        by hand: change it."""
        if self.what.currentText() == VIEWS[4] and row < len(self._entered):
            engine, what, at = self._entered[row]
            self.enter_by_hand(engine, what, at)
            return
        if self.what.currentText() != VIEWS[1] or row not in self._by_hand:
            return
        key, state = self._by_hand[row]
        kept = dict(CLAIMS.read(self.state.project.documents))
        if state == "refuted":
            kept.pop(key, None)
        else:
            kept[key] = "refuted" if state == "confirmed" else "confirmed"
        self.state.project.edit_document(CLAIMS, kept, label=tr("a claim"))
        self.state.history_changed.emit()
        self._show_detail()

    def _figures(self, engine: Engine) -> dict[str, OwnFigure]:
        evaluation = self.state.evaluation
        return own_figures(evaluation, engine.engine) if evaluation is not None else {}

    def _show_setup(self, chosen: list[Engine]) -> None:
        names = {engine.engine for engine in chosen}
        entries = [e for e in self.state.project.notes.setup() if e.engine in names]
        total = sum(e.minutes for e in entries)
        self.heading.setText(
            tr("{total} minutes logged.", total=f"{total:.0f}") if entries else tr("Nothing is logged yet.")
        )
        rows = [
            [e.engine, e.at[:16].replace("T", " "), e.kind, f"{e.minutes:.0f}", " ".join(e.words.split())]
            for e in entries
        ]
        self.detail.show_rows(
            [tr("Engine"), tr("When"), tr("Spent on"), tr("Minutes"), tr("What was done")], rows, numbers=[3]
        )

    def _show_troubles(self, chosen: list[Engine]) -> None:
        own = self.state.project.notes.statements()
        rows = [[e.engine, line] for e in chosen for line in self._troubles(e, own.get(e.engine, []))]
        self.heading.setText(
            tr("Sources that disagree, and prices and limits that have aged.") if rows else tr("Nothing.")
        )
        self.detail.show_rows([tr("Engine"), tr("To look at again")], rows)

    def _show_by_hand(self, chosen: list[Engine]) -> None:
        shortlist = self.state.project.shortlist
        rows, self._entered = [], []
        for engine in chosen:
            for what, at, name, words in rows_of(shortlist.by_hand(engine.engine)):
                rows.append([engine.engine, name, words])
                self._entered.append((engine, what, at))
        self.heading.setText(tr("Enter changes one. The engine's file stays as it is.") if rows else
                             tr("Nothing was entered by hand yet."))  # fmt: skip
        self.detail.show_rows([tr("Engine"), tr("What"), tr("As it was entered")], rows)


def _source(said: str) -> str:
    """Where a statement is from: the parts that are ours in the language of the interface."""
    return ", ".join(word(part) for part in said.split(", "))

"""The engines of the catalogue: what needs a look, side by side with differences first, claims against our figures."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial

from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QMenu,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.catalogue.accelerators import found_accelerators, looked_for
from zestpanel.core.catalogue.changes import voice_changes
from zestpanel.core.catalogue.claims import OwnFigure, hold
from zestpanel.core.catalogue.comparing import compare
from zestpanel.core.catalogue.engine_facets import EngineTraits, narrowed
from zestpanel.core.catalogue.facts import Engine, Plan, Voice
from zestpanel.core.catalogue.ledger import PRICE_AGE_DAYS, OwnStatement, ledger, price_is_old, troubles
from zestpanel.core.catalogue.machine import fits, this_machine
from zestpanel.core.choice.evidence import own_figures
from zestpanel.core.connectors.preflight import secret_of
from zestpanel.core.connectors.voice_list import fetch_voices
from zestpanel.core.store.small_documents import CLAIMS, FACTS_AGE, OUTSIDE_VOTES
from zestpanel.core.texts import tr, word
from zestpanel.desk.agreeing import TakeBackDialog, ask_first, unasked
from zestpanel.desk.asking_keys import ask_for_key
from zestpanel.desk.flow import flow_row
from zestpanel.desk.pages.engines.by_hand import TITLES, ByHandDialog, What, rows_of
from zestpanel.desk.pages.engines.changes import ChangesDialog
from zestpanel.desk.pages.engines.facet_bar import FacetBar
from zestpanel.desk.pages.engines.notes import SetupDialog, StatementDialog
from zestpanel.desk.pages.engines.price import PriceDialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import button, label, yielding

VIEWS = (
    tr("Facts"),
    tr("Claims and outside opinions"),
    tr("Set-up log"),
    tr("To look at again"),
    tr("Entered by hand"),
)


class CatalogueView(QWidget):
    """Engines above; below, what is known of the selected ones."""

    def __init__(self, state: DeskState, remove: Callable[[str], None]) -> None:
        super().__init__()
        self.state, self._remove = state, remove
        self._names: list[str] = []
        self._entered: list[tuple[Engine, What, int | None]] = []
        self._by_hand: dict[int, tuple[str, str]] = {}  # row -> claim and its state, where no figure can answer it
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        self.table = Table()
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.table.setAccessibleName(tr("Engines"))
        self.table.itemSelectionChanged.connect(self._show_detail)
        self.facets = FacetBar()
        self.facets.changed.connect(self.refresh)
        self.counted = label("", "quiet")
        above = QHBoxLayout()
        above.setSpacing(12)
        above.addWidget(self.counted)
        above.addWidget(self.facets, 1)
        layout.addLayout(above)
        layout.addWidget(self.table, 2)
        layout.addWidget(self._make_actions())
        row = QHBoxLayout()
        self.what = QComboBox()
        self.what.addItems(VIEWS)
        self.what.setAccessibleName(tr("What is shown of the selected engines"))
        self.what.currentIndexChanged.connect(lambda _: self._show_detail())
        self.heading = yielding(label("", "quiet"))
        self.age = QSpinBox()
        self.age.setRange(7, 3650)
        self.age.setSuffix(tr(" days"))
        self.age.setAccessibleName(tr("Look up again after"))
        self.age.setToolTip(tr("Prices and limits older than this are to be looked up again"))
        self.age.valueChanged.connect(self._set_age)
        row.addWidget(self.what)
        row.addWidget(self.heading, 1)
        row.addWidget(label(tr("look up again after"), "small"))
        row.addWidget(self.age)
        layout.addLayout(row)
        self.detail = Table()
        self.detail.setAccessibleName(tr("What is known of the selected engines"))
        self.detail.row_chosen.connect(self._settle_claim)
        layout.addWidget(self.detail, 3)

    def _make_actions(self) -> QWidget:
        self.state_fact = button(
            tr("State a fact …"), self._state_fact, tip=tr("With its source and date, beside the file's")
        )
        self.enter = button(
            tr("Enter …"), self.ask_what_to_enter, tip=tr("A model, a voice, limits, a claim, a ranking")
        )
        self.price = button(tr("Prices …"), self.ask_for_price, tip=tr("Enter a plan, or change one that was entered"))
        self.log = button(tr("Log set-up …"), self._log, tip=tr("Minutes spent and what was done"))
        self.key = button(tr("Key …"), self.ask_for_key, tip=tr("Put the engine's key into this desktop's key store"))
        self.fetch = button(
            tr("Fetch voices"), self.fetch_voices, tip=tr("The list that the service gives now, with a preview")
        )
        self.agree = button(
            tr("May use …"),
            self.ask_what_may_be_used,
            tip=tr("The programs, hosts and keys that were not agreed to yet"),
        )
        self.remove = button(
            tr("Remove engine"), self._remove_engine, tip=tr("Candidates and takes stay; undo brings it back")
        )
        return flow_row(
            self.enter, self.state_fact, self.price, self.log, self.key, self.fetch, self.agree, right=(self.remove,)
        )

    # -- shown

    @property
    def age_days(self) -> int:
        return FACTS_AGE.read(self.state.project.documents) or PRICE_AGE_DAYS

    def _set_age(self, days: int) -> None:
        self.state.project.edit_document(FACTS_AGE, days, label=tr("when facts are old"))
        self.state.history_changed.emit()
        self.refresh()

    def refresh(self) -> None:
        if not looked_for() and any(not engine.is_hosted for engine in self.state.bench.engines.values()):
            self.state.background.run(
                found_accelerators, lambda _: self.refresh(), self.state.complain, topic="accelerators"
            )
        chosen = [engine.engine for engine in self.selected()]
        own = self.state.project.notes.statements()
        left, facets = narrowed(self._traits(own), self.facets.chosen)
        self.facets.show_facets(facets)
        self.facets.setVisible(bool(facets))
        engines = {engine.engine: engine for engine in left}
        every = len(self.state.bench.engines)
        self.counted.setText(
            tr("{left} of {every} engines", left=len(left), every=every)
            if len(left) < every
            else tr("{every} engines", every=every)
        )
        spent: dict[str, float] = {}
        for entry in self.state.project.notes.setup():
            spent[entry.engine] = spent.get(entry.engine, 0) + entry.minutes
        self._names = list(engines)
        rows: list[list[str]] = []
        bad: list[tuple[int, int]] = []
        for name, engine in engines.items():
            count = len(self._troubles(engine, own.get(name, [])))
            if count:
                bad.append((len(rows), 7))
            rows.append(
                [
                    name,
                    word(engine.route_label),
                    "; ".join(f"{m.label} {m.version}" for m in engine.models),
                    f"{len(engine.voices):,}",
                    f"{len(engine.plans)}",
                    self._here(engine, own.get(name, [])),
                    tr("{get} min", get=f"{spent.get(name, 0):.0f}") if name in spent else "–",
                    tr("{count} to look at", count=count) if count else word("nothing"),
                ]
            )
        self.table.blockSignals(True)
        head = [
            tr("Engine"),
            tr("Reached by"),
            tr("Models"),
            tr("Voices"),
            tr("Plans"),
            tr("On this machine"),
            tr("Set-up"),
            tr("To look at again"),
        ]
        self.table.show_rows(head, rows, numbers=[3, 4, 6], bad=bad)
        self.age.blockSignals(True)
        self.age.setValue(self.age_days)
        self.age.blockSignals(False)
        places = [self._names.index(name) for name in chosen if name in self._names]
        for place in places or ([0] if rows else []):
            for column in range(len(head)):
                item = self.table.item(place, column)
                if item is not None:
                    item.setSelected(True)
        self.table.blockSignals(False)
        self._show_detail()

    def _troubles(self, engine: Engine, own: list[OwnStatement]) -> list[str]:
        return troubles(engine, own, age_days=self.age_days)

    def _traits(self, own: Mapping[str, list[OwnStatement]]) -> list[EngineTraits]:
        project, bench = self.state.project, self.state.bench
        tried = {c.engine for c in bench.candidates} | {row.engine for row in project.auditions.rows()}
        machine = this_machine() if looked_for() else None
        out = []
        for name, engine in bench.engines.items():
            of = own.get(name, [])
            models = () if engine.is_hosted or machine is None else engine.models
            here = tuple(fits(ledger(engine, "model", m.id, of), machine)[0] for m in models if machine is not None)
            out.append(EngineTraits(engine=engine, own=of, here=here, tried=name in tried))
        return out

    @staticmethod
    def _here(engine: Engine, own: list[OwnStatement]) -> str:
        """What this machine makes of a local engine's models, in a word each."""
        if engine.is_hosted:
            return word("hosted")
        if not looked_for():
            return tr("looking …")
        machine = this_machine()
        verdicts = [(m, fits(ledger(engine, "model", m.id, own), machine)) for m in engine.models]
        return "; ".join(f"{m.label} {word(verdict)}" for m, (verdict, _) in verdicts)

    def selected(self) -> list[Engine]:
        rows = sorted({index.row() for index in self.table.selectedIndexes()})
        engines = self.state.bench.engines
        return [engines[self._names[r]] for r in rows if r < len(self._names) and self._names[r] in engines]

    def _show_detail(self) -> None:
        chosen = self.selected()
        one = chosen[0] if len(chosen) == 1 else None
        for widget in (self.enter, self.state_fact, self.price, self.log, self.remove):
            widget.setEnabled(one is not None)
        self.key.setEnabled(one is not None and secret_of(one) != "")
        self.fetch.setEnabled(one is not None and one.voices_from is not None)
        show = (self._show_facts, self._show_claims, self._show_setup, self._show_troubles, self._show_by_hand)
        show[self.what.currentIndex()](chosen)

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

    # -- done

    def _one(self) -> Engine | None:
        chosen = self.selected()
        return chosen[0] if len(chosen) == 1 else None

    def _state_fact(self) -> None:
        if engine := self._one():
            StatementDialog(self, self.state, engine, self.refresh).show()

    def ask_what_to_enter(self) -> None:
        engine = self._one()
        if engine is None:
            return
        menu = QMenu(self)
        for what, words in TITLES.items():
            menu.addAction(f"{words} …", partial(self.enter_by_hand, engine, what))
        menu.popup(self.enter.mapToGlobal(self.enter.rect().bottomLeft()))

    def enter_by_hand(self, engine: Engine, what: What, at: int | None = None) -> None:
        ByHandDialog(self, self.state, engine, what, self.refresh, at).show()

    def ask_for_price(self) -> None:
        """A new plan, one of those that were entered here, or one of the file's as it is really paid, beside it."""
        engine = self._one()
        if engine is None:
            return
        stated = self.state.project.shortlist.stated_plans(engine.engine)
        names = {plan.name for plan in stated}
        of_file = [plan for plan in engine.plans if plan.name not in names]
        if not engine.plans:
            PriceDialog(self, self.state, engine, self.refresh).show()
            return
        menu = QMenu(self)
        for plan in stated:
            menu.addAction(f"{plan.name} …", partial(self._change_price, engine, plan))
        menu.addAction(tr("Another plan …"), partial(self._change_price, engine, None))
        for plan in of_file:
            menu.addAction(
                tr("As the file's '{name}', with changes …", name=plan.name), partial(self._copy_price, engine, plan)
            )
        menu.popup(self.price.mapToGlobal(self.price.rect().bottomLeft()))

    def _change_price(self, engine: Engine, plan: Plan | None) -> None:
        PriceDialog(self, self.state, engine, self.refresh, plan).show()

    def _copy_price(self, engine: Engine, plan: Plan) -> None:
        PriceDialog(self, self.state, engine, self.refresh, plan, new=True).show()

    def _log(self) -> None:
        if engine := self._one():
            SetupDialog(self, self.state, engine.engine, self.refresh).show()

    def _remove_engine(self) -> None:
        if engine := self._one():
            self._remove(engine.engine)

    def ask_what_may_be_used(self) -> None:
        chosen = self.selected()
        if unasked(chosen):
            ask_first(self, chosen, self.state.refresh)
        elif chosen:
            TakeBackDialog(self, chosen, self.state.refresh).show()

    def ask_for_key(self) -> None:
        """Ask for the engine's key and put it into the key store: nowhere else, and never shown."""
        if engine := self._one():
            ask_for_key(self, self.state, engine)

    def fetch_voices(self) -> None:
        """Fetch the service's list and show what it would change; nothing is taken over before that is agreed to."""
        if engine := self._one():
            ask_first(self, [engine], lambda: self._fetch(engine))

    def _fetch(self, engine: Engine) -> None:
        self.fetch.setEnabled(False)
        self.state.say(tr("Fetching the voices of {engine} …", engine=engine.engine))

        def arrived(voices: list[Voice]) -> None:
            self.fetch.setEnabled(True)
            shortlist = self.state.project.shortlist
            before = shortlist.fetched(engine.engine)
            changes = voice_changes(engine.voices, voices)
            if not changes:
                self.state.say(
                    tr(
                        "{engine} lists the {voices} voices that are known already.",
                        engine=engine.engine,
                        voices=f"{len(voices):,}",
                    )
                )
                return

            def take_over() -> None:
                if self.state.edit(
                    tr("voices of {engine}", engine=engine.engine),
                    lambda: shortlist.put_fetched(engine.engine, voices),
                    lambda: shortlist.put_fetched(engine.engine, before),
                ):
                    self.state.say(tr("{engine}: {voices} voices.", engine=engine.engine, voices=f"{len(voices):,}"))
                    self.refresh()

            ChangesDialog(self, tr("Voices of {engine}", engine=engine.engine), changes, take_over).show()

        def failed(error: Exception) -> None:
            self.fetch.setEnabled(True)
            self.state.complain(error)

        self.state.background.run(lambda: fetch_voices(engine), arrived, failed, topic="voices")


def _source(said: str) -> str:
    """Where a statement is from: the parts that are ours in the language of the interface."""
    return ", ".join(word(part) for part in said.split(", "))

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
from zestpanel.core.catalogue.engine_facets import EngineTraits, narrowed
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.ledger import PRICE_AGE_DAYS, OwnStatement, ledger
from zestpanel.core.catalogue.machine import fits, this_machine
from zestpanel.core.connectors.preflight import secret_of
from zestpanel.core.store.small_documents import FACTS_AGE
from zestpanel.core.texts import tr, trn, word
from zestpanel.desk.flow import flow_row
from zestpanel.desk.pages.engines.by_hand import TITLES, ByHandDialog, What
from zestpanel.desk.pages.engines.engine_sides import VIEWS
from zestpanel.desk.pages.engines.facet_bar import FacetBar
from zestpanel.desk.pages.engines.fetching import FetchingVoices
from zestpanel.desk.pages.engines.notes import SetupDialog, StatementDialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import button, label, yielding


class CatalogueView(FetchingVoices):
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
            else trn("{every} engine", "{every} engines", every, every=every)
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

    def _log(self) -> None:
        if engine := self._one():
            SetupDialog(self, self.state, engine.engine, self.refresh).show()

    def _remove_engine(self) -> None:
        if engine := self._one():
            self._remove(engine.engine)

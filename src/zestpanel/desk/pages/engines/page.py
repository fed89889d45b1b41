"""Step 2, engines and voices: voices to hear, engines to compare, the shortlist, and voices of one's own."""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property
from pathlib import Path
from typing import Final, TypeVar

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMenu, QWidget

from zestpanel.core.catalogue.by_hand import heard_of_text
from zestpanel.core.catalogue.changes import engine_changes
from zestpanel.core.catalogue.connector_file import parse_connector, read_connector
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.first_engine import NAME as FIRST
from zestpanel.core.catalogue.first_engine import first_engine_text
from zestpanel.core.catalogue.person import person_text
from zestpanel.core.choice.gates import not_stated
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.errors import ZestError
from zestpanel.core.report.catalogue_file import (
    LARGEST_MB,
    is_catalogue,
)
from zestpanel.core.runs.files.bringing_in import guess
from zestpanel.core.text_files import read_text
from zestpanel.core.texts import tr, trn
from zestpanel.desk.agreeing import ask_first, unasked
from zestpanel.desk.bring_in import BringInDialog
from zestpanel.desk.pages.engines.catalogue import CatalogueView
from zestpanel.desk.pages.engines.changes import ChangesDialog
from zestpanel.desk.pages.engines.exchange import CatalogueExchange
from zestpanel.desk.pages.engines.person import PersonDialog
from zestpanel.desk.pages.engines.recordings import RecordingsView
from zestpanel.desk.pages.engines.shortlist import ShortlistView
from zestpanel.desk.pages.engines.voices import VoicesView
from zestpanel.desk.pages.engines.wizard import WizardDialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import EmptyState, button

T = TypeVar("T")
VIEWS = (tr("Voices"), tr("Engines"), tr("Shortlist"), "Own voices")

_MANY_VOICES: Final = 2_000  # more are written and read off the interface thread


class EnginesPage(CatalogueExchange):
    title = tr("Engines & voices")

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self.add_engine = button(tr("Add engine …"), self._menu, tip=tr("From a connector file, or from an example"))
        self.exchange = button(
            tr("Catalogue …"), self._exchange_menu, tip=tr("In and out: engines, voices, vote tables")
        )
        self.head.addWidget(self.exchange)
        self.head.addWidget(self.add_engine)
        self.add_views(
            VIEWS, (lambda: self.voices, lambda: self.engines, lambda: self.shortlist, lambda: self.recordings)
        )

    @cached_property
    def voices(self) -> VoicesView:
        return VoicesView(self.state)

    @cached_property
    def engines(self) -> CatalogueView:
        return CatalogueView(self.state, self.remove_engine)

    @cached_property
    def shortlist(self) -> ShortlistView:
        return ShortlistView(self.state)

    @cached_property
    def recordings(self) -> RecordingsView:
        return RecordingsView(self.state)

    # -- shown

    def refresh(self) -> None:
        bench = self.state.bench
        if not bench.engines:
            self.set_empty(
                EmptyState(
                    tr(
                        "No engine yet. The built-in voice speaks at once. For an engine of yours paste an "
                        "example call or "
                        "command line, and its connector file is written for you: how it is reached, and which "
                        "voices it "
                        "has."
                    ),
                    tr("Add engine …"),
                    self._menu,
                )
            )
            return
        self.set_empty(None)
        count = len(bench.candidates)
        self.tabs[2].setText(tr("Shortlist · {count}", count=count) if count else tr("Shortlist"))
        self.refresh_view()

    def refresh_view(self) -> None:
        if self.state.bench.engines:
            super().refresh_view()

    def find_voice(self) -> None:
        """Go to the search of the voices."""
        self.show_view(0)
        self.voices.search.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def hear(self) -> None:
        self.voices.hear()

    # -- engines in

    def _menu(self) -> None:
        menu = QMenu(self)
        menu.addAction(tr("The built-in voice, to begin with"), self.add_first)
        menu.addAction(tr("From a connector file …"), self.ask_for_file)
        menu.addAction(tr("From an example call or command line …"), self.start_wizard)
        menu.addAction(tr("A person's recordings …"), self.ask_for_person)
        menu.addAction(tr("One that was heard of …"), self.ask_for_heard_of)
        self._drop_down(menu, self.add_engine)

    def _drop_down(self, menu: QMenu, below: QWidget) -> None:
        at = below if below.isVisible() else self
        menu.popup(at.mapToGlobal(at.rect().bottomLeft() if below.isVisible() else at.rect().center()))

    def ask_for_file(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(
            self, tr("Add engines"), "", tr("Connector files and catalogues (*.yaml *.yml *.json)")
        )
        self.add_files([Path(name) for name in names])

    def add_files(self, paths: list[Path]) -> None:
        """Load connector files and catalogues, off the interface thread; each is added or explained by itself."""

        def work() -> list[tuple[Path, Engine | str | ZestError, str]]:
            return [(path, *_read(path)) for path in paths]

        def arrived(found: list[tuple[Path, Engine | str | ZestError, str]]) -> None:
            for path, read, source in found:
                if isinstance(read, ZestError):
                    self.state.complain(read)
                elif isinstance(read, str):
                    self.take_in(read, path.name)
                else:
                    self._put_asked(read, source, path.name)
            self.refresh()

        if paths:
            self.state.background.run(work, arrived, self.state.complain)

    def _put_asked(self, engine: Engine, source: str, file_name: str) -> None:
        """Add an engine at once; one that is known is replaced after what that changes was seen and agreed to."""
        known = self.state.project.shortlist.files().get(engine.engine)
        changes = engine_changes(known[0], engine) if known is not None else []
        if changes:

            def agreed() -> None:
                self._put(engine, source, file_name)
                self.refresh()

            ChangesDialog(
                self, tr("{engine}, from {file_name}", engine=engine.engine, file_name=file_name), changes, agreed
            ).show()
        elif known is not None and known[1] == source:
            self.state.say(
                tr("{file_name} says of {engine} what is known already.", file_name=file_name, engine=engine.engine)
            )
        else:
            self._put(engine, source, file_name)

    def _put(self, engine: Engine, source: str, file_name: str) -> None:
        """Add or replace an engine, with undo."""
        shortlist, name = self.state.project.shortlist, engine.engine
        before, former = shortlist.files().get(name), shortlist.former_plans(name)

        def undo() -> None:
            if before is None:
                shortlist.remove_engine(name)
            else:
                shortlist.add_engine(before[0], before[1], before[2], former=former)

        def do() -> None:
            shortlist.add_engine(engine, source, file_name)

        label, told = tr("engine {name}", name=name), tr("The new file of {name}", name=name)
        if len(engine.voices) + (len(before[0].voices) if before is not None else 0) > _MANY_VOICES:
            self.state.edit_aside(label, do, undo, lambda: self._say_added(engine, file_name), told=told)
        elif self.state.edit(label, do, undo, told=told):
            self._say_added(engine, file_name)

    def _say_added(self, engine: Engine, file_name: str) -> None:
        project = self.state.project
        fetch = tr(" Its voices are fetched on the Engines tab.") if engine.voices_from and not engine.voices else ""
        told = "".join(
            tr(
                " {words}: {n} of the shortlist stay as they were; the new one can be put beside each, "
                "on the shortlist.",
                words=words,
                n=n,
            )
            for words, n in project.shortlist.superseded(engine).items()
        )
        missing = not_stated(project.brief, engine, project.notes.statements().get(engine.engine, ()))
        self.state.say(
            trn(
                "{name}: {voices} voice from {file_name}.{fetch}{told} {missing}",
                "{name}: {voices} voices from {file_name}.{fetch}{told} {missing}",
                len(engine.voices),
                name=engine.engine,
                voices=len(engine.voices),
                file_name=file_name,
                fetch=fetch,
                told=told,
                missing=missing,
            ).rstrip()
        )
        if unasked([engine]):
            ask_first(self, [engine], self.state.refresh)

    def remove_engine(self, name: str) -> None:
        shortlist = self.state.project.shortlist
        known = shortlist.files().get(name)
        if known is not None:
            self.state.edit(
                tr("removing {name}", name=name),
                lambda: shortlist.remove_engine(name),
                lambda: shortlist.add_engine(known[0], known[1], known[2]),
            )
            self.refresh()

    def ask_for_person(self) -> None:
        PersonDialog(self, self.state, self.add_person).show()

    def ask_for_heard_of(self) -> None:
        name, good = QInputDialog.getText(self, tr("An engine that was heard of"), tr("Its name"))
        if good and name.strip():
            self.add_heard_of(name.strip())

    def add_heard_of(self, name: str) -> None:
        """An engine by its name alone: what is known of it is entered beside it, and it is asked for nothing."""
        if name in self.state.bench.engines:
            self.state.complain(tr("{name} is in the catalogue already.", name=name))
            return
        source = heard_of_text(name, link="")
        self._put(parse_connector(source, name=name), source, f"{name}.yaml")
        self.state.refresh()
        self.show_view(tr("Engines"))
        self.engines.enter_by_hand(self.state.project.shortlist.engines()[name], "about")

    def add_first(self) -> None:
        """The engine that comes with the program, and its voice of the channel's language on the shortlist."""
        source = first_engine_text()
        engine = parse_connector(source, name=FIRST)
        self._put(engine, source, f"{FIRST}.yaml")
        shortlist, brief = self.state.project.shortlist, self.state.bench.brief
        wanted = brief.languages[0] if brief.languages else "en-GB"
        voice = next((v for v in engine.voices if v.speaks(wanted)), engine.voices[0])
        added: list[Candidate] = []
        self.state.edit(
            tr("{label} on the shortlist", label=voice.label),
            lambda: added.extend(shortlist.add(engine, voice=voice.id)),
            lambda: shortlist.set_removed([one.id for one in added], True),
        )
        self.refresh()

    def add_person(self, name: str, language: str, paths: list[Path]) -> None:
        """A person's recordings as a candidate that is heard and compared with, and never chosen."""
        try:
            source = person_text(name, language=language, folder=str(paths[0].parent) if paths else ".")
            engine = parse_connector(source, name=name)
        except ZestError as error:
            self.state.complain(error)
            return
        self._put(engine, source, f"{name}.yaml")
        shortlist = self.state.project.shortlist
        if name not in shortlist.engines():
            return
        added: list[Candidate] = []

        def add() -> None:
            added[:] = shortlist.add(engine, voice=engine.voices[0].id)

        def take_off() -> None:
            shortlist.set_removed([one.id for one in added], True)

        self.state.edit(tr("{name} on the shortlist", name=name), add, take_off)
        self.refresh()
        mine = next((c for c in self.state.bench.candidates if c.engine == name), None)
        if mine is not None and paths:
            found = guess(paths, [mine], self.state.bench.names, self.state.bench.passages)
            BringInDialog(self, self.state, [replace(one, candidate_id=mine.id) for one in found]).show()

    def start_wizard(self) -> None:
        lines = [line for text in self.state.project.brief.audition_lines.values() for line in text.split("\n")]

        def add(source: str) -> None:
            engine = parse_connector(source, name=tr("the file"))
            self._put(engine, source, f"{engine.engine}.yaml")
            self.state.refresh()
            self.refresh()

        WizardDialog(self, self.state, lines[0] if lines else "", add).show()


def _read(path: Path) -> tuple[Engine | str | ZestError, str]:
    """(an engine, a catalogue's text, or what is wrong with the file; the text of a connector file)."""
    try:
        text = read_text(path, most_mb=LARGEST_MB, kept=tr("Nothing was added."))
        return (text, "") if is_catalogue(text) else read_connector(path)
    except ZestError as error:
        return error, ""

"""What goes in and out of the catalogue as a file: catalogues, tables of voices, tables of votes."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from PyQt6.QtWidgets import QFileDialog, QMenu, QPushButton, QWidget

from zestpanel.core.catalogue.changes import Change, voice_changes
from zestpanel.core.catalogue.facts import Voice
from zestpanel.core.errors import InputError, ZestError
from zestpanel.core.report.catalogue_file import (
    LARGEST_MB,
    as_json,
    as_yaml,
    export_catalogue,
    parse_catalogue,
    preview,
    take_over,
    voices_as_csv,
    voices_from_csv,
    votes_from_csv,
)
from zestpanel.core.store.small_documents import OUTSIDE_VOTES, AttachedVotes
from zestpanel.core.text_files import read_text, write_text
from zestpanel.core.texts import tr
from zestpanel.desk.files import kind_of
from zestpanel.desk.pages.engines.changes import ChangesDialog
from zestpanel.desk.pages.engines.machine import MachineDialog
from zestpanel.desk.pages.tabbed import TabbedPage

T = TypeVar("T")


class CatalogueExchange(TabbedPage):
    """Under the page of engines, which makes the button of the menu."""

    exchange: QPushButton

    def ask_for_file(self) -> None:
        raise NotImplementedError

    def _drop_down(self, menu: QMenu, below: QWidget) -> None:
        raise NotImplementedError

    def _exchange_menu(self) -> None:
        menu = QMenu(self)
        menu.addAction(tr("Take in a catalogue …"), self.ask_for_file)
        menu.addAction(tr("Write the catalogue …"), self.write_catalogue)
        menu.addAction(tr("Write the voices as a table …"), self.write_voices)
        menu.addAction(tr("Attach a vote table …"), self.ask_for_votes)
        menu.addSeparator()
        menu.addAction(tr("This machine …"), lambda: MachineDialog(self, self.state).show())
        self._drop_down(menu, self.exchange)

    def take_in(self, text: str, name: str) -> None:
        """Show what a catalogue would change, and take it over when agreed to."""
        project = self.state.project
        catalogue = parse_catalogue(text, name=name)
        changes = preview(project, catalogue)
        if not changes:
            self.state.say(tr("{name} holds nothing that is not known already.", name=name))
            return

        def agreed() -> None:
            try:
                take_over(project, catalogue)
            except ZestError as error:
                self.state.complain(error)
            self.state.refresh()
            self.refresh()
            self.state.say(tr("{name} was taken over: {engines} engines.", name=name, engines=len(catalogue.engines)))

        ChangesDialog(self, tr("From {name}", name=name), changes, agreed).show()

    def write_catalogue(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, tr("Write the catalogue"), "catalogue.yaml", tr("YAML or JSON (*.yaml *.json)")
        )
        if name:
            catalogue = export_catalogue(self.state.project)
            self._write(Path(name), as_json(catalogue) if name.endswith(".json") else as_yaml(catalogue))

    def write_voices(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, tr("Write the voices"), "voices.csv", tr("Tables (*.csv)"))
        if name:
            self._write(Path(name), voices_as_csv(list(self.state.bench.engines.values())))

    def _write(self, path: Path, text: str) -> None:
        try:
            write_text(path, text, kept=tr("Nothing else changed."))
        except InputError as error:
            self.state.complain(error)
            return
        self.state.say(tr("Written: {name}. It holds no key.", name=path.name))

    def add_table(self, path: Path) -> None:
        """A table of voices, shown before it is taken over; or a vote table."""
        if kind_of(path) == "votes":
            self.attach_votes(path)
            return
        found = self._read_table(path, voices_from_csv)
        if found is None:
            return
        engines, shortlist = self.state.bench.engines, self.state.project.shortlist
        if strange := [name for name in found if name not in engines]:
            self.state.complain(
                tr(
                    "{name} lists voices of {strange}, which the catalogue does not hold. Add its connector "
                    "file first; the others can be taken over.",
                    name=path.name,
                    strange=", ".join(strange),
                )
            )
        known = {name: voices for name, voices in found.items() if name in engines}
        changes = [
            Change(state=c.state, about=tr("voice of {name}", name=name), name=c.name, what=c.what)
            for name, voices in known.items()
            for c in voice_changes(engines[name].voices, voices)
        ]
        if not changes:
            return
        before = {name: shortlist.fetched(name) for name in known}

        def put(lists: dict[str, list[Voice]]) -> None:
            for name, voices in lists.items():
                shortlist.put_fetched(name, voices)

        def agreed() -> None:
            if self.state.edit(tr("voices from {name}", name=path.name), lambda: put(known), lambda: put(before)):
                self.refresh()

        ChangesDialog(self, tr("From {name}", name=path.name), changes, agreed).show()

    def _read_table(self, path: Path, read: Callable[..., T]) -> T | None:
        """A table read, None when it cannot be and that was said."""
        try:
            return read(read_text(path, most_mb=LARGEST_MB, kept=tr("Nothing was taken over.")), name=path.name)
        except ZestError as error:
            self.state.complain(error)
        return None

    def ask_for_votes(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Attach a vote table"), "", tr("Tables (*.csv)"))
        if name:
            self.attach_votes(Path(name))

    def attach_votes(self, path: Path) -> None:
        """Attach somebody's vote table: rows that name an engine of the catalogue are shown beside it."""
        votes = self._read_table(path, votes_from_csv)
        if votes is None:
            return
        known = {name.casefold(): name for name in self.state.bench.engines}
        document = dict(OUTSIDE_VOTES.read(self.state.project.documents))
        attached = 0
        for vote in votes:
            engine = known.get(vote.name.casefold())
            if engine is not None:
                strength = (
                    vote.strength
                    if vote.strength is not None
                    else tr("{wins} wins", wins=f"{vote.wins:g}")
                    if vote.wins
                    else "–"
                )
                rows = [r for r in document.get(engine, ()) if r.table != path.name]
                document[engine] = (*rows, AttachedVotes(table=path.name, strength=str(strength), votes=vote.votes))
                attached += 1
        if not attached:
            self.state.complain(
                tr("{name} names none of the engines of the catalogue. Nothing was attached.", name=path.name)
            )
            return
        self.state.project.edit_document(OUTSIDE_VOTES, document, label=tr("a vote table"))
        self.state.history_changed.emit()
        self.state.say(
            tr("{attached} of {votes} rows attached as outside opinion.", attached=attached, votes=len(votes))
        )
        self.refresh()

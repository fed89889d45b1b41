"""A project: one folder that holds everything, reached through a few collections."""

from __future__ import annotations

from pathlib import Path
from typing import Final

from zestpanel.core.domain.brief import Brief
from zestpanel.core.errors import ProjectError
from zestpanel.core.store.answers import Answers
from zestpanel.core.store.auditions import Auditions
from zestpanel.core.store.checking import Repaired, first_damage
from zestpanel.core.store.clip_store import ClipStore
from zestpanel.core.store.database import Database
from zestpanel.core.store.dialogues import Dialogues
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.hard_parts import HardParts
from zestpanel.core.store.history import History
from zestpanel.core.store.impressions import Impressions
from zestpanel.core.store.invitations import Invitations
from zestpanel.core.store.journal import Journal
from zestpanel.core.store.looked_over import is_ours, set_aside
from zestpanel.core.store.notes import CatalogueNotes
from zestpanel.core.store.opening import create_database, open_database
from zestpanel.core.store.own_voices import OwnVoices
from zestpanel.core.store.panel import Panel
from zestpanel.core.store.pronunciations import Pronunciations
from zestpanel.core.store.purse import Purse
from zestpanel.core.store.scripts import Scripts
from zestpanel.core.store.sending import Sending
from zestpanel.core.store.shortlist import Shortlist
from zestpanel.core.store.stored import ASIDE, Stored, T
from zestpanel.core.store.sweeps import Sweeps
from zestpanel.core.store.takes import Takes
from zestpanel.core.store.texts import Texts
from zestpanel.core.texts import tr

SUFFIX = ".zest"


BRIEF: Final[Stored[Brief]] = Stored("brief", Brief, Brief())


class Project:
    """An open project. Safe to read and write from several threads; close it when done."""

    def __init__(self, folder: Path, database: Database) -> None:
        self.folder, self._database = folder, database
        database.damage_in = first_damage
        self.documents = Documents(database)
        self.clips = store = ClipStore(folder)
        self.own_voices = OwnVoices(database, store)
        self.notes = CatalogueNotes(database)
        self.impressions = Impressions(database, store)
        self.hard_parts = HardParts(self.documents)
        self.shortlist = Shortlist(database, self.documents, self.own_voices)
        self.texts = Texts(database)
        self.dialogues = Dialogues(self.documents, self.texts)
        self.scripts = Scripts(self.documents)
        self.pronunciations = Pronunciations(database)
        self.sending = Sending(self.documents, self.pronunciations)
        self.journal = Journal(database)
        self.takes = Takes(database, store)
        self.auditions = Auditions(database, store)
        self.sweeps = Sweeps(database, self.shortlist)
        self.panel = Panel(database, store)
        self.answers = Answers(database)
        self.invitations = Invitations(database)
        self.history = History()
        self.purse: Purse | None = None  # of the run that goes on
        self.was_odd: Repaired | None = None  # what made no sense when it was opened, and was set aside

    @classmethod
    def create(cls, folder: Path) -> Project:
        """A new, empty project. Raises ProjectError where something is there already."""
        return cls(folder, create_database(folder))

    @classmethod
    def open(cls, folder: Path) -> Project:
        """Raises ProjectError: no project, damaged, or written by a newer program."""
        if not folder.is_dir():
            raise ProjectError(
                tr("There is no project at {folder}.", folder=folder), remedy=tr("Check the name, or make a new one.")
            )
        database = open_database(folder)
        read_only = bool(database.read_only)
        if not read_only:
            database.close()  # what is set aside is moved, and nobody may be reading then
        done = set_aside(folder, read_only=read_only)
        project = cls(folder, database if read_only else open_database(folder))
        if done is not None:
            project.was_odd = done
        return project

    def close(self) -> None:
        self._database.close()
        if not self.read_only:
            is_ours(self.folder)

    @property
    def read_only(self) -> str:
        """Why nothing can be written: 'read-only' or 'full', '' where it can."""
        return self._database.read_only

    def look_again(self) -> None:
        """Another program has written: what was worked out of the database is worked out anew."""
        self.shortlist.voices_changed()
        self.pronunciations.look_again()
        self.sending.look_again()

    def changes(self) -> int:
        """A number that differs once another program has written to the project."""
        return self._database.changes()

    # -- the brief, with undo

    @property
    def brief(self) -> Brief:
        return BRIEF.read(self.documents)

    def set_brief(self, brief: Brief, *, label: str = "brief") -> None:
        self.edit_document(BRIEF, brief, label=label)

    def edit_document(self, stored: Stored[T], value: T, *, label: str) -> None:
        """Write a document so that it can be undone. Nothing happens when the value is what it was."""
        name, before, after = stored.name, self.documents.get(stored.name), stored.as_json(value)
        if before != after:
            if stored.is_odd(self.documents):
                self.documents.put(f"{ASIDE}{name}", before)
            self.history.run(label, lambda: self.documents.put(name, after), lambda: self.documents.put(name, before))

"""What a function needs of a project: some of its collections, named one by one.

A project has them all, and so may anything else that holds them; whoever reads a signature sees what is touched.
"""

from __future__ import annotations

from pathlib import Path
from typing import Protocol

from zestpanel.core.domain.brief import Brief
from zestpanel.core.store.answers import Answers
from zestpanel.core.store.auditions import Auditions
from zestpanel.core.store.clip_store import ClipStore
from zestpanel.core.store.dialogues import Dialogues
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.hard_parts import HardParts
from zestpanel.core.store.impressions import Impressions
from zestpanel.core.store.invitations import Invitations
from zestpanel.core.store.journal import Journal
from zestpanel.core.store.notes import CatalogueNotes
from zestpanel.core.store.own_voices import OwnVoices
from zestpanel.core.store.panel import Panel
from zestpanel.core.store.purse import Purse
from zestpanel.core.store.sending import Sending
from zestpanel.core.store.shortlist import Shortlist
from zestpanel.core.store.stored import Stored, T
from zestpanel.core.store.takes import Takes
from zestpanel.core.store.texts import Texts


class HasFolder(Protocol):
    @property
    def folder(self) -> Path: ...


class HasChanges(Protocol):
    def changes(self) -> int:
        """A number that differs once another program has written."""
        ...


class HasDocuments(Protocol):
    @property
    def documents(self) -> Documents: ...


class EditsDocuments(HasDocuments, Protocol):
    def edit_document(self, stored: Stored[T], value: T, *, label: str) -> None:
        """Write a document so that it can be undone."""
        ...


class HasBrief(Protocol):
    @property
    def brief(self) -> Brief: ...


class HasTexts(Protocol):
    @property
    def texts(self) -> Texts: ...


class HasHardParts(Protocol):
    @property
    def hard_parts(self) -> HardParts: ...


class HasDialogues(Protocol):
    @property
    def dialogues(self) -> Dialogues: ...


class HasShortlist(Protocol):
    @property
    def shortlist(self) -> Shortlist: ...


class HasNotes(Protocol):
    @property
    def notes(self) -> CatalogueNotes: ...


class HasOwnVoices(Protocol):
    @property
    def own_voices(self) -> OwnVoices: ...


class HasSending(Protocol):
    @property
    def sending(self) -> Sending: ...


class HasTakes(Protocol):
    @property
    def takes(self) -> Takes: ...


class HasClips(Protocol):
    @property
    def clips(self) -> ClipStore: ...


class HasJournal(Protocol):
    @property
    def journal(self) -> Journal: ...


class HasAuditions(Protocol):
    @property
    def auditions(self) -> Auditions: ...


class HasPurse(Protocol):
    @property
    def purse(self) -> Purse | None: ...


class HasPanel(Protocol):
    @property
    def panel(self) -> Panel: ...


class HasAnswers(Protocol):
    @property
    def answers(self) -> Answers: ...


class HasInvitations(Protocol):
    @property
    def invitations(self) -> Invitations: ...


class HasImpressions(Protocol):
    @property
    def impressions(self) -> Impressions: ...


class SetsPurse(Protocol):
    """Where a run says that it goes on, and what it spends."""

    purse: Purse | None

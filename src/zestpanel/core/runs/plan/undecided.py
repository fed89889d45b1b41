"""Requests that may have been paid and brought nothing: never sent again by themselves, until a person says so."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Protocol

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.run import JournalRow
from zestpanel.core.domain.take import Take
from zestpanel.core.errors import MAY_BE_BILLED
from zestpanel.core.store.one_asker import asked_elsewhere
from zestpanel.core.store.parts import HasFolder, HasJournal, HasPurse, HasShortlist, HasTakes
from zestpanel.core.texts import tr


class AskedParts(HasFolder, HasShortlist, HasTakes, HasJournal, HasPurse, Protocol):
    """What was asked for, and who asks now."""


WORDS = tr("an earlier request may have been paid; decide on it first")


def undecided(project: AskedParts) -> list[JournalRow]:
    """Those that wait for a word, oldest first: left open by a program that ended, stopped under way, or failed in a
    way that a service may bill. While another program asks for the project, what is open is its own affair and not
    among them."""
    by_id = {c.id: c for c in project.shortlist.candidates(removed=True, of_sweeps=True)}
    takes = project.takes.all(with_timing=False)
    rows = undecided_of(project.journal.rows(), by_id, project.shortlist.engines(), takes)
    live = bool(project.purse) or bool(asked_elsewhere(project.folder))
    return [row for row in rows if row.state != "open" or not live]


def undecided_of(
    journal: Sequence[JournalRow],
    candidates: Mapping[int, Candidate],
    engines: Mapping[str, Engine],
    takes: Sequence[Take],
) -> list[JournalRow]:
    """Of these rows, open ones included. Programs of one's own send no bill: what failed there is tried again."""
    there = {(t.candidate_id, t.passage_version_id, t.repeat) for t in takes}

    def waits(row: JournalRow) -> bool:
        if row.state == "open":
            return True
        stopped = row.state == "cancelled"  # by a person, while it was under way: the service may have read it
        if row.decided or not (stopped or (row.state == "failed" and row.failure_kind in MAY_BE_BILLED)):
            return False
        engine = engines.get(candidates[row.candidate_id].engine)
        cell = (row.candidate_id, row.passage_version_id, row.repeat)
        return engine is not None and engine.is_hosted and cell not in there

    return [row for row in journal if waits(row)]

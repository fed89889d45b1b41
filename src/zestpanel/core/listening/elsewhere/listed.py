"""The packs of a test: whose each is, and how far its answers are."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final, Protocol

from zestpanel.core.domain.listening import Invitation, PlannedTrial
from zestpanel.core.listening.elsewhere.copies import LOSSLESS_BYTES_A_SECOND, LOSSY_BYTES_A_SECOND
from zestpanel.core.store.parts import HasAnswers, HasInvitations, HasPanel, HasTakes
from zestpanel.core.texts import tr

_AS_TEXT: Final = 4 / 3  # base64 (RFC 4648)


class ListedParts(HasPanel, HasAnswers, HasInvitations, Protocol):
    """What packs are listed from."""


@dataclass(frozen=True, slots=True)
class Listed:
    """answered: trials of the session so far, of how many."""

    pack: Invitation
    listener: str
    answered: int
    trials: int

    @property
    def state(self) -> str:
        if self.answered >= self.trials:
            return tr("all answered")
        if self.pack.ended:
            return tr("withdrawn")
        return tr("answers came") if self.pack.came else tr("waited for")


def packs_of(project: ListedParts, test_id: int) -> list[Listed]:
    """In the order in which they were written."""
    people = {one.id: one.alias for one in project.panel.listeners()}
    sessions = {one.id: one for one in project.panel.sessions(test_id)}
    answered, out = project.answers.places_of_test(test_id), []
    for pack in project.invitations.of_test(test_id):
        if (session := sessions.get(pack.session_id)) is None:  # begun a moment ago
            continue
        done = answered.get(session.id, set()) | {int(place) for place in session.checks.get("skipped", {})}
        out.append(Listed(pack, people.get(session.listener_id, "?"), len(done), len(session.trials)))
    return out


def about_bytes(project: HasTakes, trials: Iterable[PlannedTrial], *, lossy: bool) -> int:
    """About how large a pack of these trials will be: each clip is there once, and as large as the largest."""
    wanted = {s.take_id for trial in trials for s in trial.stimuli if s.take_id is not None}
    lengths = [t.duration_s for t in project.takes.all(with_timing=False) if t.id in wanted]
    per_s = LOSSY_BYTES_A_SECOND if lossy else LOSSLESS_BYTES_A_SECOND
    return round(len(lengths) * max(lengths, default=0.0) * per_s * _AS_TEXT)

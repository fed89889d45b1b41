"""A test as a small server has it: sessions by their codes, clips, and answers that are kept before they are thanked
for."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Final

from pydantic import ValidationError

from zestpanel.core.domain.listening import Invitation, Listener, ListeningTest, Session
from zestpanel.core.errors import InputError
from zestpanel.core.listening.elsewhere.copies import Copies
from zestpanel.core.listening.elsewhere.description import Described, DescribedParts, describe
from zestpanel.core.listening.elsewhere.pack import as_page
from zestpanel.core.listening.elsewhere.returned import Said, TakenBack, put_in
from zestpanel.core.listening.registry import kind_of
from zestpanel.core.listening.session import ListeningSession, ProjectSessions, session_of
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.listening.told import Told
from zestpanel.core.store.invitations import new_invitation
from zestpanel.core.texts import tr

BY_LINK: Final = "by link"
SEEN_S: Final = 5.0  # so long a code that was looked up for a clip is not looked up again
_Known = tuple[Invitation, ListeningTest, Session]


class Closed(Exception):
    """A code that is known, and takes nothing any more: withdrawn, or its test is closed."""


@dataclass
class Served:
    """folder: where copies are kept while it runs. completion: what is shown to those who have finished, '' for
    nothing. Safe to use from several threads."""

    project: DescribedParts
    folder: Path
    lossy: bool = False
    completion: str = ""
    _described: dict[int, Described] = field(default_factory=dict)
    _seen: dict[str, tuple[float, _Known | None]] = field(default_factory=dict)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def __post_init__(self) -> None:
        self._copies = Copies(self.folder, lossy=self.lossy)

    def invite(self, test_id: int, listener: Listener) -> str:
        """The code of a listener's link; the one from before where there is one that is not withdrawn."""
        session_of(self.project, test_id, listener)
        session = next(one for one in self.project.panel.sessions(test_id) if one.listener_id == listener.id)
        known = [one for one in self.project.invitations.of_test(test_id)
                 if one.session_id == session.id and not one.ended and one.clips == BY_LINK]  # fmt: skip
        if known:
            return known[-1].code
        made = new_invitation(session.id, BY_LINK)
        self.project.invitations.issue(made)
        return made.code

    def invited(self, test_id: int) -> list[tuple[str, str]]:
        """(listener, code) of every link of a test that is not withdrawn."""
        panel, every = self.project.panel, self.project.invitations.of_test(test_id)
        return [(panel.listener(panel.session(one.session_id).listener_id).alias, one.code) for one in every
                if one.clips == BY_LINK and not one.ended]  # fmt: skip

    def _known(self, code: str) -> _Known | None:
        found = self.project.invitations.with_code(code)
        if found is None:
            return None
        invited, test = found[0], self.project.panel.test(found[1])
        if invited.ended or test.closed or test.conduct.removed:
            raise Closed
        return invited, test, self.project.panel.session(invited.session_id)

    def _of(self, invited: Invitation, test: ListeningTest, session: Session) -> Described:
        with self._lock:  # one at a time: the next one finds most of its copies made
            if invited.id not in self._described:
                speaks = self.project.panel.listener(session.listener_id).languages
                walked = ListeningSession(
                    ProjectSessions(self.project, session), kind_of(test.kind),
                    TestSettings.from_document(test.settings), told=Told(speaks),
                    level_lufs=test.conduct.level_lufs,
                )  # fmt: skip
                self._described[invited.id] = describe(self.project, session, walked, invited.code, self._copies)
            return self._described[invited.id]

    def page(self, code: str) -> str | None:
        """The page of a session, None for no such code. Raises Closed; AudioError where a clip cannot be read."""
        known = self._known(code)
        if known is None:
            return None
        invited, test, session = known
        done = self.project.answers.answered_places(session.id) | self.project.panel.skipped(session.id)
        described = self._of(invited, test, session)
        left = [one for one in described.said.trials if one.place not in done]
        if not left:  # on another machine, too, it is told that all is answered
            return as_page(described.said, {"over": "yes", "completion": self.completion}, {}, "page.js")
        return as_page(described.without(done), {}, {}, "page.js")

    def clip(self, code: str, clip: str) -> bytes | None:
        """A clip of that session, None for none. Raises Closed."""
        seen, known = self._seen.get(code, (0.0, None))
        if known is None or time.monotonic() - seen > SEEN_S:
            known = self._known(code)
            if known is None:
                return None
            self._seen[code] = time.monotonic(), known
        described = self._of(*known)
        digest = described.clips.get(clip)
        if digest is None:
            return None
        return self._copies.read(digest, self._copies.largest(described.clips.values()))

    def answers(self, code: str, body: bytes) -> tuple[TakenBack, str] | None:
        """What is kept by now, and the completion code for who has finished; None for no such code. Raises Closed, and
        InputError for what is no answers."""
        known = self._known(code)
        if known is None:
            return None
        try:
            said = Said.model_validate_json(body)
        except (ValidationError, ValueError, RecursionError) as error:
            raise InputError(tr("These are no answers.")) from error
        if said.session != code:
            raise InputError(tr("These are no answers."))
        done = put_in(self.project, said, known[0], known[1], known[2])
        return done, self.completion if done.finished else ""

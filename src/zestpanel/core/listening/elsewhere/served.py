"""A test as a small server has it: sessions by their codes, clips, and answers that are kept before they are thanked
for."""

from __future__ import annotations

import secrets
import threading
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Final

from pydantic import ValidationError

from zestpanel.core.domain.listening import BY_LINK, Invitation, Listener, ListeningTest, Session
from zestpanel.core.errors import InputError
from zestpanel.core.listening.elsewhere.copies import Copies
from zestpanel.core.listening.elsewhere.description import Described, DescribedParts, Description, describe
from zestpanel.core.listening.elsewhere.enrolling import enrol, join_page, room, told_of
from zestpanel.core.listening.elsewhere.notice import paragraphs, to_agree_to
from zestpanel.core.listening.elsewhere.pages import as_page
from zestpanel.core.listening.elsewhere.returned import Said, put_in
from zestpanel.core.listening.entry import ENTRY, TURNED_AWAY, turned_away
from zestpanel.core.listening.material import level_of_test, pool_of_test
from zestpanel.core.listening.planned import asked_of_a_listener, material_of
from zestpanel.core.listening.registry import kind_of
from zestpanel.core.listening.session import ListeningSession, ProjectSessions, session_of, tried_out
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.listening.told import Told
from zestpanel.core.store.invitations import new_invitation
from zestpanel.core.texts import tr

SEEN_S: Final = 5.0  # so long a code that was looked up for a clip is not looked up again
_TRIED_BYTES: Final = 12


class Closed(Exception):
    """A code that is known, and takes nothing any more: withdrawn, or its test is closed."""


@dataclass(frozen=True, slots=True)
class Thanked:
    """What a page is told once its answers are kept. says: for the lead, '' where nothing is new."""

    finished: bool
    completion: str = ""
    away: bool = False
    says: str = ""


@dataclass(frozen=True, slots=True)
class Joined:
    """code: of the new listener's own link, '' where there is none; then page says why."""

    code: str
    page: str = ""


@dataclass(frozen=True, slots=True)
class _Known:
    """invited, session: None for a trial run."""

    test: ListeningTest
    invited: Invitation | None = None
    session: Session | None = None


def read_said(body: bytes, code: str) -> Said:
    """Raises InputError for what is no answers of that session."""
    try:
        said = Said.model_validate_json(body)
    except (ValidationError, ValueError, RecursionError) as error:
        raise InputError(tr("These are no answers.")) from error
    if said.session != code:
        raise InputError(tr("These are no answers."))
    return said


@dataclass
class Served:
    """folder: where copies are kept while it runs. completion: what is shown to those who have finished, '' for
    nothing. Safe to use from several threads."""

    project: DescribedParts
    folder: Path
    lossy: bool = False
    completion: str = ""
    _described: dict[str, Described] = field(default_factory=dict)
    _tried: dict[str, int] = field(default_factory=dict)
    _minutes: dict[int, int] = field(default_factory=dict)
    _seen: dict[str, tuple[float, _Known | None]] = field(default_factory=dict)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def __post_init__(self) -> None:
        self._copies = Copies(self.folder, lossy=self.lossy)

    def invite(self, test_id: int, listener: Listener) -> str:
        """The code of a listener's link; the one from before where there is one that is not withdrawn."""
        session_of(self.project, test_id, listener)
        session = self.project.panel.session_of(test_id, listener.id)
        assert session is not None
        known = self.project.invitations.of_session(session.id)
        if links := [one for one in known if one.by_link and not one.ended]:
            return links[-1].code
        made = new_invitation(session.id, BY_LINK)
        self.project.invitations.issue(made)
        return made.code

    def invited(self, test_id: int) -> list[tuple[str, str]]:
        """(listener, code) of every link of a test that is not withdrawn."""
        panel = self.project.panel
        people = {one.id: one.alias for one in panel.listeners()}
        whose = {one.id: people[one.listener_id] for one in panel.sessions(test_id, with_trials=False)}
        every = self.project.invitations.of_test(test_id)
        return [(whose[one.session_id], one.code) for one in every if one.by_link and not one.ended]

    def try_out(self, test_id: int) -> str:
        """The code of a trial run, of which nothing is kept; as long as this server is there."""
        code = secrets.token_hex(_TRIED_BYTES)
        self._tried[code] = test_id
        return code

    def minutes(self, test: ListeningTest) -> int:
        """About how long the test takes a listener."""
        if test.id not in self._minutes:
            settings = TestSettings.from_document(test.settings)
            self._minutes[test.id] = asked_of_a_listener(material_of(self.project), test.kind, settings).minutes
        return self._minutes[test.id]

    def _known(self, code: str) -> _Known | None:
        if code in self._tried:
            return _Known(self.project.panel.test(self._tried[code]))
        found = self.project.invitations.with_code(code)
        if found is None:
            return None
        invited, test = found[0], self.project.panel.test(found[1])
        if invited.ended or test.closed or test.conduct.removed:
            raise Closed
        return _Known(test, invited, self.project.panel.session(invited.session_id))

    def _of(self, code: str, known: _Known) -> Described:
        with self._lock:  # one at a time: the next one finds most of its copies made
            if code not in self._described:
                make = self._walked if known.session is not None else self._walked_on_trial
                self._described[code] = describe(self.project, known.test, make(known), code, self._copies,
                                                 tried=known.session is None)  # fmt: skip
            return self._described[code]

    def _walked(self, known: _Known) -> ListeningSession:
        assert known.session is not None
        test, speaks = known.test, self.project.panel.listener(known.session.listener_id).languages
        return ListeningSession(
            ProjectSessions(self.project, known.session), kind_of(test.kind), TestSettings.from_document(test.settings),
            told=Told(speaks), level_lufs=test.conduct.level_lufs,
        )  # fmt: skip

    def _walked_on_trial(self, known: _Known) -> ListeningSession:
        project, test = self.project, known.test
        walked = tried_out(project, test.id, ())
        walked.level_lufs = test.conduct.level_lufs
        if walked.level_lufs is None:
            settings = TestSettings.from_document(test.settings)
            pool = pool_of_test(project.panel, project.takes, project.texts, test.id, settings)
            walked.level_lufs = level_of_test(project.takes, (take for of in pool.values() for take in of))
        return walked

    def page(self, code: str) -> str | None:
        """The page of a session, None for no such code. Raises Closed; AudioError where a clip cannot be read."""
        known = self._known(code)
        if known is None:
            return None
        described = self._of(code, known)
        if known.session is None:
            return as_page(described.said, {}, {}, "page.js")
        session = known.session
        if session.checks.get(TURNED_AWAY):
            return as_page(described.said, {"over": "away"}, {}, "page.js")
        done = self.project.answers.answered_places(session.id) | self.project.panel.skipped(session.id)
        left = described.without(done)
        if not left.trials:  # on another machine, too, it is told that all is answered
            return as_page(described.said, {"over": "yes", "completion": self.completion}, {}, "page.js")
        return as_page(self._wanted(left, known.test, session), {}, {}, "page.js")

    def _wanted(self, said: Description, test: ListeningTest, session: Session) -> Description:
        """With what was asked already left out, and who is wanted no more not let in."""
        notice = to_agree_to(test, session.checks)
        said = said.model_copy(update={"notice": paragraphs(notice, Told([said.language])) if notice else []})
        if session.checks.get(ENTRY):
            return said.model_copy(update={"entry": []})
        there = ProjectSessions(self.project, session).taking_part()
        questions = TestSettings.from_document(test.settings).entry
        entry = [
            one.model_copy(update={"answers": [
                answer.model_copy(update={"admits": not turned_away(questions[at], at, k, there)})
                for k, answer in enumerate(one.answers)
            ]})
            for at, one in enumerate(said.entry)
        ]  # fmt: skip
        return said.model_copy(update={"entry": entry})

    def clip(self, code: str, clip: str) -> bytes | None:
        """A clip of that session, None for none. Raises Closed."""
        seen, known = self._seen.get(code, (0.0, None))
        if known is None or time.monotonic() - seen > SEEN_S:
            known = self._known(code)
            if known is None:
                return None
            self._seen[code] = time.monotonic(), known
        described = self._of(code, known)
        digest = described.clips.get(clip)
        if digest is None:
            return None
        return self._copies.read(digest, self._copies.largest(described.clips.values()))

    def answers(self, code: str, body: bytes) -> Thanked | None:
        """What is kept by now, and the completion code for who has finished; None for no such code. Raises Closed, and
        InputError for what is no answers."""
        known = self._known(code)
        if known is None:
            return None
        said = read_said(body, code)
        if known.invited is None or known.session is None:
            return Thanked(said.finished, self.completion if said.finished else "")
        done = put_in(self.project, said, known.invited, known.test, known.session)
        told = done.says(tr("the page")) if done.new or done.turned_away else ""
        return Thanked(done.finished, self.completion if done.finished else "", done.turned_away, told)

    # -- who comes of themselves

    def _joined(self, code: str) -> ListeningTest | None:
        test = next((one for one in self.project.panel.tests()
                     if one.conduct.enrolment is not None and one.conduct.enrolment.code == code), None)  # fmt: skip
        if test is not None and (test.closed or test.conduct.removed):
            raise Closed
        return test

    def joining(self, code: str, accepted: str) -> str | None:
        """The page by which a listener comes in; None for no such code. accepted: the languages that a browser asks
        for. Raises Closed."""
        test = self._joined(code)
        return None if test is None else self._asking(test, accepted)

    def _asking(self, test: ListeningTest, accepted: str, *, unchosen: bool = False) -> str:
        free = list(room(self.project, test))
        return join_page(told_of(accepted), free, test.conduct.notice, self.minutes(test), unchosen=unchosen)

    def join(self, code: str, accepted: str, speaks: Sequence[str]) -> Joined | None:
        """Let a listener in who speaks these. None for no such code. Raises Closed."""
        test = self._joined(code)
        if test is None or test.conduct.enrolment is None:
            return None
        known = [tag for tag in test.conduct.enrolment.languages if tag in speaks]
        if not known:
            return Joined("", self._asking(test, accepted, unchosen=True))
        made = enrol(self.project, test, known)
        return Joined(made or "", join_page(told_of(accepted), (), None, 0) if made is None else "")

"""What listeners are told of their data before they begin, that they agree to it, and when it is to be gone."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any, Final, Protocol

from zestpanel.core import clock
from zestpanel.core.domain.listening import MOST_KEPT_DAYS, Invitation, Listener, ListeningTest, Notice, Session
from zestpanel.core.errors import InputError
from zestpanel.core.listening.told import Told
from zestpanel.core.store.database import now
from zestpanel.core.store.parts import HasPanel
from zestpanel.core.texts import tr

CONSENT, GIVEN, DECLINED = "consent", "given", "declined"
_PARTS: Final = ("notice", "notice_kept", "notice_days", "notice_free")


class PeopleParts(HasPanel, Protocol):
    """What is known of those who listen."""


@dataclass(frozen=True, slots=True)
class Kept:
    """until: the last day on which more than a number may be kept of a listener, by what they agreed to."""

    listener: Listener
    until: date

    @property
    def over(self) -> bool:
        return clock.today() > self.until


def new_notice(by: str, contact: str, keep_days: str | int) -> Notice:
    """As it stands from now on. Raises InputError."""
    by, contact, days = by.strip(), contact.strip(), str(keep_days).strip()
    if not by or not contact:
        raise InputError(tr("A notice says who asks, and whom a listener turns to."), kept=tr("Nothing was changed."))
    if not days.isdecimal() or not 1 <= int(days[:9]) <= MOST_KEPT_DAYS:
        raise InputError(tr("'{days}' is no number of days from 1 to {most}.", days=days, most=MOST_KEPT_DAYS),
                         kept=tr("Nothing was changed."))  # fmt: skip
    return Notice(by=by, contact=contact, keep_days=int(days), since=now())


def paragraphs(notice: Notice, told: Told) -> list[str]:
    return [told.say(name, by=notice.by, contact=notice.contact, days=notice.keep_days) for name in _PARTS]


def to_agree_to(test: ListeningTest, checks: Any) -> Notice | None:
    """What a session has still to agree to."""
    return None if checks.get(CONSENT) else test.conduct.notice


def unagreed(test: ListeningTest, session: Session, invited: Invitation) -> bool:
    """Whether answers must not be kept: who was asked before there was a notice was never shown it."""
    notice = to_agree_to(test, session.checks)
    return notice is not None and invited.created >= notice.since


def kept(project: PeopleParts) -> list[Kept]:
    """Of every listener who has agreed to a notice, the day by the last one; those who are forgotten left out."""
    until: dict[int, date] = {}
    for test in project.panel.tests():
        if (notice := test.conduct.notice) is None:
            continue
        for session in project.panel.sessions(test.id, with_trials=False):
            if session.checks.get(CONSENT):
                day = _last_day(session, notice)
                until[session.listener_id] = max(day, until.get(session.listener_id, day))
    people = (one for one in project.panel.listeners() if not one.forgotten)
    return [Kept(one, until[one.id]) for one in people if one.id in until]


def due(project: PeopleParts) -> list[Kept]:
    return [one for one in kept(project) if one.over]


def _last_day(session: Session, notice: Notice) -> date:
    """Days are counted from the end of the last sitting, by this machine's clock where that of the listener is odd."""
    today = clock.today()
    days = [day for stamp in _moments(session) if (day := _day(stamp)) is not None and day <= today]
    return max(days, default=today) + timedelta(days=notice.keep_days)


def _moments(session: Session) -> Iterable[str]:
    yield session.created
    yield session.finished_on
    for one in session.sittings:
        yield one.ended


def _day(stamp: str) -> date | None:
    try:
        return clock.day_of(stamp)
    except ValueError:
        return None

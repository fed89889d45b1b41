"""Listeners who come of themselves, by one link for all: as many as are wanted, and of each language as many."""

from __future__ import annotations

import html
import secrets
from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from datetime import UTC, datetime, timedelta
from typing import Final, Protocol

from zestpanel.core.domain.listening import BY_LINK, MOST_ENROLLED, Enrolment, ListeningTest, Notice, Session
from zestpanel.core.errors import InputError, NotEnoughData
from zestpanel.core.languages import own_name, tag_of
from zestpanel.core.listening.elsewhere.notice import CONSENT, paragraphs
from zestpanel.core.listening.elsewhere.pages import bare_page
from zestpanel.core.listening.entry import TURNED_AWAY
from zestpanel.core.listening.material import pool_of_test
from zestpanel.core.listening.registry import kind_of
from zestpanel.core.listening.session import SessionParts, start_session
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.listening.told import Told, languages
from zestpanel.core.store.database import now
from zestpanel.core.store.invitations import new_invitation
from zestpanel.core.store.parts import HasInvitations
from zestpanel.core.texts import asked, tr

ENROLLED: Final = "enrolled"  # in a session's checks: the language it counts for
LAPSES_H: Final = 24  # after which a place is free again, where nothing was answered
_CODE_BYTES: Final = 12
_AGREE = asked("I agree, and take part")
_TAKE_PART = asked("Take part")
_WHICH = asked("Which of these do you speak well?")
_FULL = asked("Thank you for coming. There are enough listeners by now.")
_CHOOSE = asked("Please choose at least one language.")
_LASTS = asked("It takes about {minutes} minutes. Headphones and a quiet room are best.")


class EnrolParts(SessionParts, HasInvitations, Protocol):
    """What a listener is let into a test by."""


def enrolled_by(before: Enrolment | None, most: int, wanted: Mapping[str, int]) -> Enrolment | None:
    """wanted: by language, 0 for any number. Of a link from before only the numbers change; None for a most of 0: the
    link ends. Raises InputError."""
    if not most:
        return None
    if not 0 < most <= MOST_ENROLLED or not wanted:
        raise InputError(tr("Listeners may come of themselves from 1 to {most} at most, and in one language at least.",
                            most=MOST_ENROLLED), kept=tr("Nothing was changed."))  # fmt: skip
    return Enrolment(code=before.code if before else secrets.token_hex(_CODE_BYTES), most=most, languages=dict(wanted))


def wanted_of(words: Iterable[str]) -> dict[str, int]:
    """'en', 'de:6' or 'German 6': languages, and how many are wanted of each. Raises InputError."""
    out: dict[str, int] = {}
    for one in words:
        name, _, number = one.strip().replace(":", " ").rpartition(" ")
        if not number.isdecimal():
            name, number = one, "0"
        tag = tag_of(name)
        if tag is None or len(number) > 4:
            raise InputError(tr("'{word}' is no language with a number.", word=one.strip()),
                             kept=tr("Nothing was changed."), remedy=tr("Write such as 'en' or 'de:6'."))  # fmt: skip
        out[tag] = int(number)
    return out


def rooms(enrolment: Enrolment, sessions: Sequence[Session], answered: Collection[int]) -> dict[str, int]:
    """By language, how many more may come; those that are full left out. answered: by session. Who does not take part
    has no place, nor who came a day ago and never answered."""
    since = (datetime.now(UTC) - timedelta(hours=LAPSES_H)).isoformat()
    there = Counter(
        str(one.checks[ENROLLED]) for one in sessions
        if one.checks.get(ENROLLED) and not one.checks.get(TURNED_AWAY)
        and (one.id in answered or one.created > since)
    )  # fmt: skip
    left = enrolment.most - there.total()
    out = {tag: min(left, wanted - there[tag] if wanted else left) for tag, wanted in enrolment.languages.items()}
    return {tag: n for tag, n in out.items() if n > 0}


def unheard(project: EnrolParts, test: ListeningTest) -> list[str]:
    """Languages that listeners are wanted of, and no clip of the test is in."""
    settings = TestSettings.from_document(test.settings)
    pool = pool_of_test(project.panel, project.takes, project.texts, test.id, settings)
    there = {project.texts.version_text(version)[1].split("-")[0].lower() for version in {v for _, v in pool}}
    return [tag for tag in test_languages(test) if tag.split("-")[0].lower() not in there]


def room(project: EnrolParts, test: ListeningTest) -> dict[str, int]:
    if test.conduct.enrolment is None:
        return {}
    return rooms(test.conduct.enrolment, project.panel.sessions(test.id, with_trials=False),
                 project.answers.answered_sessions(test.id))  # fmt: skip


def enrol(project: EnrolParts, test: ListeningTest, speaks: Sequence[str]) -> str | None:
    """The code of a new listener's link; None where nobody is wanted who speaks these, or nothing is there to be heard
    by them. Exact, however many come at once: they come one after another."""
    try:
        return _enrolled(project, test, speaks)
    except NotEnoughData:  # nothing of it stays
        return None


def _enrolled(project: EnrolParts, test: ListeningTest, speaks: Sequence[str]) -> str | None:
    with project.panel.alone():
        free = room(project, test)
        counts_for = next((tag for tag in free if tag in speaks), None)
        if counts_for is None:
            return None
        number = 1 + sum(1 for one in project.panel.sessions(test.id, with_trials=False) if one.checks.get(ENROLLED))
        while project.panel.called(alias := tr("Guest {n} of test {id}", n=number, id=test.id)) is not None:
            number += 1
        listener = project.panel.add_listener(alias, languages=[one for one in test_languages(test) if one in speaks])
        session = start_session(project, test.id, kind_of(test.kind), TestSettings.from_document(test.settings),
                                listener)  # fmt: skip
        found = {ENROLLED: counts_for} | ({CONSENT: now()} if test.conduct.notice else {})
        project.panel.put_checks(session.id, found)
        made = new_invitation(session.id, BY_LINK)
        project.invitations.issue(made)
        return made.code


def test_languages(test: ListeningTest) -> list[str]:
    return list(test.conduct.enrolment.languages) if test.conduct.enrolment else []


test_languages.__test__ = False  # type: ignore[attr-defined]  # no test of pytest's


def told_of(accepted: str) -> Told:
    """By what a browser says that its person reads ('de-AT,de;q=0.9,en;q=0.5', RFC 9110)."""
    ranked = []
    for k, part in enumerate(accepted[:500].split(",")):
        tag, _, weight = part.partition(";q=")
        try:
            ranked.append((-float(weight or 1), k, tag.strip().lower()))
        except ValueError:
            continue
    return Told(tag for _, _, tag in sorted(ranked) if tag.split("-")[0] in languages())


def join_page(
    told: Told, free: Sequence[str], notice: Notice | None, minutes: int, *, unchosen: bool = False
) -> str:  # fmt: skip
    """free: languages that are wanted yet; none: all places are taken."""
    title = told.tr("Listening test")
    if not free:
        return bare_page(told.language, title, [told.tr(_FULL)])
    lines = [told.tr(_LASTS, minutes=minutes), *(paragraphs(notice, told) if notice else [])]
    boxes = "".join(
        f'<label><input type="checkbox" name="speaks" value="{html.escape(tag)}"> '
        f'<span lang="{html.escape(tag)}">{html.escape(own_name(tag))}</span></label>'
        for tag in free
    )
    wrong = f'<p class="bad" role="alert">{html.escape(told.tr(_CHOOSE))}</p>' if unchosen else ""
    which, act = html.escape(told.tr(_WHICH)), html.escape(told.tr(_AGREE if notice else _TAKE_PART))
    form = (f'<form method="post"><fieldset><legend>{which}</legend>{boxes}</fieldset>{wrong}'
            f'<button class="main">{act}</button></form>')  # fmt: skip
    return bare_page(told.language, title, lines, form)

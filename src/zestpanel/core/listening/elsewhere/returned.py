"""Answers that come back from a pack: checked against the session they belong to, and each taken in once."""

from __future__ import annotations

import hashlib
import hmac
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated, Any, Final, Literal, Protocol

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError

from zestpanel.core.domain.listening import Answer, Invitation, ListeningTest, Session, Sitting
from zestpanel.core.errors import InputError, TableError
from zestpanel.core.listening.elsewhere.notice import CONSENT, DECLINED, GIVEN, to_agree_to, unagreed
from zestpanel.core.listening.entry import ENOUGH, ENTRY, TURNED_AWAY, UNSUITED, given_by, turned_away
from zestpanel.core.listening.kind import LONGEST_TEXT, check
from zestpanel.core.listening.registry import kind_of
from zestpanel.core.listening.session import ListeningSession, ProjectSessions, SessionParts
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.listening.told import Told
from zestpanel.core.own_files import first_bytes
from zestpanel.core.store.database import now
from zestpanel.core.store.parts import HasInvitations
from zestpanel.core.texts import tr, trn

_KEPT: Final = tr("Nothing was taken in.")
BROWSER: Final = "a browser"  # in the place of a sound device
_MOST_ENTRIES: Final = 20_000
Real = Annotated[float, Field(allow_inf_nan=False, ge=0, le=1e9)]


def _moment(value: str) -> str:
    try:
        return datetime.fromisoformat(value).astimezone(UTC).isoformat(timespec="milliseconds")
    except OverflowError as error:  # at the ends of what years there are
        raise ValueError(value) from error


Moment = Annotated[str, AfterValidator(_moment)]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


class Given(_Part):
    """An answer, by the place of its trial; or why that could not be heard. sequence: the how manieth of its client,
    from 1. heard: of each lane, the share and how often it was started. at: by the listener's clock."""

    sequence: int = Field(ge=1, le=10**9)
    place: int = Field(ge=0)
    given: dict[str, Any] = {}
    note: str = ""
    heard: list[tuple[Annotated[Real, Field(le=1)], Annotated[int, Field(ge=0, le=10**6)]]] = Field(
        default=[], max_length=99
    )
    took_s: Real = 0.0
    at: Moment
    skipped: str = ""


class Said(_Part):
    """session: the code of the pack. client: the browser it was answered in, by a number that was drawn there."""

    session: str
    client: str = Field(min_length=1, max_length=64)
    begun: Moment
    saved: Moment
    finished: bool
    checks: dict[str, Any]
    entries: list[Given] = Field(max_length=_MOST_ENTRIES)


class Returned(_Part):
    """says: the answers as JSON (see Said), signed as they stand by HMAC-SHA256 with what the pack has for it."""

    model_config = ConfigDict(extra="forbid", title="Answers of a listening session")

    format: Literal["answers of a listening session"]
    version: Literal[1]
    says: str
    signed: str


class ReturnedParts(SessionParts, HasInvitations, Protocol):
    """What answers are taken into."""


@dataclass(slots=True)
class TakenBack:
    """How many answers were new, known already, older than what stands, and refused with why."""

    listener: str
    finished: bool = False
    new: int = 0
    known: int = 0
    older: int = 0
    refused: list[str] = field(default_factory=list)
    turned_away: bool = False

    def says(self, name: str) -> str:
        if self.turned_away and not self.new:
            return tr("{name}: {listener} does not take part, by an answer before the test.", name=name,
                      listener=self.listener)  # fmt: skip
        out = [trn("{name}: {n} new answer of {listener}.", "{name}: {n} new answers of {listener}.", self.new,
                   name=name, n=self.new, listener=self.listener)]  # fmt: skip
        if self.known:
            out.append(trn("{n} was known already.", "{n} were known already.", self.known, n=self.known))
        if self.older:
            left = trn("{n} is older than what stands here, and was left.",
                       "{n} are older than what stands here, and were left.", self.older, n=self.older)  # fmt: skip
            out.append(left)
        for why, n in Counter(self.refused).items():
            out.append(trn("{n} was refused: {why}.", "{n} were refused: {why}.", n, n=n, why=why))
        out.append(tr("All of the test is answered.") if self.finished else tr("The test is not answered to its end."))
        return " ".join(out)


def is_from_a_pack(path: Path) -> bool:
    """Whether a file begins as answers from a pack do; False where it cannot be read."""
    try:
        return is_returned(first_bytes(path, 200).decode("utf-8", "replace"))
    except OSError:
        return False


def is_returned(text: str) -> bool:
    return text.lstrip("\ufeff \r\n\t").startswith('{"format":"answers of a listening session"')


def take_back(project: ReturnedParts, text: str, name: str) -> TakenBack:
    """Raises TableError for what is no such file, was changed after it was written, is not of this project, or whose
    pack or test takes in no more."""
    said, invited, test = _known(project, text, name)
    return put_in(project, said, invited, test, project.panel.session(invited.session_id))


def put_in(
    project: ReturnedParts, said: Said, invited: Invitation, test: ListeningTest, session: Session
) -> TakenBack:  # fmt: skip
    """Answers of an invitation, all that are good, in one change."""
    with project.panel.alone():
        done = _In(project, test, session, said, invited).done
        project.invitations.answers_came(invited.id)
    return done


def _known(project: ReturnedParts, text: str, name: str) -> tuple[Said, Invitation, ListeningTest]:
    again = tr("Ask the listener to save the answers once more, and to send that file as it is.")
    try:
        file = Returned.model_validate_json(text.lstrip("\ufeff"))
        said = Said.model_validate_json(file.says)
    except (ValidationError, ValueError, RecursionError) as error:
        raise TableError(tr("{name} is no whole file of answers.", name=name), kept=_KEPT, remedy=again) from error
    found = project.invitations.with_code(said.session)
    if found is None:
        raise TableError(tr("{name} answers a test that is not of this project.", name=name), kept=_KEPT,
                         remedy=tr("Open the project that the pack was written from."))  # fmt: skip
    pack, test = found[0], project.panel.test(found[1])
    proof = hmac.new(pack.secret.encode("utf-8"), file.says.encode("utf-8"), hashlib.sha256).hexdigest()
    if not hmac.compare_digest(proof.encode("ascii"), file.signed.encode("utf-8")):
        raise TableError(tr("{name} was changed after it was written.", name=name), kept=_KEPT, remedy=again)
    if pack.ended:
        raise TableError(
            tr("{name} comes from a pack that was withdrawn on {day}.", name=name, day=pack.ended[:10]), kept=_KEPT,
            remedy=tr("Let its answers in again on the page of tests, or with 'pack --restore'."),
        )  # fmt: skip
    if test.closed or test.conduct.removed:
        raise TableError(tr("{name} answers a test that is closed.", name=name), kept=_KEPT,
                         remedy=tr("Reopen the test, then take the file in."))  # fmt: skip
    return said, pack, test


class _In:
    """The answers of one file put in, in the order in which they were given."""

    def __init__(
        self, project: ReturnedParts, test: ListeningTest, session: Session, said: Said, invited: Invitation
    ) -> None:
        self._project, self._session, self._said = project, session, said
        settings = TestSettings.from_document(test.settings)
        self._walked = ListeningSession(ProjectSessions(project, session), kind_of(test.kind), settings, told=Told())
        self.done = TakenBack(project.panel.listener(session.listener_id).alias)
        self._trials = {trial.place: trial for trial in session.trials}
        self._answered = project.answers.answered_places(session.id)
        self._checks(settings, test, by_link=invited.by_link)
        self._unagreed = unagreed(test, project.panel.session(session.id), invited)
        self._away = self.done.turned_away or bool(session.checks.get(TURNED_AWAY))
        for one in sorted(said.entries, key=lambda entry: entry.sequence):
            self._entry(one)
        self._sitting()
        answered = project.answers.answered_places(session.id) | project.panel.skipped(session.id)
        self.done.finished = {trial.place for trial in session.trials} <= answered
        if self.done.finished and not session.finished:
            project.panel.finish_session(session.id)

    def _checks(self, settings: TestSettings, test: ListeningTest, *, by_link: bool) -> None:
        """What the checks before the test found, of a shape that they can find. by_link: how many are wanted of an
        answer is asked before the first trial; a file comes after the last one."""
        told, out = self._said.checks, dict[str, Any]()
        if to_agree_to(test, self._session.checks) is not None:
            if told.get(CONSENT) == GIVEN:
                out[CONSENT] = now()
            elif told.get(TURNED_AWAY) == DECLINED:
                out[TURNED_AWAY] = DECLINED
                self.done.turned_away = True
        if told.get("level") == "set":
            out["level"] = "set"
        phones = told.get("headphones")
        if isinstance(phones, dict) and {type(phones.get(name)) for name in ("right", "of")} == {int}:
            right, of = (min(99, max(0, phones[name])) for name in ("right", "of"))
            out["headphones"] = {"right": right, "of": of, "passed": phones.get("passed") is True}
        if (given := told.get(ENTRY)) and settings.entry:
            away = self._turned_away(given, settings)
            whole = [*given, *[0] * (len(settings.entry) - len(given))] if away and isinstance(given, list) else given
            if (known := given_by({ENTRY: whole}, settings.entry)) is not None:
                out[ENTRY] = known[: len(given)]
                if away:
                    out[TURNED_AWAY] = UNSUITED
                elif by_link and not self._session.checks.get(ENTRY) and self._enough(known, settings):
                    out[TURNED_AWAY] = ENOUGH
                self.done.turned_away |= TURNED_AWAY in out
        if out:
            self._project.panel.put_checks(self._session.id, out)

    def _enough(self, given: Sequence[int], settings: TestSettings) -> bool:
        there = self._walked.taking_part()
        return any(turned_away(of, at, given[at], there) for at, of in enumerate(settings.entry))

    @staticmethod
    def _turned_away(given: object, settings: TestSettings) -> bool:
        if not isinstance(given, list) or len(given) > len(settings.entry):
            return False
        return any(
            isinstance(k, int) and 0 <= k < len(of.answers) and not of.answers[k].admits
            for k, of in zip(given, settings.entry, strict=False)
        )

    def _entry(self, one: Given) -> None:
        trial = self._trials.get(one.place)
        if self._away:
            self.done.refused.append(tr("the listener does not take part"))
            return
        if self._unagreed:
            self.done.refused.append(tr("the listener has not agreed to the notice"))
            return
        if trial is None:
            self.done.refused.append(tr("the session has no such trial"))
            return
        if one.skipped:
            if one.place not in self._answered:
                self._project.panel.skip(self._session.id, one.place, one.skipped[:300])
            return
        shown = self._walked.shown_of(trial)
        shares = [share for share, _ in one.heard]
        if len(shares) != len(shown.lanes) or min(shares) < shown.must_hear - 1e-3:
            self.done.refused.append(tr("too little of it was heard"))
            return
        try:
            check(one.given, shown)
        except InputError:
            self.done.refused.append(tr("the trial does not allow this answer"))
            return
        taken = self._project.answers.take(trial.id, Answer(
            given=one.given, origin="pack", heard_share=min(1.0, *shares), plays=sum(plays for _, plays in one.heard),
            took_s=one.took_s, note=one.note[:LONGEST_TEXT], heard=tuple(one.heard), client=self._said.client,
            sequence=one.sequence, client_clock=one.at,
        ))  # fmt: skip
        if taken == "new":
            self.done.new += 1
        elif taken == "known":
            self.done.known += 1
        else:
            self.done.older += 1

    def _sitting(self) -> None:
        """From when to when, by the listener's clock; a later file of the same browser says until when."""
        sat: Mapping[str, Sitting] = {one.begun: one for one in self._session.sittings}
        mine = Sitting(begun=self._said.begun, ended=self._said.saved, device=BROWSER)
        every = {**sat, mine.begun: mine}
        self._project.panel.put_session(self._session.id, finished=self._session.finished_on,
                                        sittings=[every[begun] for begun in sorted(every)])  # fmt: skip

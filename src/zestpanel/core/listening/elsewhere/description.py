"""A session as data: all that a listener elsewhere sees, hears and may answer, and nothing that tells whose a clip is.

Clips have codes that are drawn for the session and stand in the order of these codes; which take is behind which is
kept in the project alone. Times of words are given where every clip of a trial has them: where one lacked them, that
would tell it.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable, Collection, Hashable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any, Final, Literal, Protocol

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from zestpanel.core.domain.listening import ListeningTest, Trial
from zestpanel.core.listening import headphones
from zestpanel.core.listening.elsewhere.copies import Copies, spoken_at
from zestpanel.core.listening.elsewhere.notice import paragraphs, to_agree_to
from zestpanel.core.listening.elsewhere.words import page_words
from zestpanel.core.listening.kind import Heard, Question
from zestpanel.core.listening.material import bed_of_test, cut_off_hz, lanes_of
from zestpanel.core.listening.session import REST_S, ListeningSession, SessionParts
from zestpanel.core.playback.mixer import RATE_HZ, Lane
from zestpanel.core.playback.text_axis import TextAxis, text_axis
from zestpanel.core.store.parts import HasClips, HasInvitations
from zestpanel.core.waiting import give_way

VERSION: Final = 1
_CODE_BYTES: Final = 6


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Answerable(_Part):
    """One answer that may be given, and the key that gives it."""

    value: int | str
    words: str
    key: str


class Asked(_Part):
    """One question of a trial. choices: the answers it allows; none for words that are written down. places: instead
    of choices, how many clips are placed from 0 to 100, with the names of five bands, the best first. once: until it is
    answered each clip is heard a single time."""

    name: str
    words: str
    choices: list[Answerable] = []
    places: int = 0
    bands: list[str] = []
    once: bool = False


class Axis(_Part):
    """Where in the text a clip is: seconds, and places that rise from before 0 to behind the last word."""

    times: list[float]
    places: list[float]


class LaneSaid(_Part):
    """A clip that can be swapped to at the same place in the text. name: '' for one that is told by its number."""

    name: str
    clip: str
    reference: bool = False
    axis: Axis | None = None


class TrialSaid(_Part):
    """place: in the session, from 0. must_hear: share of every lane, before an answer counts."""

    place: int
    training: bool
    text: str
    text_language: str
    lanes: list[LaneSaid]
    by_text: bool
    must_hear: float
    questions: list[Asked]


class EntryAnswerSaid(_Part):
    words: str
    admits: bool


class EntrySaid(_Part):
    """A question before the test."""

    words: str
    answers: list[EntryAnswerSaid]


class Tones(_Part):
    """The check of headphones: three tones a trial. plan: of each, which one is softer and which in opposite phase."""

    hz: float
    lasts_s: float
    ramp_s: float
    between_s: float
    softer_db: float
    level: float
    plan: list[tuple[int, int]]
    to_pass: int


class Description(_Part):
    """A listener's session. code: by which its answers are known. language: of what is said to the listener. words:
    what the page itself says, by name. notice: what the listener agrees to first, none where there is nothing to.
    tried: whether nothing of it is kept. level: the clip by which the volume is set. clips: their codes. form: of all
    clips. answered: how many trials had been answered before, trained: how many of those were training."""

    model_config = ConfigDict(extra="forbid", frozen=True, title="A listening session")

    format: Literal["listening session"] = "listening session"
    version: int = VERSION
    code: str
    language: str
    words: dict[str, str]
    notice: list[str] = []
    entry: list[EntrySaid] = []
    tried: bool = False
    instructions: list[str]
    level: str = ""
    headphones: Tones | None = None
    remarks: bool = False
    rest_s: int = REST_S
    bed: str = ""
    answered: int = 0
    trained: int = 0
    trials: list[TrialSaid] = Field(min_length=1)
    clips: list[str]
    form: str


class DescribedParts(SessionParts, HasClips, HasInvitations, Protocol):
    """What a session is described from."""


@dataclass(frozen=True, slots=True)
class Described:
    """clips: digests of the copies, by code."""

    said: Description
    clips: Mapping[str, str]

    def without(self, done: Collection[int]) -> Description:
        """What is left of it once these trials are answered; their clips stay."""
        left = [one for one in self.said.trials if one.place not in done]
        gone = [one for one in self.said.trials if one.place in done]
        trained = self.said.trained + sum(one.training for one in gone)
        return self.said.model_copy(
            update={"trials": left, "answered": self.said.answered + len(gone), "trained": trained}
        )


class _Clips:
    """Copies under codes that are drawn; the same sound has one."""

    def __init__(self, copies: Copies) -> None:
        self._copies, self._codes = copies, dict[str, str]()

    def code(self, digest: str) -> str:
        return self._codes.setdefault(digest, secrets.token_hex(_CODE_BYTES))

    def of(self, recipe: Hashable, sound: Callable[[], Lane]) -> tuple[str, TextAxis]:
        """The code of what is made by a recipe, and where in the text it is; made where it is not known yet."""
        if recipe not in self._copies.made:
            give_way()
            lane = sound()
            self._copies.made[recipe] = self._copies.put(lane.samples), lane.axis
        digest, axis = self._copies.made[recipe]
        return self.code(digest), axis

    def by_code(self) -> dict[str, str]:
        """In the order of the codes, which tells nothing."""
        return {code: digest for code, digest in sorted((code, digest) for digest, code in self._codes.items())}


def describe(
    project: DescribedParts, test: ListeningTest, walked: ListeningSession, code: str, copies: Copies, *,
    tried: bool = False,
) -> Described:  # fmt: skip
    """walked: the session as one stands in it. tried: whether nothing of it is kept. Trials that were answered or
    skipped before are left out. Raises AudioError where a clip cannot be read."""
    told, settings, clips = walked.told, walked.settings, _Clips(copies)
    assert walked.level_lufs is not None
    loud = walked.level_lufs
    done, notice = walked.answered, to_agree_to(test, walked.checks)
    trials = [_trial(project, trial, walked, clips) for trial in walked.trials if trial.place not in done]
    bed, level, text = "", "", told.say("level_text")
    if settings.bed:
        bed, _ = clips.of(("bed", settings.bed, walked.level_lufs), lambda: _bed(project, walked))
    if settings.level_check:
        level, _ = clips.of(("said", text, loud), lambda: spoken_at(text, told.language, loud))
    said = Description(
        code=code, language=told.language, words=page_words(told),
        notice=paragraphs(notice, told) if notice else [], tried=tried,
        entry=[
            EntrySaid(words=told.tr(one.words), answers=[EntryAnswerSaid(words=told.tr(a.words), admits=a.admits)
                                                         for a in one.answers])
            for one in settings.entry
        ] if not walked.checks.get("entry") else [],
        instructions=told.instructions(walked.kind.name), level=level,
        headphones=_tones() if settings.headphone_check else None, remarks=settings.comments,
        bed=bed, answered=len(done), trained=sum(one.training for one in walked.trials if one.place in done),
        trials=trials, clips=[], form=copies.form,
    )  # fmt: skip
    by_code = clips.by_code()
    return Described(said.model_copy(update={"clips": list(by_code)}), by_code)


def _bed(project: DescribedParts, walked: ListeningSession) -> Lane:
    assert walked.level_lufs is not None
    bed = bed_of_test(project.clips, walked.settings, level_lufs=walked.level_lufs)
    assert bed is not None
    return Lane(key=0, samples=bed, axis=text_axis((), len(bed) / RATE_HZ, count=1))


def _trial(project: DescribedParts, trial: Trial, walked: ListeningSession, clips: _Clips) -> TrialSaid:
    shown, level_lufs = walked.shown_of(trial), walked.level_lufs
    assert level_lufs is not None
    made: list[Lane] = []

    def lane(k: int) -> Lane:
        if not made:
            made.extend(lanes_of(project.takes, project.texts, trial, shown.lanes, walked.settings,
                                 level_lufs=level_lufs, first_key=0))  # fmt: skip
        return made[k]

    found = [clips.of(_recipe(trial, one, walked), partial(lane, k)) for k, one in enumerate(shown.lanes)]
    known = len(found) > 1 and all(axis.aligned for _, axis in found)
    text, language = walked.text_of(trial, project.texts.version_text)
    return TrialSaid(
        place=trial.place, training=trial.training, text=text, text_language=language, by_text=shown.by_text,
        must_hear=shown.must_hear, questions=[_asked(one) for one in shown.questions],
        lanes=[LaneSaid(name=one.name, clip=code, reference=one.reference, axis=_axis(axis) if known else None)
               for one, (code, axis) in zip(shown.lanes, found, strict=True)],
    )  # fmt: skip


def _recipe(trial: Trial, lane: Heard, walked: ListeningSession) -> Hashable:
    """What a lane is made of: takes and where they are cut off, the rules of the test; or what a trap says."""
    if not lane.stimuli:
        return "trap", str(trial.detail["says"]), str(trial.detail["language"]), walked.level_lufs
    of = tuple((trial.stimuli[at].take_id, cut_off_hz(trial, at)) for at in lane.stimuli)
    return of, walked.settings.trim, walked.level_lufs


def _axis(axis: TextAxis) -> Axis:
    return Axis(times=np.round(axis.times, 3).tolist(), places=np.round(axis.places, 3).tolist())


def _asked(one: Question) -> Asked:
    return Asked(name=one.name, words=one.words, places=one.places, bands=list(one.bands), once=one.once,
                 choices=[Answerable(value=c.value, words=c.words, key=c.key) for c in one.choices])  # fmt: skip


def _tones() -> Tones:
    return Tones(hz=headphones.TONE_HZ, lasts_s=headphones.TONE_S, ramp_s=headphones.RAMP_S,
                 between_s=headphones.BETWEEN_S, softer_db=headphones.SOFTER_DB, level=headphones.LEVEL,
                 plan=headphones.plan(np.random.default_rng()), to_pass=headphones.PASSED)  # fmt: skip


def as_data(said: Description) -> dict[str, Any]:
    return said.model_dump(mode="json")

"""A session as data: all that a listener elsewhere sees, hears and may answer, and nothing that tells whose a clip is.

Clips have codes that are drawn for the session and stand in the order of these codes; which take is behind which is
kept in the project alone. Times of words are given where every clip of a trial has them: where one lacked them, that
would tell it.
"""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Final, Literal, Protocol

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from zestpanel.core.domain.listening import Pack, Session, Trial
from zestpanel.core.listening import headphones
from zestpanel.core.listening.elsewhere.copies import Copy, spoken_at
from zestpanel.core.listening.elsewhere.words import page_words
from zestpanel.core.listening.kind import Question, Shown
from zestpanel.core.listening.material import bed_of_test, lanes_of
from zestpanel.core.listening.session import REST_S, ListeningSession, SessionParts
from zestpanel.core.playback.mixer import Lane, Stereo
from zestpanel.core.store.parts import HasClips, HasPacks
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
    what the page itself says, by name. level: the clip by which the volume is set. clips: their codes. form: of all
    clips. answered: how many trials had been answered before."""

    model_config = ConfigDict(extra="forbid", frozen=True, title="A listening session")

    format: Literal["listening session"] = "listening session"
    version: int = VERSION
    code: str
    language: str
    words: dict[str, str]
    entry: list[EntrySaid] = []
    instructions: list[str]
    level: str = ""
    headphones: Tones | None = None
    remarks: bool = False
    rest_s: int = REST_S
    bed: str = ""
    answered: int = 0
    trials: list[TrialSaid] = Field(min_length=1)
    clips: list[str]
    form: str


class DescribedParts(SessionParts, HasClips, HasPacks, Protocol):
    """What a session is described from."""


@dataclass(frozen=True, slots=True)
class Described:
    """clips: the copies by code, all of one size in bytes."""

    said: Description
    clips: Mapping[str, bytes]


class _Clips:
    """Copies under codes; the same sound has one."""

    def __init__(self, copy: Copy) -> None:
        self._copy, self._codes = copy, dict[str, str]()
        self.coded: dict[str, bytes] = {}

    def code(self, sound: Stereo) -> str:
        digest, data = self._copy.of(sound)
        if digest not in self._codes:
            self._codes[digest] = secrets.token_hex(_CODE_BYTES)
            self.coded[self._codes[digest]] = data
        return self._codes[digest]

    def alike(self) -> dict[str, bytes]:
        return self._copy.alike({code: self.coded[code] for code in sorted(self.coded)})


def describe(
    project: DescribedParts, session: Session, walked: ListeningSession, pack: Pack, copy: Copy,
) -> Described:  # fmt: skip
    """walked: the same session as one stands in it. Trials that were answered or skipped before are left out. Raises
    AudioError where a clip cannot be read."""
    told, settings, clips = walked.told, walked.settings, _Clips(copy)
    assert walked.level_lufs is not None
    level_lufs = walked.level_lufs
    done = project.answers.answered_places(session.id) | project.panel.skipped(session.id)
    trials = [_trial(project, trial, walked, level_lufs, clips) for trial in session.trials if trial.place not in done]
    bed = bed_of_test(project.clips, settings, level_lufs=level_lufs)
    level = ""
    if settings.level_check:
        level = clips.code(spoken_at(told.say("level_text"), told.language, level_lufs).samples)
    said = Description(
        code=pack.code, language=told.language, words=page_words(told),
        entry=[
            EntrySaid(words=told.tr(one.words), answers=[EntryAnswerSaid(words=told.tr(a.words), admits=a.admits)
                                                         for a in one.answers])
            for one in settings.entry
        ] if not walked.checks.get("entry") else [],
        instructions=told.instructions(walked.kind.name), level=level,
        headphones=_tones() if settings.headphone_check else None, remarks=settings.comments,
        bed=clips.code(bed) if bed is not None else "",
        answered=len(done), trials=trials, clips=[], form=copy.form,
    )  # fmt: skip
    coded = clips.alike()
    return Described(said.model_copy(update={"clips": list(coded)}), coded)


def _trial(
    project: DescribedParts, trial: Trial, walked: ListeningSession, level_lufs: float, clips: _Clips
) -> TrialSaid:
    give_way()
    shown = walked.shown_of(trial)
    lanes = lanes_of(project.takes, project.texts, trial, shown.lanes, walked.settings, level_lufs=level_lufs,
                     first_key=0)  # fmt: skip
    text, language = walked.text_of(trial, project.texts.version_text)
    return TrialSaid(
        place=trial.place, training=trial.training, text=text, text_language=language, by_text=shown.by_text,
        must_hear=shown.must_hear, questions=[_asked(one) for one in shown.questions],
        lanes=_lanes(shown, lanes, clips),
    )  # fmt: skip


def _lanes(shown: Shown, lanes: list[Lane], clips: _Clips) -> list[LaneSaid]:
    known = len(lanes) > 1 and all(lane.axis.aligned for lane in lanes)
    return [
        LaneSaid(name=one.name, clip=clips.code(lane.samples), reference=one.reference, axis=Axis(
            times=np.round(lane.axis.times, 3).tolist(), places=np.round(lane.axis.places, 3).tolist(),
        ) if known else None)
        for one, lane in zip(shown.lanes, lanes, strict=True)
    ]  # fmt: skip


def _asked(one: Question) -> Asked:
    return Asked(name=one.name, words=one.words, places=one.places, bands=list(one.bands), once=one.once,
                 choices=[Answerable(value=c.value, words=c.words, key=c.key) for c in one.choices])  # fmt: skip


def _tones() -> Tones:
    return Tones(hz=headphones.TONE_HZ, lasts_s=headphones.TONE_S, ramp_s=headphones.RAMP_S,
                 between_s=headphones.BETWEEN_S, softer_db=headphones.SOFTER_DB, level=headphones.LEVEL,
                 plan=headphones.plan(np.random.default_rng()), to_pass=headphones.PASSED)  # fmt: skip


def as_data(said: Description) -> dict[str, Any]:
    return said.model_dump(mode="json")

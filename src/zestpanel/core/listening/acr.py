"""An absolute category rating session (ITU-T P.800): what is heard next, when a rating counts, stop and resume."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Final

import numpy as np

from zestpanel.core.analysis.statistics.crossed import FEWEST_TO_COMPARE, smallest_difference_told
from zestpanel.core.domain.listening import Listener, Session
from zestpanel.core.domain.take import Take
from zestpanel.core.errors import InputError, NotEnoughData
from zestpanel.core.listening.design import acr_trials
from zestpanel.core.measures.loudness import CEILING_DBTP, TARGET_LUFS
from zestpanel.core.playback.mixer import MONO_ON_TWO_DB, as_heard
from zestpanel.core.store.project import Project

SCALE: Final = {5: "Excellent", 4: "Good", 3: "Fair", 2: "Poor", 1: "Bad"}  # ITU-T P.800, listening quality
WORTH_TELLING: Final = 0.5  # a difference, in categories, that a planner looks for (common practice, no source)
QUESTION: Final = "How good does this narration sound?"


@dataclass(frozen=True, slots=True, kw_only=True)
class AcrSettings:
    """must_hear: share of a clip to be heard before it may be rated. training: unscored trials at the start."""

    candidate_ids: tuple[int, ...]
    passage_ids: tuple[int, ...]
    must_hear: float = 0.8
    training: int = 2
    seed: int = 1

    def as_document(self) -> dict[str, object]:
        return {
            "candidate_ids": list(self.candidate_ids),
            "passage_ids": list(self.passage_ids),
            "must_hear": self.must_hear,
            "training": self.training,
            "seed": self.seed,
        }

    @classmethod
    def from_document(cls, value: dict[str, object]) -> AcrSettings:
        fields = dict(value)
        fields["candidate_ids"] = tuple(fields["candidate_ids"])  # type: ignore[arg-type]
        fields["passage_ids"] = tuple(fields["passage_ids"])  # type: ignore[arg-type]
        return cls(**fields)  # type: ignore[arg-type]


def takes_to_hear(project: Project, settings: AcrSettings) -> dict[tuple[int, int], int]:
    """The take heard by (candidate, passage version): the starred one, else the first. Only runs on the channel's own
    passages at their present version enter; captured sound and vendors' samples never do."""
    passages = {p.version_id: p for p in project.texts.all() if p.id in settings.passage_ids}
    chosen: dict[tuple[int, int], Take] = {}
    for take in project.takes.all():
        key = (take.candidate_id, take.passage_version_id)
        wanted = take.candidate_id in settings.candidate_ids and take.passage_version_id in passages and take.scored
        if wanted and (key not in chosen or (take.starred and not chosen[key].starred)):
            chosen[key] = take
    order = [(c, version) for version in passages for c in settings.candidate_ids if (c, version) in chosen]
    return {key: chosen[key].id for key in order}


def what_can_be_told(*, candidates: int, passages: int, listeners: int) -> str:
    """A sentence, before the test, on what such a panel tells apart within one language, and on what it never can.

    All pairs are tested with listeners and passages drawn, adjusted by Holm; spreads are those usual for such panels.
    """
    pairs = candidates * (candidates - 1) // 2
    if pairs == 0:
        return "One candidate alone is scored, and compared with nobody."
    panel = f"{_counted(listeners, 'listener')} on {_counted(passages, 'passage')}"
    told = smallest_difference_told(listeners, passages, pairs)
    if told is None:
        people, texts = FEWEST_TO_COMPARE
        return f"{panel}: too few to tell any two candidates apart; at least {people} and {texts} are needed."
    words = f"{panel} tell {candidates} candidates apart where they differ by about {told:.1f} categories or more"
    more = next(n for n in range(max(listeners, 1), 10_000) if _good_enough(n, passages, pairs) or n > 200)
    if told > WORTH_TELLING and more <= 200:
        words += f"; {more} listeners would tell {WORTH_TELLING:g}"
    elif told > WORTH_TELLING:
        words += "; more listeners alone do not help, more passages do"
    return f"{words} (8 times in 10, at the usual spread of ratings)."


def _good_enough(listeners: int, passages: int, pairs: int) -> bool:
    told = smallest_difference_told(listeners, passages, pairs)
    return told is not None and told <= WORTH_TELLING


def _counted(n: int, what: str) -> str:
    return f"{n} {what}{'' if n == 1 else 's'}"


def came_later(settings: AcrSettings, candidate_ids: Iterable[int], passage_ids: Iterable[int]) -> tuple[int, int]:
    """How many of the candidates and of the passages there are now the test does not know."""
    return (
        len(set(candidate_ids) - set(settings.candidate_ids)),
        len(set(passage_ids) - set(settings.passage_ids)),
    )


def level_of_test(project: Project, takes: Iterable[int]) -> float:
    """The one loudness all clips of a test are brought to, LUFS as heard on two channels: the usual target, lowered
    for all where a single clip would pass the ceiling at it. Never a clip at a time: that would make a peaky clip
    quieter than its neighbours."""
    wanted = set(takes)
    level = TARGET_LUFS
    known = project.takes.levels(wanted)
    for take in project.takes.all(with_timing=False):
        if take.id not in wanted:
            continue
        found = known.get(take.id)
        if found is None:
            heard = as_heard(project.takes.load(take))
            lufs, peak = heard.integrated_lufs, heard.true_peak_dbtp
        else:
            lufs, peak, channels = found
            lufs += 0.0 if channels > 1 else MONO_ON_TWO_DB
        if lufs is not None:
            level = min(level, lufs + CEILING_DBTP - peak)
    return level


def start_session(project: Project, test_id: int, settings: AcrSettings, listener: Listener) -> Session:
    """The listener's session of the test: the one begun earlier, or a new one with its own balanced order, over the
    passages whose language they speak.

    Raises NotEnoughData when no candidate of the test has a clip that the listener can judge, InputError when it is not
    known which languages they speak.
    """
    sessions = project.panel.sessions(test_id)
    for session in sessions:
        if session.listener_id == listener.id:
            return session
    takes = takes_to_hear(project, settings)
    if not takes:
        raise NotEnoughData(
            "There is nothing to hear yet: no candidate has a clip of these passages.",
            remedy="Render the missing takes first.",
        )
    if not listener.languages:
        raise InputError(
            f"Which languages does {listener.alias} speak? Only clips in those are heard and count.",
            kept="No session was begun.",
            remedy="Write them beside the name, such as: en, fr.",
        )
    spoken = {tag.split("-")[0].lower() for tag in listener.languages}
    languages = {p.version_id: p.language.split("-")[0].lower() for p in project.texts.all()}
    able = {key: take for key, take in takes.items() if languages[key[1]] in spoken}
    if not able:
        raise NotEnoughData(
            f"No clip of this test is in a language that {listener.alias} speaks ({', '.join(listener.languages)}).",
            kept="No session was begun.",
        )
    rng = np.random.default_rng([settings.seed, len(sessions)])
    trials = acr_trials(able, listener=len(sessions), training=settings.training, rng=rng)
    return project.panel.add_session(test_id, listener.id, trials)


class AcrSession:
    """A session under way, without a window. The place in it is where the first unrated trial is."""

    def __init__(
        self,
        project: Project,
        settings: AcrSettings,
        session: Session,
        *,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        self._project, self.settings, self.session, self._clock = project, settings, session, clock
        rated = project.panel.rated_trials(session.id)
        self.index = next((i for i in range(len(session.trials)) if i not in rated), len(session.trials))
        self._begin_trial()

    def _begin_trial(self) -> None:
        self._began, self._plays, self._heard = self._clock(), 0, 0.0

    @property
    def finished(self) -> bool:
        return self.index >= len(self.session.trials)

    @property
    def take_id(self) -> int:
        return self.session.trials[self.index][2]

    @property
    def in_training(self) -> bool:
        return not self.finished and self.session.trials[self.index][3]

    @property
    def counts(self) -> tuple[int, int]:
        """(place, total) within the training or the scored part, place from 1."""
        training = sum(trial[3] for trial in self.session.trials)
        if self.in_training:
            return self.index + 1, training
        return self.index - training + 1, len(self.session.trials) - training

    def played(self, share: float) -> None:
        """Note that the clip was heard up to this share of it."""
        self._heard = max(self._heard, share)

    def note_play(self) -> None:
        self._plays += 1

    @property
    def may_rate(self) -> bool:
        return not self.finished and self._heard >= self.settings.must_hear - 1e-6

    def rate(self, score: int) -> bool:
        """Keep a rating and go on; False (and nothing kept) while too little was heard."""
        if not self.may_rate or score not in SCALE:
            return False
        candidate, version, take, training = self.session.trials[self.index]
        self._project.panel.add_ratings(
            [
                {
                    "listener_id": self.session.listener_id,
                    "candidate_id": candidate,
                    "passage_version_id": version,
                    "session_id": self.session.id,
                    "take_id": take,
                    "trial": self.index,
                    "score": float(score),
                    "training": training,
                    "heard_share": min(1.0, self._heard),
                    "plays": self._plays,
                    "took_s": self._clock() - self._began,
                    "origin": "booth",
                }
            ]
        )
        self.index += 1
        if self.finished:
            self._project.panel.finish_session(self.session.id)
        self._begin_trial()
        return True

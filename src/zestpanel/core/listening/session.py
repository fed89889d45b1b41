"""A listener's way through a test, of whatever kind: begun, gone on with, answered.

``Sessions`` is the port behind which trials come from and answers go to: the project's store, or another place.
"""

from __future__ import annotations

import secrets
import time
from collections import defaultdict
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import replace
from typing import Any, Final, Protocol

import numpy as np

from zestpanel.core.domain.listening import QUALITY, Answer, Listener, PlannedTrial, Session, Sitting, Trial
from zestpanel.core.errors import InputError, NotEnoughData
from zestpanel.core.listening.design import judged, spanning, with_gold, with_repeats, with_traps
from zestpanel.core.listening.entry import TURNED_AWAY, Place, taking_part
from zestpanel.core.listening.kind import LONGEST_TEXT, Heard, Kind, Shown, check
from zestpanel.core.listening.material import Cell, drawn, level_of_test, pool_of_test
from zestpanel.core.listening.registry import kind_of
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.listening.told import Told
from zestpanel.core.store import seats
from zestpanel.core.store.answers import Answers
from zestpanel.core.store.database import now
from zestpanel.core.store.parts import HasAnswers, HasFolder, HasPanel, HasTakes, HasTexts
from zestpanel.core.texts import tr

REST_S: Final = 15 * 60  # of listening, after which a break is offered (common practice, no source)


class Sessions(Protocol):
    """Where a session's trials come from and its answers go to."""

    @property
    def trials(self) -> tuple[Trial, ...]:
        """All of the session, in order."""
        ...

    def answered(self) -> set[int]:
        """Places of the trials that were answered before."""
        ...

    def answer(self, trial: Trial, answer: Answer) -> None:
        """Keep an answer, at once and whole."""
        ...

    @property
    def checks(self) -> Mapping[str, Any]:
        """What the checks before the first trial found earlier."""
        ...

    def note_checks(self, checks: Mapping[str, Any]) -> None:
        """Keep what the checks before the first trial found."""
        ...

    def taking_part(self) -> Mapping[Place, int]:
        """How often each answer to the questions before the test was given by those who take part."""
        ...

    def last_answer(self, trial: Trial) -> Answer | None:
        """What was answered to a trial and stands."""
        ...

    def skip(self, trial: Trial, why: str) -> None:
        """The trial cannot be heard; why is for the lead."""
        ...

    def finish(self, *, finished: bool = True) -> None:
        """All is answered; finished is off where the last answer is given anew."""
        ...

    def sit_down(self, sitting: Sitting) -> None:
        """From now on no other window has the session. Raises InputError where one has."""
        ...

    def get_up(self, device: str = "") -> None:
        """device: the name of what was heard on, '' where that is not known."""
        ...


class SessionParts(HasFolder, HasTexts, HasTakes, HasPanel, HasAnswers, Protocol):
    """What a test plays, who listens, and where answers are kept."""


class ProjectSessions:
    """A session kept in a project."""

    def __init__(self, project: SessionParts, session: Session) -> None:
        self._project, self.session = project, session

    @property
    def trials(self) -> tuple[Trial, ...]:
        return self.session.trials

    def answered(self) -> set[int]:
        return self._project.answers.answered_places(self.session.id) | self._project.panel.skipped(self.session.id)

    def answer(self, trial: Trial, answer: Answer) -> None:
        self._project.answers.add(trial.id, answer)

    @property
    def checks(self) -> Mapping[str, Any]:
        return self.session.checks

    def note_checks(self, checks: Mapping[str, Any]) -> None:
        self._project.panel.put_checks(self.session.id, checks)

    def taking_part(self) -> Mapping[Place, int]:
        panel, test = self._project.panel, self.session.test_id
        return taking_part(panel.checks(test), TestSettings.from_document(panel.test(test).settings).entry)

    def last_answer(self, trial: Trial) -> Answer | None:
        return self._project.answers.last_of(trial.id)

    def skip(self, trial: Trial, why: str) -> None:
        self._project.panel.skip(self.session.id, trial.place, why)

    def finish(self, *, finished: bool = True) -> None:
        self._project.panel.finish_session(self.session.id, finished=finished)

    def sit_down(self, sitting: Sitting) -> None:
        seats.sit_down(self._project.folder, self.session.id)
        self._project.panel.sat_down(self.session.id, sitting)

    def get_up(self, device: str = "") -> None:
        seats.get_up(self._project.folder, self.session.id)
        self._project.panel.got_up(self.session.id, device)


class Unkept:
    """A session that is kept nowhere: the lead tries a test."""

    def __init__(self, trials: Sequence[PlannedTrial]) -> None:
        self.trials = tuple(
            Trial(id=0, session_id=0, place=k, stimuli=one.stimuli, training=one.training, detail=one.detail)
            for k, one in enumerate(trials)
        )

        self.checks: Mapping[str, Any] = {}

    def answered(self) -> set[int]:
        return set()

    def answer(self, trial: Trial, answer: Answer) -> None:
        pass

    def taking_part(self) -> Mapping[Place, int]:
        return {}

    def note_checks(self, checks: Mapping[str, Any]) -> None:
        pass

    def skip(self, trial: Trial, why: str) -> None:
        pass

    def last_answer(self, trial: Trial) -> Answer | None:
        return None

    def finish(self, *, finished: bool = True) -> None:
        pass

    def sit_down(self, sitting: Sitting) -> None:
        pass

    def get_up(self, device: str = "") -> None:
        pass


def tried_out(project: SessionParts, test_id: int, languages: Sequence[str]) -> ListeningSession:
    """A test as its first listener would have it, that leaves no answers. Raises NotEnoughData where nothing is there
    to be heard."""
    test = project.panel.test(test_id)
    kind, settings = kind_of(test.kind), TestSettings.from_document(test.settings)
    able = drawn(pool_of_test(project.panel, project.takes, project.texts, test_id, settings), settings, listener=0)
    return unkept(able, kind, settings, languages)


def unkept(able: Mapping[Cell, int], kind: Kind, settings: TestSettings, languages: Sequence[str]) -> ListeningSession:
    """A first listener's session that is kept nowhere. Raises NotEnoughData."""
    rng = np.random.default_rng(settings.seed)
    planned = kind.design(judged(able, settings), settings, listener=0, rng=rng) if able else []
    planned = with_gold(planned, able, settings, rng)
    if not planned:
        raise NotEnoughData(
            tr("There is nothing to hear yet: no candidate has a clip of these passages."),
            remedy=tr("Render the missing takes first."),
        )
    return ListeningSession(Unkept(planned), kind, settings, told=Told(languages))


def start_session(
    project: SessionParts, test_id: int, kind: Kind, settings: TestSettings, listener: Listener
) -> Session:
    """The listener's session of the test: the one begun earlier, or a new one with its own balanced order, over the
    passages whose language they speak. The first listener's fixes which takes the test plays, and their level.

    Raises NotEnoughData when there is nothing in the test that the listener can judge, InputError when it is not known
    which languages they speak.
    """
    test = project.panel.test(test_id)
    if test.closed or test.conduct.removed:
        raise InputError(tr("This test is closed."), kept=tr("No session was begun."),
                         remedy=tr("Reopen it, or choose another."))  # fmt: skip
    pool = pool_of_test(project.panel, project.takes, project.texts, test_id, settings)
    languages = {p.version_id: p.language for p in project.texts.all()}
    if old := {version for _, version in pool if version not in languages}:
        if not test.conduct.old_texts:
            raise InputError(
                tr("Words of this test were changed after it began, so answers to them would count nowhere."),
                kept=tr("What was answered is kept."),
                remedy=tr("On the page of tests, go on with the old words or begin a new version."),
            )
        languages |= {version: project.texts.version_text(version)[1] for version in old}
    if (known := project.panel.session_of(test_id, listener.id)) is not None:
        return known
    if not pool:
        raise NotEnoughData(
            tr("There is nothing to hear yet: no candidate has a clip of these passages."),
            remedy=tr("Render the missing takes first."),
        )
    if not listener.languages:
        raise InputError(
            tr("Which languages does {alias} speak? Only clips in those are heard and count.", alias=listener.alias),
            kept=tr("No session was begun."),
            remedy=tr("Write them beside the name, such as: en, fr."),
        )
    spoken = {tag.split("-")[0].lower() for tag in listener.languages}
    heard = {cell: of for cell, of in pool.items() if languages[cell[1]].split("-")[0].lower() in spoken}
    if not heard:
        raise NotEnoughData(
            tr(
                "No clip of this test is in a language that {alias} speaks ({languages}).",
                alias=listener.alias,
                languages=", ".join(listener.languages),
            ),
            kept=tr("No session was begun."),
        )
    if project.panel.test(test_id).conduct.level_lufs is None:
        every = [take for of_cell in pool.values() for take in of_cell]
        project.panel.fix(test_id, every, level_of_test(project.takes, every))
        pool = pool_of_test(project.panel, project.takes, project.texts, test_id, settings)
    with project.panel.alone():  # of several that begin at once each gets a place of its own in the balance
        return _begun(project, test_id, kind, settings, listener, pool, heard)


def _begun(
    project: SessionParts, test_id: int, kind: Kind, settings: TestSettings, listener: Listener,
    pool: Mapping[Cell, Sequence[int]], heard: Collection[Cell],
) -> Session:  # fmt: skip
    """heard: the cells that the listener can judge."""
    if (known := project.panel.session_of(test_id, listener.id)) is not None:
        return known
    sessions = project.panel.sessions(test_id, with_trials=False)
    number = sum(not session.checks.get(TURNED_AWAY) for session in sessions)
    able = {key: take for key, take in drawn(pool, settings, listener=number).items() if key in heard}
    rng = np.random.default_rng([settings.seed, number])
    planned = kind.design(judged(able, settings), settings, listener=number, rng=rng)
    if settings.training:
        planned = spanning(planned, _means(project.answers), rng)
    planned = with_gold(with_repeats(planned, settings, rng), able, settings, rng)
    planned = with_traps(planned, _traps(kind, planned, settings, listener, rng), rng)
    if not planned:
        raise NotEnoughData(
            tr(
                "No passage has clips of {fewest_candidates} candidates that {alias} can judge.",
                fewest_candidates=kind.fewest_candidates,
                alias=listener.alias,
            ),
            kept=tr("No session was begun."),
            remedy=tr("Render the missing takes first."),
        )
    return project.panel.add_session(test_id, listener.id, planned)


def _means(answers: Answers) -> dict[int, float]:
    """Means of all ratings so far on the main scale, by candidate."""
    scores: dict[int, list[float]] = defaultdict(list)
    for rating in answers.ratings():
        if rating.scale == QUALITY:
            scores[rating.candidate_id].append(rating.score)
    return {candidate: sum(of) / len(of) for candidate, of in scores.items()}


def _traps(
    kind: Kind, planned: Sequence[PlannedTrial], settings: TestSettings, listener: Listener, rng: np.random.Generator
) -> list[PlannedTrial]:
    """Trials in which a voice says which key to press: whoever does not, was not listening."""
    if not planned or not settings.traps:
        return []
    question, told = kind.shown(planned[0], settings).questions[0], Told(listener.languages)
    out = []
    for _ in range(settings.traps):
        choice = question.choices[int(rng.integers(len(question.choices)))]
        says = told.say("trap", key=choice.key.upper())
        out.append(PlannedTrial(stimuli=(), detail={"trap": choice.value, "says": says, "language": told.language}))
    return out


class ListeningSession:
    """A session under way, without a window. The place in it is where the first trial without an answer is."""

    def __init__(
        self, port: Sessions, kind: Kind, settings: TestSettings, *, clock: Callable[[], float] = time.monotonic,
        told: Told | None = None, level_lufs: float | None = None,
    ) -> None:  # fmt: skip
        """level_lufs: that all clips of the test are heard at, None where each trial finds its own."""
        self._port, self.kind, self.settings, self._clock = port, kind, settings, clock
        self.told, self.level_lufs = told or Told(), level_lufs
        self._sat_down = clock()
        self._client, self._sequence = secrets.token_hex(8), 0  # what tells its answers from all others
        self.trials = port.trials
        answered = port.answered()
        self.index = next((i for i, trial in enumerate(self.trials) if trial.place not in answered), len(self.trials))
        self._begin_trial()
        # also what was answered last before a stop
        self._may_correct = 0 < self.index < len(self.trials) and not kind.shown(self.trials[0], settings).once

    def sit_down(self, sitting: Sitting | None = None) -> None:
        """sitting: on what and where. Raises InputError where another window has the session."""
        self._port.sit_down(sitting or Sitting())

    def get_up(self, device: str = "") -> None:
        self._port.get_up(device)

    def _begin_trial(self) -> None:
        self._began = self._clock()
        self._may_correct = False
        lanes = 0 if self.finished else len(self.shown.lanes)
        self._heard, self._plays = [0.0] * lanes, [0] * lanes

    @property
    def finished(self) -> bool:
        return self.index >= len(self.trials)

    @property
    def answered(self) -> set[int]:
        """Places of the trials that are done with: answered or skipped."""
        return self._port.answered()

    @property
    def trial(self) -> Trial:
        return self.trials[self.index]

    @property
    def shown(self) -> Shown:
        return self.shown_of(self.trial)

    def shown_of(self, trial: Trial) -> Shown:
        """How a trial stands before the listener, in their language."""
        shown = self.told.shown(self.kind.shown(trial, self.settings))
        if "trap" not in trial.detail:
            return shown
        return replace(shown, lanes=(Heard("", ()),), questions=shown.questions[:1], shows_text=False)

    def text_of(self, trial: Trial, words: Callable[[int], tuple[str, str]]) -> tuple[str, str]:
        """(the text shown with a trial, its language), ('', '') where none is. words: of a passage's version."""
        judged = [s for s in trial.stimuli if s.role == "judged"] or list(trial.stimuli)
        return words(judged[-1].passage_version_id) if judged and self.shown_of(trial).shows_text else ("", "")

    def note_checks(self, checks: Mapping[str, Any]) -> None:
        if checks:
            self._port.note_checks(checks)

    @property
    def checks(self) -> Mapping[str, Any]:
        """What is known from an earlier sitting."""
        return self._port.checks

    def taking_part(self) -> Mapping[Place, int]:
        return self._port.taking_part()

    @property
    def listened_s(self) -> float:
        """How long this sitting has lasted."""
        return self._clock() - self._sat_down

    @property
    def in_training(self) -> bool:
        return not self.finished and self.trial.training

    @property
    def counts(self) -> tuple[int, int]:
        """(place, total) within the training or the scored part, place from 1."""
        training = sum(trial.training for trial in self.trials)
        if self.in_training:
            return self.index + 1, training
        return self.index - training + 1, len(self.trials) - training

    def played(self, lane: int, share: float) -> None:
        """Note that a lane of the trial was heard up to this share of it."""
        self._heard[lane] = max(self._heard[lane], share)

    def note_play(self, lane: int = 0) -> None:
        """Note that a lane was started from its beginning."""
        if lane < len(self._plays):
            self._plays[lane] += 1

    def heard(self, lane: int) -> float:
        return self._heard[lane]

    @property
    def may_answer(self) -> bool:
        return not self.finished and min(self._heard, default=0.0) >= self.settings.must_hear - 1e-6

    def answer(self, given: Mapping[str, Any], *, note: str = "", spoken: str = "") -> bool:
        """Keep the answers to a trial's questions and go on; False (and nothing kept) while too little was heard. note:
        what the listener wrote beside them; spoken: the clip of what was said. Raises InputError."""
        if not self.may_answer:
            return False
        shown = self.shown
        check(given, shown)
        self._sequence += 1
        self._port.answer(
            self.trial,
            Answer(given=given, origin="booth", heard_share=min(1.0, *self._heard), plays=sum(self._plays),
                   took_s=self._clock() - self._began, note=note[:LONGEST_TEXT], spoken=spoken,
                   heard=tuple((round(share, 4), plays) for share, plays in zip(self._heard, self._plays,
                                                                               strict=True)),
                   client=self._client, sequence=self._sequence, client_clock=now()),
        )  # fmt: skip
        self.index += 1
        if self.finished:
            self._port.finish()
        self._begin_trial()
        self._may_correct = not shown.once
        return True

    def skip(self, why: str) -> None:
        """Go on without the trial, whose clip cannot be heard."""
        self._port.skip(self.trial, why)
        self.index += 1
        if self.finished:
            self._port.finish()
        self._begin_trial()

    @property
    def may_correct(self) -> bool:
        """Whether the last answer can be given anew: until the next one is given, and not the one before it."""
        return self._may_correct

    def correct(self) -> bool:
        """Back to the trial that was answered last; its new answer stands instead. False where that is not possible."""
        if not self._may_correct:
            return False
        if self.finished:
            self._port.finish(finished=False)
        self.index -= 1
        before = self._port.last_answer(self.trial)
        self._begin_trial()
        if before is not None:  # what was heard then, how often and for how long, goes on
            known = before.heard or ((1.0, before.plays or 0),) * len(self._heard)
            self._heard = [share for share, _ in known][: len(self._heard)]
            self._plays = [plays for _, plays in known][: len(self._plays)]
            self._began -= before.took_s or 0.0
        return True


def session_of(project: SessionParts, test_id: int, listener: Listener) -> ListeningSession:
    """The listener's session of a test of the project, begun or gone on with. Raises as ``start_session``."""
    test = next(one for one in project.panel.tests() if one.id == test_id)
    kind, settings = kind_of(test.kind), TestSettings.from_document(test.settings)
    session = start_session(project, test_id, kind, settings, listener)
    return ListeningSession(
        ProjectSessions(project, session), kind, settings, told=Told(listener.languages),
        level_lufs=project.panel.test(test_id).conduct.level_lufs,
    )  # fmt: skip

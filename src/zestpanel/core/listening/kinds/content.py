"""Questions on content: is what is said taken in? A clip is heard once, a question on it is answered, then it may be
heard again and is rated (ITU-T P.85: first and second presentation)."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from typing import Final

import numpy as np

from zestpanel.core.domain.listening import Answered, PlannedTrial
from zestpanel.core.errors import InputError, NotEnoughData
from zestpanel.core.listening.design import each_text_once
from zestpanel.core.listening.kind import (
    Able,
    Around,
    Axis,
    Bar,
    Choice,
    Common,
    Feeds,
    Found,
    Heard,
    Option,
    Question,
    Shown,
    figure_of,
    share_bars,
)
from zestpanel.core.listening.kinds.category_rating import rated_on
from zestpanel.core.listening.kinds.write_what_you_hear import Given, fewer_wrong
from zestpanel.core.listening.scales import scale_of
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.texts import tr

SAYS: Final = "content"  # what the answer to the question is kept under
_KEYS: Final = "abcdefghi"


class Content(Common):
    name = "content"
    title = tr("questions on content")
    asks = tr("Do people take in what is said?")
    fewest_candidates = 1
    uses: frozenset[Option] = frozenset({"content", "also"})
    feeds = Feeds(words=tr("content taken in"), better="higher", worst=60, best=95, unit=" %")

    def design(
        self, able: Able, settings: TestSettings, *, listener: int, rng: np.random.Generator
    ) -> list[PlannedTrial]:
        """Answers stand in an order that is drawn for each trial."""
        asked = {one.version_id: one for one in settings.content}
        return [
            PlannedTrial(stimuli=one.stimuli,
                         detail={"order": [int(k) for k in rng.permutation(len(of.answers))], "right": of.right})
            for one in each_text_once(able, settings, listener=listener, rng=rng)
            if (of := asked.get(one.stimuli[0].passage_version_id))
        ]  # fmt: skip

    def shown(self, trial: PlannedTrial, settings: TestSettings) -> Shown:
        version = trial.stimuli[0].passage_version_id
        asked = next((one for one in settings.content if one.version_id == version), None)
        if asked is None:
            raise InputError(tr("This test has no question to one of its texts."))
        order = [int(k) for k in trial.detail["order"]]
        choices = tuple(
            Choice(asked.answers[at], asked.answers[at], key) for at, key in zip(order, _KEYS, strict=False)
        )
        rated = (scale_of(settings, name).as_question(name) for name in settings.also)
        return Shown(
            lanes=(Heard("", (0,)),), questions=(Question(SAYS, asked.words, choices, once=True), *rated),
            must_hear=settings.must_hear, shows_text=False,
        )  # fmt: skip

    def found(self, answers: Sequence[Answered], around: Around) -> Found:
        wrong: dict[int, Given] = defaultdict(list)
        for one in answers:
            clip = one.trial.stimuli[0]
            bad = int(not _right(one))
            wrong[clip.candidate_id].append((bad, 1, one.listener_id, clip.passage_version_id))
        if not wrong:
            raise NotEnoughData(tr("Nobody has answered yet."))
        order = sorted(wrong, key=lambda c: np.mean([bad for bad, *_ in wrong[c]]))
        bars = share_bars(answers, around, _right, of=order)
        rows = [_row(bar, wrong[c]) for bar, c in zip(bars, order, strict=True)]
        said = [tr("{name}: {share} of the answers right", name=row[0], share=row[1]) for row in rows[:2]]
        says = f"{said[0]}."
        if len(rows) > 1:
            says = (
                tr("{first}; more than the next, {next_one}.", first=said[0], next_one=said[1])
                if fewer_wrong(wrong[order[0]], wrong[order[1]])
                else tr("{first}, not told apart from the next, {next_one}.", first=said[0], next_one=said[1])
            )
        choices = [len(one.answers) for one in around.settings.content]
        guessed = 100 * float(np.mean([1 / n for n in choices])) if choices else None
        rated = [
            rated_on(name, answers, around, name).says for name in around.settings.also if _was_asked(answers, name)
        ]
        return Found(
            says=" ".join([says, *rated]),
            head=(tr("Candidate"), tr("right"), "95 %", tr("right"), tr("in all")),
            rows=tuple(rows),
            numbers=(1, 2, 3, 4),
            rule=tr(
                "Right answers to questions on what was said, after one hearing; every listener hears a text once. Who "
                "guesses is right as often as the line says. 95 %: other listeners and other texts drawn."
            ),
            bars=bars,
            axis=Axis(low=0, high=100, words=tr("answers that are right (%)"), step=10, even=guessed),
        )  # fmt: skip

    def fed(self, found: Found, answers: Sequence[Answered], around: Around) -> Mapping[str, tuple[Bar, ...]]:
        """What was rated behind it has the scales' own figures."""
        scales = {
            figure_of(name): rated_on(name, answers, around, name).bars
            for name in around.settings.also if _was_asked(answers, name)
        }  # fmt: skip
        return {figure_of(self.name): found.bars, **scales}


KIND: Final = Content()


def _right(one: Answered) -> bool:
    return bool(one.answer.given[SAYS] == one.trial.detail["right"])


def _was_asked(answers: Sequence[Answered], name: str) -> bool:
    return any(name in one.answer.given for one in answers)


def _row(bar: Bar, given: Given) -> tuple[str, ...]:
    between = tr("{low} to {high} %", low=f"{bar.low:.0f}", high=f"{bar.high:.0f}")
    right = sum(not bad for bad, *_ in given)
    return bar.name, f"{bar.value:.0f} %", between, str(right), str(len(given))

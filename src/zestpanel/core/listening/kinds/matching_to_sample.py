"""ABX, a matching to sample: A, B and X, which is one of the two. Can the difference be heard at all?

References: Munson & Gardner (1950); analysis by the exact binomial distribution against guessing.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from typing import Final

import numpy as np

from zestpanel.core.analysis.statistics.paired import holm
from zestpanel.core.analysis.statistics.tails import at_least_p
from zestpanel.core.domain.listening import Answered, PlannedTrial, Stimulus
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.listening.design import pairs_of, with_training
from zestpanel.core.listening.kind import (
    Able,
    Around,
    Axis,
    Bar,
    Choice,
    Common,
    Found,
    Heard,
    Option,
    Pair,
    Planning,
    Question,
    Shown,
    share_of,
)
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.texts import asked, tr


class MatchingToSample(Common):
    name = "ABX"
    title = tr("matching to sample (ABX)")
    asks = tr("Can the difference be heard at all?")
    fewest_candidates = 2
    uses: frozenset[Option] = frozenset({"training", "stated", "times"})
    planned_by: Planning = "right answers"

    def design(
        self, able: Able, settings: TestSettings, *, listener: int, rng: np.random.Generator
    ) -> list[PlannedTrial]:
        """Every pair that is compared on every passage, as often as the lead wants it. Which is A, and which is X, is
        drawn: X is each of them as often as the number of trials allows."""
        pairs = []
        for version in dict.fromkeys(version for _, version in able):
            here = [c for c in settings.candidate_ids if (c, version) in able]
            pairs += [(pair, version) for pair in pairs_of(here, settings) for _ in range(settings.times)]
        hidden = rng.permutation([k % 2 for k in range(len(pairs))])
        trials = []
        for k in rng.permutation(len(pairs)):
            pair, version = pairs[k]
            a, b = pair if rng.random() < 0.5 else pair[::-1]
            x = (a, b)[hidden[k]]
            clips = tuple(Stimulus(candidate_id=c, passage_version_id=version, take_id=able[c, version])
                          for c in (a, b, x))  # fmt: skip
            trials.append(PlannedTrial(stimuli=clips, detail={"x": "ab"[hidden[k]]}))
        if settings.most:
            trials = trials[: settings.most]
        return with_training(trials, settings.training, rng)

    def shown(self, trial: PlannedTrial, settings: TestSettings) -> Shown:
        choices = (Choice("a", asked("X is A"), "a"), Choice("b", asked("X is B"), "b"))
        question = Question("x", asked("Which of the two is X?"), choices)
        return Shown(
            lanes=(Heard("A", (0,)), Heard("B", (1,)), Heard("X", (2,))),
            questions=(question,),
            must_hear=settings.must_hear,
        )

    def found(self, answers: Sequence[Answered], around: Around) -> Found:
        right: dict[tuple[int, int], list[bool]] = defaultdict(list)
        of_pair: dict[tuple[int, int], list[Answered]] = defaultdict(list)
        listeners = set()
        for one in answers:
            a, b = sorted(s.candidate_id for s in one.trial.stimuli[:2])
            right[a, b].append(one.answer.given["x"] == one.trial.detail["x"])
            of_pair[a, b].append(one)
            listeners.add(one.listener_id)
        if not right:
            raise NotEnoughData(tr("Nobody has answered yet."))
        rows, heard, bars = [], [], []
        adjusted = holm([guessing_p(sum(x), len(x)) for x in right.values()])
        for ((a, b), x), p in zip(right.items(), adjusted, strict=True):
            share = share_of(of_pair[a, b], lambda one: one.answer.given["x"] == one.trial.detail["x"])
            assert share is not None
            rows.append(
                (
                    f"{around.name(a)} / {around.name(b)}",
                    tr("{x} of {x2}", x=sum(x), x2=len(x)),
                    f"{100 * share.estimate:.0f} %",
                    tr("{low} to {high} %", low=f"{100 * share.low:.0f}", high=f"{100 * share.high:.0f}"),
                    f"{p:.3f}" if p >= 0.001 else "< 0.001",
                    "",
                )
            )
            heard.append(p < 0.05)
            bars.append(
                Bar(
                    name=f"{around.name(a)} / {around.name(b)}",
                    value=100 * share.estimate,
                    low=100 * share.low,
                    high=100 * share.high,
                    candidate_ids=(a, b),
                    says=tr("{x} of {x2} right", x=sum(x), x2=len(x)),
                    note="heard" if p < 0.05 else "",
                )
            )
        told = sum(heard)
        says = (
            tr("The difference is heard in {told} of {rows} pairs.", told=told, rows=len(rows)) if len(rows) > 1
            else tr("The difference is heard.") if told else tr("It is not shown that the difference can be heard.")
        )  # fmt: skip
        return Found(
            says=tr(
                "{says} {map} answers of {listeners} listeners.{leaning}",
                says=says,
                leaning=_leaning(answers),
                map=sum(map(len, right.values())),
                listeners=len(listeners),
            ),
            head=(tr("Pair"), "right", "share", "95 %", tr("p against guessing"), ""),
            rows=tuple(rows),
            rule=tr(
                "Exact binomial test against guessing (one half), one-sided, adjusted over the pairs by Holm; "
                "the interval draws other listeners and texts. Not heard here does not mean that nobody can hear it. "
            )
            + _by_listener(answers),
            bars=tuple(bars),
            pairs=tuple(Pair(*pair, of) for pair, of in zip(right, heard, strict=True)),
            axis=Axis(low=0, high=100, words=tr("right answers (%), 50: guessing"), even=50, step=10),
        )


KIND: Final = MatchingToSample()


def _leaning(answers: Sequence[Answered]) -> str:
    """A sentence where one of the two answers is given more often than chance allows: then it is a habit, and what was
    heard last, that answers, too."""
    a = sum(one.answer.given["x"] == "a" for one in answers)
    more = max(a, len(answers) - a)
    if 2 * at_least_p(more, len(answers)) >= 0.05:
        return ""
    return tr(" X was called {which} in {share} % of them, more often than chance allows: a habit, not the sound.",
              which="A" if 2 * a > len(answers) else "B", share=f"{100 * more / len(answers):.0f}")  # fmt: skip


def _by_listener(answers: Sequence[Answered]) -> str:
    """Each listener's share, since a panel that guesses may have one in it who hears."""
    of: dict[int, list[bool]] = defaultdict(list)
    for one in answers:
        of[one.listener_id].append(one.answer.given["x"] == one.trial.detail["x"])
    p = holm([guessing_p(sum(x), len(x)) for x in of.values()])
    hear = int(sum(one < 0.05 for one in p))
    best = max(of.values(), key=lambda x: sum(x) / len(x))
    return tr(
        "By listener: {hear} of {of} hear it alone (Holm); the surest has {best} of {best2} right.",
        hear=hear,
        of=len(of),
        best=sum(best),
        best2=len(best),
    )


def guessing_p(right: int, answers: int) -> float:
    """The chance of at least so many right answers by guessing among two: exact binomial, one-sided."""
    return at_least_p(right, answers)

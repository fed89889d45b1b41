"""Comparison rating: how much better is the second of two than the first, from −3 to +3 (ITU-T P.800, annex E)."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from typing import Final

import numpy as np

from zestpanel.core.analysis.statistics.drawn import RATED_ALIKE, effect, mean
from zestpanel.core.analysis.statistics.intervals import Interval
from zestpanel.core.analysis.statistics.paired import holm
from zestpanel.core.domain.listening import Answered, PlannedTrial
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.listening.design import pairs_in_both_orders, with_training
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
    Pair,
    Planning,
    Question,
    Shown,
    by_whom,
    figure_of,
)
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.texts import asked, tr

STEPS: Final = {
    3: asked("Much better"),
    2: asked("Better"),
    1: asked("Slightly better"),
    0: asked("About the same"),
    -1: asked("Slightly worse"),
    -2: asked("Worse"),
    -3: asked("Much worse"),
}
FEWEST: Final = 3  # listeners, for an interval
ALPHA: Final = 0.05


class Comparison(Common):
    name = "CCR"
    title = tr("comparison rating (CCR)")
    asks = tr("How much better is this one than that?")
    fewest_candidates = 2
    uses: frozenset[Option] = frozenset({"repeats", "training", "stated"})
    planned_by: Planning = "differences"
    feeds = Feeds(words=tr("better than the others by (CCR)"), better="higher", worst=-1, best=1, decimals=2)

    def design(
        self, able: Able, settings: TestSettings, *, listener: int, rng: np.random.Generator
    ) -> list[PlannedTrial]:
        return with_training(pairs_in_both_orders(able, settings, listener=listener, rng=rng), settings.training, rng)

    def shown(self, trial: PlannedTrial, settings: TestSettings) -> Shown:
        choices = tuple(Choice(score, words, key) for (score, words), key in zip(STEPS.items(), "abcdefg", strict=True))
        question = Question("score", asked("Compared with the first, the second is"), choices)
        return Shown(
            lanes=(Heard(asked("First"), (0,)), Heard(asked("Second"), (1,))),
            questions=(question,),
            must_hear=settings.must_hear,
        )

    def found(self, answers: Sequence[Answered], around: Around) -> Found:
        """Mean score of one over the other, orders taken together, with other listeners and other texts drawn."""
        pairs: dict[tuple[int, int], list[tuple[float, int, int]]] = defaultdict(list)
        for one, (listener, passage) in zip(answers, by_whom(answers), strict=True):
            first, second = (s.candidate_id for s in one.trial.stimuli)
            score = float(one.answer.given["score"])
            pair, signed = ((first, second), -score) if first < second else ((second, first), score)
            pairs[pair].append((signed, listener, passage))
        if not pairs:
            raise NotEnoughData(tr("Nobody has answered yet."))
        rows, told, bars = [], [], []
        found = {pair: _mean(given) for pair, given in pairs.items()}
        tested = [pair for pair, (_, p, listeners) in found.items() if listeners >= FEWEST]
        adjusted = dict(zip(tested, holm([found[pair][1] for pair in tested]), strict=True)) if tested else {}
        for pair, (interval, _, listeners) in sorted(found.items(), key=lambda one: -abs(one[1][0].estimate)):
            middle = interval.estimate
            better, other = pair if middle >= 0 else pair[::-1]
            low, high = (interval.low, interval.high) if middle >= 0 else (-interval.high, -interval.low)
            low, high = max(-3.0, low), min(3.0, high)
            enough, apart = listeners >= FEWEST, pair in adjusted and adjusted[pair] < ALPHA
            between = (
                tr("{low} to {x}", low=f"{low:+.2f}", x=f"{high:+.2f}").replace("-", "−")
                if enough
                else tr("too few listeners")
            )
            names = tr("{name} over {name2}", name=around.name(better), name2=around.name(other))
            rows.append((names, f"{abs(middle):+.2f}", between, str(listeners),
                         f"{adjusted[pair]:.3f}" if pair in adjusted else "–", ""))  # fmt: skip
            bars.append(Bar(name=names, value=abs(middle), low=low if enough else None,
                            high=high if enough else None, candidate_ids=(better, other),
                            says=tr("{mean}, {x} listeners", mean=f"{abs(middle):+.2f}", x=listeners),
                            note=tr("told apart") if apart else ""))  # fmt: skip
            told += [tr("{names} by {mean}", names=names, mean=f"{abs(middle):.1f}")] if apart else []
        return Found(
            says=tr("Told apart: {told}.", told="; ".join(told)) if told else tr("No pair is told apart."),
            head=(tr("Pair"), "mean", "95 %", "listeners", "p", ""),
            rows=tuple(rows),
            rule=tr(
                "Mean comparison score of the pair, both orders together, from 0 (about the same) to 3 (much better); "
                "t interval and p, adjusted by Holm, with other listeners and other texts of the kind drawn."
            ),
            bars=tuple(bars),
            pairs=tuple(
                Pair(
                    *pair,
                    pair in adjusted and adjusted[pair] < ALPHA,
                    0 if interval.estimate == 0 else pair[interval.estimate < 0],
                )
                for pair, (interval, _, _) in found.items()
            ),
            axis=Axis(
                low=min([-1.0, *(bar.low for bar in bars if bar.low is not None)]),
                high=3.0,
                words=tr("how much better, 0: about the same"),
                even=0.0,
                step=1.0,
            ),
        )

    def fed(self, found: Found, answers: Sequence[Answered], around: Around) -> Mapping[str, tuple[Bar, ...]]:
        del found
        return {figure_of(self.name): scale_values(answers, around)}


KIND: Final = Comparison()


def scale_values(answers: Sequence[Answered], around: Around) -> tuple[Bar, ...]:
    """How much better than the mean of all each candidate is: the values whose differences fit the scores best (least
    squares; Scheffé 1952). Nothing where some were never compared, not even over others."""
    pairs = [tuple(s.candidate_id for s in one.trial.stimuli) for one in answers]
    order = sorted({one for pair in pairs for one in pair})
    design = np.array([[(c == second) - (c == first) for c in order] for first, second in pairs], dtype=float)
    if not len(order) or np.linalg.matrix_rank(design) < len(order) - 1:
        return ()
    y = np.array([float(one.answer.given["score"]) for one in answers])
    weights = np.linalg.pinv(design)
    values = weights @ y
    rest = y - design @ values
    variance = max(1 / 12, float(rest @ rest) / max(1, len(y) - len(order) + 1))  # answers come in whole steps
    listeners, passages = zip(*by_whom(answers), strict=True)
    bars = []
    for candidate, of, value in zip(order, weights, values, strict=True):
        independent = variance * float(of @ of)
        drawn = effect(of * rest, independent, listeners, passages, alike=RATED_ALIKE)
        half = drawn.quantile(0.95) * float(np.sqrt(independent)) if len(set(listeners)) >= FEWEST else None
        bars.append(Bar(name=around.name(candidate), value=float(value), candidate_ids=(candidate,),
                        low=None if half is None else float(value) - half,
                        high=None if half is None else float(value) + half))  # fmt: skip
    return tuple(sorted(bars, key=lambda bar: -bar.value))


def _mean(given: Sequence[tuple[float, int, int]]) -> tuple[Interval, float, int]:
    """(mean with its interval, p against 0, listeners)."""
    scores, listeners, passages = zip(*given, strict=True)
    interval, p = mean(scores, listeners, passages, step=1.0)
    return interval, p, len(set(listeners))

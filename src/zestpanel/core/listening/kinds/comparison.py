"""Comparison rating: how much better is the second of two than the first, from −3 to +3 (ITU-T P.800, annex E)."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from typing import Final

import numpy as np

from zestpanel.core.analysis.statistics.paired import holm
from zestpanel.core.analysis.statistics.tails import t_beyond_p, t_quantile
from zestpanel.core.domain.listening import Answered, PlannedTrial
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.listening.design import pairs_in_both_orders, with_training
from zestpanel.core.listening.kind import Able, Around, Axis, Bar, Choice, Found, Heard, Option, Question, Shown
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


class Comparison:
    name = "CCR"
    title = tr("comparison rating (CCR)")
    asks = tr("How much better is this one than that?")
    fewest_candidates = 2
    uses: frozenset[Option] = frozenset({"repeats", "training", "stated"})

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
        """Mean score of one over the other, orders taken together, with the 95 % t interval over listeners' means."""
        pairs: dict[tuple[int, int], dict[int, list[float]]] = defaultdict(lambda: defaultdict(list))
        for one in answers:
            first, second = (s.candidate_id for s in one.trial.stimuli)
            score = float(one.answer.given["score"])
            pair, signed = ((first, second), -score) if first < second else ((second, first), score)
            pairs[pair][one.listener_id].append(signed)
        if not pairs:
            raise NotEnoughData(tr("Nobody has answered yet."))
        rows, told, bars = [], [], []
        means = {pair: np.array([np.mean(x) for x in of.values()]) for pair, of in pairs.items()}
        p = {pair: _p(x) for pair, x in means.items()}
        tested = [pair for pair, value in p.items() if value is not None]
        adjusted = dict(zip(tested, holm([p[pair] or 0.0 for pair in tested]), strict=True)) if tested else {}
        for pair, x in sorted(means.items(), key=lambda one: -abs(float(one[1].mean()))):
            mean = float(x.mean())
            better, other = pair if mean >= 0 else pair[::-1]
            half = _half(x)
            low, high = abs(mean) - half, abs(mean) + half
            interval = (
                tr("{low} to {x}", low=f"{low:+.2f}", x=f"{min(3.0, high):+.2f}").replace("-", "−")
                if np.isfinite(half)
                else tr("too few listeners")
            )
            apart = pair in adjusted and adjusted[pair] < ALPHA
            names = tr("{name} over {name2}", name=around.name(better), name2=around.name(other))
            rows.append((names, f"{abs(mean):+.2f}", interval, str(len(x)),
                         f"{adjusted[pair]:.3f}" if pair in adjusted else "–", ""))  # fmt: skip
            bars.append(Bar(name=names, value=abs(mean), low=low if np.isfinite(half) else None,
                            high=min(3.0, high) if np.isfinite(half) else None, candidate_ids=(better, other),
                            says=tr("{mean}, {x} listeners", mean=f"{abs(mean):+.2f}", x=len(x)),
                            note=tr("told apart") if apart else ""))  # fmt: skip
            told += [tr("{names} by {mean}", names=names, mean=f"{abs(mean):.1f}")] if apart else []
        return Found(
            says=tr("Told apart: {told}.", told="; ".join(told)) if told else tr("No pair is told apart."),
            head=(tr("Pair"), "mean", "95 %", "listeners", "p", ""),
            rows=tuple(rows),
            rule=tr(
                "Mean comparison score of the pair, both orders together, from 0 (about the same) to 3 (much better); "
                "t interval over listeners' means, p adjusted by Holm. It holds for other listeners and these texts."
            ),
            bars=tuple(bars),
            axis=Axis(
                low=min([-1.0, *(bar.low for bar in bars if bar.low is not None)]),
                high=3.0,
                words=tr("how much better, 0: about the same"),
                even=0.0,
                step=1.0,
            ),
        )


KIND: Final = Comparison()


def _half(x: np.ndarray) -> float:
    if len(x) < FEWEST:
        return float("inf")
    return t_quantile(0.975, len(x) - 1) * float(x.std(ddof=1) / np.sqrt(len(x)))


def _p(x: np.ndarray) -> float | None:
    """Two-sided t test of listeners' means against 0; None for too few."""
    if len(x) < FEWEST:
        return None
    se = float(x.std(ddof=1) / np.sqrt(len(x)))
    if se < 1e-12:
        return 1.0 if abs(float(x.mean())) < 1e-12 else 0.0
    return t_beyond_p(float(x.mean()) / se, len(x) - 1)

"""Balanced orders.

References: Williams, E. J. (1949), Experimental designs balanced for the estimation of residual effects of
treatments; conduct after ITU-T P.800.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import combinations

import numpy as np

from zestpanel.core.domain.listening import PlannedTrial, Stimulus
from zestpanel.core.listening.settings import TestSettings

Trial = tuple[int, int, int, bool]  # candidate, passage version, take, training


def williams_square(n: int) -> list[list[int]]:
    """Orders of n conditions: each once in each position, each ordered pair of neighbours equally often.

    n rows for an even n, two squares (2n rows) for an odd one.
    """
    first, low, high = [0], 1, n - 1
    while low <= high:
        first.append(low)
        if low < high:
            first.append(high)
        low, high = low + 1, high - 1
    # 0, 1, n-1, 2, n-2 ... visits every difference once
    square = [[(c + shift) % n for c in first] for shift in range(n)]
    return square if n % 2 == 0 else square + [row[::-1] for row in square]


def acr_trials(
    takes: dict[tuple[int, int], int], *, listener: int, training: int, rng: np.random.Generator
) -> list[Trial]:
    """One listener's trials of an absolute category rating.

    takes: the take to be heard by (candidate, passage version). listener: running number, which picks the rows of
    the Williams squares, so that orders balance over listeners. Trials go passage by passage, the passages rotated by
    listener, the candidates of each in the order of a row. Training trials come first, are drawn at random and are
    heard again as scored trials later.
    """
    passages = list(dict.fromkeys(passage for _, passage in takes))
    passages = passages[listener % max(1, len(passages)) :] + passages[: listener % max(1, len(passages))]
    trials: list[Trial] = []
    for index, passage in enumerate(passages):
        candidates = [c for c, p in takes if p == passage]
        rows = williams_square(len(candidates))
        row = rows[(listener + index * 3) % len(rows)]
        trials += [(candidates[i], passage, takes[(candidates[i], passage)], False) for i in row]
    chosen = _spread_over(trials, min(training, len(trials)), rng)
    return [(c, p, t, True) for c, p, t, _ in chosen] + trials


def _spread_over(trials: Sequence[Trial], count: int, rng: np.random.Generator) -> list[Trial]:
    """Training clips by different candidates and of different passages as far as there are any."""
    out: list[Trial] = []
    for index in rng.permutation(len(trials)):
        trial = trials[int(index)]
        if len(out) < count and all(trial[0] != other[0] for other in out):
            out.append(trial)
    return out


def with_training(trials: Sequence[PlannedTrial], training: int, rng: np.random.Generator) -> list[PlannedTrial]:
    """Some of the trials first, unscored; they come again as scored ones."""
    count = min(training, len(trials))
    chosen = [trials[int(k)] for k in rng.permutation(len(trials))[:count]]
    return [*(replace(one, training=True) for one in chosen), *trials]


def one_at_a_time(
    able: Mapping[tuple[int, int], int], settings: TestSettings, *, listener: int, rng: np.random.Generator,
    training: int | None = None,
) -> list[PlannedTrial]:  # fmt: skip
    """One clip a trial, in the balanced order of ``acr_trials``; no more scored ones than the settings allow."""
    drawn = acr_trials(dict(able), listener=listener, training=settings.training if training is None else training,
                       rng=rng)  # fmt: skip
    trials = [
        PlannedTrial(stimuli=(Stimulus(candidate_id=c, passage_version_id=p, take_id=t),), training=training_one)
        for c, p, t, training_one in drawn
    ]
    if not settings.most:
        return trials
    scored = [trial for trial in trials if not trial.training][: settings.most]
    return [*(trial for trial in trials if trial.training), *scored]


def pairs_in_both_orders(
    able: Mapping[tuple[int, int], int], settings: TestSettings, *, listener: int, rng: np.random.Generator
) -> list[PlannedTrial]:
    """Every pair of candidates on every passage, in random order; which comes first changes over from listener to
    listener, so that each stands first equally often. No more than the settings allow."""
    trials = []
    for number, passage in enumerate(dict.fromkeys(version for _, version in able)):
        here = [c for c in settings.candidate_ids if (c, passage) in able]
        for k, pair in enumerate(combinations(here, 2)):
            order = pair if (listener + k + number) % 2 == 0 else pair[::-1]
            trials.append(PlannedTrial(stimuli=tuple(
                Stimulus(candidate_id=c, passage_version_id=passage, take_id=able[c, passage]) for c in order
            )))  # fmt: skip
    drawn = [trials[k] for k in rng.permutation(len(trials))]
    return drawn[: settings.most] if settings.most else drawn

"""Balanced orders.

References: Williams, E. J. (1949), Experimental designs balanced for the estimation of residual effects of
treatments; conduct after ITU-T P.800.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from zestpanel.core.domain.listening import PlannedTrial

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

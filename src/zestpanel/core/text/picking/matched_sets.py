"""Two sets of passages alike in difficulty, for tests that are repeated without repeating a text."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.errors import InputError
from zestpanel.core.text.difficulty import KINDS
from zestpanel.core.texts import tr

_TRIES = 200


@dataclass(frozen=True, slots=True, kw_only=True)
class MatchedSets:
    """Indices of both sets and, by what was balanced, the figure of each."""

    first: tuple[int, ...]
    second: tuple[int, ...]
    figures: dict[str, tuple[float, float]]


def matched_sets(texts: Sequence[str], kinds: Sequence[Sequence[str]], *, seed: int = 0) -> MatchedSets:
    """Part passages into two sets of the same number (one is left aside of an odd number).

    Balanced are characters, words a sentence-long stretch, and each kind of hard part: the sum of squared
    differences, each in units of its own spread, is brought down by exchanging pairs from many seeded beginnings.
    Raises InputError for fewer than four passages.
    """
    if len(texts) < 4:
        raise InputError(tr("Two sets need at least four passages."), kept=tr("Nothing was changed."))
    names, table = _table(texts, kinds)
    spread = table.std(axis=0)
    names = [n for n, s in zip(names, spread, strict=True) if s > 0]
    scaled = (table[:, spread > 0] - table[:, spread > 0].mean(axis=0)) / spread[spread > 0]
    rng = np.random.default_rng(seed)
    half = len(texts) // 2
    best: tuple[float, NDArray[np.intp], NDArray[np.intp]] | None = None
    for _ in range(_TRIES):
        order = rng.permutation(len(texts))
        a, b = order[:half].copy(), order[half : 2 * half].copy()
        cost = _improve(scaled, a, b)
        if best is None or cost < best[0] - 1e-12:
            best = (cost, a, b)
    assert best is not None
    first, second = (tuple(int(i) for i in sorted(side)) for side in best[1:])
    columns = dict(zip([n for n in _table(texts, kinds)[0]], table.T, strict=True))
    figures = {
        name: (float(columns[name][list(first)].sum()), float(columns[name][list(second)].sum())) for name in names
    }
    return MatchedSets(first=first, second=second, figures=figures)


def _table(texts: Sequence[str], kinds: Sequence[Sequence[str]]) -> tuple[list[str], NDArray[np.float64]]:
    names = ["characters", "words", *KINDS]
    rows = [
        [float(len(text)), float(len(text.split())), *(float(kind in own) for kind in KINDS)]
        for text, own in zip(texts, kinds, strict=True)
    ]
    return names, np.array(rows)


def _improve(scaled: NDArray[np.float64], a: NDArray[np.intp], b: NDArray[np.intp]) -> float:
    """Exchange pairs while it helps; the sets are changed in place. Returns what is left of the difference."""
    apart = scaled[a].sum(axis=0) - scaled[b].sum(axis=0)
    while True:
        # exchanging a[i] and b[j] changes the difference by -2 (a[i] - b[j])
        after = apart[None, None, :] - 2 * (scaled[a][:, None, :] - scaled[b][None, :, :])
        costs = (after**2).sum(axis=2)
        i, j = np.unravel_index(int(costs.argmin()), costs.shape)
        if costs[i, j] >= (apart**2).sum() - 1e-12:
            return float((apart**2).sum())
        apart = after[i, j]
        a[i], b[j] = b[j], a[i]

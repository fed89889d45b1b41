"""Intervals for means and shares."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from zestpanel.core.analysis.statistics.tails import special, t_quantile
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.texts import tr, trn

DRAWS: Final = 10_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Interval:
    """An estimate with its 95 % interval; n counts the independent units it rests on; method names the rule."""

    estimate: float
    low: float
    high: float
    n: int
    method: str


def t_interval(values: ArrayLike, *, level: float = 0.95) -> Interval:
    """Mean with Student's t interval. Raises NotEnoughData below two values."""
    x = np.asarray(values, dtype=float)
    if len(x) < 2:
        raise NotEnoughData(
            trn(
                "An interval needs two values, there is {x}.",
                "An interval needs two values, there are {x}.",
                len(x),
                x=len(x),
            )
        )
    half = float(t_quantile((1 + level) / 2, len(x) - 1) * x.std(ddof=1) / np.sqrt(len(x)))
    return Interval(
        estimate=float(x.mean()), low=float(x.mean()) - half, high=float(x.mean()) + half, n=len(x), method="t"
    )


def wilson_interval(successes: int, n: int, *, level: float = 0.95) -> Interval:
    """Share with Wilson's score interval (Wilson 1927). Raises NotEnoughData for n = 0."""
    if n == 0:
        raise NotEnoughData(tr("A share of nothing has no interval."))
    z = float(special().ndtri((1 + level) / 2))
    p = successes / n
    middle = (p + z * z / (2 * n)) / (1 + z * z / n)
    half = z / (1 + z * z / n) * float(np.sqrt(p * (1 - p) / n + z * z / (4 * n * n)))
    return Interval(estimate=p, low=max(0.0, middle - half), high=min(1.0, middle + half), n=n, method="Wilson")


def bootstrap_draws(scores: NDArray[np.float64], rng: np.random.Generator, draws: int = DRAWS) -> NDArray[np.float64]:
    """Means under resampling of listeners *and* passages, shape (candidates, draws).

    scores: (candidates, listeners, passages), NaN where not rated. Both factors are drawn with replacement and
    independently, the same draw for all candidates (so that differences are paired): the 'pigeonhole' bootstrap
    of crossed data (Owen 2007, The pigeonhole bootstrap, Annals of Applied Statistics 1).
    A draw in which a candidate has no rating at all takes its overall mean.
    """
    count, listeners, passages = scores.shape
    of_listeners, of_passages = (_resampled(n, draws, rng) for n in (listeners, passages))
    have = ~np.isnan(scores)
    filled = np.where(have, scores, 0.0)
    complete = bool(have.all())
    means = filled.sum(axis=(1, 2)) / np.maximum(1, have.sum(axis=(1, 2)))
    out = np.empty((count, draws))
    for first in range(0, draws, _AT_ONCE):  # a part at a time, so that what is in between stays small
        part = slice(first, first + _AT_ONCE)
        total = _weighted_sums(filled, of_listeners[part], of_passages[part])
        if complete:
            out[:, part] = total / (listeners * passages)
            continue
        n = _weighted_sums(have.astype(np.float64), of_listeners[part], of_passages[part])
        out[:, part] = np.where(n > 0, total / np.maximum(n, 1e-12), means[:, None])
    return out


_AT_ONCE: Final = 500


def _resampled(n: int, draws: int, rng: np.random.Generator) -> NDArray[np.float64]:
    """How often each of n units comes up when n are drawn with replacement, shape (draws, n)."""
    drawn = rng.integers(0, n, (draws, n)) + n * np.arange(draws)[:, None]
    return np.bincount(drawn.ravel(), minlength=draws * n).reshape(draws, n).astype(np.float64)


def _weighted_sums(
    values: NDArray[np.float64], of_listeners: NDArray[np.float64], of_passages: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Sums over listeners and passages, each as often as it was drawn, shape (candidates, draws)."""
    count, listeners, passages = values.shape
    flat = values.transpose(1, 0, 2).reshape(listeners, count * passages)
    by_passage = (of_listeners @ flat).reshape(len(of_listeners), count, passages)
    sums: NDArray[np.float64] = np.matmul(by_passage, of_passages[:, :, None])[:, :, 0].T
    return sums

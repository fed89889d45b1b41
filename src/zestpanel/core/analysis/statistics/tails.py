"""Tails of the usual distributions, and ranks: by SciPy's special functions, whose import takes a third of a second
where that of its statistics takes more than two, which every verb and window would wait for."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray


def special() -> Any:
    """SciPy's special functions, imported on first use: left out of the program's start."""
    from scipy import special

    return special


def at_least_p(successes: int, n: int, share: float = 0.5) -> float:
    """The chance of at least so many successes in n trials: exact binomial tail."""
    return float(special().bdtrc(successes - 1, n, share)) if successes > 0 else 1.0


def even_p(successes: int, n: int) -> float:
    """Two-sided exact binomial test (sign test) of so many successes in n against one half; 1 for n = 0."""
    return min(1.0, 2 * float(special().bdtr(min(successes, n - successes), n, 0.5))) if n else 1.0


def normal_below(z: float) -> float:
    """The share of a standard normal below z."""
    return float(special().ndtr(z))


def normal_quantile(level: float) -> float:
    """The standard normal below which a share ``level`` lies."""
    return float(special().ndtri(level))


def t_quantile(level: float, freedom: int) -> float:
    """Student's t below which a share ``level`` lies."""
    return float(special().stdtrit(freedom, level))


def t_beyond_p(t: float, freedom: int) -> float:
    """Two-sided p of Student's t."""
    return float(2 * special().stdtr(freedom, -abs(t)))


def chi_squared_p(statistic: float, freedom: int) -> float:
    """The chance of a chi-squared at least so large."""
    return float(special().chdtrc(freedom, max(0.0, statistic)))


def mid_ranks(values: ArrayLike) -> NDArray[np.float64]:
    """Ranks from 1, equal values share the mean of theirs."""
    _, place, counts = np.unique(np.asarray(values, dtype=float), return_inverse=True, return_counts=True)
    out: NDArray[np.float64] = (np.cumsum(counts) - (counts - 1) / 2)[place]
    return out


def friedman_p(scores: NDArray[np.float64]) -> float | None:
    """Friedman's (1937) test of (candidates, listeners), ties corrected after Conover (1999), chi-squared with one
    degree of freedom less than there are candidates. None where every listener ties all of them."""
    count, blocks = scores.shape
    ranks = np.array([mid_ranks(column) for column in scores.T])
    middle = blocks * count * (count + 1) ** 2 / 4
    spread = float((ranks**2).sum()) - middle
    if spread <= 0:
        return None
    statistic = (count - 1) * (float((ranks.sum(axis=0) ** 2).sum()) - blocks * middle) / spread
    return chi_squared_p(statistic, count - 1)

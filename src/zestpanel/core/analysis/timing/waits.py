"""Waits summed up: quantiles that say how sure they are, and 'too few' where they may not be stated."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.analysis.statistics.intervals import Interval
from zestpanel.core.texts import tr

FEWEST_FOR_P95: Final = 20
FEWEST_FOR_P99: Final = 100
FEWEST_FOR_INTERVAL: Final = 5
DRAWS: Final = 2_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Waits:
    """Waits of one phase in s: the points that came (sorted), and how many requests gave up waiting.

    Those count as later than any: quantiles that fall among them are infinite. p95 is None below 20, p99 below 100
    ('too few'), give-ups included.
    """

    points: tuple[float, ...] = field(repr=False)
    median: float | None
    p95: float | None
    p99: float | None
    gave_up: int = 0

    @property
    def n(self) -> int:
        return len(self.points) + self.gave_up

    def share_within(self, seconds: float) -> float | None:
        """Share of all requests whose wait was over within so many seconds; None without any."""
        return sum(point <= seconds for point in self.points) / self.n if self.n else None


def waits(points: Sequence[float], *, gave_up: int = 0) -> Waits:
    """Quantiles by linear interpolation (type 7, Hyndman & Fan 1996). gave_up: requests that ended by time-out."""
    ordered = tuple(sorted(points))
    every = np.array([*ordered, *[np.inf] * gave_up])

    def at(q: float, fewest: int) -> float | None:
        return float(quantile7(every, q)) if ordered and len(every) >= fewest else None

    return Waits(points=ordered, median=at(0.5, 1), p95=at(0.95, FEWEST_FOR_P95), p99=at(0.99, FEWEST_FOR_P99),
                 gave_up=gave_up)  # fmt: skip


def quantile7(ordered: NDArray[np.float64], q: float) -> NDArray[np.float64]:
    """Type 7 quantiles along the last axis of sorted values, which may end in infinities: between a number and one of
    them lies infinity."""
    place = (ordered.shape[-1] - 1) * q
    low = int(place + 1e-9)
    share = max(0.0, place - low)
    first = ordered[..., low]
    if share < 1e-9:
        return np.asarray(first)
    second = ordered[..., low + 1]
    with np.errstate(invalid="ignore"):
        return np.where(np.isinf(second), np.inf, first + share * (second - first))


def in_words(seconds: float | None, places: int = 2) -> str:
    """A quantile as it is shown: '1.20 s', 'gave up' where it falls among requests that never ended, '' for none."""
    if seconds is None:
        return ""
    return tr("gave up") if math.isinf(seconds) else f"{seconds:.{places}f} s"


def quantile_interval(
    points: Sequence[float], q: float, *, gave_up: int = 0, seed: int = 1, level: float = 0.95
) -> Interval | None:
    """A quantile with its percentile bootstrap interval (Efron 1979), None below five requests."""
    x = np.sort(np.array([*points, *[np.inf] * gave_up], dtype=float))
    if len(x) < FEWEST_FOR_INTERVAL:
        return None
    draws = np.sort(np.random.default_rng(seed).choice(x, size=(DRAWS, len(x))), axis=1)
    drawn = np.sort(quantile7(draws, q))
    low, high = (float(quantile7(drawn, tail)) for tail in ((1 - level) / 2, (1 + level) / 2))
    return Interval(estimate=float(quantile7(x, q)), low=low, high=high, n=len(x), method=tr("percentile bootstrap"))

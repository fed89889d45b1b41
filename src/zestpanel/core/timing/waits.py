"""Waits summed up: quantiles that say how sure they are, and 'too few' where they may not be stated."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Final

import numpy as np

from zestpanel.core.statistics.intervals import Interval

FEWEST_FOR_P95: Final = 20
FEWEST_FOR_P99: Final = 100
FEWEST_FOR_INTERVAL: Final = 5
DRAWS: Final = 2_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Waits:
    """Waits of one phase in s (all points, sorted); p95 is None below 20 of them, p99 below 100 ('too few')."""

    points: tuple[float, ...] = field(repr=False)
    median: float | None
    p95: float | None
    p99: float | None

    @property
    def n(self) -> int:
        return len(self.points)


def waits(points: Sequence[float]) -> Waits:
    """Quantiles by linear interpolation (type 7, Hyndman & Fan 1996)."""
    ordered = tuple(sorted(points))

    def at(q: float, fewest: int) -> float | None:
        return float(np.quantile(ordered, q)) if len(ordered) >= fewest else None

    return Waits(points=ordered, median=at(0.5, 1), p95=at(0.95, FEWEST_FOR_P95), p99=at(0.99, FEWEST_FOR_P99))


def quantile_interval(points: Sequence[float], q: float, *, seed: int = 1, level: float = 0.95) -> Interval | None:
    """A quantile with its percentile bootstrap interval (Efron 1979), None below five points."""
    x = np.asarray(points, dtype=float)
    if len(x) < FEWEST_FOR_INTERVAL:
        return None
    draws = np.random.default_rng(seed).choice(x, size=(DRAWS, len(x)))
    low, high = np.quantile(np.quantile(draws, q, axis=1), [(1 - level) / 2, (1 + level) / 2])
    return Interval(
        estimate=float(np.quantile(x, q)), low=float(low), high=float(high), n=len(x), method="percentile bootstrap"
    )

"""What a detector is, and what several need."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.domain.take import Segment
from zestpanel.core.measures.declared import Material
from zestpanel.core.measures.tracks import Kind


@dataclass(frozen=True, slots=True, kw_only=True)
class Detector:
    """rule, source: as docs/methods.md tells them."""

    kind: Kind
    find: Callable[[Material], Iterable[Segment]]
    rule: str
    source: str = "common practice, no source"


def runs(on: NDArray[np.bool_]) -> NDArray[np.intp]:
    """(start, end) of each stretch that is on, end behind the last, shape (stretches, 2)."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], on, [False]])))
    return edges.reshape(-1, 2)


def together(spans: Sequence[tuple[float, float, float]], within_s: float) -> list[tuple[float, float, float]]:
    """(start, end, size) with those that are no further apart put together; the greatest size stands."""
    out: list[tuple[float, float, float]] = []
    for start, end, size in sorted(spans):
        if out and start - out[-1][1] <= within_s:
            before = out[-1]
            out[-1] = before[0], max(before[1], end), max(before[2], size)
        else:
            out.append((start, end, size))
    return out


def rms_db(x: NDArray[np.float64]) -> float:
    """dBFS of the mean power; −200 for nothing."""
    return float(10 * np.log10(np.mean(x**2) + 1e-20)) if len(x) else -200.0

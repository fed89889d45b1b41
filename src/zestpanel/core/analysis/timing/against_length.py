"""Wait against length of text: a part that every request costs, and a part for each character."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

FEWEST: Final = 6  # points
LEAST_SPREAD: Final = 1.5  # longest text over shortest: below that a slope says nothing


@dataclass(frozen=True, slots=True, kw_only=True)
class LengthFit:
    """wait = fixed_s + per_character_s x characters; the slope with its 95 % interval."""

    fixed_s: float
    per_character_s: float
    low_s: float
    high_s: float
    n: int

    def at(self, characters: float) -> float:
        return self.fixed_s + self.per_character_s * characters


def fit_length(characters: Sequence[float], waits_s: Sequence[float]) -> LengthFit | None:
    """The Theil-Sen line (Theil 1950, Sen 1968): the median of the slopes between all pairs, so that single late
    replies do not tilt it; the fixed part is the median of what the slope leaves. None where points are few, or all
    texts are about equally long.
    """
    x, y = np.asarray(characters, dtype=float), np.asarray(waits_s, dtype=float)
    if len(x) < FEWEST or x.min() <= 0 or x.max() / x.min() < LEAST_SPREAD:
        return None
    from scipy.stats import theilslopes

    found = theilslopes(y, x, 0.95)
    slope = float(found.slope)
    return LengthFit(
        fixed_s=float(np.median(y - slope * x)),
        per_character_s=slope,
        low_s=float(found.low_slope),
        high_s=float(found.high_slope),
        n=len(x),
    )

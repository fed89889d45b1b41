"""Answers laid out as candidates x listeners x passages."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray


def crossed_table(rows: Iterable[tuple[int, int, int, float]], candidates: Sequence[int]) -> NDArray[np.float64]:
    """Values (candidate, listener, passage, value) as (candidates, listeners, passages), NaN where there is none; means
    where there are several. candidates: in the order wanted; rows of others are left out."""
    at = {one: k for k, one in enumerate(candidates)}
    known = [row for row in rows if row[0] in at]
    people = {one: k for k, one in enumerate(sorted({row[1] for row in known}))}
    texts = {one: k for k, one in enumerate(sorted({row[2] for row in known}))}
    total = np.zeros((len(candidates), len(people), len(texts)))
    count = np.zeros_like(total)
    for candidate, listener, passage, value in known:
        cell = at[candidate], people[listener], texts[passage]
        total[cell] += value
        count[cell] += 1
    with np.errstate(invalid="ignore", divide="ignore"):
        return total / count

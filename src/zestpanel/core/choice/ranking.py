"""Weighted utilities, missing evidence kept missing, the trade-off frontier, and how firm the first place is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, slots=True, kw_only=True)
class Criterion:
    """A criterion: worst is 'not acceptable' (utility 0), best 'as good as it need be' (1); either may be greater."""

    name: str
    worst: float
    best: float
    weight: float

    def utility(self, value: float) -> float:
        """Linear between the two, clipped."""
        if self.worst == self.best:
            return 1.0 if value == self.best else 0.0
        return float(np.clip((value - self.worst) / (self.best - self.worst), 0.0, 1.0))


@dataclass(frozen=True, slots=True, kw_only=True)
class Ranked:
    """A candidate's standing. utilities: by criterion, None where evidence is missing. low and high: the total with
    the missing parts at 0 and at 1. total: over the evidence there is, None when there is none."""

    candidate_id: int
    utilities: dict[str, float | None]
    total: float | None
    low: float
    high: float
    missing: tuple[str, ...]
    passes: bool
    first: float = 0.0  # chance of being first
    top_three: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Evidence:
    """What is known of a candidate: value and standard error by criterion; absent or None is missing."""

    candidate_id: int
    values: dict[str, float | None]
    errors: dict[str, float] = field(default_factory=dict)
    passes: bool = True


def rank(criteria: Sequence[Criterion], evidence: Sequence[Evidence]) -> list[Ranked]:
    """Candidates from best to worst; those that pass the gates first, those without any evidence last."""
    total_weight = sum(c.weight for c in criteria) or 1.0
    out = []
    for one in evidence:
        utilities: dict[str, float | None] = {}
        known = gathered = 0.0
        for criterion in criteria:
            value = one.values.get(criterion.name)
            utilities[criterion.name] = None if value is None else criterion.utility(value)
            if value is not None:
                known += criterion.weight
                gathered += criterion.weight * criterion.utility(value)
        missing = tuple(name for name, value in utilities.items() if value is None)
        low = gathered / total_weight
        out.append(
            Ranked(
                candidate_id=one.candidate_id,
                utilities=utilities,
                total=gathered / known if known else None,
                low=low,
                high=low + (total_weight - known) / total_weight,
                missing=missing,
                passes=one.passes,
            )
        )
    return sorted(out, key=lambda r: (not r.passes, r.total is None, len(r.missing) > 0, -(r.total or 0.0)))


def firmness(
    criteria: Sequence[Criterion],
    evidence: Sequence[Evidence],
    rng: np.random.Generator,
    *,
    draws: int = 4_000,
    concentration: float = 30.0,
) -> dict[int, tuple[float, float]]:
    """By candidate that passes with full evidence: (chance of being first, chance of the top three).

    Monte Carlo over the evidence's own uncertainty (normal, by its standard errors) and over the weights (Dirichlet
    around the stated ones, ``concentration`` times their shares).
    """
    able = [e for e in evidence if e.passes and all(e.values.get(c.name) is not None for c in criteria if c.weight)]
    weights = np.array([c.weight for c in criteria], dtype=float)
    if not able or weights.sum() <= 0:
        return {}
    drawn = rng.dirichlet(np.maximum(weights / weights.sum() * concentration, 1e-3), size=draws)
    totals: NDArray[np.float64] = np.zeros((draws, len(able)))
    for k, criterion in enumerate(criteria):
        for j, one in enumerate(able):
            value = one.values.get(criterion.name)
            if value is None:
                continue
            values = value + one.errors.get(criterion.name, 0.0) * rng.standard_normal(draws)
            span = criterion.best - criterion.worst
            utility = (
                np.clip((values - criterion.worst) / span, 0, 1) if span else (values == criterion.best).astype(float)
            )
            totals[:, j] += drawn[:, k] * utility
    order = np.argsort(-totals, axis=1)
    return {
        one.candidate_id: (float((order[:, 0] == j).mean()), float((order[:, :3] == j).any(axis=1).mean()))
        for j, one in enumerate(able)
    }


def frontier(points: Sequence[tuple[int, float, float]]) -> set[int]:
    """Ids not dominated: no other is at least as good and at least as cheap, and better in one.

    points: (id, quality to be high, cost to be low).
    """
    return {i for i, q, c in points if not any((q2 >= q and c2 <= c) and (q2 > q or c2 < c) for _, q2, c2 in points)}

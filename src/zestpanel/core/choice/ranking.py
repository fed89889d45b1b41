"""Weighted utilities, missing evidence kept missing, the trade-off frontier, and how firm the first place is."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, slots=True, kw_only=True)
class Criterion:
    """A criterion: worst is 'not acceptable' (utility 0), best 'as good as it need be' (1); either may be greater.
    bars: beyond worst is a must-have not met."""

    name: str
    worst: float
    best: float
    weight: float
    bars: bool = False

    def utility(self, value: float) -> float:
        """Linear between the two, clipped."""
        if self.worst == self.best:
            return 1.0 if value == self.best else 0.0
        return min(1.0, max(0.0, (value - self.worst) / (self.best - self.worst)))


@dataclass(frozen=True, slots=True, kw_only=True)
class Ranked:
    """A candidate's standing within a language. utilities: by criterion, None where evidence is missing. low and high:
    the total with the missing parts at 0 and at 1. total: over the evidence there is, None when there is none.

    place: from 1, shared by equal totals; None for what misses a must-have or evidence, and where no criterion has a
    weight. alone: the only one that passes with evidence for every criterion, so that there is no chance to state.
    missing: criteria that have a weight and no evidence.
    """

    candidate_id: int
    utilities: dict[str, float | None]
    total: float | None
    low: float
    high: float
    missing: tuple[str, ...]
    passes: bool
    place: int | None = None
    first: float | None = None  # chance of being first, None where it is not drawn
    top_three: float | None = None
    language: str = ""
    alone: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Evidence:
    """What is known of a candidate: value and standard error by criterion; absent or None is missing.

    draws: values drawn together for all candidates (the same resampled listeners and passages), by criterion; they
    stand instead of a normal law around the value.
    """

    candidate_id: int
    values: dict[str, float | None]
    errors: dict[str, float] = field(default_factory=dict)
    passes: bool = True
    draws: dict[str, NDArray[np.float64]] = field(default_factory=dict, repr=False, compare=False)


_SAME: Final = 1e-9  # totals nearer than this are equal


def rank(criteria: Sequence[Criterion], evidence: Sequence[Evidence]) -> list[Ranked]:
    """Candidates from best to worst; those that pass the gates first, those without any evidence last.

    A criterion of weight 0 moves nobody, whether its evidence is there or not.
    """
    weighed = [c for c in criteria if c.weight > 0]
    total_weight = sum(c.weight for c in weighed) or 1.0
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
        low = gathered / total_weight
        out.append(
            Ranked(
                candidate_id=one.candidate_id,
                utilities=utilities,
                total=gathered / known if known else None,
                low=low,
                high=low + (total_weight - known) / total_weight if weighed else 0.0,
                missing=tuple(c.name for c in weighed if utilities[c.name] is None),
                passes=one.passes,
            )
        )
    ordered = sorted(out, key=_order)
    placed: list[Ranked] = []
    for index, ranked in enumerate(ordered):
        before = placed[-1] if placed else None
        place: int | None = index + 1
        if before is not None and _order(before)[:3] == _order(ranked)[:3]:
            place = before.place if abs(_order(before)[3] - _order(ranked)[3]) < _SAME else place
        placed.append(
            replace(ranked, place=place if ranked.passes and ranked.total is not None and not ranked.missing else None)
        )
    return placed


def _order(one: Ranked) -> tuple[bool, bool, bool, float]:
    return (not one.passes, one.total is None, len(one.missing) > 0, -(one.total or 0.0))


def firmness(
    criteria: Sequence[Criterion],
    evidence: Sequence[Evidence],
    rng: np.random.Generator,
    *,
    draws: int = 4_000,
    concentration: float = 30.0,
) -> dict[int, tuple[float, float]]:
    """By candidate that passes with full evidence: (chance of being first, chance of the top three).

    Monte Carlo over the evidence's own uncertainty and over the weights (Dirichlet around the stated ones,
    ``concentration`` times their shares). Values that were drawn together (``Evidence.draws``) are used together, so
    that a strict listener is strict with all, and are calibrated; others vary by their standard errors. Places that are
    tied are shared. Nothing where no criterion has a weight.
    """
    weighed = [c for c in criteria if c.weight > 0]
    able = [e for e in evidence if e.passes and all(e.values.get(c.name) is not None for c in weighed)]
    if not able or not weighed:
        return {}
    weights = np.array([c.weight for c in weighed], dtype=float)
    drawn = rng.dirichlet(np.maximum(weights / weights.sum() * concentration, 1e-3), size=draws)
    totals: NDArray[np.float64] = np.zeros((draws, len(able)))
    for k, criterion in enumerate(weighed):
        given = [one.draws.get(criterion.name) for one in able]
        together = _calibrated([np.resize(of, draws) for of in given if of is not None], rng)
        for j, one in enumerate(able):
            value = one.values.get(criterion.name)
            if value is None:
                continue
            if given[j] is not None:
                values = next(together)
            else:
                values = value + one.errors.get(criterion.name, 0.0) * rng.standard_normal(draws)
            span = criterion.best - criterion.worst
            utility = (
                np.clip((values - criterion.worst) / span, 0, 1) if span else (values == criterion.best).astype(float)
            )
            totals[:, j] += drawn[:, k] * utility
    firsts, threes = _shares(totals, 1), _shares(totals, 3)
    return {one.candidate_id: (float(firsts[j]), float(threes[j])) for j, one in enumerate(able)}


_SPREADS: Final = np.linspace(0.02, 1.5, 40)  # between candidates, in categories: all as likely before anybody rated
_WIDENED: Final = 0.7  # of draws, which are wide so that intervals hold with few answers (by simulation)


def _calibrated(draws: Sequence[NDArray[np.float64]], rng: np.random.Generator) -> Iterator[NDArray[np.float64]]:
    """Scores drawn together, so that who is said to be first in 7 of 10 draws is first 7 times in 10: candidates are
    alike to a degree that their own scores tell (a normal law between them of unknown spread; Efron & Morris 1975,
    with the spread drawn, after Gelman 2006), and the highest is seldom as high as it seems."""
    if len(draws) < 2:
        yield from draws
        return
    table = np.stack(draws)
    count, size = table.shape
    means = table.mean(axis=1)
    middle, apart = means.mean(), table - means[:, None]
    common = apart.mean(axis=0)
    apart = (apart - common) * _WIDENED
    error = max(float((apart**2).mean()) * count / (count - 1), 1e-9)
    variance = _SPREADS**2 + error
    likely = -(count - 1) / 2 * np.log(variance) - float(((means - middle) ** 2).sum()) / (2 * variance)
    share = np.exp(likely - likely.max())
    spread = rng.choice(_SPREADS, size=size, p=share / share.sum()) ** 2
    kept = spread / (spread + error)
    yield from middle + kept * (means - middle)[:, None] + np.sqrt(kept) * apart + common


def _shares(totals: NDArray[np.float64], places: int) -> NDArray[np.float64]:
    """Share of the rows in which each column is among the first ``places``; a tie about the last of them is shared."""
    places = min(places, totals.shape[1])
    edge = -np.partition(-totals, places - 1, axis=1)[:, places - 1 : places]
    above = totals > edge + _SAME
    tied = ~above & (totals >= edge - _SAME)
    open_places = places - above.sum(axis=1, keepdims=True)
    found: NDArray[np.float64] = (above + tied * open_places / tied.sum(axis=1, keepdims=True)).mean(axis=0)
    return found


def chance_in_words(chance: float) -> str:
    """'44 %'; what seldom or never came in the draws is under one in a hundred, not impossible."""
    return "< 1 %" if chance < 0.005 else "> 99 %" if chance > 0.995 else f"{100 * chance:.0f} %"


def frontier(points: Sequence[tuple[int, float, float]]) -> set[int]:
    """Ids not dominated: no other is at least as good and at least as cheap, and better in one.

    points: (id, quality to be high, cost to be low).
    """
    return {i for i, q, c in points if not any((q2 >= q and c2 <= c) and (q2 > q or c2 < c) for _, q2, c2 in points)}

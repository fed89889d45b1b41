"""Differences between candidates, paired by listener: exact tests, Holm's correction, letters, equality."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from zestpanel.core.analysis.statistics.tails import friedman_p, mid_ranks, special, t_quantile
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.texts import tr
from zestpanel.core.waiting import give_way


def signed_rank_p(differences: ArrayLike) -> float:
    """Exact two-sided p of the Wilcoxon signed-rank test, ties and zeros included.

    Zeros by Pratt (1959): ranked with the others, then dropped. The null distribution is the permutation one over
    all sign patterns, summed exactly by dynamic programming over doubled mid-ranks; no normal approximation.
    Returns 1.0 when all differences are zero. Raises NotEnoughData without differences.
    """
    d = np.asarray(differences, dtype=float)
    if len(d) == 0:
        raise NotEnoughData(tr("There are no pairs to compare."))
    d = np.round(d, 9)  # means of the same ratings in another order must tie
    ranks = mid_ranks(np.abs(d))
    doubled = np.rint(2 * ranks[d != 0]).astype(int)
    if len(doubled) == 0:
        return 1.0
    observed = int(np.rint(2 * ranks[d > 0]).sum())
    total = int(doubled.sum())
    ways = np.zeros(total + 1)
    ways[0] = 1.0
    for rank in doubled:
        ways[rank:] = (ways[rank:] + ways[: total + 1 - rank]) / 2
        ways[:rank] /= 2
    extreme = min(observed, total - observed)
    return float(min(1.0, 2 * ways[: extreme + 1].sum()))


@lru_cache(maxsize=64)
def _pairs_of(count: int) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Places of all pairs, each with itself included."""
    return np.triu_indices(count)


def hodges_lehmann(differences: ArrayLike) -> float:
    """Shift between two paired samples: median of the Walsh averages (Hodges & Lehmann 1963)."""
    d = np.asarray(differences, dtype=float)
    i, j = _pairs_of(len(d))
    return float(np.median((d[i] + d[j]) / 2))


def holm(p_values: ArrayLike) -> NDArray[np.float64]:
    """p values adjusted for many comparisons (Holm 1979, step-down)."""
    p = np.asarray(p_values, dtype=float)
    order = np.argsort(p)
    adjusted = np.maximum.accumulate(p[order] * (len(p) - np.arange(len(p))))
    out = np.empty_like(p)
    out[order] = np.minimum(1.0, adjusted)
    return out


@dataclass(frozen=True, slots=True, kw_only=True)
class Pair:
    """Two candidates by index. shift: of first minus second. n: listeners who rated both. p is None for too few."""

    first: int
    second: int
    shift: float
    p: float | None
    adjusted_p: float | None
    n: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Comparison:
    """All pairs, Friedman's overall p (None for fewer than three), and letters: candidates sharing one are not
    told apart."""

    pairs: tuple[Pair, ...]
    friedman_p: float | None
    letters: tuple[str, ...]


def compare(listener_means: NDArray[np.float64], *, alpha: float = 0.05) -> Comparison:
    """Compare candidates on listener means, for these very texts: the passages are taken as fixed, so that what is told
    apart here may not be on other texts (see ``crossed`` for the statement that holds for those). Shifts are
    Hodges-Lehmann's.

    listener_means: (candidates, listeners), NaN where a listener did not rate a candidate; the listener is the
    independent unit. Pairs with fewer than two common listeners are not told apart (p = 1).
    """
    count = len(listener_means)
    raw = []
    for a, b in combinations(range(count), 2):
        give_way()
        d = listener_means[a] - listener_means[b]
        d = d[~np.isnan(d)]
        raw.append((a, b, hodges_lehmann(d) if len(d) else 0.0, signed_rank_p(d) if len(d) > 1 else 1.0, len(d)))
    adjusted = holm([r[3] for r in raw]) if raw else np.array([])
    pairs = tuple(
        Pair(first=a, second=b, shift=shift, p=p, adjusted_p=float(q), n=n)
        for (a, b, shift, p, n), q in zip(raw, adjusted, strict=True)
    )
    complete = listener_means[:, ~np.isnan(listener_means).any(axis=0)] if count else listener_means
    friedman = None
    if count >= 3 and complete.shape[1] >= 2 and np.ptp(complete) > 0:
        friedman = friedman_p(complete)
    order = np.argsort(
        -np.nan_to_num(np.array([np.nanmean(m) if (~np.isnan(m)).any() else -1e9 for m in listener_means]))
    )
    differ = {frozenset((p.first, p.second)) for p in pairs if p.adjusted_p is not None and p.adjusted_p < alpha}
    return Comparison(pairs=pairs, friedman_p=friedman, letters=letters(count, differ, [int(i) for i in order]))


def letters(count: int, differ: set[frozenset[int]], order: list[int]) -> tuple[str, ...]:
    """Compact letter display by insert-and-absorb (Piepho 2004): two items share a letter iff they do not differ.

    order: items from best to worst; the letters follow it, 'a' with the best.
    """
    groups: list[set[int]] = [set(range(count))]
    for pair in differ:
        a, b = tuple(pair)
        for group in [g for g in groups if a in g and b in g]:
            groups.remove(group)
            for less in (group - {a}, group - {b}):
                if not any(less <= other for other in groups):
                    groups = [other for other in groups if not other < less]
                    groups.append(less)
    place = {item: i for i, item in enumerate(order)}
    groups.sort(key=lambda g: sorted(place[i] for i in g))
    out = [""] * count
    for index, group in enumerate(groups):
        for item in group:
            out[item] += chr(ord("a") + index) if index < 26 else f"({index + 1})"
    return tuple(out)


@dataclass(frozen=True, slots=True, kw_only=True)
class Equality:
    """Two one-sided tests against ±margin. low and high: the 90 % interval of the mean difference, which lies
    inside the margin exactly when ``equal``. n: listeners; passages: where they are drawn too, None where not."""

    difference: float
    low: float
    high: float
    margin: float
    p: float
    n: int
    passages: int | None = None

    @property
    def equal(self) -> bool:
        return self.p < 0.05

    @property
    def not_worse(self) -> bool:
        """The first is not worse than the second by more than the margin (one-sided 5 %)."""
        return self.low > -self.margin


def equality(first: ArrayLike, second: ArrayLike, *, margin: float = 0.3) -> Equality:
    """'As good as' for these very texts: two one-sided t tests on differences of listener means (Schuirmann 1987).

    Raises NotEnoughData below three listeners in common, and where all differ alike: without any spread among the
    answers nothing can be said of it.
    """
    d = np.asarray(first, dtype=float) - np.asarray(second, dtype=float)
    d = d[~np.isnan(d)]
    if len(d) < 3:
        raise NotEnoughData(tr("Equality needs three listeners who rated both, there are {d}.", d=len(d)))
    mean, se = float(d.mean()), float(d.std(ddof=1) / np.sqrt(len(d)))
    if se < 1e-12:
        raise NotEnoughData(tr("All listeners differ alike: too few answers to tell how sure that is."))
    df = len(d) - 1
    p = max(float(special().stdtr(df, -(mean + margin) / se)), float(special().stdtr(df, (mean - margin) / se)))
    half = t_quantile(0.95, df) * se
    return Equality(difference=mean, low=mean - half, high=mean + half, margin=margin, p=p, n=len(d))


def listeners_needed_to_tell(comparisons: int, *, alpha: float = 0.05) -> int:
    """Fewest listeners with which the exact test can reach alpha after Holm over so many pairs, all agreeing.

    The smallest two-sided p of n listeners is 2 / 2^n.
    """
    n = 1
    while 2.0 / 2.0**n * max(1, comparisons) >= alpha:
        n += 1
    return n

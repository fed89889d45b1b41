"""Means and differences of crossed data: every listener rates every candidate on every passage, and both are drawn.

One model for all that a page says of the same scores: interval, groups, equality and chance of first place. Listeners
and passages are random factors, so that a statement holds for other listeners and other texts of the kind. The
variance of a mean is v_L + v_P - v_E (v: variance of listener means, of passage means and of the residual, each over
its count; never below v_L or v_P alone), with Satterthwaite's (1946) degrees of freedom.

Two things keep few answers from looking sure. A rating on whole categories hides a spread of step²/12 (Sheppard 1898):
that is the least variance an answer has. Below 5 listeners or 3 passages the variance is at least that of the usual
spreads of such panels (``PRIOR_SD``, common practice, no source).
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.analysis.statistics.intervals import Interval, bootstrap_draws
from zestpanel.core.analysis.statistics.paired import Comparison, Equality, Pair, holm, letters
from zestpanel.core.analysis.statistics.tails import special
from zestpanel.core.texts import tr
from zestpanel.core.waiting import give_way

FEWEST_LISTENERS: Final = 5
FEWEST_PASSAGES: Final = 3
# below that the variance of a mean is not trusted to the passages alone: with three of them 95 % intervals held in 93 %
FEWEST_OWN_PASSAGES: Final = 4
# to compare at all: below that "too few"
FEWEST_TO_COMPARE: Final = (3, 2)
# categories of the 5-point scale: listeners, passages, one answer about what these two explain
PRIOR_SD: Final = (0.5, 0.3, 0.7)
# how firmly a pair's own variance is drawn to that of all pairs: as if it rested on so many more degrees of freedom
# (shrinkage with a prior of fixed weight; the number by simulation, see the benchmark of error rates)
MODERATING_DF: Final = 8.0
ALPHA: Final = 0.05
WIDER: Final = 0.2  # of two spreads the wider is taken: by how much that is wider than either (by simulation)


@dataclass(frozen=True, slots=True, kw_only=True)
class Spread:
    """Variance of a mean with its degrees of freedom (inf where it is assumed). listeners, passages, n: rated."""

    variance: float
    df: float
    listeners: int
    passages: int
    n: int
    parts: tuple[float, float, float] = (0.0, 0.0, 0.0)  # v_L, v_P, v_E

    @property
    def few(self) -> bool:
        return self.listeners < FEWEST_LISTENERS or self.passages < FEWEST_PASSAGES

    def half_width(self, level: float = 0.95) -> float:
        return _t(self.df, (1 + level) / 2) * float(np.sqrt(self.variance))


def _t(df: float, q: float) -> float:
    return float(special().ndtri(q) if np.isinf(df) else special().stdtrit(df, q))


def step_of(values: NDArray[np.float64]) -> float:
    """The scale's step as the answers show it: 1, 0.5 or 0.1 of a category."""
    known = values[~np.isnan(values)]
    return next((step for step in (1.0, 0.5) if np.allclose(np.rint(known / step) * step, known, atol=1e-9)), 0.1)


def _parts(table: NDArray[np.float64]) -> tuple[tuple[float, float, float], float, int, int, int]:
    """((v_L, v_P, v_E), degrees of freedom of the rest, listeners, passages, answers) of (listeners, passages)."""
    rated = ~np.isnan(table)
    table, rated = table[rated.any(axis=1)], rated[rated.any(axis=1)]
    table, rated = table[:, rated.any(axis=0)], rated[:, rated.any(axis=0)]
    people, texts = table.shape
    n = int(rated.sum())
    filled = np.where(rated, table, 0.0)
    of_people = filled.sum(axis=1) / np.maximum(1, rated.sum(axis=1))
    of_texts = filled.sum(axis=0) / np.maximum(1, rated.sum(axis=0))
    v_people = float(of_people.var(ddof=1)) / people if people > 1 else 0.0
    v_texts = float(of_texts.var(ddof=1)) / texts if texts > 1 else 0.0
    df_rest = n - people - texts + 1
    v_rest = 0.0
    if people > 1 and texts > 1 and df_rest > 0:
        rest = np.where(rated, table - of_people[:, None] - of_texts[None, :] + filled.sum() / n, 0.0)
        v_rest = float((rest**2).sum()) / df_rest / n
    return (v_people, v_texts, v_rest), float(max(1, df_rest)), people, texts, n


def _variance(parts: tuple[float, float, float]) -> float:
    v_people, v_texts, v_rest = parts
    return max(v_people + v_texts - v_rest, v_people, v_texts)


def _satterthwaite(parts: tuple[float, float, float], people: float, texts: float, rest: float) -> float:
    v_people, v_texts, v_rest = parts
    spread = v_people**2 / max(1.0, people) + v_texts**2 / max(1.0, texts) + v_rest**2 / max(1.0, rest)
    return max(1.0, _variance(parts) ** 2 / spread) if spread > 0 else np.inf


def _prior(people: int, texts: int, n: int, times: float) -> float:
    of_people, of_texts, of_rest = PRIOR_SD
    return times * (of_people**2 / max(1, people) + of_texts**2 / max(1, texts) + of_rest**2 / max(1, n))


def spread_of_mean(table: NDArray[np.float64], *, of_differences: bool = False, step: float | None = None) -> Spread:
    """Spread of the mean of (listeners, passages), NaN where not rated; at least one answer.

    of_differences: the cells are differences of two ratings, whose rounding and usual spread count twice.
    """
    parts, df_rest, people, texts, n = _parts(table)
    times = 2.0 if of_differences else 1.0
    variance, df = _variance(parts), _satterthwaite(parts, people - 1, texts - 1, df_rest)
    rounding = times * (step_of(table) if step is None else step) ** 2 / 12 / max(1, n)
    if variance <= rounding:
        variance, df = rounding, float(max(1, people - 1))
    found = Spread(variance=variance, df=df, listeners=people, passages=texts, n=n, parts=parts)
    if not found.few and (of_differences or texts >= FEWEST_OWN_PASSAGES):
        return found
    usual = Spread(
        variance=_prior(people, texts, n, times), df=np.inf, listeners=people, passages=texts, n=n, parts=parts
    )
    if people < 2 or usual.half_width() > found.half_width():
        return usual
    return found


def crossed_intervals(
    table: NDArray[np.float64], draws: NDArray[np.float64], *, bounds: tuple[float, float] | None, level: float = 0.95
) -> list[Interval]:
    """Mean with its interval per candidate of (candidates, listeners, passages); every candidate has an answer.

    draws: of ``bootstrap_draws``. Its deviations are scaled to the variance of ``spread_of_mean`` and to t instead of
    the normal law, because the bootstrap of few units errs twice (it counts the residual three times, and its
    percentiles act like a normal law); on each side the interval reaches at least as far as that of t. bounds: ends of
    the scale, which no interval leaves, since no mean can.
    """
    tail = (1 - level) / 2
    out: list[Interval] = []
    for one, drawn in zip(table, draws, strict=True):
        spread = spread_of_mean(one)
        mean = float(np.nanmean(one))
        half = spread.half_width(level)
        low, high = mean - half, mean + half
        booted = float(drawn.std())
        if booted > 0 and booted**2 > spread.variance / 16:
            factor = half / (_t(np.inf, (1 + level) / 2) * booted)
            ends = np.quantile(drawn, [tail, 1 - tail]) - mean
            low, high = min(low, mean + factor * float(ends[0])), max(high, mean + factor * float(ends[1]))
        if bounds is not None:
            low, high = max(low, bounds[0]), min(high, bounds[1])
        out.append(Interval(estimate=mean, low=min(low, mean), high=max(high, mean), n=spread.listeners,
                            method=tr("crossed bootstrap")))  # fmt: skip
    return out


def joint_draws(
    table: NDArray[np.float64], draws: NDArray[np.float64], rng: np.random.Generator, bounds: tuple[float, float]
) -> NDArray[np.float64]:
    """Means of all candidates under the same resampled listeners and passages, shape (candidates, draws), each with
    the spread of ``spread_of_mean``: scaled, and where the bootstrap has too little of it, with noise of its own."""
    out = np.empty_like(draws)
    for k, (one, drawn) in enumerate(zip(table, draws, strict=True)):
        variance = spread_of_mean(one).variance
        mean = float(np.nanmean(one))
        booted = float(drawn.var())
        scale = min(2.0, float(np.sqrt(variance / booted))) if booted > 0 else 0.0
        rest = max(0.0, variance - scale**2 * booted)
        out[k] = mean + scale * (drawn - mean)
        if rest > 1e-12:
            out[k] += np.sqrt(rest) * rng.standard_normal(draws.shape[1])
    clipped: NDArray[np.float64] = np.clip(out, *bounds)
    return clipped


@dataclass(frozen=True, slots=True, kw_only=True)
class Differences:
    """All pairs of candidates: means of the paired differences, and two spreads of each, its own drawn towards that of
    all pairs, and that of all pairs. A statement needs both: one odd candidate then lends no other its calm."""

    first: NDArray[np.intp]
    second: NDArray[np.intp]
    means: NDArray[np.float64]
    own: tuple[Spread | None, ...]
    pooled: Spread | None

    def spreads(self, pair: int) -> tuple[Spread, ...]:
        """The spreads a statement on a pair rests on; none where there are too few common answers."""
        own = self.own[pair]
        if own is None:
            return ()
        if self.pooled is None or own.few:
            return (own,)
        df = min(MODERATING_DF, self.pooled.df)
        moderated = Spread(
            variance=(own.df * own.variance + df * self.pooled.variance) / (own.df + df), df=own.df + df,
            listeners=own.listeners, passages=own.passages, n=own.n,
        )  # fmt: skip
        return (moderated, self.pooled)

    def half_width(self, pair: int, level: float) -> float | None:
        return max((s.half_width(level) for s in self.spreads(pair)), default=None)

    def p(self, pair: int, *, shift: float = 0.0, side: int = 0) -> float | None:
        """p of the mean difference against ``-shift``. side: 0 two-sided, 1 for 'greater', -1 for 'less'."""
        worst = None
        for spread in self.spreads(pair):
            t = (float(self.means[pair]) + shift) / float(np.sqrt(spread.variance))
            below = float(special().ndtr(t) if np.isinf(spread.df) else special().stdtr(spread.df, t))
            p = 2 * min(below, 1 - below) if side == 0 else (1 - below if side > 0 else below)
            worst = p if worst is None else max(worst, p)
        return worst


def differences(table: NDArray[np.float64]) -> Differences:
    """Paired differences of all candidates of (candidates, listeners, passages), NaN where not rated."""
    count = len(table)
    pairs = list(combinations(range(count), 2))
    step = step_of(table)
    means, own = np.zeros(len(pairs)), []
    sums, held, degrees = np.zeros(3), 0, np.zeros(3)
    for k, (a, b) in enumerate(pairs):
        give_way()
        d = table[a] - table[b]
        known = ~np.isnan(d)
        enough = known.any(axis=1).sum() >= FEWEST_TO_COMPARE[0] and known.any(axis=0).sum() >= FEWEST_TO_COMPARE[1]
        means[k] = float(d[known].mean()) if known.any() else 0.0
        spread = spread_of_mean(d, of_differences=True, step=step) if enough else None
        own.append(spread)
        if spread is not None and not spread.few:
            sums += spread.parts
            degrees += (
                spread.listeners - 1,
                spread.passages - 1,
                max(1, spread.n - spread.listeners - spread.passages),
            )
            held += 1
    pooled = None
    if held:
        involved = len({i for pair, s in zip(pairs, own, strict=True) if s is not None for i in pair})
        people, texts, rest = degrees / held * max(1, involved - 1)
        v_people, v_texts, v_rest = (float(v) for v in sums / held)
        parts = (v_people, v_texts, v_rest)
        n = int(np.median([s.n for s in own if s is not None]))
        pooled = Spread(
            variance=max(_variance(parts), 2 * step**2 / 12 / n), df=_satterthwaite(parts, people, texts, rest),
            listeners=FEWEST_LISTENERS, passages=FEWEST_PASSAGES, n=n, parts=parts,
        )  # fmt: skip
    return Differences(
        first=np.array([a for a, _ in pairs], dtype=np.intp),
        second=np.array([b for _, b in pairs], dtype=np.intp),
        means=means,
        own=tuple(own),
        pooled=pooled,
    )


def compare_crossed(found: Differences, count: int, order: list[int]) -> Comparison:
    """All pairs tested with listeners and passages drawn, p adjusted by Holm (1979), and compact letters.

    order: candidates from best to worst. A pair with too few common answers has p None and is not told apart.
    """
    raw = [found.p(k) for k in range(len(found.means))]
    known = [(k, p) for k, p in enumerate(raw) if p is not None]
    adjusted = dict(zip((k for k, _ in known), holm([p for _, p in known]), strict=True)) if known else {}
    pairs = tuple(
        Pair(
            first=int(a), second=int(b), shift=float(found.means[k]), p=raw[k],
            adjusted_p=float(adjusted[k]) if k in adjusted else None,
            n=s.listeners if (s := found.own[k]) is not None else 0,
        )
        for k, (a, b) in enumerate(zip(found.first, found.second, strict=True))
    )  # fmt: skip
    differ = {frozenset((p.first, p.second)) for p in pairs if p.adjusted_p is not None and p.adjusted_p < ALPHA}
    return Comparison(pairs=pairs, friedman_p=None, letters=letters(count, differ, order))


def equality_crossed(found: Differences, first: int, second: int, *, margin: float) -> Equality | None:
    """Two one-sided tests (Schuirmann 1987) on a pair's differences, listeners and passages drawn; None for too few."""
    for k, (a, b) in enumerate(zip(found.first, found.second, strict=True)):
        if {int(a), int(b)} != {first, second}:
            continue
        half = found.half_width(k, 0.9)
        above, below = found.p(k, shift=margin, side=1), found.p(k, shift=-margin, side=-1)
        spread = found.own[k]
        if half is None or above is None or below is None or spread is None:
            return None
        sign = 1.0 if int(a) == first else -1.0
        mean = sign * float(found.means[k])
        return Equality(
            difference=mean, low=mean - half, high=mean + half, margin=margin, p=max(above, below), n=spread.listeners,
            passages=spread.passages,
        )  # fmt: skip
    return None


def draws_of(table: NDArray[np.float64], seed: int) -> NDArray[np.float64]:
    """The one bootstrap all statements on a table are drawn from."""
    return bootstrap_draws(table, np.random.default_rng(seed))


Leanings = tuple[float, float, float]
# of a listener to a candidate, of a passage to one, and the rest, SD in categories: half of the usual spreads, the rest
# whole (common practice, no source)
USUAL_LEANINGS: Final[Leanings] = (PRIOR_SD[0] / 2, PRIOR_SD[1] / 2, PRIOR_SD[2])


def leanings(found: Differences) -> Leanings | None:
    """SDs of listeners' and passages' leanings to a candidate and of the rest, as the answers show them: expected mean
    squares solved for the components (Searle, Casella & McCulloch 1992, crossed random effects), of differences halved
    to those of a candidate, the mean over all pairs. None where there are too few answers."""
    known = [s for s in found.own if s is not None and not s.few]
    if not known:
        return None
    rest = np.array([s.parts[2] * s.n for s in known])
    people = np.array([max(0.0, s.parts[0] * s.listeners - e / s.passages) for s, e in zip(known, rest, strict=True)])
    texts = np.array([max(0.0, s.parts[1] * s.passages - e / s.listeners) for s, e in zip(known, rest, strict=True)])
    of_people, of_texts, of_rest = (float(np.sqrt(part.mean() / 2)) for part in (people, texts, rest))
    return of_people, of_texts, of_rest


def smallest_difference_told(
    listeners: int, passages: int, comparisons: int, *, power: float = 0.8, spread: Leanings = USUAL_LEANINGS
) -> float | None:
    """The difference of two candidates that such a panel tells apart with the given power. spread: SDs of listeners'
    and of passages' leanings to a candidate, and of the rest, in categories.

    By the test that will be made, at the first step of Holm: its variance and degrees of freedom as these spreads and
    rounding to categories lead one to expect (Satterthwaite), and the wider of its two spreads, of which that of all
    pairs knows more the more candidates there are. Within some points of simulation: see the benchmark of planned
    power. None below what can be compared at all.
    """
    if listeners < FEWEST_TO_COMPARE[0] or passages < FEWEST_TO_COMPARE[1]:
        return None
    of_people, of_texts, of_rest = spread
    n = listeners * passages
    v_rest = 2 * (of_rest**2 + 1 / 12) / n
    parts = (2 * of_people**2 / listeners + v_rest, 2 * of_texts**2 / passages + v_rest, v_rest)
    variance = _variance(parts)
    involved = (1 + np.sqrt(1 + 8 * max(1, comparisons))) / 2
    pooled = _satterthwaite(
        parts, *((involved - 1) * df for df in (listeners - 1, passages - 1, n - listeners - passages + 1))
    )
    own = _satterthwaite(parts, listeners - 1, passages - 1, n - listeners - passages + 1)
    level = 1 - ALPHA / 2 / max(1, comparisons)
    reach = max(_t(pooled, level), _t(own + min(MODERATING_DF, pooled), level)) * np.sqrt(variance)
    if listeners < FEWEST_LISTENERS or passages < FEWEST_PASSAGES:
        reach = max(reach, _t(np.inf, level) * np.sqrt(_prior(listeners, passages, n, 2.0)))
    reach *= 1 + WIDER / np.sqrt(2 * own)
    return float(reach + _t(np.inf, power) * np.sqrt(variance))


def listeners_to_tell(
    difference: float, passages: int, *, comparisons: int = 1, most: int = 200, spread: Leanings = USUAL_LEANINGS
) -> int | None:
    """How many listeners on so many passages tell such a difference with power 0.8; None where ``most`` do not."""
    for wanted in range(FEWEST_TO_COMPARE[0], most + 1):
        told = smallest_difference_told(wanted, passages, comparisons, spread=spread)
        if told is not None and told <= difference:
            return wanted
    return None

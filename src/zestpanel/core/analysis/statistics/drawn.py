"""Shares, strengths and means of any kind of answer, with listeners and passages both drawn.

Every statement on answers is for other listeners and other texts of the kind. Whatever is estimated, a share, a mean, a
difference of strengths, is a sum over answers to first order; what each answer adds to it (its influence, z) is summed
by listener and by passage. The variance is v_L + v_P - v_E, never below v_L or v_P alone nor below that of independent
answers: the two-way rule of Cameron, Gelbach & Miller (2011), with Satterthwaite's (1946) degrees of freedom. For means
of a full table it is that of ``crossed``.

Few answers are not trusted to themselves: the design effect is drawn to that of the usual likeness of one listener's
and one passage's answers (``ALIKE``, common practice, no source), as if that were known with some degrees of freedom;
where all answers are alike it is that one. Both numbers by simulation: see the benchmark of error rates.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from zestpanel.core.analysis.statistics.intervals import Interval
from zestpanel.core.analysis.statistics.tails import special
from zestpanel.core.texts import tr

# how firmly an effect is drawn to the usual one: as if that were known with so many degrees of freedom
MODERATING_DF: Final = 3.0
# correlation of two answers of one listener, and of two about one passage: of a yes or no, and of a rating
ALIKE: Final = (0.06, 0.06)
RATED_ALIKE: Final = (0.10, 0.10)


@dataclass(frozen=True, slots=True, kw_only=True)
class Effect:
    """Of an estimate: its variance over that of independent answers, and the degrees of freedom it is known with (inf
    where it is assumed)."""

    times: float
    df: float
    listeners: int

    def quantile(self, level: float) -> float:
        """Of the law its error follows, over the standard error of independent answers."""
        return float(np.sqrt(self.times)) * _t(self.df, (1 + level) / 2)

    def p(self, squared: float) -> float:
        """Two-sided p of a squared standardised estimate (or a likelihood ratio) of independent answers."""
        t = float(np.sqrt(max(0.0, squared) / self.times))
        return float(min(1.0, 2 * (special().ndtr(-t) if np.isinf(self.df) else special().stdtr(self.df, -t))))


def _t(df: float, q: float) -> float:
    return float(special().ndtri(q) if np.isinf(df) else special().stdtrit(df, q))


def effect(
    z: ArrayLike,
    independent: float,
    listeners: Sequence[int],
    passages: Sequence[int],
    *,
    alike: tuple[float, float] = ALIKE,
    sizes: ArrayLike | None = None,
) -> Effect:
    """z: what each answer adds to the estimate, (answers,). independent: the variance of the estimate were all answers
    independent, 0 where all are alike. listeners, passages: of each answer. alike: how
    alike answers of one usually are. sizes: how many observations each answer is, one unless said."""
    z = np.asarray(z, dtype=float)
    people, of_people = np.unique(np.asarray(listeners), return_inverse=True)
    texts, of_texts = np.unique(np.asarray(passages), return_inverse=True)
    v_people = _between(z, of_people, len(people))
    v_texts = _between(z, of_texts, len(texts))
    v_rest = float((z**2).sum())
    variance = max(v_people + v_texts - v_rest, v_people, v_texts)
    rest = max(1, len(z) - len(people) - len(texts) + 1)
    spread = sum(
        v**2 / max(1, df) for v, df in ((v_people, len(people) - 1), (v_texts, len(texts) - 1), (v_rest, rest))
    )
    df = max(1.0, variance**2 / spread) if spread > 0 else np.inf
    sizes = np.ones(len(z)) if sizes is None else np.asarray(sizes, dtype=float)
    each = (float((np.bincount(of, weights=sizes) ** 2).sum() / sizes.sum()) for of in (of_people, of_texts))
    usual = max(1.0, 1 + sum(rho * (many - 1) for rho, many in zip(alike, each, strict=True)))
    if len(people) < 2 or variance <= 1e-15 or independent <= 0:
        return Effect(times=usual, df=np.inf, listeners=len(people))
    own = max(1.0, variance / independent)
    return Effect(times=(df * own + MODERATING_DF * usual) / (df + MODERATING_DF), df=df + MODERATING_DF,
                  listeners=len(people))  # fmt: skip


def usual_effect(listeners: int, passages: int) -> Effect:
    """What is to be expected of a full panel of the usual likeness, before anybody has answered."""
    n = listeners * passages
    of_person, of_text = ALIKE
    times = 1 + of_person * (passages - 1) + of_text * (listeners - 1)
    v_people, v_texts = 1 + of_person * (passages - 1), 1 + of_text * (listeners - 1)
    parts = ((v_people, listeners - 1), (v_texts, passages - 1), (1.0, max(1, n - listeners - passages + 1)))
    df = times**2 / sum(v**2 / max(1, df) for v, df in parts)
    return Effect(times=times, df=df + MODERATING_DF, listeners=listeners)


def _between(z: NDArray[np.float64], of: NDArray[np.intp], count: int) -> float:
    """Variance of the estimate were only these units drawn."""
    if count < 2:
        return 0.0
    sums = np.bincount(of, weights=z, minlength=count)
    return float((sums**2).sum()) * count / (count - 1)


def share(yes: ArrayLike, listeners: Sequence[int], passages: Sequence[int], *, level: float = 0.95) -> Interval:
    """The share of answers that are yes, with Wilson's (1927) interval on as many answers as they are worth."""
    y = np.asarray(yes, dtype=float)
    n, p = len(y), float(y.mean())
    found = effect((y - p) / n, p * (1 - p) / n, listeners, passages)
    z2 = found.quantile(level) ** 2
    middle = (p + z2 / (2 * n)) / (1 + z2 / n)
    half = float(np.sqrt(z2)) / (1 + z2 / n) * float(np.sqrt(p * (1 - p) / n + z2 / (4 * n * n)))
    low, high = max(0.0, middle - half), min(1.0, middle + half)
    return Interval(
        estimate=p, low=min(low, p), high=max(high, p), n=n, method=tr("Wilson, listeners and passages drawn")
    )


def share_p(yes: ArrayLike, listeners: Sequence[int], passages: Sequence[int], *, null: float = 0.5) -> float:
    """Two-sided p of a share against ``null`` (score test)."""
    y = np.asarray(yes, dtype=float)
    n, p = len(y), float(y.mean())
    found = effect((y - p) / n, p * (1 - p) / n, listeners, passages)
    return found.p((p - null) ** 2 / (null * (1 - null) / n))


def ratio(
    wrong: ArrayLike, words: ArrayLike, listeners: Sequence[int], passages: Sequence[int], *, level: float = 0.95
) -> Interval:
    """Share of words wrong, of answers with many words each: a ratio of sums (Cochran 1977, 6.4), its interval on the
    scale of log odds where the share is below 1."""
    w, n = np.asarray(wrong, dtype=float), np.asarray(words, dtype=float)
    total = float(n.sum())
    r = float(w.sum()) / total
    inside = min(max(r, 0.5 / total), 1 - 0.5 / total)
    independent = inside * (1 - inside) / total
    found = effect((w - r * n) / total, independent, listeners, passages, sizes=n)
    half = found.quantile(level) * float(np.sqrt(independent))
    if r >= 1:  # words that were added count, too
        low, high = max(0.0, r - half), r + half
    else:
        odds, reach = np.log(inside / (1 - inside)), half / (inside * (1 - inside))
        low, high = float(special().expit(odds - reach)), float(special().expit(odds + reach))
    return Interval(estimate=r, low=min(low, r), high=max(high, r), n=found.listeners,
                    method=tr("log odds, listeners and passages drawn"))  # fmt: skip


def mean(
    values: ArrayLike, listeners: Sequence[int], passages: Sequence[int], *, step: float, level: float = 0.95
) -> tuple[Interval, float]:
    """(mean with its interval, two-sided p against 0) of answers in steps, which hide a variance of step²/12 each
    (Sheppard 1898)."""
    x = np.asarray(values, dtype=float)
    n, middle = len(x), float(x.mean())
    least = step**2 / 12
    independent = max(least, float(x.var(ddof=1)) if n > 1 else 1.0) / n
    found = effect((x - middle) / n, independent, listeners, passages, alike=RATED_ALIKE)
    half = found.quantile(level) * float(np.sqrt(independent))
    interval = Interval(estimate=middle, low=middle - half, high=middle + half, n=found.listeners,
                        method=tr("t, listeners and passages drawn"))  # fmt: skip
    return interval, found.p(middle**2 / independent)

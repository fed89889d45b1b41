"""Strengths from paired comparisons that allow 'no preference'.

Model: Davidson (1970), JASA 65, 317-328: of i and j, i is preferred with p_i / (p_i + p_j + v sqrt(p_i p_j)), neither
with v sqrt(p_i p_j) over the same. With v = 0 it is that of Bradley & Terry (1952). The log-likelihood is concave in
the logarithms of strengths and v, so Newton's steps, halved where needed, find its one maximum. It exists where every
split of the candidates in two has a win or a tie across it both ways (Ford 1957) and something pins v: a pair with wins
and ties and no loss has its maximum at infinity where nothing else does. That is seen in the fit.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.analysis.statistics.drawn import effect
from zestpanel.core.analysis.statistics.tails import chi_squared_p
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.texts import tr

_STEPS: Final = 60
_CLOSE: Final = 1e-10
_FAR: Final = 25.0  # of a log strength, or the log of v: no answers of a panel say so much
_FLAT: Final = 1e-9  # curvature below which there is no maximum


@dataclass(frozen=True, slots=True)
class Strengths:
    """log_strength: (candidates,), natural logarithms with mean 0. covariance: of these, answers taken as independent.
    tie: v, 0 without any tie. inverse: of the information, the tie's row and column last."""

    log_strength: NDArray[np.float64]
    covariance: NDArray[np.float64]
    tie: float
    inverse: NDArray[np.float64]

    def beats(self, i: int, j: int) -> float:
        """The chance that i is preferred to j by one who has a preference."""
        return float(1 / (1 + np.exp(self.log_strength[j] - self.log_strength[i])))

    def influence(self, votes: Sequence[Vote], i: int, j: int) -> NDArray[np.float64]:
        """What each answer adds to the difference of the log strengths of i and j, to first order: (answers,)."""
        n = len(self.log_strength)
        first, second, answer = np.array(votes, dtype=float).reshape(-1, 3).T
        a, b = first.astype(int), second.astype(int)
        x = self.log_strength
        t = np.log(self.tie) + (x[a] + x[b]) / 2 if self.tie > 0 else np.full(len(a), -np.inf)
        whole = np.logaddexp(np.logaddexp(x[a], x[b]), t)
        p, q, r = np.exp(x[a] - whole), np.exp(x[b] - whole), np.exp(t - whole)
        tied = answer == 0
        score = np.zeros((len(a), n + (self.tie > 0)))
        rows = np.arange(len(a))
        score[rows, a] = (answer > 0) + tied / 2 - (p + r / 2)
        score[rows, b] = (answer < 0) + tied / 2 - (q + r / 2)
        if self.tie > 0:
            score[:, n] = tied - r
        contrast = np.zeros(score.shape[1])
        contrast[i], contrast[j] = 1.0, -1.0
        out: NDArray[np.float64] = score @ (self.inverse @ contrast)
        return out

    def difference_se(self, i: int, j: int) -> float:
        """Standard error of the difference of the logarithms."""
        c = self.covariance
        return float(np.sqrt(max(0.0, c[i, i] + c[j, j] - 2 * c[i, j])))


def strengths(wins: NDArray[np.float64], ties: NDArray[np.float64]) -> Strengths:
    """wins[i, j]: how often i was preferred to j; ties[i, j] = ties[j, i]: how often neither was.

    Raises NotEnoughData where the answers allow no finite strengths: candidates that were never compared, directly or
    through others, or some that won, or lost, every comparison with the rest.
    """
    wins, ties = np.asarray(wins, dtype=float), np.asarray(ties, dtype=float)
    n = len(wins)
    if n < 2 or len(groups_apart(wins, ties)) > 1:
        raise NotEnoughData(
            tr("The answers do not tie all candidates together: some were never compared with the rest, or won or lost "
            "every comparison with it."), remedy=tr("More answers between them are needed."),
        )  # fmt: skip
    fitted = _fitted(wins, ties)
    x, information = fitted.at, fitted.information
    if not _has_maximum(fitted, n):
        raise NotEnoughData(
            tr("The answers allow no finite strengths: some candidate was preferred or equal in every answer, and only "
               "equals hold the others to it."), remedy=tr("More answers between them are needed."),
        )  # fmt: skip
    information[:n, :n] += 1.0 / n
    inverse: NDArray[np.float64] = np.linalg.inv(information).astype(np.float64)
    covariance: NDArray[np.float64] = inverse[:n, :n] - 1.0 / n
    return Strengths(x[:n] - x[:n].mean(), covariance, float(np.exp(x[n])) if len(x) > n else 0.0, inverse)


def equal_p(wins: NDArray[np.float64], ties: NDArray[np.float64], i: int, j: int) -> float:
    """How likely so large a gap between i and j is where they are equally strong: likelihood ratio, chi-squared with
    one degree of freedom (Wilks 1938). Unlike the gap over its standard error it holds where one wins nearly always.

    Answers taken as independent: see ``gap`` for what holds for other listeners and texts. Raises NotEnoughData as
    ``strengths``.
    """
    return chi_squared_p(_ratio(wins, ties, i, j), 1)


def _ratio(wins: NDArray[np.float64], ties: NDArray[np.float64], i: int, j: int) -> float:
    """Twice the log of the likelihood ratio of i and j differing to their being equal."""
    strengths(wins, ties)
    wins, ties = np.asarray(wins, dtype=float), np.asarray(ties, dtype=float)
    free, held = _fitted(wins, ties), _fitted(wins, ties, same=(i, j))
    return 2 * (free.likelihood - held.likelihood)


Vote = tuple[int, int, int]  # first, second, answer: 1 for the first, -1 for the second, 0 for neither


@dataclass(frozen=True, slots=True)
class Gap:
    """The difference of two log strengths, for other listeners and texts of the kind. p: two-sided, by the likelihood
    ratio over the design effect."""

    difference: float
    low: float
    high: float
    p: float


def gap(votes: Sequence[Vote], listeners: Sequence[int], passages: Sequence[int], count: int, i: int, j: int) -> Gap:
    """Raises NotEnoughData as ``strengths``."""
    wins, ties = pair_table(votes, count)
    found = strengths(wins, ties)
    z = found.influence(votes, i, j)
    error = found.difference_se(i, j)
    known = effect(z, error**2, listeners, passages)
    difference, half = float(found.log_strength[i] - found.log_strength[j]), known.quantile(0.95) * error
    return Gap(difference, difference - half, difference + half, known.p(_ratio(wins, ties, i, j)))


def _has_maximum(fitted: _Fitted, n: int) -> bool:
    """Whether Newton's steps ended at one, and not on the way to infinity."""
    information = fitted.information.copy()
    information[:n, :n] += 1.0 / n
    return fitted.ended and float(np.abs(fitted.at).max()) < _FAR and float(np.linalg.eigvalsh(information)[0]) > _FLAT


@dataclass(frozen=True, slots=True)
class _Fitted:
    at: NDArray[np.float64]  # logarithms of strengths, then of v where there were ties
    likelihood: float
    information: NDArray[np.float64]
    ended: bool


def _fitted(wins: NDArray[np.float64], ties: NDArray[np.float64], same: tuple[int, int] | None = None) -> _Fitted:
    """The maximum of the log-likelihood; same: two candidates that are held equally strong."""
    n = len(wins)
    i, j = np.triu_indices(n, 1)
    compared = wins[i, j] + wins[j, i] + ties[i, j]
    i, j = i[compared > 0], j[compared > 0]
    won, lost, tied = wins[i, j], wins[j, i], ties[i, j]
    has_ties = bool(tied.sum() > 0)
    size = n + has_ties
    free = np.eye(size)  # how the parameters follow from those that are free
    if same is not None:
        free[:, same[0]] += free[:, same[1]]
        free = np.delete(free, same[1], axis=1)
    x = np.zeros(size)
    value, ended = _likelihood(x, i, j, won, lost, tied, n, has_ties), False
    for _ in range(_STEPS):
        gradient, information = _slope(x, i, j, won, lost, tied, n, has_ties)
        # strengths are known up to a factor: the mean of their logarithms is held at 0
        held = information.copy()
        held[:n, :n] += 1.0 / n
        try:
            step = free @ np.linalg.solve(free.T @ held @ free, free.T @ gradient)
        except np.linalg.LinAlgError:  # flat: on the way to infinity
            break
        scale = 1.0
        while scale > 1e-8:
            trial = x + scale * step
            new = _likelihood(trial, i, j, won, lost, tied, n, has_ties)
            if new >= value - 1e-12:
                break
            scale /= 2
        x, value = trial, new
        if float(np.abs(scale * step).max()) < _CLOSE:
            ended = True
            break
    _, information = _slope(x, i, j, won, lost, tied, n, has_ties)
    return _Fitted(x, value, information, ended)


def groups_apart(wins: NDArray[np.float64], ties: NDArray[np.float64]) -> list[list[int]]:
    """Candidates that can be placed on one line together: one group where all can."""
    from scipy.sparse import csr_matrix
    from scipy.sparse.csgraph import connected_components

    count, of = connected_components(
        csr_matrix(((wins + ties) > 0).astype(np.int8)), directed=True, connection="strong"
    )
    return [[int(k) for k in np.flatnonzero(of == group)] for group in range(count)]


def never_compared(wins: NDArray[np.float64], ties: NDArray[np.float64]) -> list[list[int]]:
    """Groups between which there is no answer at all; one where there is none such."""
    from scipy.sparse import csr_matrix
    from scipy.sparse.csgraph import connected_components

    count, of = connected_components(csr_matrix(((wins + ties) > 0).astype(np.int8)), directed=False)
    return [[int(k) for k in np.flatnonzero(of == group)] for group in range(count)]


def _terms(
    x: NDArray[np.float64], i: NDArray[np.intp], j: NDArray[np.intp], n: int, has_ties: bool
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    a, b = x[i], x[j]
    return a, b, (x[n] + (a + b) / 2 if has_ties else np.full(len(a), -np.inf))


def _likelihood(
    x: NDArray[np.float64], i: NDArray[np.intp], j: NDArray[np.intp], won: NDArray[np.float64],
    lost: NDArray[np.float64], tied: NDArray[np.float64], n: int, has_ties: bool,
) -> float:  # fmt: skip
    a, b, t = _terms(x, i, j, n, has_ties)
    whole = np.logaddexp(np.logaddexp(a, b), t)
    out = won * (a - whole) + lost * (b - whole)
    return float(out.sum() + (tied * (t - whole)).sum() if has_ties else out.sum())


def _slope(
    x: NDArray[np.float64], i: NDArray[np.intp], j: NDArray[np.intp], won: NDArray[np.float64],
    lost: NDArray[np.float64], tied: NDArray[np.float64], n: int, has_ties: bool,
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:  # fmt: skip
    """(gradient, minus the matrix of second derivatives) of the log-likelihood."""
    a, b, t = _terms(x, i, j, n, has_ties)
    whole = np.logaddexp(np.logaddexp(a, b), t)
    p, q, r = np.exp(a - whole), np.exp(b - whole), np.exp(t - whole)
    count = won + lost + tied
    # mean and variance of what each outcome adds to the slope: (1, 0), (0, 1) or (1/2, 1/2), and 1 for a tie
    mean_i, mean_j = p + r / 2, q + r / 2
    size = n + has_ties
    gradient, information = np.zeros(size), np.zeros((size, size))
    np.add.at(gradient, i, won + tied / 2 - count * mean_i)
    np.add.at(gradient, j, lost + tied / 2 - count * mean_j)
    np.add.at(information, (i, i), count * (p + r / 4 - mean_i**2))
    np.add.at(information, (j, j), count * (q + r / 4 - mean_j**2))
    across = count * (r / 4 - mean_i * mean_j)
    np.add.at(information, (i, j), across)
    np.add.at(information, (j, i), across)
    if has_ties:
        gradient[n] = float((tied - count * r).sum())
        information[n, n] = float((count * r * (1 - r)).sum())
        for at, mean in ((i, mean_i), (j, mean_j)):
            cross = np.zeros(n)
            np.add.at(cross, at, count * (r / 2 - mean * r))
            information[n, :n] += cross
            information[:n, n] += cross
    return gradient, information


def pair_table(votes: Sequence[tuple[int, int, int]], count: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(wins, ties) of votes (first, second, answer): answer 1 for the first, -1 for the second, 0 for neither."""
    wins, ties = np.zeros((count, count)), np.zeros((count, count))
    for first, second, answer in votes:
        if answer:
            wins[(first, second) if answer > 0 else (second, first)] += 1
        else:
            ties[first, second] += 1
            ties[second, first] += 1
    return wins, ties

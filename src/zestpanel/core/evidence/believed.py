"""How far what is measured goes along with what the panel heard: a rank correlation for each figure, within a language.

A measure that does not go along with the panel's scores here says nothing about which voice to choose here, however
good its name is. Among many looks some go along by chance: the probabilities are adjusted for all of a language (Holm
1979).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import permutations
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.analysis.statistics.paired import holm
from zestpanel.core.analysis.statistics.tails import special
from zestpanel.core.evidence.declared import Figure
from zestpanel.core.evidence.figures.predicted import FEWEST_RATED, known_in
from zestpanel.core.evidence.known import Known
from zestpanel.core.evidence.registry import figures
from zestpanel.core.listening.scores import PanelScores
from zestpanel.core.runs.measuring.hearing import PREDICTED
from zestpanel.core.texts import tr, word

FEWEST: Final = FEWEST_RATED
ALPHA: Final = 0.05
_OF_SOUND: Final = ("faults", "defects")  # beside the measures
DEALS: Final = 5_000  # of ranks, where all orders are too many
MOST_EXACT, MOST_DEALT = 7, 20  # candidates whose orders are all tried, and that are dealt out; of more, Student's t
_ALMOST: Final = 0.995  # what a correlation of 1 is taken for in its interval


@dataclass(frozen=True, slots=True, kw_only=True)
class Believed:
    """rho: Spearman's (1904). low, high: 95 % by Fisher's transform with the variance of Bonett & Wright (2000). p:
    adjusted over all figures of the language. best_of: whether the candidate that the panel put first is first by it,
    None where the figure has no better end. without: the least and the greatest correlation with one candidate left
    out: how far it hangs on a single one."""

    figure: Figure
    language: str
    n: int
    rho: float
    low: float
    high: float
    p: float
    best_of: bool | None
    without: tuple[float, float]

    @property
    def goes_against(self) -> bool:
        """Whether what is the better end by its name is heard as the worse one."""
        return self.p < ALPHA and self.figure.better != "" and (self.rho > 0) == (self.figure.better == "lower")

    @property
    def goes_along(self) -> bool:
        return self.p < ALPHA and not self.goes_against

    def says(self) -> str:
        if self.p >= ALPHA:
            return tr("not shown to go along with the panel here")
        return tr("goes against the panel here") if self.goes_against else tr("goes along with the panel here")


def believed(rows: Iterable[Known], scores: PanelScores) -> list[Believed]:
    """By language, the strongest first; of what was measured in the sound or found wrong in it. Figures that fewer
    than five rated candidates have are left out."""
    every = list(rows)
    out: list[Believed] = []
    for language in scores.languages:
        heard = {of.candidate.id: of for of in every if of.candidate.id in language.scores}
        found = []
        for figure in (*figures().values(), *known_in(every)):
            if not figure.name.startswith(("measure ", PREDICTED)) and figure.name not in _OF_SOUND:
                continue  # money and waits are no guess at what is heard
            values = {c: v for c, of in heard.items()
                      if (v := figure.read(of, language).value) is not None and np.isfinite(v)}  # fmt: skip
            if len(values) >= FEWEST and len(set(values.values())) > 1:
                found.append(_of(figure, language.language, values, {c: language.scores[c].mean for c in values}))
        for one, p in zip(found, holm([one.p for one in found]), strict=True):
            out.append(Believed(**{**{name: getattr(one, name) for name in Believed.__slots__}, "p": p}))
    return sorted(out, key=lambda one: (one.language, -abs(one.rho)))


def _of(figure: Figure, language: str, values: Mapping[int, float], heard: Mapping[int, float]) -> Believed:
    x, y = np.array(list(values.values())), np.array([heard[c] for c in values])
    rho = spearman(x, y)
    best = None
    if figure.better:
        order = [c for c, _ in sorted(values.items(), key=lambda one: one[1], reverse=figure.better == "higher")]
        best = order[0] == max(heard, key=lambda c: heard[c])
    low, high = _interval(rho, len(x))
    return Believed(figure=figure, language=language, n=len(x), rho=rho, low=low, high=high, p=_p(x, y, rho),
                    best_of=best, without=_without_one(x, y))  # fmt: skip


def spearman(x: NDArray[np.float64], y: NDArray[np.float64]) -> float:
    """Of ranks, ties at their mean; 0 where one side is all alike."""
    a, b = _ranks(x), _ranks(y)
    if a.std() == 0 or b.std() == 0:
        return 0.0
    return float(np.corrcoef(a, b)[0, 1])


def _ranks(x: NDArray[np.float64]) -> NDArray[np.float64]:
    _, of, count = np.unique(x, return_inverse=True, return_counts=True)
    ends = np.cumsum(count)
    ranks: NDArray[np.float64] = ((ends - count + 1 + ends) / 2)[of]
    return ranks


def _without_one(x: NDArray[np.float64], y: NDArray[np.float64]) -> tuple[float, float]:
    found = [spearman(np.delete(x, k), np.delete(y, k)) for k in range(len(x))]
    return min(found), max(found)


def _interval(rho: float, n: int) -> tuple[float, float]:
    half = 1.96 * float(np.sqrt((1 + rho**2 / 2) / (n - 3)))
    middle = float(np.arctanh(np.clip(rho, -_ALMOST, _ALMOST)))
    return min(rho, float(np.tanh(middle - half))), max(rho, float(np.tanh(middle + half)))


def _p(x: NDArray[np.float64], y: NDArray[np.float64], rho: float) -> float:
    """Two-sided, by dealing out the ranks anew: all orders of few candidates, many of more (Pitman 1937)."""
    if len(x) > MOST_DEALT:
        t = rho * np.sqrt((len(x) - 2) / max(1e-12, 1 - rho**2))
        return float(2 * special().stdtr(len(x) - 2, -abs(t)))
    a, b = _ranks(x) - _ranks(x).mean(), _ranks(y) - _ranks(y).mean()
    scale = float(np.sqrt((a**2).sum() * (b**2).sum()))
    if scale == 0:
        return 1.0
    if len(a) <= MOST_EXACT:
        dealt = np.array(list(permutations(b)))
        return float((np.abs(dealt @ a) / scale >= abs(rho) - 1e-9).mean())
    rng = np.random.default_rng(20_240)
    dealt = rng.permuted(np.tile(b, (DEALS, 1)), axis=1)
    return float((1 + (np.abs(dealt @ a) / scale >= abs(rho) - 1e-9).sum()) / (1 + DEALS))


def in_a_sentence(found: Sequence[Believed]) -> str:
    """Which figures mean something for the choice here, and that the rest is not shown to; '' for no figure."""
    if not found:
        return ""
    along = [word(one.figure.words) for one in found if one.goes_along]
    against = [word(one.figure.words) for one in found if one.p < ALPHA and one.goes_against]
    n = max(one.n for one in found)
    if not along and not against:
        return tr("None of {all} figures is shown to go along with what the panel heard ({n} candidates at most): take "
                  "them for what they are, not for quality.", all=len(found), n=n)  # fmt: skip
    out = []
    if along:
        out.append(tr("Of {all} figures these go along with what the panel heard: {along}.", all=len(found),
                      along=", ".join(dict.fromkeys(along))))  # fmt: skip
    if against:
        out.append(tr("These go against it, the better end by their name heard as the worse one: {against}.",
                      against=", ".join(dict.fromkeys(against))))  # fmt: skip
    return " ".join([*out, tr("The others are not shown to mean anything for the choice here.")])

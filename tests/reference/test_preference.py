"""Strengths from paired comparisons against a published table, a general optimiser and simulation; guessing in ABX."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.optimize import minimize
from scipy.stats import chi2

from zestpanel.core.analysis.statistics.preference import equal_p, gap, pair_table, strengths
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.listening.kinds.matching_to_sample import guessing_p
from zestpanel.core.listening.kinds.preference import preference_found

# Agresti, Categorical Data Analysis (2002), table 10.10: wins of seven baseball teams over one another, 13 games each;
# recalled from memory and confirmed by the sums of the pairs and by the estimates printed there
TEAMS = ("Milwaukee", "Detroit", "Toronto", "New York", "Boston", "Cleveland", "Baltimore")
GAMES = np.array([
    [0, 7, 9, 7, 7, 9, 11], [6, 0, 7, 5, 11, 9, 9], [4, 6, 0, 7, 7, 8, 12], [6, 8, 6, 0, 6, 7, 10],
    [6, 2, 6, 7, 0, 7, 12], [4, 4, 5, 6, 6, 0, 6], [2, 4, 1, 3, 1, 7, 0],
], dtype=float)  # fmt: skip
PRINTED = (1.581, 1.436, 1.294, 1.248, 1.108, 0.684, 0.0)


def test_bradley_terry_as_printed() -> None:
    assert ((GAMES + GAMES.T)[~np.eye(7, dtype=bool)] == 13).all()
    found = strengths(GAMES, np.zeros((7, 7)))
    assert found.log_strength - found.log_strength[6] == pytest.approx(PRINTED, abs=0.0006)
    assert found.tie == 0


def davidson(x: NDArray[np.float64], wins: NDArray[np.float64], ties: NDArray[np.float64]) -> float:
    """Minus the log-likelihood as Davidson (1970) writes it, pair by pair."""
    n = len(wins)
    p, v = np.exp(np.append(x[: n - 1], 0.0)), np.exp(x[n - 1])
    out = 0.0
    for i in range(n):
        for j in range(i + 1, n):
            whole = p[i] + p[j] + v * np.sqrt(p[i] * p[j])
            out -= wins[i, j] * np.log(p[i] / whole) + wins[j, i] * np.log(p[j] / whole)
            out -= ties[i, j] * np.log(v * np.sqrt(p[i] * p[j]) / whole)
    return float(out)


@pytest.mark.parametrize("seed", range(4))
def test_strengths_and_their_errors_against_a_general_optimiser(seed: int) -> None:
    rng = np.random.default_rng(seed)
    n = 5
    wins, ties = rng.integers(1, 12, (n, n)).astype(float), np.triu(rng.integers(0, 6, (n, n)), 1).astype(float)
    np.fill_diagonal(wins, 0)
    ties += ties.T
    found = strengths(wins, ties)
    best = minimize(davidson, np.zeros(n), args=(wins, ties), method="BFGS", options={"gtol": 1e-8})
    expected = np.append(best.x[: n - 1], 0.0)
    assert found.log_strength == pytest.approx(expected - expected.mean(), abs=1e-4)
    assert found.tie == pytest.approx(np.exp(best.x[n - 1]), rel=1e-4)
    step, size = 1e-4, n
    hessian = np.zeros((size, size))
    for i in range(size):
        for j in range(size):
            values = []
            for a, b in ((1, 1), (1, -1), (-1, 1), (-1, -1)):
                at = best.x.copy()
                at[i] += a * step
                at[j] += b * step
                values.append(davidson(at, wins, ties))
            hessian[i, j] = (values[0] - values[1] - values[2] + values[3]) / (4 * step**2)
    covariance = np.linalg.inv(hessian)
    for i in range(n - 1):  # the last is the one held at 0 there
        assert found.difference_se(i, n - 1) == pytest.approx(np.sqrt(covariance[i, i]), rel=2e-3)


def test_what_allows_no_strengths_is_refused() -> None:
    apart = np.array([[0, 3, 0, 0], [2, 0, 0, 0], [0, 0, 0, 1], [0, 0, 4, 0]], dtype=float)
    always = np.array([[0, 3, 4], [0, 0, 2], [0, 2, 0]], dtype=float)
    for wins in (apart, always, np.zeros((2, 2))):
        with pytest.raises(NotEnoughData, match="do not tie all candidates together"):
            strengths(wins, np.zeros_like(wins))
    assert strengths(always, np.array([[0, 1, 0], [1, 0, 0], [0, 0, 0]], dtype=float)).log_strength[0] > 0


def test_intervals_of_differences_hold_and_equals_are_rarely_told_apart() -> None:
    """400 panels of votes drawn from the model itself: 95 % intervals hold 93 to 97 %, and so does the sentence."""
    rng = np.random.default_rng(8)
    true, tie, held, told = np.array([0.0, 0.0, 0.6]), 0.5, 0, 0
    p = np.exp(true)
    names = ("A", "B", "C")
    for _ in range(400):
        votes = []
        for i, j in ((0, 1), (0, 2), (1, 2)):
            whole = p[i] + p[j] + tie * np.sqrt(p[i] * p[j])
            for answer in rng.choice(
                (1, -1, 0), 60, p=[p[i] / whole, p[j] / whole, tie * np.sqrt(p[i] * p[j]) / whole]
            ):
                votes.append((i, j, int(answer)))
        found = strengths(*pair_table(votes, 3))
        gap, error = found.log_strength[2] - found.log_strength[0], found.difference_se(2, 0)
        held += abs(gap - 0.6) <= 1.96 * error
        said = {1: "first", -1: "second", 0: "neither"}
        of_equals = [(names[i], names[j], said[a]) for i, j, a in votes if {i, j} == {0, 1}]
        told += "is preferred to" in preference_found(of_equals).says
    assert 0.93 <= held / 400 <= 0.97
    assert told / 400 <= 0.07


def test_two_alone_are_compared_as_a_likelihood_ratio_says() -> None:
    """With two candidates and no ties the likelihood ratio is that of the binomial distribution."""
    ratio = 2 * (15 * np.log(0.75) + 5 * np.log(0.25) - 20 * np.log(0.5))
    found = equal_p(np.array([[0, 15], [5, 0]]), np.zeros((2, 2)), 0, 1)
    assert found == pytest.approx(chi2.sf(ratio, 1), rel=1e-9)
    with pytest.raises(NotEnoughData, match="no finite strengths"):
        equal_p(np.array([[0, 11], [0, 0]]), np.array([[0, 1], [1, 0]]), 0, 1)


def test_wins_and_ties_without_a_loss_have_their_maximum_at_infinity() -> None:
    """Of two candidates; where others without ties pin them, groups that only ties link have one (by BFGS)."""
    with pytest.raises(NotEnoughData, match="no finite strengths"):
        strengths(np.array([[0, 5], [0, 0]], dtype=float), np.array([[0, 3], [3, 0]], dtype=float))
    wins = np.array([[0, 2, 0, 0], [2, 0, 0, 0], [0, 0, 0, 3], [0, 0, 1, 0]], dtype=float)
    ties = np.zeros((4, 4))
    ties[0, 2] = ties[2, 0] = 2
    found = strengths(wins, ties).log_strength
    free = minimize(davidson, np.zeros(4), args=(wins, ties), method="BFGS", options={"gtol": 1e-8}).x
    assert found - found[3] == pytest.approx([*free[:3], 0.0], abs=1e-4)
    pinned = strengths(np.array([[0, 5], [1, 0]]), np.array([[0, 3], [3, 0]]))
    assert pinned.log_strength[0] == pytest.approx(np.log(5) / 2, rel=1e-6)
    votes = [("A", "B", "first")] * 5 + [("A", "B", "neither")] * 3
    said = preference_found(votes).says
    assert "No strengths: The answers allow no finite strengths" in said
    apart = [("A", "B", "first"), ("B", "A", "first"), ("C", "D", "first"), ("D", "C", "first")]
    assert "Never compared, so not placed against one another: A, B and C, D." in preference_found(apart).says


PANELS = 100


@pytest.mark.parametrize(("people", "texts"), [(24, 6), (12, 12), (6, 6)])
def test_equals_are_rarely_called_preferred_where_texts_and_tastes_differ(people: int, texts: int) -> None:
    """Equal candidates, a fifth of answers without a preference, and a passage and a listener spread of 0.5 logit: with
    answers taken as independent 29 % of panels of 24 x 6 call one preferred; 5 % may be (8 % in so few panels)."""
    rng = np.random.default_rng(people)
    by = [(n, t) for n in range(people) for t in range(texts)]
    told = held = compared = 0
    for _ in range(PANELS):
        of_people, of_texts = rng.normal(0, 0.5, people), rng.normal(0, 0.5, texts)
        votes = []
        for n, t in by:
            a, b = ("A", "B") if rng.random() < 0.5 else ("B", "A")
            odds = (of_people[n] + of_texts[t]) * (1 if a == "A" else -1)
            said = "neither" if rng.random() < 0.2 else "first" if rng.random() < 1 / (1 + np.exp(-odds)) else "second"
            votes.append((a, b, said))
        found = preference_found(votes, by=by)
        told += "is preferred to" in found.says
        bar = next(bar for bar in found.bars if bar.name == "A")
        held += bar.low <= 50 <= bar.high
        at = {"A": 0, "B": 1}
        signed = {"first": 1, "second": -1, "neither": 0}
        listeners, passages = zip(*by, strict=True)
        one = gap([(at[a], at[b], signed[s]) for a, b, s in votes], listeners, passages, 2, 0, 1)
        compared += one.low <= 0 <= one.high
    assert told / PANELS <= 0.08
    assert held / PANELS >= 0.92
    assert compared / PANELS >= 0.92


def test_guessing_among_two() -> None:
    """Common knowledge of ABX testing: 12 of 16 is the first count below 5 %, p = 2517 / 65536."""
    assert guessing_p(12, 16) == pytest.approx(2517 / 65536, rel=1e-12)
    assert guessing_p(11, 16) > 0.05
    assert guessing_p(0, 5) == pytest.approx(1)


def test_an_order_effect_is_told() -> None:
    votes = [("A", "B", "first")] * 30 + [("B", "A", "first")] * 30 + [("A", "B", "second")] * 6
    assert (
        "The first of a pair was chosen more often than chance allows (91 % the first)" in preference_found(votes).says
    )
    with pytest.raises(NotEnoughData):
        preference_found([])

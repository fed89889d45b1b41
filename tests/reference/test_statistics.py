"""Statistics against published tables, SciPy, and simulations whose truth is known."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from scipy import stats
from scipy.special import expit

from zestpanel.core.analysis.statistics.agreement import intraclass_correlation, krippendorff_alpha
from zestpanel.core.analysis.statistics.crossed import (
    compare_crossed,
    crossed_intervals,
    differences,
    draws_of,
    equality_crossed,
    joint_draws,
    leanings,
    smallest_difference_told,
    spread_of_mean,
)
from zestpanel.core.analysis.statistics.intervals import (
    bootstrap_draws,
    t_interval,
    wilson_interval,
)
from zestpanel.core.analysis.statistics.paired import (
    compare,
    equality,
    hodges_lehmann,
    holm,
    letters,
    listeners_needed_to_tell,
    signed_rank_p,
)
from zestpanel.core.analysis.statistics.tails import (
    at_least_p,
    chi_squared_p,
    even_p,
    friedman_p,
    mid_ranks,
    t_beyond_p,
    t_quantile,
)
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.listening.kinds.write_what_you_hear import interval_of_words

# source: Shrout & Fleiss (1979), table 2: four judges rate six targets
SHROUT_FLEISS = [[9, 2, 5, 8], [6, 1, 3, 2], [8, 4, 6, 8], [7, 1, 2, 6], [10, 5, 6, 9], [6, 2, 4, 7]]


def test_intraclass_correlation_of_shrout_and_fleiss() -> None:
    # source: Shrout & Fleiss (1979), table 4: ICC(2,1) = .29, ICC(2,4) = .62
    found = intraclass_correlation(SHROUT_FLEISS)
    assert found.single == pytest.approx(0.29, abs=0.005)
    assert found.average == pytest.approx(0.62, abs=0.005)


def test_agreement_may_be_negative_and_says_when_undefined() -> None:
    found = intraclass_correlation([[1, 3, 2, 2], [3, 1, 2, 2], [2, 2, 1, 3], [2, 2, 3, 1]]).single
    assert found == pytest.approx(-0.5), (
        "by hand: means of items alike, BMS 0, JMS 0, EMS 2/3: (0 - 2/3) / (0 + 2 - 2/3)"
    )
    wild = intraclass_correlation([[1, 5], [5, 1], [3, 3]])
    assert (wild.single, wild.average) == (None, None), "what they are divided by is below nothing"
    low = intraclass_correlation([[3, 3, 4, 5], [1, 1, 5, 5], [2, 2, 5, 3], [2, 5, 2, 3]])
    assert low.single is not None
    assert low.average is not None
    # Spearman (1910) and Brown (1910): of k listeners k r / (1 + (k - 1) r), which has no lower bound
    assert low.average == pytest.approx(4 * low.single / (1 + 3 * low.single))
    assert low.average < -1
    with pytest.raises(NotEnoughData):
        intraclass_correlation([[3, 3], [3, 3]])
    with pytest.raises(NotEnoughData):
        intraclass_correlation([[1, np.nan], [2, 3]])


def test_tails_and_ranks_are_scipys() -> None:
    # reference: scipy.stats, whose import the program does without
    rng = np.random.default_rng(7)
    for _ in range(200):
        n = int(rng.integers(1, 60))
        k, share, t, df = int(rng.integers(0, n + 1)), float(rng.random()), float(rng.normal(0, 3)), int(n)
        assert at_least_p(k, n, share) == pytest.approx(stats.binom.sf(k - 1, n, share), rel=1e-9)
        assert even_p(k, n) == pytest.approx(stats.binomtest(k, n).pvalue, rel=1e-9)
        assert t_beyond_p(t, df) == pytest.approx(2 * stats.t.sf(abs(t), df), rel=1e-9)
        assert t_quantile(share, df) == pytest.approx(stats.t.ppf(share, df), rel=1e-6, abs=1e-9)
        assert chi_squared_p(t, df) == pytest.approx(stats.chi2.sf(t, df), rel=1e-9)
        scores = rng.integers(1, 6, (int(rng.integers(3, 7)), n + 1)).astype(float)
        assert list(mid_ranks(scores[0])) == list(stats.rankdata(scores[0]))
        if any(np.ptp(column) for column in scores.T):
            assert friedman_p(scores) == pytest.approx(stats.friedmanchisquare(*scores).pvalue, rel=1e-9)
    assert friedman_p(np.full((3, 4), 2.0)) is None


@pytest.mark.parametrize("true", [(0.25, 0.15, 0.7), (0.6, 0.1, 0.4), (0.1, 0.5, 0.9)])
def test_leanings_are_found_again_and_plan_a_panel_that_tells(true: tuple[float, float, float]) -> None:
    """Simulated panels of known spreads: the components come out, and a panel planned by them tells the difference it
    was planned for in about 8 of 10."""
    rng = np.random.default_rng(12)

    def panel(listeners: int, passages: int, apart: float) -> np.ndarray:
        shared = 0.5 * rng.standard_normal((1, listeners, 1)) + 0.4 * rng.standard_normal((1, 1, passages))
        x = shared + true[0] * rng.standard_normal((2, listeners, 1)) + true[1] * rng.standard_normal((2, 1, passages))
        x = x + true[2] * rng.standard_normal((2, listeners, passages))
        x[0] += apart
        return x

    found = np.array([leanings(differences(panel(24, 12, 0.0))) for _ in range(150)])
    assert np.sqrt((found**2).mean(axis=0)) == pytest.approx(true, abs=0.06)
    told = smallest_difference_told(16, 10, 1, spread=true)
    assert told is not None
    p = [differences(panel(16, 10, told)).p(0) for _ in range(400)]
    assert 0.7 <= np.mean([one is not None and one < 0.05 for one in p]) <= 0.95


def test_t_interval_is_scipys() -> None:
    # reference: scipy.stats.t.interval
    x = np.random.default_rng(1).normal(3.4, 0.8, 11)
    low, high = stats.t.interval(0.95, len(x) - 1, x.mean(), stats.sem(x))
    found = t_interval(x)
    assert (found.low, found.estimate, found.high) == pytest.approx((low, x.mean(), high))


def test_wilson_interval_is_scipys() -> None:
    # reference: scipy.stats.binomtest(...).proportion_ci(method="wilson")
    for k, n in ((0, 20), (1, 20), (7, 19), (20, 20)):
        other = stats.binomtest(k, n).proportion_ci(method="wilson")
        found = wilson_interval(k, n)
        assert (found.low, found.high) == pytest.approx((other.low, other.high), abs=1e-9)


@pytest.mark.parametrize("n", [1, 4, 7, 12, 30])
def test_signed_rank_without_ties_is_scipys_exact(n: int) -> None:
    # reference: scipy.stats.wilcoxon(method="exact")
    d = np.random.default_rng(n).normal(0.3, 1, n)
    assert signed_rank_p(d) == pytest.approx(stats.wilcoxon(d, method="exact").pvalue)


def test_signed_rank_with_ties_and_zeros_is_the_permutation_test() -> None:
    # reference: full enumeration of sign patterns, zeros ranked and then dropped (Pratt 1959)
    d = np.array([0.0, 1, 1, -1, 2, 2, 0.5, -0.5, 3])
    ranks = stats.rankdata(np.abs(d))[d != 0]
    observed = ranks[d[d != 0] > 0].sum()
    middle = ranks.sum() / 2
    sums = [
        sum(r for r, s in zip(ranks, signs, strict=True) if s) for signs in itertools.product((0, 1), repeat=len(ranks))
    ]
    expected = np.mean([abs(s - middle) >= abs(observed - middle) - 1e-9 for s in sums])
    assert signed_rank_p(d) == pytest.approx(expected)


def test_all_alike_gives_no_evidence() -> None:
    assert signed_rank_p([0, 0, 0]) == 1.0
    with pytest.raises(NotEnoughData):
        signed_rank_p([])


def test_hodges_lehmann_is_the_median_of_walsh_averages() -> None:
    # source: Hodges & Lehmann (1963); small case by hand: averages of (1, 2, 6) are 1, 1.5, 3.5, 2, 4, 6
    assert hodges_lehmann([1, 2, 6]) == pytest.approx((2 + 3.5) / 2)


def test_holm_of_a_worked_example() -> None:
    # source: Holm (1979); worked by hand: 0.01*4, 0.02*3, max(0.06, 0.03*2), max(0.06, 0.04)
    assert holm([0.01, 0.04, 0.03, 0.02]) == pytest.approx([0.04, 0.06, 0.06, 0.06])


def test_letters_share_exactly_where_not_told_apart() -> None:
    rng = np.random.default_rng(9)
    for _ in range(50):
        n = int(rng.integers(2, 8))
        differ = {frozenset(p) for p in itertools.combinations(range(n), 2) if rng.random() < 0.4}
        found = letters(n, differ, list(range(n)))
        for a, b in itertools.combinations(range(n), 2):
            share = bool(set(found[a]) & set(found[b]))
            assert share == (frozenset((a, b)) not in differ)


def test_listeners_needed_by_the_exact_test() -> None:
    # source: the smallest two-sided p of n signed ranks is 2/2^n; common case: 28 pairs cannot reach 0.05 with ten
    assert 2 / 2**10 * 28 > 0.05
    assert listeners_needed_to_tell(28) == 11
    assert listeners_needed_to_tell(1) == 6


def test_a_clear_difference_is_found_and_none_is_invented() -> None:
    rng = np.random.default_rng(12)
    people = rng.normal(0, 0.4, 14)
    means = np.stack(
        [3.0 + people + rng.normal(0, 0.2, 14) for _ in range(3)] + [4.2 + people + rng.normal(0, 0.2, 14)]
    )
    found = compare(means)
    assert found.friedman_p is not None
    assert found.friedman_p < 0.01
    assert found.letters[3] == "a"
    assert len(set(found.letters[:3])) == 1
    assert "a" not in found.letters[0]


def test_equality_is_shown_only_with_enough_evidence() -> None:
    # source: Schuirmann (1987): equality at 5 % holds exactly when the 90 % interval lies inside the margin
    rng = np.random.default_rng(8)
    base = rng.normal(3.5, 0.5, 16)
    close = equality(base + rng.normal(0.02, 0.15, 16), base, margin=0.3)
    assert close.equal
    assert close.low > -0.3
    assert close.high < 0.3
    few = equality(base[:4] + rng.normal(0.02, 0.6, 4), base[:4], margin=0.3)
    assert not few.equal
    d = base + rng.normal(0.1, 0.3, 16) - base
    found = equality(d, np.zeros(16), margin=0.3)
    low, high = stats.t.interval(0.9, 15, d.mean(), stats.sem(d))
    assert (found.low, found.high) == pytest.approx((low, high))
    assert found.equal == (low > -0.3 and high < 0.3)


# Conditions of simulated panels: listeners, passages, SDs of listeners, passages and the rest
PANELS = [(6, 6, 0.5, 0.3, 0.8), (10, 6, 0.4, 0.2, 0.9), (24, 12, 0.4, 0.3, 0.9), (10, 4, 0.1, 0.5, 0.5)]


@pytest.mark.parametrize("panel", PANELS)
def test_crossed_intervals_cover_where_naive_ones_do_not(panel: tuple[int, int, float, float, float]) -> None:
    # source: simulation with known truth: 300 panels each; 95 % intervals must cover at least 92 % (the lower 99 %
    # bound of 0.95 at 300 draws is 0.917), the naive interval must not
    people, texts, s_people, s_texts, s_rest = panel
    rng = np.random.default_rng(17)
    hits = naive = 0
    for _ in range(300):
        x = 3 + s_people * rng.standard_normal((people, 1)) + s_texts * rng.standard_normal((1, texts))
        x = x + s_rest * rng.standard_normal((people, texts))
        found = crossed_intervals(x[None], bootstrap_draws(x[None], rng, 600), bounds=None)[0]
        hits += found.low <= 3 <= found.high
        plain = t_interval(x.ravel())
        naive += plain.low <= 3 <= plain.high
    assert hits / 300 >= 0.92
    assert naive / 300 < 0.9


def test_bootstrap_is_seeded_paired_and_bears_gaps() -> None:
    rng = np.random.default_rng(3)
    x = rng.integers(1, 6, (3, 8, 5)).astype(float)
    x[1] = x[0]
    x[2, :, 4] = np.nan
    a, b = (bootstrap_draws(x, np.random.default_rng(1), 500) for _ in range(2))
    assert (a == b).all()
    assert (a[0] == a[1]).all(), "two candidates with the same ratings are drawn alike"
    assert not np.isnan(a).any()


def crossed_panel(rng: np.random.Generator, count: int, people: int, texts: int, s_text: float) -> np.ndarray:
    """Ratings of equal candidates in whole categories; each passage suits some candidates better."""
    x = 3.4 + 0.4 * rng.standard_normal((1, people, 1)) + 0.3 * rng.standard_normal((1, 1, texts))
    x = x + s_text * rng.standard_normal((count, 1, texts)) + 0.7 * rng.standard_normal((count, people, texts))
    return np.clip(np.rint(x), 1, 5)


def told_apart(table: np.ndarray) -> bool:
    found = compare_crossed(differences(table), len(table), list(range(len(table))))
    return any(p.adjusted_p is not None and p.adjusted_p < 0.05 for p in found.pairs)


def test_equal_candidates_are_told_apart_in_few_panels_where_fixed_texts_tell_in_most() -> None:
    # source: simulation with known truth: six equal candidates, 24 listeners x 6 passages, a candidate x passage spread
    # of 0.3; at 5 % at most 11 of 100 panels may tell a pair apart by chance (99 % bound)
    rng = np.random.default_rng(2)
    panels = [crossed_panel(rng, 6, 24, 6, 0.3) for _ in range(100)]
    assert sum(map(told_apart, panels)) <= 11
    fixed = sum(
        any(q.adjusted_p < 0.05 for q in compare(x.mean(axis=2)).pairs if q.adjusted_p is not None) for x in panels
    )
    assert fixed >= 40


def test_a_difference_of_the_margin_is_seldom_called_equal_and_no_difference_often_enough() -> None:
    rng = np.random.default_rng(4)
    wrong = right = 0
    for _ in range(100):
        x = 3.4 + 0.3 * rng.standard_normal((2, 1, 8)) + 0.7 * rng.standard_normal((2, 24, 8))
        moved = x.copy()
        moved[0] += 0.3
        found = equality_crossed(differences(moved), 0, 1, margin=0.3)
        wrong += found is not None and found.equal
        plain = 3.4 + 0.5 * rng.standard_normal((2, 24, 12))
        same = equality_crossed(differences(plain), 0, 1, margin=0.3)
        right += same is not None and same.equal
    assert wrong <= 11
    assert right >= 80


def test_few_answers_widen_and_never_narrow() -> None:
    def interval(table: np.ndarray) -> tuple[float, float]:
        found = crossed_intervals(table[None], draws_of(table[None], 1), bounds=(1.0, 5.0))[0]
        return found.low, found.high

    one = interval(np.array([[4.0]]))
    assert (one[0] < 2.5, one[1]) == (True, 5.0), "one rating says next to nothing, and stays within the scale"
    alike = interval(np.full((5, 1), 4.0))
    assert alike[1] - alike[0] > 1.0, "five listeners who all say 4 of one clip are not certain"
    many = interval(np.full((24, 12), 4.0))
    assert 0.0 < many[1] - many[0] < 0.2
    three = np.array([[[4.0], [4.0], [5.0]], [[2.0], [2.0], [1.0]]])
    pair = compare_crossed(differences(three), 2, [0, 1])
    assert (pair.pairs[0].p, pair.letters) == (None, ("a", "a")), "three listeners with one clip: too few"
    assert equality_crossed(differences(np.full((2, 3, 1), 4.0)), 0, 1, margin=0.3) is None
    assert differences(np.full((2, 6, 4), 4.0)).p(0) == 1.0, "never p = 0 from answers that are all alike"


def test_a_pairs_variance_is_the_quasi_f_one_of_textbooks() -> None:
    # reference: mean squares of a two-way crossed layout with one answer a cell, by hand: the variance of a grand mean
    # is (MS_listeners + MS_passages - MS_rest) / n (Satterthwaite 1946)
    x = np.random.default_rng(6).normal(3, 1, (9, 7))
    rows, columns, grand = x.mean(axis=1, keepdims=True), x.mean(axis=0, keepdims=True), x.mean()
    ms_rows = 7 * float(((rows - grand) ** 2).sum()) / 8
    ms_columns = 9 * float(((columns - grand) ** 2).sum()) / 6
    ms_rest = float(((x - rows - columns + grand) ** 2).sum()) / 48
    expected = max(ms_rows + ms_columns - ms_rest, ms_rows, ms_columns) / 63
    assert spread_of_mean(x, step=1.0).variance == pytest.approx(max(expected, 1 / 12 / 63))


def test_draws_are_joint_and_have_the_stated_spread() -> None:
    x = crossed_panel(np.random.default_rng(3), 3, 12, 6, 0.2)
    x[1] = x[0]
    drawn = joint_draws(x, draws_of(x, 1), np.random.default_rng(2), (1.0, 5.0))
    assert (drawn[0] == drawn[1]).all(), "the same ratings are drawn alike"
    assert drawn[2].var() == pytest.approx(spread_of_mean(x[2]).variance, rel=0.15)
    alone = np.array([[[4.0]], [[3.0]]])
    spread = joint_draws(alone, draws_of(alone, 1), np.random.default_rng(2), (1.0, 5.0)).std(axis=1)
    assert spread == pytest.approx([0.75, 0.85], abs=0.15)


def test_krippendorffs_alpha_of_the_data_he_prints() -> None:
    """Krippendorff (2011), Computing Krippendorff's Alpha-Reliability, section C: four observers, twelve units, some
    missing; alpha for interval data 0.849. The table is recalled from memory and confirmed by that figure."""
    x = np.nan
    observers = [
        [1, 2, 3, 3, 2, 1, 4, 1, 2, x, x, x],
        [1, 2, 3, 3, 2, 2, 4, 1, 2, 5, x, 3],
        [x, 3, 3, 3, 2, 3, 4, 2, 2, 5, 1, x],
        [1, 2, 3, 3, 2, 4, 4, 1, 2, 5, 1, x],
    ]
    assert krippendorff_alpha(np.array(observers).T) == pytest.approx(0.849, abs=0.0005)
    with pytest.raises(NotEnoughData):
        krippendorff_alpha([[1, x], [x, 2]])


@pytest.mark.parametrize(("listeners", "spread"), [(12, 0.5), (6, 0.5), (24, 0.0)])
def test_the_interval_of_words_wrong_holds_as_often_as_it_promises(listeners: int, spread: float) -> None:
    """Panels drawn anew, listeners and texts differing on the scale of log odds: 95 % are to hold, and 6 listeners on
    6 texts may hold more often."""
    rng = np.random.default_rng(9)
    many = rng.normal(0, np.hypot(spread, spread), 200_000)
    true, held, panels, texts = 100 * float(expit(-2 + many).mean()), 0, 400, 6
    of_listener, of_text = np.repeat(np.arange(listeners), texts), np.tile(np.arange(texts), listeners)
    for _ in range(panels):
        words = rng.integers(8, 16, len(of_listener))
        odds = -2 + rng.normal(0, spread, listeners)[of_listener] + rng.normal(0, spread, texts)[of_text]
        wrong = rng.binomial(words, expit(odds))
        found = interval_of_words(list(zip(wrong, words, of_listener, of_text, strict=True)))
        assert found is not None
        held += found[0] <= true <= found[1]
    assert held / panels >= 0.92


def test_an_interval_of_words_is_never_a_point() -> None:
    # nobody missed a word; all missed alike; more was added than there was
    for counts in (
        [[0, 40]] * 3,
        [[4, 40]] * 3,
        [[40, 40]] * 3,
        [[50, 40], [60, 40], [70, 40]],
        [[0, 40], [1, 40]] * 2,
    ):
        found = interval_of_words([(wrong, words, k, k % 2) for k, (wrong, words) in enumerate(counts)])
        assert found is not None
        assert 0 <= found[0] < found[1]

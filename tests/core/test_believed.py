"""How far a figure can be believed, and what a file is like: held against general packages and EBU Tech 3342."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy import stats

from tests.planted import clean
from zestpanel.core.audio.clip import Clip, as_samples
from zestpanel.core.evidence.believed import Believed, _interval, _p, spearman
from zestpanel.core.evidence.registry import figures
from zestpanel.core.measures.file_quality import bandwidth_hz, crest_db, dc_offset_percent, loudness_range_lu
from zestpanel.core.measures.registry import measure


def test_the_rank_correlation_is_scipys_with_and_without_ties() -> None:
    rng = np.random.default_rng(1)
    for n in (5, 8, 30):
        x, y = rng.integers(0, 6, n).astype(float), rng.normal(size=n)
        assert spearman(x, y) == pytest.approx(stats.spearmanr(x, y).statistic)
    assert spearman(np.ones(5), np.arange(5.0)) == 0.0


def test_its_probability_is_that_of_all_orders_and_of_students_t() -> None:
    rng = np.random.default_rng(2)
    x, y = rng.normal(size=6), rng.normal(size=6)
    exact = stats.permutation_test((x,), lambda a: stats.spearmanr(a, y).statistic, permutation_type="pairings",
                                   n_resamples=np.inf)  # fmt: skip
    assert _p(x, y, spearman(x, y)) == pytest.approx(exact.pvalue, abs=1e-9)
    x, y = rng.normal(size=40), rng.normal(size=40)
    assert _p(x, y, spearman(x, y)) == pytest.approx(stats.spearmanr(x, y).pvalue, rel=1e-6)


def test_its_interval_holds_and_unrelated_figures_are_seldom_believed() -> None:
    """Bonett & Wright (2000) for the interval; 5 % for the test."""
    rng, hit, wrong = np.random.default_rng(3), 0, 0
    true = 6 / np.pi * np.arcsin(0.5 / 2)  # Spearman's of a normal law with a correlation of 0.5 (Kruskal 1958)
    for _ in range(400):
        a = rng.normal(size=12)
        b = 0.5 * a + np.sqrt(0.75) * rng.normal(size=12)
        low, high = _interval(spearman(a, b), 12)
        hit += low <= true <= high
        x, y = rng.normal(size=6), rng.normal(size=6)
        wrong += _p(x, y, spearman(x, y)) < 0.05
    assert hit / 400 >= 0.92
    assert wrong / 400 <= 0.075


def test_less_noise_heard_as_better_goes_along_and_more_of_it_against() -> None:
    noise = figures()["measure noise_dbfs"]
    for rho, said in ((-0.9, "goes along"), (0.9, "goes against")):
        one = Believed(
            figure=noise, language="en", n=9, rho=rho, low=-1, high=1, p=0.01, best_of=None, without=(0.0, 0.0)
        )
        assert one.says().startswith(said)
    assert not replace(one, p=0.2).goes_against


def tone(levels: list[float], rate: int = 48_000, each_s: float = 20.0) -> Clip:
    t = np.arange(round(each_s * rate)) / rate
    x = np.concatenate([10 ** (level / 20) * np.sin(2 * np.pi * 1_000 * t) for level in levels])
    return Clip(samples=as_samples(np.column_stack([x, x])), rate_hz=rate)


@pytest.mark.parametrize(("levels", "wanted"), [
    ([-20, -30], 10), ([-20, -15], 5), ([-40, -20], 20), ([-50, -35, -20, -35, -50], 15),
])  # fmt: skip
def test_the_loudness_range_is_that_of_ebu_tech_3342(levels: list[float], wanted: float) -> None:
    """Its minimum requirements, test signals 1 to 4: stereo sine of 1 kHz, within 1 LU."""
    assert loudness_range_lu(tone(levels)) == pytest.approx(wanted, abs=1.0)


def test_an_upsampled_file_shows_the_band_it_was_made_of() -> None:
    import soxr

    rng = np.random.default_rng(4)
    wide = rng.normal(0, 0.1, 48_000 * 4)
    assert bandwidth_hz(wide, 48_000) == pytest.approx(24_000, abs=200)
    narrow = soxr.resample(soxr.resample(wide, 48_000, 16_000), 16_000, 48_000)
    assert bandwidth_hz(narrow, 48_000) == pytest.approx(8_000, rel=0.06)
    assert bandwidth_hz(np.zeros(48_000), 48_000) is None


def test_offset_crest_and_noise_are_those_that_were_made() -> None:
    t = np.arange(32_000) / 16_000
    x = 0.5 * np.sin(2 * np.pi * 200 * t)
    assert dc_offset_percent(x + 0.02) == pytest.approx(2.0, abs=0.01)
    assert crest_db(x, float((x**2).mean())) == pytest.approx(20 * np.log10(np.sqrt(2)), abs=0.01)
    quiet = clean(0)
    noise = np.random.default_rng(5).normal(0, 10 ** (-60 / 20), quiet.samples.shape)
    noisy = Clip(samples=as_samples(quiet.samples + noise), rate_hz=quiet.rate_hz)
    found = measure(noisy, "said", "fr", only=["file", "silence"])
    speech = 10 * np.log10(np.mean(quiet.mono() ** 2) * quiet.duration_s / max(0.1, quiet.duration_s - 0.3))
    assert found.values["speech_to_noise_db"] == pytest.approx(speech + 60, abs=4)
    assert replace(found, words_by="").values["bandwidth_khz"] is not None

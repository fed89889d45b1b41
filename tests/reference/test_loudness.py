"""Loudness against the standards' own signals and a general package."""

from __future__ import annotations

import numpy as np
import pyloudnorm
import pytest
import scipy.signal

from tests.conftest import tone
from zestpanel.core.audio.clip import Clip
from zestpanel.core.measures.loudness import (
    Loudness,
    integrated_loudness,
    k_weighting,
    matching_gains_db,
    measure_loudness,
)


def joined(*parts: Clip) -> Clip:
    return Clip(samples=np.concatenate([p.samples for p in parts]), rate_hz=parts[0].rate_hz)


def test_calibration_tone_of_bs1770() -> None:
    # source: ITU-R BS.1770-5 Annex 1: a 0 dBFS sine at 997 Hz in one front channel reads -3.01 LKFS
    lufs, _ = integrated_loudness(tone(997, 0.0, 5))
    assert lufs == pytest.approx(-3.01, abs=0.01)


@pytest.mark.parametrize("rate_hz", [8_000, 11_025, 16_000, 22_050, 24_000, 32_000, 44_100, 48_000, 88_200, 96_000])
def test_calibration_tone_at_every_rate(rate_hz: int) -> None:
    # source: as above; the reading may not depend on the sample rate
    lufs, _ = integrated_loudness(tone(997, -20.0, 4, rate_hz))
    assert lufs == pytest.approx(-23.01, abs=0.02)


# source: EBU Tech 3341 (2023), table 1, minimum requirements 1 to 5: stereo sines at 1000 Hz, tolerance 0.1 LU
TECH_3341 = {
    1: ([(-23.0, 20.0)], -23.0),
    2: ([(-33.0, 20.0)], -33.0),
    3: ([(-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0)], -23.0),
    4: ([(-72.0, 10.0), (-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0), (-72.0, 10.0)], -23.0),
    5: ([(-26.0, 20.0), (-20.0, 20.1), (-26.0, 20.0)], -23.0),
}


@pytest.mark.parametrize("case", TECH_3341)
def test_tech_3341_cases(case: int) -> None:
    parts, expected = TECH_3341[case]
    clip = joined(*(tone(1000, level, seconds, channels=2) for level, seconds in parts))
    lufs, why = integrated_loudness(clip)
    assert (lufs, why) == (pytest.approx(expected, abs=0.1), "")


def test_true_peak_between_samples() -> None:
    # source: EBU Tech 3341 case 15 and following: a sine at a quarter of the rate, 45 degrees off, at half scale has
    # samples at -9.0 dBFS and a true peak of -6.0 dBTP (tolerance +0.2 / -0.4)
    n = np.arange(48_000)
    x = 0.5 * np.sin(np.pi / 2 * n + np.pi / 4)
    fade = np.minimum(1, np.minimum(n, n[::-1]) / 480)
    clip = Clip(samples=x * fade, rate_hz=48_000)
    assert np.abs(clip.samples).max() == pytest.approx(0.354, abs=0.01)
    assert -6.4 <= measure_loudness(clip).true_peak_dbtp <= -5.8


def test_agrees_with_a_general_package_on_noise() -> None:
    # reference: pyloudnorm, its filter class that uses the published coefficients
    rng = np.random.default_rng(4)
    x = rng.standard_normal((48_000 * 6, 2)) * 0.05 * np.linspace(0.2, 1, 48_000 * 6)[:, None]
    lufs, _ = integrated_loudness(Clip(samples=x, rate_hz=48_000))
    assert lufs == pytest.approx(pyloudnorm.Meter(48_000, filter_class="DeMan").integrated_loudness(x), abs=0.03)


def test_k_weighting_at_48k_is_the_published_table() -> None:
    # source: ITU-R BS.1770-5 Annex 1, tables 1 and 2
    (shelf_b, shelf_a), (high_b, high_a) = k_weighting(48_000)
    assert shelf_b == pytest.approx([1.53512485958697, -2.69169618940638, 1.19839281085285])
    assert shelf_a == pytest.approx([1, -1.69065929318241, 0.73248077421585])
    assert high_a == pytest.approx([1, -1.99004745483398, 0.99007225036621])
    assert high_b == pytest.approx([1, -2, 1])


def test_silence_and_short_clips_are_said_so() -> None:
    assert integrated_loudness(Clip(samples=np.zeros(48_000), rate_hz=48_000)) == (None, "silent")
    assert integrated_loudness(tone(1000, -20, 0.39)) == (None, "too short")
    assert integrated_loudness(tone(1000, -20, 0.4))[1] == ""


def test_matching_lowers_the_target_for_all_rather_than_clip_one() -> None:
    quiet_but_peaky = Loudness(integrated_lufs=-30.0, true_peak_dbtp=-4.0)
    plain = Loudness(integrated_lufs=-20.0, true_peak_dbtp=-10.0)
    gains, target = matching_gains_db([quiet_but_peaky, plain])
    assert target == pytest.approx(-27.0)
    assert [-30 + gains[0], -20 + gains[1]] == pytest.approx([target, target])
    assert -4.0 + gains[0] <= -1.0 + 1e-9


@pytest.mark.parametrize("rate_hz", [8_000, 11_025, 16_000, 22_050, 24_000, 32_000])
def test_band_filling_noise_reads_the_same_at_every_rate(rate_hz: int) -> None:
    # reference: the same noise brought to a rate above 40 kHz by zeros in its spectrum, which loses nothing, and
    # weighted there by the filters of the standard
    x = 0.1 * np.random.default_rng(7).standard_normal(rate_hz * 5)
    times = -(-40_000 // rate_hz)
    padded = np.pad(x, rate_hz)
    wide = scipy.signal.resample(padded, len(padded) * times)[rate_hz * times : -rate_hz * times]
    expected = integrated_loudness(Clip(samples=wide, rate_hz=rate_hz * times))[0]
    assert integrated_loudness(Clip(samples=x, rate_hz=rate_hz))[0] == pytest.approx(expected, abs=0.01)


@pytest.mark.parametrize("share", [0.25, 0.5, 0.7, 0.9, 0.95])
@pytest.mark.parametrize("rate_hz", [8_000, 22_050, 48_000])
def test_true_peak_of_tones_up_to_half_the_rate(rate_hz: int, share: float) -> None:
    # source: the tone's own amplitude, -6.02 dBTP; EBU Tech 3341 allows +0.2 and -0.4 dB
    t = np.arange(rate_hz) / rate_hz
    faded = np.minimum(1, np.minimum(t, 1 - t) / 0.05)
    for phase in (0.0, 0.4, np.pi / 4, 1.2):
        x = 0.5 * faded * np.sin(np.pi * rate_hz * share * t + phase)
        assert measure_loudness(Clip(samples=x, rate_hz=rate_hz)).true_peak_dbtp == pytest.approx(-6.02, abs=0.03)

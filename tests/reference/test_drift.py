"""Drift over a long clip, against a voice-like tone whose drift is known by construction."""

from __future__ import annotations

import numpy as np
import pytest

from zestpanel.core.audio.clip import Clip
from zestpanel.core.measures.drift import as_values, drift_of, drift_words, from_values

RATE = 16_000
Word = tuple[str, float, float, bool]


def _reading(
    seconds: int, *, semitones: float = 0.0, decibels: float = 0.0, pace: float = 1.0, brighter: float = 0.0,
    seed: int = 7,
) -> tuple[Clip, list[Word]]:  # fmt: skip
    """Bursts of a harmonic tone of 120 Hz, each a word; over the clip the pitch rises by ``semitones``, the level by
    ``decibels``, what lies above 1 kHz by ``brighter`` dB, and words come ``pace`` times as often at its end."""
    rng = np.random.default_rng(seed)
    total, out, words, at = float(seconds), np.zeros(seconds * RATE), list[Word](), 0.0
    while at < total - 0.6:
        share = at / total
        each = 0.4 / pace**share
        lasts = each * 0.8
        hz = 120 * 2 ** ((semitones * share + 0.2 * rng.standard_normal()) / 12)
        t = np.arange(int(lasts * RATE)) / RATE
        high = 10 ** (brighter * share / 20)
        tones = (np.sin(2 * np.pi * hz * k * t) / k * (1 if k < 8 else high) for k in range(1, 12))
        burst = sum(tones) * np.hanning(len(t)) ** 0.2
        level = 0.05 * 10 ** ((decibels * share + 0.3 * rng.standard_normal()) / 20)
        out[int(at * RATE) : int(at * RATE) + len(t)] += level * burst
        words.append((f"w{len(words)}", at, at + lasts, True))
        at += each
    return Clip(samples=out.astype(np.float32)[:, None], rate_hz=RATE), words


def test_a_known_drift_is_found() -> None:
    """Stretch centres lie 110 of 120 seconds apart, so that much of the whole change is seen: 11/12 of 2 semitones,
    of 6 dB, and of a pace that doubles by 2 to the power of 11/12."""
    clip, words = _reading(120, semitones=2.0, decibels=-6.0, pace=2.0)
    found = {one.kind: one for one in drift_of(clip, words)}
    assert found["pitch"].change == pytest.approx(2.0 * 11 / 12, abs=0.15)
    assert found["loudness"].change == pytest.approx(-6.0 * 11 / 12, abs=0.4)
    assert found["pace"].change == pytest.approx(100 * (2 ** (11 / 12) - 1), rel=0.1)
    assert all(one.n == 12 and (one.drifts or one.kind == "timbre") for one in found.values())
    assert drift_words(tuple(found.values())).startswith("Drifts from beginning to end: loudness −5.")
    assert from_values(as_values(tuple(found.values()))) == tuple(found.values())


def test_a_voice_that_grows_brighter_is_found() -> None:
    """By 9 dB above 1 kHz over the clip, of which 11/12 are seen."""
    clip, words = _reading(120, brighter=9.0)
    (timbre,) = (one for one in drift_of(clip, words) if one.kind == "timbre")
    assert timbre.change == pytest.approx(9.0 * 11 / 12, abs=0.4)
    assert timbre.drifts


@pytest.mark.parametrize("seed", range(4))
def test_a_steady_reading_does_not_drift(seed: int) -> None:
    clip, words = _reading(90, seed=seed)
    found = drift_of(clip, words)
    assert [one.kind for one in found] == ["loudness", "pitch", "pace", "timbre"]
    assert not any(one.drifts for one in found)
    assert drift_words(found) == (
        "No drift of loudness, pitch, pace and timbre from beginning to end (9 stretches of ten seconds)."
    )


def test_a_short_clip_says_nothing_about_drift() -> None:
    assert drift_of(*_reading(59)) == ()
    assert drift_words(()) == ""
    assert from_values({}) == ()

"""Voices of one's own, in a small way: the built-in voice reads, its pitch, range and spectral tilt follow a recording.

It is no imitation of a person: what carries over is how high, how lively and how bright a voice is, so that
likeness can be judged by ear and by figures.
"""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any, Final

import numpy as np

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import read_kept, resampled
from zestpanel.core.measures.pitch import measure_pitch
from zestpanel.standins.timbre import Timbre

_BASES: Final = {"en": "en", "fr": "fr", "es": "es", "de": "de", "it": "it", "pt": "pt"}
_READ_SPREAD_ST: Final = 1.95  # SD of the built-in voice's pitch in semitones, measured on the demo's passages
_READ_TILT_DB: Final = {"f2": -17.3, "m3": -15.0}  # its level at 2-5 kHz against 0.2-1 kHz, likewise


def spectral_tilt_db(clip: Clip) -> float:
    """Level at 2 to 5 kHz against 0.2 to 1 kHz in dB, from Welch's periodogram."""
    x = resampled(clip, 16_000).mono()
    from scipy.signal import welch  # seconds to load, and needed only where a voice is made

    f, power = welch(x, 16_000, nperseg=1024)
    low, high = power[(f >= 200) & (f < 1000)].mean(), power[(f >= 2000) & (f < 5000)].mean()
    return float(10 * np.log10(max(high, 1e-20) / max(low, 1e-20)))


def from_recording(path: Path, language: str) -> Timbre:
    """A speaker that follows the recording. Raises AudioError when it cannot be read, ValueError without a voice."""
    clip = read_kept(path)
    pitch = measure_pitch(clip)
    if pitch.median_hz is None:
        raise ValueError("no voice was found in the recording")
    variant = "f2" if pitch.median_hz > 155 else "m3"
    spread = pitch.sd_st or _READ_SPREAD_ST
    return Timbre(
        base=f"{_BASES.get(language[:2].lower(), 'en')}+{variant}",
        words_per_minute=154,
        pitch_hz=pitch.median_hz,
        liveliness=float(np.clip(spread / _READ_SPREAD_ST, 0.2, 2.2)),
        tilt_db=float(np.clip(spectral_tilt_db(clip) - _READ_TILT_DB[variant], -12, 12)),
    )


_PITCH: Final = {"woman": 200.0, "man": 112.0, "child": 265.0}
_AGE: Final = {"young": 1.08, "adult": 1.0, "middle-aged": 0.97, "old": 0.92}


def from_description(described: Mapping[str, Any], language: str) -> Timbre:
    """A speaker by gender, age, accent and strength (how far the accent goes, 0 to 1)."""
    gender, age = str(described.get("gender") or "woman"), str(described.get("age") or "adult")
    accent, base = str(described.get("accent") or "").lower(), _BASES.get(language[:2].lower(), "en")
    try:
        strength = float(described.get("strength") or 1)
    except ValueError:
        strength = 1.0
    if base == "en" and "american" in accent and strength >= 0.5:
        base = "en-us"
    return Timbre(
        base=f"{base}+{'m3' if gender == 'man' else 'f2'}",
        words_per_minute=150 if age == "old" else 158,
        pitch_hz=_PITCH.get(gender, 160.0) * _AGE.get(age, 1.0),
        breath=0.15 if age == "old" else 0.0,
        size=0.88 if gender == "child" else 1.0,
    )

"""Whether a listener wears headphones: three tones, of which one is softer and another in opposite phase.

Over loudspeakers the tone in opposite phase cancels in the air and seems the softest; over headphones it does not.
Rule: Woods, Siegel, Traer & McDermott (2017), Headphone screening to facilitate web-based auditory experiments,
Attention, Perception & Psychophysics 79: tones of 200 Hz and 1 s with ramps of 100 ms, one of the three 6 dB softer,
six trials, passed with at least five right.
"""

from __future__ import annotations

from typing import Final

import numpy as np

from zestpanel.core.audio.clip import Clip

TRIALS: Final = 6
PASSED: Final = 5
SOFTER_DB: Final = 6.0
TONE_HZ: Final = 200.0
TONE_S: Final = 1.0
RAMP_S: Final = 0.1
BETWEEN_S: Final = 0.5
LEVEL: Final = 0.15  # amplitude of the full tones
_RATE_HZ: Final = 48_000


def plan(rng: np.random.Generator) -> list[tuple[int, int]]:
    """(place of the softer tone, place of the one in opposite phase), 0 to 2, for each trial: each place is the softer
    one equally often."""
    softer = rng.permutation([k % 3 for k in range(TRIALS)])
    return [(int(k), int(rng.choice([p for p in range(3) if p != k]))) for k in softer]


def tones(softer: int, opposed: int) -> Clip:
    """The three tones of a trial, in stereo."""
    t = np.arange(round(TONE_S * _RATE_HZ)) / _RATE_HZ
    ramp = np.minimum(1.0, np.minimum(t, t[::-1]) / RAMP_S)
    tone = LEVEL * np.sin(np.pi / 2 * ramp) ** 2 * np.sin(2 * np.pi * TONE_HZ * t)
    gap = np.zeros((round(BETWEEN_S * _RATE_HZ), 2))
    parts = []
    for place in range(3):
        left = tone * (10 ** (-SOFTER_DB / 20) if place == softer else 1.0)
        parts += [np.stack([left, -left if place == opposed else left], axis=1), gap]
    return Clip(samples=np.concatenate(parts[:-1]).astype(np.float32), rate_hz=_RATE_HZ)


def passed(right: int) -> bool:
    return right >= PASSED

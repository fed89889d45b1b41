"""Two 'voices' of one text that say with their pitch which they are and where in the text: it rises evenly from word to
word, the second voice's a fixed step above the first's, which is quicker and softer."""

from __future__ import annotations

import numpy as np

WORDS = "one two three four five six seven eight nine ten eleven twelve"
LOW_HZ, STEP_HZ, APART_HZ = 400.0, 50.0, 1200.0
BETWEEN_HZ = 1300.0
SECONDS = (9.0, 11.0)
_RATE_HZ = 48_000


def voice(k: int) -> tuple[np.ndarray, list[tuple[str, float, float, bool]]]:
    """Samples of voice k at 48 kHz and where its words are; the silence at both ends belongs to no word."""
    words, seconds = WORDS.split(), SECONDS[k]
    edges = np.linspace(0.25, seconds - 0.25, len(words) + 1)
    at = np.interp(np.arange(round(seconds * _RATE_HZ)) / _RATE_HZ, edges, np.arange(len(words) + 1))
    phase = 2 * np.pi * np.cumsum(LOW_HZ + APART_HZ * k + STEP_HZ * at) / _RATE_HZ
    times = [(word, float(a), float(b), True) for word, a, b in zip(words, edges[:-1], edges[1:], strict=True)]
    return 0.1 * (k + 1) * np.sin(phase), times

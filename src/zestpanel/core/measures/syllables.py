"""Syllables as they are heard, their rate and their rhythm: peaks of level that stand out and are voiced.

Reference: de Jong & Wempe (2009), Praat script to detect syllable nuclei and measure speech rate automatically: a
nucleus is a peak within 25 dB of the loud ones, with a dip of 2 dB before it, that is voiced. Rhythm: the normalised
pairwise variability index of Grabe & Low (2002), here over the time from one nucleus to the next within a stretch
without a pause.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.measures.silence import FRAME_S

BELOW_LOUD_DB: Final = 25.0
DIP_DB: Final = 2.0
_WINDOW: Final = 7  # frames: 64 ms, what Praat's intensity for 50 Hz sees at half its height
FEWEST_INTERVALS: Final = 10  # for a rhythm to be told


def nuclei_s(levels: NDArray[np.float64], voiced: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Where each syllable is loudest, in s, shape (syllables,). levels: dBFS of each 10 ms; voiced: likewise, longer
    or shorter by some frames at the end."""
    from scipy.signal import find_peaks  # a heavy import, left out of the program's start

    if len(levels) < _WINDOW:
        return np.array([])
    window = np.hanning(_WINDOW + 2)[1:-1]
    power = np.convolve(10 ** (levels / 10), window / window.sum(), "same")
    smooth = 10 * np.log10(power + 1e-30)
    loud = float(np.percentile(smooth, 99))
    found, _ = find_peaks(smooth, height=loud - BELOW_LOUD_DB, prominence=DIP_DB)
    found = found[found < len(voiced)]
    out: NDArray[np.float64] = (found[voiced[found]].astype(np.float64) + 0.5) * FRAME_S
    return out


def intervals_s(nuclei: NDArray[np.float64], pauses: Sequence[tuple[float, float]]) -> list[NDArray[np.float64]]:
    """From one nucleus to the next, for each stretch without a pause."""
    cuts = np.searchsorted(nuclei, [(start + end) / 2 for start, end in pauses])
    return [np.diff(part) for part in np.split(nuclei, cuts) if len(part) > 1]


def npvi(stretches: Sequence[NDArray[np.float64]]) -> float | None:
    """Mean difference of neighbours over their mean, in percent (Grabe & Low 2002, equation 2), over the pairs of
    neighbours that lie in one stretch; None where they are too few."""
    first = np.concatenate([part[:-1] for part in stretches]) if stretches else np.array([])
    second = np.concatenate([part[1:] for part in stretches]) if stretches else np.array([])
    if len(first) < FEWEST_INTERVALS:
        return None
    return float(100 * np.mean(np.abs(first - second) / ((first + second) / 2)))

"""What a file is like beside what is said in it: its bandwidth, its noise, its offset, how peaky it is, and how far its
loudness ranges."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.audio.clip import Clip
from zestpanel.core.measures.loudness import ABSOLUTE_GATE_LUFS, hop_energies, loudness_steps

WITHIN_DB: Final = 60.0  # of the long-term spectrum's peak
_FRAME_S: Final = 0.02
SHORTEST_S: Final = 10.0  # of a clip whose range is told: of a sentence it says nothing
SHORT_TERM_S: Final = 3.0  # EBU Tech 3342: sliding windows of 3 s
RELATIVE_GATE_LU: Final = -20.0  # EBU Tech 3342, relative threshold
LOW, HIGH = 10, 95  # percentiles (EBU Tech 3342)


def bandwidth_hz(x: NDArray[np.float64], rate_hz: int) -> float | None:
    """The highest frequency that lies within 60 dB of the long-term spectrum's peak; None for silence. A file that was
    only up-sampled shows the band it was made of. x: mono, shape (frames,)."""
    size = 2 * round(_FRAME_S * rate_hz / 2)
    if len(x) < size or size < 16:
        return None
    window = np.blackman(size)
    power = np.zeros(size // 2 + 1)
    starts = np.arange(0, len(x) - size + 1, size // 2)
    for some in np.array_split(starts, max(1, len(starts) // 2_000)):
        power += (np.abs(np.fft.rfft(x[some[:, None] + np.arange(size)] * window, axis=1)) ** 2).sum(axis=0)
    if power.max() <= 0:
        return None
    over = np.flatnonzero(power >= power.max() * 10 ** (-WITHIN_DB / 10))
    return float(over[-1]) * rate_hz / size


def dc_offset_percent(x: NDArray[np.float64]) -> float | None:
    """The mean of the samples in percent of full scale."""
    return 100 * float(x.mean()) if len(x) else None


def crest_db(x: NDArray[np.float64], speech_power: float) -> float | None:
    """Greatest sample over the root mean square of the speech, dB. speech_power: mean square of the frames that
    speak."""
    peak = float(np.abs(x).max(initial=0.0))
    return 10 * float(np.log10(peak**2 / speech_power)) if peak > 0 and speech_power > 0 else None


def loudness_range_lu(clip: Clip, hops: NDArray[np.float64] | None = None) -> float | None:
    """EBU Tech 3342: between the 10th and the 95th percentile of short-term loudness, over what is louder than -70 LUFS
    and than 20 LU below the mean of that. None for clips under ten seconds. hops: its energies, if known."""
    if clip.duration_s < SHORTEST_S:
        return None
    energies = hop_energies(clip.samples, clip.rate_hz) if hops is None else hops
    found = loudness_steps(energies, clip.rate_hz, SHORT_TERM_S)
    found = found[found > ABSOLUTE_GATE_LUFS]
    if not len(found):
        return None
    mean = 10 * np.log10(np.mean(10 ** (found / 10)))
    found = found[found > mean + RELATIVE_GATE_LU]
    low, high = np.percentile(found, [LOW, HIGH])
    return float(high - low)

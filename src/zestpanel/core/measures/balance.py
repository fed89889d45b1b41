"""Spectral balance: how much of the voice lies high, so that a change of voice or of coding shows in one figure."""

from __future__ import annotations

from typing import Final

import numpy as np

from zestpanel.core.audio.clip import Clip
from zestpanel.core.measures.silence import FRAME_S, frame_levels_dbfs, speech_frames

LOW_HZ: Final = (50.0, 1000.0)
HIGH_HZ: Final = (1000.0, 5000.0)
_FRAME_S: Final = 0.02


def spectral_balance_db(clip: Clip) -> float | None:
    """Level of 1 to 5 kHz less that of 50 Hz to 1 kHz over the frames that speak, in dB; None when none do.

    The 'alpha ratio' of voice research (Frøkjær-Jensen & Prytz 1976), from the long-term average spectrum.
    """
    x = clip.mono().astype(np.float64)
    speaks = speech_frames(frame_levels_dbfs(clip), clip)
    size = round(_FRAME_S * clip.rate_hz)
    starts = (np.flatnonzero(speaks) * FRAME_S * clip.rate_hz).astype(int)
    starts = starts[starts + size <= len(x)]
    if not len(starts):
        return None
    window = np.hanning(size)
    power = np.zeros(size // 2 + 1)
    for some in np.array_split(starts, max(1, len(starts) // 2000)):
        frames = x[some[:, None] + np.arange(size)] * window
        power += (np.abs(np.fft.rfft(frames, axis=1)) ** 2).sum(axis=0)
    hz = np.fft.rfftfreq(size, 1 / clip.rate_hz)
    low, high = (float(power[(hz >= a) & (hz < b)].sum()) for a, b in (LOW_HZ, HIGH_HZ))
    return 10 * float(np.log10(high / low)) if low > 0 and high > 0 else None

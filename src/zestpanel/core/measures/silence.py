"""Speech and silence: where a clip speaks, its lead and tail, its pauses, and the noise in them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.audio.clip import Clip

FRAME_S: Final = 0.01
SHORTEST_PAUSE_S: Final = 0.15  # silences from 150 ms inside speech are pauses
BELOW_SPEECH_DB: Final = 35.0  # common practice, no source: frames this far below the loud ones are silence
FLOOR_DBFS: Final = -120.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Silence:
    """Seconds, and dBFS for noise (None where there is no silence to measure it in, or only digital zero)."""

    lead_s: float
    tail_s: float
    speech_s: float
    pauses: int
    pauses_s: float
    longest_pause_s: float
    noise_dbfs: float | None


def frame_levels_dbfs(clip: Clip) -> NDArray[np.float64]:
    """RMS level of each 10 ms frame in dBFS, shape (frames,), floored at -120."""
    x = clip.mono().astype(np.float64)
    step = max(1, round(FRAME_S * clip.rate_hz))
    whole = len(x) // step
    power = (x[: whole * step].reshape(whole, step) ** 2).mean(axis=1) if whole else np.array([float((x**2).mean())])
    levels: NDArray[np.float64] = np.maximum(10 * np.log10(power + 1e-30), FLOOR_DBFS)
    return levels


def speech_frames(levels: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Frames that speak: within 35 dB of the loud ones (95th percentile), and clear of the noise floor."""
    loud = float(np.percentile(levels, 95))
    floor = float(np.percentile(levels, 5))
    threshold = max(loud - BELOW_SPEECH_DB, min(floor + 6.0, loud - 12.0))
    if loud <= FLOOR_DBFS + 1:
        return np.zeros(len(levels), dtype=bool)
    return levels > threshold


def measure_silence(clip: Clip) -> Silence:
    """Lead, tail, pauses of at least 150 ms between them, and the level of noise in all silences together."""
    levels = frame_levels_dbfs(clip)
    speaks = speech_frames(levels)
    if not speaks.any():
        return Silence(
            lead_s=clip.duration_s,
            tail_s=0.0,
            speech_s=0.0,
            pauses=0,
            pauses_s=0.0,
            longest_pause_s=0.0,
            noise_dbfs=None,
        )
    first, last = int(np.argmax(speaks)), len(speaks) - int(np.argmax(speaks[::-1]))
    edges = np.flatnonzero(np.diff(np.concatenate([[1], speaks[first:last].astype(int), [1]])))
    lengths = (edges[1::2] - edges[::2]) * FRAME_S
    pauses = lengths[lengths >= SHORTEST_PAUSE_S - 1e-9]
    lead = first * FRAME_S
    tail = max(0.0, clip.duration_s - last * FRAME_S)
    quiet = levels[~speaks]
    quiet = quiet[quiet > FLOOR_DBFS + 1]
    noise = float(10 * np.log10(np.mean(10 ** (quiet / 10)))) if len(quiet) >= 3 else None
    return Silence(
        lead_s=lead,
        tail_s=tail,
        speech_s=clip.duration_s - lead - tail - float(pauses.sum()),
        pauses=len(pauses),
        pauses_s=float(pauses.sum()),
        longest_pause_s=float(pauses.max()) if len(pauses) else 0.0,
        noise_dbfs=noise,
    )

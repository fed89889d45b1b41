"""Pitch of the voice, by Praat's autocorrelation method.

Reference: Boersma, P. (1993), Accurate short-term analysis of the fundamental frequency and the
harmonics-to-noise ratio of a sampled sound, as implemented in Praat (here through parselmouth).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.audio.clip import Clip

FLOOR_HZ: Final = 60.0
CEILING_HZ: Final = 500.0
STEP_S: Final = 0.01


@dataclass(frozen=True, slots=True, kw_only=True)
class Pitch:
    """median_hz; sd_st and range_st (5th to 95th percentile) in semitones about the median; None when unvoiced."""

    median_hz: float | None
    sd_st: float | None
    range_st: float | None
    voiced_share: float


def semitones(f0_hz: NDArray[np.float64], reference_hz: float) -> NDArray[np.float64]:
    """12 log2 of the ratio to the reference."""
    out: NDArray[np.float64] = 12.0 * np.log2(f0_hz / reference_hz)
    return out


class Track(NamedTuple):
    """f0_hz: each 10 ms, 0 where nothing is voiced, shape (steps,); begins_s: of the first."""

    f0_hz: NDArray[np.float64]
    begins_s: float

    def on_steps(self, step_s: float, duration_s: float) -> NDArray[np.float64]:
        """At the middle of each step of so long, nan where nothing is voiced; shape (steps,)."""
        steps = max(0, int(duration_s / step_s))
        at = np.rint(((np.arange(steps) + 0.5) * step_s - self.begins_s) / STEP_S).astype(int)
        inside = (at >= 0) & (at < len(self.f0_hz))
        out = np.full(steps, np.nan)
        out[inside] = self.f0_hz[at[inside]]
        out[out <= 0] = np.nan
        return out


def pitch_track(clip: Clip) -> Track:
    """Empty for a clip that is too short."""
    import parselmouth  # loaded only where sound is measured

    if clip.duration_s < 3.0 / FLOOR_HZ + STEP_S:
        return Track(np.array([]), 0.0)
    sound = parselmouth.Sound(clip.mono().astype(np.float64), sampling_frequency=float(clip.rate_hz))
    track = sound.to_pitch_ac(time_step=STEP_S, pitch_floor=FLOOR_HZ, pitch_ceiling=CEILING_HZ)
    return Track(np.asarray(track.selected_array["frequency"], dtype=np.float64), float(track.x1))


def measure_pitch(clip: Clip, track: Track | None = None) -> Pitch:
    """Median and spread of the pitch over voiced frames (10 ms steps, 60 to 500 Hz). track: where it is known."""
    f0 = (track or pitch_track(clip)).f0_hz
    voiced = f0[f0 > 0]
    if len(voiced) < 3:
        return Pitch(median_hz=None, sd_st=None, range_st=None, voiced_share=0.0)
    median = float(np.median(voiced))
    st = semitones(voiced, median)
    low, high = np.percentile(st, [5, 95])
    return Pitch(
        median_hz=median, sd_st=float(st.std(ddof=1)), range_st=float(high - low), voiced_share=len(voiced) / len(f0)
    )

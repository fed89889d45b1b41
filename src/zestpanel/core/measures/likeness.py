"""How alike two clips of the same words sound: envelope of the spectrum, pitch along the words, and colour as a whole.

Mel-cepstral distortion (Kubichek 1993, Mel-cepstral distance measure for objective speech quality assessment): the root
mean square difference of the logarithmic spectra in dB, without their level, over the frames of both that speak, paired
by warping one clip onto the other.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
import soxr
from numpy.typing import NDArray

from zestpanel.core.audio.clip import Clip
from zestpanel.core.measures.pitch import measure_pitch, pitch_track, semitones
from zestpanel.core.measures.silence import FRAME_S, frame_levels_dbfs, speech_frames
from zestpanel.core.measures.word_times import mel_bands_of, mel_cepstra, warp

COEFFICIENTS: Final = 24
RATE_HZ: Final = 16_000
_MOST_FRAMES: Final = 3_000  # of a clip: longer ones are paired at a wider step
_THIRDS_HZ: Final = 100.0 * 2 ** (np.arange(20) / 3)  # third octaves, 100 Hz to 8 kHz


@dataclass(frozen=True, slots=True)
class Likeness:
    """dB; semitones, root mean square along the words; dB, root mean square over third octaves. None where it cannot be
    told."""

    distortion_db: float | None
    pitch_st: float | None
    colour_db: float | None


def likeness(a: Clip, b: Clip, *, same_words: bool = True) -> Likeness:
    """Of two clips. same_words: else only pitch, as the distance of their medians, and colour are told."""
    colour = _colour(a, b)
    if not same_words:
        one, other = measure_pitch(a).median_hz, measure_pitch(b).median_hz
        apart = None if one is None or other is None else abs(12 * float(np.log2(one / other)))
        return Likeness(None, apart, colour)
    x, y = _speech(a), _speech(b)
    if not len(x) or not len(y):
        return Likeness(None, None, colour)
    hop_s = FRAME_S * max(1, -(-max(len(x), len(y)) // round(RATE_HZ * FRAME_S) // _MOST_FRAMES))
    in_a, in_b, _ = warp(mel_cepstra(x, hop_s=hop_s), mel_cepstra(y, hop_s=hop_s))
    distortion = distortion_db(mel_bands_of(x, hop_s=hop_s)[in_a], mel_bands_of(y, hop_s=hop_s)[in_b])
    return Likeness(distortion, _along(x, y, in_a.astype(np.float64) * hop_s, in_b.astype(np.float64) * hop_s), colour)


def distortion_db(a: NDArray[np.float64], b: NDArray[np.float64]) -> float:
    """Mean over frames. a, b: power in mel bands, shape (frames, bands), frame by frame the same place.

    With ln |S| = sum of c(m) cos(m w), the distortion (10 / ln 10) sqrt(2 sum of (difference of c(m))^2, m >= 1) is the
    root mean square of the difference in dB.
    """
    from scipy.fft import dct  # a heavy import, left out of the program's start

    bands = a.shape[1]
    c = dct(0.5 * (np.log(a + 1e-9) - np.log(b + 1e-9)), type=2, axis=1)[:, 1 : COEFFICIENTS + 1] / bands
    return float(np.mean(10 / np.log(10) * np.sqrt(2 * (c**2).sum(axis=1))))


def _speech(clip: Clip) -> NDArray[np.float32]:
    """Mono at 16 kHz and one level, from the first frame that speaks to the last, silent frames left out."""
    speaks = speech_frames(frame_levels_dbfs(clip), clip)
    x = clip.mono()
    if clip.rate_hz != RATE_HZ:
        x = soxr.resample(x, clip.rate_hz, RATE_HZ)
    keep = np.repeat(speaks, round(RATE_HZ * FRAME_S))[: len(x)]
    x = x[: len(keep)][keep]
    loud = float(np.sqrt((x.astype(np.float64) ** 2).mean())) if len(x) else 0.0
    out: NDArray[np.float32] = (x / loud * 0.1).astype(np.float32) if loud > 0 else x[:0]
    return out


def _along(
    x: NDArray[np.float32], y: NDArray[np.float32], at_x: NDArray[np.float64], at_y: NDArray[np.float64]
) -> float | None:
    f0 = []
    for of, at in ((x, at_x), (y, at_y)):
        track = pitch_track(Clip(samples=of[:, None], rate_hz=RATE_HZ))
        if not len(track.f0_hz):
            return None
        step = np.clip(np.rint((at - track.begins_s) / FRAME_S).astype(int), 0, len(track.f0_hz) - 1)
        f0.append(track.f0_hz[step])
    both = (f0[0] > 0) & (f0[1] > 0)
    if both.sum() < 10:
        return None
    return float(np.sqrt(np.mean((semitones(f0[0][both], 100.0) - semitones(f0[1][both], 100.0)) ** 2)))


def _colour(a: Clip, b: Clip) -> float | None:
    """Of the long-term spectra, each less its own mean."""
    levels = []
    for clip in (a, b):
        x = _speech(clip)
        if len(x) < 1024:
            return None
        from scipy.signal import welch

        hz, power = welch(x, RATE_HZ, nperseg=1024)
        bands = [power[(hz >= f / 2 ** (1 / 6)) & (hz < f * 2 ** (1 / 6))].mean() for f in _THIRDS_HZ
                 if f * 2 ** (1 / 6) < RATE_HZ / 2]  # fmt: skip
        level = 10 * np.log10(np.array(bands) + 1e-12)
        levels.append(level - level.mean())
    return float(np.sqrt(np.mean((levels[0] - levels[1]) ** 2)))

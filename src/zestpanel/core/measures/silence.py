"""Speech and silence: where a clip speaks, its lead and tail, its pauses, and the noise in them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.audio.clip import Clip, as_samples

FRAME_S: Final = 0.01
SHORTEST_PAUSE_S: Final = 0.15  # silences from 150 ms inside speech are pauses
BELOW_SPEECH_DB: Final = 35.0  # common practice, no source: frames this far below the loud ones are silence
FLOOR_DBFS: Final = -120.0
RUMBLE_HZ: Final = 150.0
_SMOOTH: Final = 5  # frames


LEAST_CONTRAST_DB: Final = 6.0  # between loud and quiet frames: below that speech and noise cannot be told apart
# speaking frames over the noise: below that weak sounds drown and read as pauses (tried on speech under white and pink
# noise: down to 10 dB of speech to noise, pauses and noise are found as without it)
LEAST_SPEECH_TO_NOISE_DB: Final = 9.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Silence:
    """Seconds, and dBFS for noise (None where there is no silence to measure it in, or only digital zero).

    spans: (start, end) of the pauses. beyond_reach: the noise lies so close to the speech that pauses, lead and tail
    cannot be told; what stands there then is no finding.
    """

    lead_s: float
    tail_s: float
    speech_s: float
    pauses: int
    pauses_s: float
    longest_pause_s: float
    noise_dbfs: float | None
    beyond_reach: bool = False
    spans: tuple[tuple[float, float], ...] = ()


def frame_edges(samples: int, rate_hz: int) -> NDArray[np.intp]:
    """Where the 10 ms frames of so many samples begin, and where the last one ends, shape (frames + 1,).

    Frame k begins at the sample nearest to k x 10 ms: at rates that 10 ms does not divide (22,050 Hz) frames are of
    two lengths, and none drifts from its time.
    """
    whole = max(1, int(samples / (FRAME_S * rate_hz) + 1e-9))
    edges: NDArray[np.intp] = np.minimum(np.rint(np.arange(whole + 1) * (FRAME_S * rate_hz)), samples).astype(np.intp)
    return edges


def frame_levels_dbfs(clip: Clip) -> NDArray[np.float64]:
    """RMS level of each 10 ms frame in dBFS, shape (frames,), floored at -120."""
    x = clip.mono().astype(np.float64)
    edges = frame_edges(len(x), clip.rate_hz)
    energy = np.add.reduceat(x**2, edges[:-1])
    energy[-1] = float((x[edges[-2] : edges[-1]] ** 2).sum())  # reduceat runs on to the end of the sound
    power = energy / np.maximum(1, np.diff(edges))
    levels: NDArray[np.float64] = np.maximum(10 * np.log10(power + 1e-30), FLOOR_DBFS)
    return levels


def _mean_db(levels: NDArray[np.float64]) -> float:
    """Level of the mean power, dBFS."""
    return float(10 * np.log10(np.mean(10 ** (levels / 10))))


def _smoothed(levels: NDArray[np.float64]) -> NDArray[np.float64]:
    """Levels of the mean power over five frames: noise of single frames varies by several dB, that of five by less."""
    power = np.convolve(10 ** (levels / 10), np.ones(_SMOOTH), "same")
    count = np.convolve(np.ones(len(levels)), np.ones(_SMOOTH), "same")
    smoothed: NDArray[np.float64] = 10 * np.log10(power[: len(levels)] / count[: len(levels)] + 1e-30)
    return smoothed


def speech_frames(levels: NDArray[np.float64], clip: Clip) -> NDArray[np.bool_]:
    """Frames that speak: within 35 dB of the loud ones (95th percentile). Where noise lies higher than that, those that
    stand out of it: above it by three times its own spread, which the quietest frames show (the 2nd to the 15th
    percentile), on levels smoothed over 50 ms and free of rumble (a high-pass at 150 Hz: below it lies most of what
    noise wavers by and little that tells speech).

    levels: of ``frame_levels_dbfs`` for the clip.
    """
    loud = float(np.percentile(levels, 95))
    if loud <= FLOOR_DBFS + 1:
        return np.zeros(len(levels), dtype=bool)
    floor = float(np.percentile(levels, 5))
    if floor + 6.0 <= loud - BELOW_SPEECH_DB or len(levels) < 2 * _SMOOTH:
        return levels > loud - BELOW_SPEECH_DB
    own = frame_levels_dbfs(_without_rumble(clip))
    smooth = _smoothed(own)
    loud = float(np.percentile(smooth, 95))
    lowest, floor, middle = (float(v) for v in np.percentile(smooth, [2, 5, 15]))
    if loud - floor < LEAST_CONTRAST_DB:
        return levels > loud - 12.0
    over = float(np.clip(3.0 * (middle - lowest), 1.5, min(4.0, (loud - floor) / 3)))
    threshold = max(loud - BELOW_SPEECH_DB, floor + over)
    return _trimmed(smooth > threshold, own > threshold)


def _trimmed(speaks: NDArray[np.bool_], itself: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Speech that smoothing has widened by as much as two frames at either end, cut back to the frames that stand out
    by themselves."""
    trimmed = speaks.copy()
    for order in (slice(None), slice(None, None, -1)):
        out, alone = trimmed[order], itself[order]
        for _ in range(_SMOOTH // 2):
            first = out & ~np.concatenate([[False], out[:-1]])
            out[first & ~alone] = False
    return trimmed


def _beyond_reach(levels: NDArray[np.float64], speaks: NDArray[np.bool_], noise: float | None) -> bool:
    """Whether noise hides the pauses: it lies just below the speech, or nothing stands out of anything at all."""
    if noise is not None:
        return _mean_db(levels[speaks]) - noise < LEAST_SPEECH_TO_NOISE_DB
    low, high = np.percentile(_smoothed(levels), [5, 95])
    return bool(len(levels) * FRAME_S > 1.0 and high - low < LEAST_CONTRAST_DB)


def _without_rumble(clip: Clip) -> Clip:
    from scipy.signal import butter, sosfilt  # a heavy import, left out of the program's start

    if clip.rate_hz < 4 * RUMBLE_HZ:
        return clip
    sos = butter(2, RUMBLE_HZ, "highpass", fs=clip.rate_hz, output="sos")
    return Clip(samples=as_samples(sosfilt(sos, clip.mono().astype(np.float64))), rate_hz=clip.rate_hz)


def measure_silence(clip: Clip) -> Silence:
    """Lead, tail, pauses of at least 150 ms between them, and the level of noise in all silences together."""
    levels = frame_levels_dbfs(clip)
    speaks = speech_frames(levels, clip)
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
    # a frame in which speech begins or ends counts as speech: half a frame of a pause is lost at either end, on average
    lengths = (edges[1::2] - edges[::2] + 1) * FRAME_S
    long = lengths >= SHORTEST_PAUSE_S - 1e-9
    pauses = lengths[long]
    starts = (edges[::2][long] + first) * FRAME_S
    lead = first * FRAME_S
    tail = max(0.0, clip.duration_s - last * FRAME_S)
    quiet = levels[~speaks]
    quiet = quiet[quiet > FLOOR_DBFS + 1]
    noise = _mean_db(quiet) if len(quiet) >= 3 else None
    return Silence(
        lead_s=lead,
        tail_s=tail,
        speech_s=clip.duration_s - lead - tail - float(pauses.sum()),
        pauses=len(pauses),
        pauses_s=float(pauses.sum()),
        longest_pause_s=float(pauses.max()) if len(pauses) else 0.0,
        noise_dbfs=noise,
        beyond_reach=_beyond_reach(levels, speaks, noise),
        spans=tuple((float(start), float(start + length)) for start, length in zip(starts, pauses, strict=True)),
    )


def pause_spans(clip: Clip, least_s: float) -> tuple[tuple[float, float], ...]:
    """(start, end) in seconds of the pauses inside speech that last at least so long; none where noise hides them."""
    levels = frame_levels_dbfs(clip)
    speaks = speech_frames(levels, clip)
    quiet = levels[~speaks]
    quiet = quiet[quiet > FLOOR_DBFS + 1]
    if not speaks.any() or _beyond_reach(levels, speaks, _mean_db(quiet) if len(quiet) >= 3 else None):
        return ()
    first, last = int(np.argmax(speaks)), len(speaks) - int(np.argmax(speaks[::-1]))
    edges = np.flatnonzero(np.diff(np.concatenate([[1], speaks[first:last].astype(int), [1]]))) + first
    spans = zip(edges[::2] * FRAME_S, edges[1::2] * FRAME_S, strict=True)
    return tuple((float(start), float(end)) for start, end in spans if end - start >= least_s - 1e-9)

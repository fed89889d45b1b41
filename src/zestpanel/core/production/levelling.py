"""Bringing a long sound to a stated loudness without passing a stated true peak.

In two passes: loudness is measured over the whole (ITU-R BS.1770), then one gain is applied, and what would pass the
ceiling is turned down around it by a gain that looks ahead; what that costs in loudness the next pass makes up for.
Where gating has nothing to stand on (silent, or shorter than one block) the sound stays as it is.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.long_samples import LongSamples
from zestpanel.core.measures.loudness import loudness_of, true_peak_dbtp
from zestpanel.core.waiting import give_way

Samples = NDArray[np.float32] | LongSamples  # shape (frames, channels)

WITHIN_LU: Final = 0.1
_PASSES: Final = 4
_STRETCH_S: Final = 20.0
_LOOK_S: Final = 0.005  # to either side of a peak (common practice, no source)
_FINE: Final = 4  # oversampling, of the envelope that is turned down
_QUIET: Final = 0.7  # of the ceiling: samples below are not passed by what lies between them, but for what is trimmed
_SPARE_DB: Final = 0.3  # what fourfold oversampling may miss of a true peak (BS.1770-5 Annex 2, attachment 1)


@dataclass(frozen=True, slots=True, kw_only=True)
class Level:
    """before and after: LUFS, None where it cannot be told. limited_s: for how long the ceiling turned it down."""

    before: float | None
    after: float | None
    gain_db: float
    peak_dbtp: float
    limited_s: float


def bring_to(target_lufs: float | None, ceiling_dbtp: float, source: Samples, into: Samples, rate: int) -> Level:
    """Write the source, brought to its level, into samples of the same shape. target_lufs: None changes only what
    passes the ceiling."""
    before, _ = loudness_of(source, rate)
    gain = 0.0 if target_lufs is None or before is None else target_lufs - before
    limited, after = 0.0, before
    for _ in range(_PASSES):
        limited = apply(gain, ceiling_dbtp, source, into, rate)
        after, _ = loudness_of(into, rate)
        if target_lufs is None or after is None or abs(target_lufs - after) <= WITHIN_LU or not limited:
            break
        gain += target_lufs - after
    peak = peak_of(into, rate)
    if peak > ceiling_dbtp:  # what the envelope did not see
        factor = np.float32(10 ** ((ceiling_dbtp - peak) / 20))
        for begin, end in _stretches(len(into), rate):
            into[begin:end] = into[begin:end] * factor
        after = None if after is None else after + ceiling_dbtp - peak
        peak = ceiling_dbtp
    return Level(before=before, after=after, gain_db=gain, peak_dbtp=peak, limited_s=limited)


def peak_of(samples: Samples, rate: int) -> float:
    """True peak in dBTP over all stretches, which overlap."""
    beside = rate // 10
    return max(
        (true_peak_dbtp(Clip(samples=np.asarray(samples[max(0, begin - beside) : end + beside]), rate_hz=rate))
         for begin, end in _stretches(len(samples), rate)),
        default=float("-inf"),
    )  # fmt: skip


def _stretches(frames: int, rate: int) -> Iterator[tuple[int, int]]:
    size = round(_STRETCH_S * rate)
    for begin in range(0, frames, size):
        give_way()
        yield begin, min(frames, begin + size)


def apply(gain_db: float, ceiling_dbtp: float, source: Samples, into: Samples, rate: int) -> float:
    """One gain, and what would pass the ceiling turned down; returns for how many seconds it was."""
    factor, ceiling = np.float32(10 ** (gain_db / 20)), 10 ** ((ceiling_dbtp - _SPARE_DB) / 20)
    look = max(1, round(_LOOK_S * rate))
    beside, limited = 4 * look, 0
    for begin, end in _stretches(len(source), rate):
        first, last = max(0, begin - beside), min(len(source), end + beside)
        x = np.asarray(source[first:last], dtype=np.float32) * factor
        own = slice(begin - first, begin - first + end - begin)
        turned = _turned_down(x, ceiling, look)
        into[begin:end] = x[own] if turned is None else x[own] * turned[own, None]
        limited += 0 if turned is None else int(np.sum(turned[own] < 0.999))
    return limited / rate


def _turned_down(x: NDArray[np.float32], ceiling: float, look: int) -> NDArray[np.float32] | None:
    """A gain a frame that keeps the oversampled envelope below the ceiling; None where nothing passes it. The least
    gain within the window, smoothed over the same window, is never more than what a peak in its middle needs."""
    from scipy.ndimage import minimum_filter1d, uniform_filter1d
    from scipy.signal import resample_poly

    if float(np.abs(x).max(initial=0.0)) <= ceiling * _QUIET:
        return None
    fine = np.abs(resample_poly(x, _FINE, 1, axis=0)).max(axis=1)[: len(x) * _FINE]
    envelope = np.maximum(fine.reshape(-1, _FINE).max(axis=1), np.abs(x).max(axis=1))
    if float(envelope.max()) <= ceiling:
        return None
    needed = np.minimum(1.0, ceiling / np.maximum(envelope, 1e-9))
    window = 2 * look + 1
    out: NDArray[np.float32] = uniform_filter1d(minimum_filter1d(needed, window), window).astype(np.float32)
    return out

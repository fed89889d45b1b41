"""Integrated loudness and true peak.

References: ITU-R BS.1770-5 Annex 1 (K-weighting, gating) and Annex 2 (true peak); EBU Tech 3341.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Final

import numpy as np
import soxr
from numpy.typing import NDArray

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import resampled

ABSOLUTE_GATE_LUFS: Final = -70.0  # BS.1770-5 Annex 1, eq. 5
RELATIVE_GATE_LU: Final = -10.0  # BS.1770-5 Annex 1, eq. 6
BLOCK_S: Final = 0.4  # BS.1770-5 Annex 1: gating blocks of 400 ms
OVERLAP: Final = 4  # ... that overlap by 75 %
LOUDNESS_OFFSET: Final = -0.691  # BS.1770-5 Annex 1, eq. 2
TARGET_LUFS: Final = -23.0  # EBU R 128
CEILING_DBTP: Final = -1.0  # EBU R 128
LOWEST_FILTER_RATE_HZ: Final = 40_000
SILENT: Final = "silent"
TOO_SHORT: Final = "too short"

# BS.1770-5 Annex 1, tables 1 and 2: the coefficients at 48 kHz.
_SHELF_48K = (
    (1.53512485958697, -2.69169618940638, 1.19839281085285),
    (1.0, -1.69065929318241, 0.73248077421585),
)
_HIGHPASS_48K = ((1.0, -2.0, 1.0), (1.0, -1.99004745483398, 0.99007225036621))


@dataclass(frozen=True, slots=True, kw_only=True)
class Loudness:
    """integrated_lufs is None where there is no answer, and ``why`` then says 'silent' or 'too short'."""

    integrated_lufs: float | None
    true_peak_dbtp: float
    why: str = ""


@lru_cache(maxsize=32)
def k_weighting(rate_hz: int) -> tuple[tuple[NDArray[np.float64], NDArray[np.float64]], ...]:
    """The two K-weighting filters as (b, a) for any sample rate.

    The standard prints coefficients for 48 kHz. Each filter is taken back to its analogue poles and
    zeros by inverting the bilinear transform, and brought to the wanted rate by the transform again,
    warped so that the response agrees at the filter's own corner. Good to 0.01 LU from 40 kHz up; below
    that no re-derived pair follows the shelf near the band's edge, and the sound is resampled instead.
    """
    from scipy.signal import bilinear_zpk, zpk2tf  # a heavy import, left out of the program's start

    filters = []
    for b, a in (_SHELF_48K, _HIGHPASS_48K):
        if rate_hz == 48_000:
            filters.append((np.array(b), np.array(a)))
            continue
        zeros, poles = np.roots(b), np.roots(a)
        fs = 48_000.0
        analogue_zeros = 2 * fs * (zeros - 1) / (zeros + 1)
        analogue_poles = 2 * fs * (poles - 1) / (poles + 1)
        # gain of the analogue filter at infinity equals the digital one at z = -1
        gain = float(np.real(np.polyval(b, -1.0) / np.polyval(a, -1.0)))
        corner = float(np.abs(analogue_poles[0]))  # rad/s, pre-warped for 48 kHz
        true_corner = 2 * fs * np.arctan(corner / (2 * fs))
        warp = 2 * rate_hz * np.tan(true_corner / (2 * rate_hz)) / corner
        z, p, k = bilinear_zpk(analogue_zeros * warp, analogue_poles * warp, gain, rate_hz)
        nb, na = zpk2tf(z, p, k)
        filters.append((np.real(nb), np.real(na)))
    return tuple(filters)


def integrated_loudness(clip: Clip) -> tuple[float | None, str]:
    """(LUFS, '') or (None, 'silent' | 'too short').

    BS.1770-5 Annex 1, eqs. 1-7, channel weights 1.0 for the first three channels and 1.41 for
    surrounds four and five. The last block is kept only where it is whole.
    """
    if clip.duration_s < BLOCK_S - 0.5 / clip.rate_hz:
        return None, TOO_SHORT
    if clip.rate_hz < LOWEST_FILTER_RATE_HZ:
        clip = resampled(clip, 48_000)
    rate = clip.rate_hz
    from scipy.signal import lfilter

    (shelf_b, shelf_a), (high_b, high_a) = k_weighting(rate)
    # both filters in one pass: their product, as they stand in series
    x = clip.samples.astype(np.float64).T
    x = lfilter(np.convolve(shelf_b, high_b), np.convolve(shelf_a, high_a), x, axis=1)
    weights = np.ones(len(x))
    weights[3:5] = 1.41
    step = BLOCK_S / OVERLAP * rate
    hops = int(x.shape[1] / step + 1e-6)
    edges = np.round(np.arange(hops + 1) * step).astype(int)
    cumulative = np.concatenate([[0.0], np.cumsum(weights @ (x * x))])
    quarter = np.diff(cumulative[np.minimum(edges, x.shape[1])])
    if len(quarter) < OVERLAP:
        return None, TOO_SHORT
    block_power = np.convolve(quarter, np.ones(OVERLAP), "valid") / (BLOCK_S * rate)
    with np.errstate(divide="ignore"):
        block_lufs = LOUDNESS_OFFSET + 10 * np.log10(block_power)
    loud = block_power[block_lufs > ABSOLUTE_GATE_LUFS]
    if not len(loud):
        return None, SILENT
    gate = LOUDNESS_OFFSET + 10 * np.log10(loud.mean()) + RELATIVE_GATE_LU
    kept = loud[LOUDNESS_OFFSET + 10 * np.log10(loud) > gate]
    return float(LOUDNESS_OFFSET + 10 * np.log10(kept.mean())), ""


def true_peak_dbtp(clip: Clip) -> float:
    """True peak in dBTP: the greatest magnitude after oversampling to at least 192 kHz (BS.1770-5 Annex 2).

    -inf for silence.
    """
    factor = max(1, int(np.ceil(192_000 / clip.rate_hz)))
    loudest = float(np.abs(clip.samples).max())
    if loudest == 0.0:
        return float("-inf")
    over = (
        soxr.resample(clip.samples, clip.rate_hz, clip.rate_hz * factor, quality="MQ") if factor > 1 else clip.samples
    )
    return float(20 * np.log10(max(loudest, float(np.abs(over).max()))))


def measure_loudness(clip: Clip) -> Loudness:
    """Integrated loudness and true peak of a clip."""
    lufs, why = integrated_loudness(clip)
    return Loudness(integrated_lufs=lufs, true_peak_dbtp=true_peak_dbtp(clip), why=why)


def matching_gains_db(
    loudness: list[Loudness], *, target_lufs: float = TARGET_LUFS, ceiling_dbtp: float = CEILING_DBTP
) -> tuple[list[float], float]:
    """Gains that bring all clips to one loudness without any of them clipping.

    Where a clip's true peak would pass the ceiling, the target is lowered *for all* (never a limiter,
    never one clip alone). Silent or too short clips get the median gain of the others.
    Returns (gain in dB per clip, the target that was used).
    """
    target = target_lufs
    for one in loudness:
        if one.integrated_lufs is not None:
            target = min(target, one.integrated_lufs + ceiling_dbtp - one.true_peak_dbtp)
    known = [target - one.integrated_lufs for one in loudness if one.integrated_lufs is not None]
    fallback = float(np.median(known)) if known else 0.0
    gains = [fallback if one.integrated_lufs is None else target - one.integrated_lufs for one in loudness]
    return gains, target

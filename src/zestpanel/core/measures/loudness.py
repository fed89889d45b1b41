"""Integrated loudness and true peak.

References: ITU-R BS.1770-5 Annex 1 (K-weighting, gating) and Annex 2 (true peak); EBU Tech 3341.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.long_samples import LongSamples

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
    """The two K-weighting filters as (b, a) for a sample rate from 40 kHz up.

    The standard prints coefficients for 48 kHz. Each filter is taken back to its analogue poles and
    zeros by inverting the bilinear transform, and brought to the wanted rate by the transform again,
    warped so that the response agrees at the filter's own corner. Good to 0.01 LU from 40 kHz up; below
    that no re-derived pair follows the shelf near the band's edge (see ``_weighted``).
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


def _weighted(x: NDArray[np.float64], rate_hz: int) -> NDArray[np.float64]:
    """K-weighted samples, shape (channels, frames).

    From 40 kHz up by the filters in series. Below, by the response that the 48 kHz filters have at each frequency,
    applied in the frequency domain with room for them to ring out: the same weighting up to half the rate, where
    resampling would lose what lies near it (0.26 LU of band-filling noise at 16 kHz).
    """
    if rate_hz >= LOWEST_FILTER_RATE_HZ:
        from scipy.signal import lfilter

        (shelf_b, shelf_a), (high_b, high_a) = k_weighting(rate_hz)
        # both filters in one pass: their product, as they stand in series
        filtered: NDArray[np.float64] = lfilter(np.convolve(shelf_b, high_b), np.convolve(shelf_a, high_a), x, axis=1)
        return filtered
    from scipy.fft import irfft, next_fast_len, rfft

    size = next_fast_len(x.shape[1] + rate_hz // 2, real=True)
    spectrum = rfft(x, size, axis=1) * _response(size, rate_hz)
    out: NDArray[np.float64] = irfft(spectrum, size, axis=1)[:, : x.shape[1]]
    return out


@lru_cache(maxsize=2)  # stretches of a long sound are equally long
def _response(size: int, rate_hz: int) -> NDArray[np.complex128]:
    """Of the filters for 48 kHz, at the frequencies of a transform of so many samples."""
    from scipy.fft import rfftfreq
    from scipy.signal import freqz

    hz = rfftfreq(size, 1 / rate_hz)
    response = np.ones(len(hz), dtype=np.complex128)
    for b, a in k_weighting(48_000):
        response *= freqz(b, a, worN=hz, fs=48_000)[1]
    return response


_AT_A_TIME_HOPS: Final = 200  # 20 s
_BEFORE_S: Final = 1.0  # that the filters hear before a stretch: they have rung out by then


def integrated_loudness(clip: Clip) -> tuple[float | None, str]:
    """(LUFS, '') or (None, 'silent' | 'too short').

    BS.1770-5 Annex 1, eqs. 1-7, channel weights 1.0 for the first three channels and 1.41 for
    surrounds four and five. The last block is kept only where it is whole.
    """
    return loudness_of(clip.samples, clip.rate_hz)


def loudness_of(samples: NDArray[np.float32] | LongSamples, rate: int) -> tuple[float | None, str]:
    """As ``integrated_loudness``, of samples of shape (frames, channels) that may lie in a file: a long sound is gone
    through in stretches."""
    if len(samples) / rate < BLOCK_S - 0.5 / rate:
        return None, TOO_SHORT
    return gated_loudness(hop_energies(samples, rate), rate)


def hop_energies(samples: NDArray[np.float32] | LongSamples, rate: int) -> NDArray[np.float64]:
    """Weighted energy of each whole 100 ms, over all channels, shape (hops,): loudness of any window is made of it."""
    step = BLOCK_S / OVERLAP * rate
    hops = int(len(samples) / step + 1e-6)
    edges = np.minimum(np.round(np.arange(hops + 1) * step).astype(int), len(samples))
    return np.concatenate([
        _energies(samples, rate, edges[k : k + _AT_A_TIME_HOPS + 1]) for k in range(0, max(1, hops), _AT_A_TIME_HOPS)
    ])  # fmt: skip


def gated_loudness(hops: NDArray[np.float64], rate: int) -> tuple[float | None, str]:
    """As ``integrated_loudness``, of energies of 100 ms each."""
    if len(hops) < OVERLAP:
        return None, TOO_SHORT
    block_power = np.convolve(hops, np.ones(OVERLAP), "valid") / (BLOCK_S * rate)
    with np.errstate(divide="ignore"):
        block_lufs = LOUDNESS_OFFSET + 10 * np.log10(block_power)
    loud = block_power[block_lufs > ABSOLUTE_GATE_LUFS]
    if not len(loud):
        return None, SILENT
    gate = LOUDNESS_OFFSET + 10 * np.log10(loud.mean()) + RELATIVE_GATE_LU
    kept = loud[LOUDNESS_OFFSET + 10 * np.log10(loud) > gate]
    return float(LOUDNESS_OFFSET + 10 * np.log10(kept.mean())), ""


def loudness_steps(hops: NDArray[np.float64], rate: int, window_s: float) -> NDArray[np.float64]:
    """Loudness of windows of so many seconds, one each 100 ms, LUFS, ungated; shape (windows,), empty where there is no
    whole one. -inf for silence. hops: energies of 100 ms each."""
    many = round(window_s * OVERLAP / BLOCK_S)
    if len(hops) < many:
        return np.zeros(0)
    power = np.convolve(hops, np.ones(many), "valid") / (window_s * rate)
    with np.errstate(divide="ignore"):
        out: NDArray[np.float64] = LOUDNESS_OFFSET + 10 * np.log10(np.maximum(power, 0.0))
    return out


def _energies(samples: NDArray[np.float32] | LongSamples, rate: int, edges: NDArray[np.int64]) -> NDArray[np.float64]:
    """Weighted energy between each two edges."""
    if len(edges) < 2:
        return np.zeros(0)
    begin = max(0, int(edges[0]) - round(_BEFORE_S * rate))
    x = _weighted(np.asarray(samples[begin : int(edges[-1])], dtype=np.float64).T, rate)
    weights = np.ones(len(x))
    weights[3:5] = 1.41
    cumulative = np.concatenate([[0.0], np.cumsum(weights @ (x * x))])
    energy: NDArray[np.float64] = np.diff(cumulative[edges - begin])
    return energy


OVERSAMPLING: Final = 8
_REACH: Final = 128  # samples of the sound on each side that an interpolated one is made of
_AT_ONCE: Final = 20_000
_LOUD: Final = 10 ** (-9 / 20)  # of the greatest sample: the peak lies beside samples that are at least so great


@lru_cache(maxsize=1)
def _interpolator() -> NDArray[np.float32]:
    """Windowed sinc (Kaiser, beta 10) from a sample to the next, one step more on both sides, shape (2 x reach,
    oversampling + 3): flat to 0.1 dB up to 0.97 of half the rate."""
    at = np.arange(-_REACH + 1, _REACH + 1)[:, None] - np.arange(-1, OVERSAMPLING + 2)[None, :] / OVERSAMPLING
    window = np.i0(10 * np.sqrt(np.clip(1 - (at / _REACH) ** 2, 0, None))) / np.i0(10)
    taps: NDArray[np.float32] = (np.sinc(at) * window).astype(np.float32)
    return taps


def true_peak_dbtp(clip: Clip) -> float:
    """True peak in dBTP; -inf for silence.

    BS.1770-5 Annex 2 asks for at least four times oversampling at 48 kHz, which reads up to 0.7 dB low near half the
    rate. Here it is eight times, by a filter that reaches that far, and a parabola through the greatest value and its
    neighbours; only beside loud samples, where the peak can be.
    """
    loudest = float(np.abs(clip.samples).max())
    if loudest == 0.0:
        return float("-inf")
    peak = max([loudest, *(_interpolated_peak(np.ascontiguousarray(x), loudest) for x in clip.samples.T)])
    return float(20 * np.log10(peak))


def _interpolated_peak(x: NDArray[np.float32], loudest: float) -> float:
    windows = np.lib.stride_tricks.sliding_window_view(np.pad(x, (_REACH, _REACH)), 2 * _REACH)
    # from each loud sample to the next, and from the one before
    loud = np.abs(x) >= _LOUD * loudest
    beside = np.zeros(len(x) + 1, dtype=bool)
    beside[1:] |= loud
    beside[:-1] |= loud
    places = np.flatnonzero(beside)
    greatest = 0.0
    for first in range(0, len(places), _AT_ONCE):
        fine = np.abs(windows[places[first : first + _AT_ONCE]] @ _interpolator())
        row, k = np.unravel_index(int(fine[:, 1:-1].argmax()), (len(fine), fine.shape[1] - 2))
        greatest = max(greatest, _top(*(float(value) for value in fine[row, k : k + 3])))
    return greatest


def _top(before: float, middle: float, after: float) -> float:
    """Vertex of the parabola through a greatest value and its two neighbours."""
    bend = before - 2 * middle + after
    highest = before <= middle >= after and bend < 0
    return middle - (before - after) ** 2 / (8 * bend) if highest else middle


def measure_loudness(clip: Clip, hops: NDArray[np.float64] | None = None) -> Loudness:
    """Integrated loudness and true peak of a clip. hops: its energies, where they are known."""
    lufs, why = integrated_loudness(clip) if hops is None else gated_loudness(hops, clip.rate_hz)
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

"""Turning one plain reading into many different voices.

The built-in voice reads the text; the WORLD vocoder takes the reading apart (pitch, spectral
envelope, aperiodicity) and puts it together again as another speaker. Cleanness is a matter of how
much noise, roughness and loss of bandwidth is put in.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
import pyworld
import soxr
from numpy.typing import NDArray

from zestpanel.core.audio.clip import Clip, as_samples
from zestpanel.core.speech import builtin_voice

_FRAME_MS = 10.0
_RATE_HZ = 22_050


@dataclass(frozen=True, slots=True, kw_only=True)
class Timbre:
    """One stand-in speaker.

    base: built-in voice that reads. words_per_minute: pace at 100 %. pitch_hz: where the pitch is moved to.
    liveliness: pitch movement, 1 = as read. size: length of the vocal tract, 1 = as read, below 1 smaller.
    breath: 0..1. roughness: 0..1, unsteady pitch. hiss_db: level of added noise (dBFS), None for none.
    band_hz: upper edge of what is kept. lead_s, tail_s: silence before and after. wobble: spread between repeats.
    tilt_db: how much is added above 1 kHz, reached at 3.5 kHz.
    """

    base: str
    words_per_minute: int = 160
    pitch_hz: float = 120.0
    liveliness: float = 1.0
    size: float = 1.0
    breath: float = 0.0
    roughness: float = 0.0
    hiss_db: float | None = None
    band_hz: float = 10_000.0
    lead_s: float = 0.12
    tail_s: float = 0.18
    gain_db: float = 0.0
    wobble: float = 0.01
    rate_hz: int = 22_050
    tilt_db: float = 0.0


@dataclass(frozen=True, slots=True)
class _Analysis:
    f0: NDArray[np.float64]
    envelope: NDArray[np.float64]
    aperiodicity: NDArray[np.float64]
    events: tuple[tuple[int, float], ...]
    duration_s: float


@lru_cache(maxsize=64)
def _analysis(text: str, base: str, words_per_minute: int, marked_up: bool) -> _Analysis:
    reading = builtin_voice.speak(text, voice=base, rate_wpm=words_per_minute, pitch_range=60, marked_up=marked_up)
    x = reading.samples.astype(np.float64) / 32768.0
    heard = np.flatnonzero(np.abs(x) > 0.004)
    first, last = (int(heard[0]), int(heard[-1]) + 1) if len(heard) else (0, len(x))
    first = max(0, first - int(0.02 * reading.rate_hz))
    x = x[first : last + int(0.03 * reading.rate_hz)]
    f0, t = pyworld.dio(x, reading.rate_hz, frame_period=_FRAME_MS, speed=4)
    f0 = pyworld.stonemask(x, f0, t, reading.rate_hz)
    envelope = pyworld.cheaptrick(x, f0, t, reading.rate_hz)
    aperiodicity = _aperiodicity(f0, envelope.shape[1])
    shift = first / reading.rate_hz
    events = tuple((place, max(0.0, at - shift)) for place, at in reading.events)
    return _Analysis(f0, envelope, aperiodicity, events, len(x) / reading.rate_hz)


def _aperiodicity(f0: NDArray[np.float64], bins: int) -> NDArray[np.float64]:
    """Noise share per frame and bin: all noise where unvoiced, rising from 1 % to 45 % up the band where voiced.

    A fixed curve instead of an estimate: it halves the time a stand-in takes, and breath is laid over it anyway.
    """
    curve = 0.01 + 0.44 * np.clip(np.linspace(0, 2.2, bins) - 0.3, 0, 1)
    return np.ascontiguousarray(np.where((f0 > 0)[:, None], curve[None, :], 1.0 - 1e-9))


def speak(
    text: str,
    timbre: Timbre,
    *,
    pace: float = 1.0,
    pitch: float = 1.0,
    liveliness: float = 1.0,
    breath: float = 0.0,
    seed: int = 0,
    marked_up: bool = False,
) -> tuple[Clip, list[tuple[int, float]]]:
    """Say the text in a stand-in's voice.

    pace, pitch and liveliness are factors of the voice's own, breath is added to it. The seed decides the small
    differences between repeats. marked_up: the text is SSML as the built-in voice takes it. Returns the clip and
    (character index, seconds) per spoken word.
    """
    rng = np.random.default_rng(seed)
    jog = 1.0 + timbre.wobble * float(np.clip(rng.standard_normal(), -2, 2))
    one = replace(
        timbre,
        words_per_minute=round(timbre.words_per_minute),
        pitch_hz=timbre.pitch_hz * pitch * (1 + 0.5 * timbre.wobble * float(np.clip(rng.standard_normal(), -2, 2))),
        liveliness=timbre.liveliness * liveliness,
        breath=min(1.0, timbre.breath + breath),
    )
    found = _analysis(text, one.base, round(one.words_per_minute * pace), marked_up)
    samples = _voiced(found, one, rng, period_ms=_FRAME_MS / jog)
    if one.rate_hz != _RATE_HZ:
        samples = soxr.resample(samples, _RATE_HZ, one.rate_hz)
    lead, tail = (np.zeros(int(s * one.rate_hz)) for s in (one.lead_s, one.tail_s))
    samples = np.concatenate([lead, samples, tail])
    if one.hiss_db is not None:
        samples = samples + rng.standard_normal(len(samples)) * 10 ** (one.hiss_db / 20)
    clip = Clip(samples=as_samples(np.clip(samples, -0.98, 0.98).astype(np.float32)), rate_hz=one.rate_hz)
    return clip, [(place, one.lead_s + at / jog) for place, at in found.events]


def _voiced(found: _Analysis, one: Timbre, rng: np.random.Generator, *, period_ms: float) -> NDArray[np.float64]:
    f0 = found.f0.copy()
    voiced = f0 > 0
    if voiced.any():
        middle = float(np.median(f0[voiced]))
        movement = np.log2(f0[voiced] / middle) * one.liveliness
        if one.roughness:
            movement = movement + rng.standard_normal(int(voiced.sum())) * 0.05 * one.roughness
        f0[voiced] = np.clip(one.pitch_hz * 2.0**movement, 45, 600)
    envelope = found.envelope
    if one.size != 1.0:  # formants move with the length of the vocal tract
        bins = envelope.shape[1]
        source = np.minimum(np.arange(bins) * one.size, bins - 1)
        low = source.astype(int)
        high = np.minimum(low + 1, bins - 1)
        part = source - low
        envelope = np.ascontiguousarray(envelope[:, low] * (1 - part) + envelope[:, high] * part)
    if one.tilt_db:
        octaves = np.log2(np.maximum(np.linspace(0, _RATE_HZ / 2, envelope.shape[1]), 1.0) / 1000.0)
        gain_db = one.tilt_db * np.clip(octaves / np.log2(3.5), 0.0, 1.0)
        envelope = np.ascontiguousarray(envelope * 10 ** (gain_db / 10))
    aperiodicity = found.aperiodicity
    if one.breath:
        aperiodicity = np.ascontiguousarray(aperiodicity + (1 - aperiodicity) * 0.75 * one.breath)
    out = pyworld.synthesize(f0, envelope, aperiodicity, _RATE_HZ, period_ms)
    if one.band_hz < _RATE_HZ / 2 - 500:
        out = _low_pass(out, one.band_hz)
    top = float(np.abs(out).max()) or 1.0
    scaled: NDArray[np.float64] = out / top * 0.5 * 10 ** (one.gain_db / 20)
    return scaled


def _low_pass(x: NDArray[np.float64], edge_hz: float) -> NDArray[np.float64]:
    """The magnitude of a sixth-order Butterworth low pass, without delay; SciPy's filters would double the start."""
    size = 1 << (len(x) - 1).bit_length()  # a transform of a prime length would take longer than the speaking
    hz = np.fft.rfftfreq(size, 1 / _RATE_HZ)
    out: NDArray[np.float64] = np.fft.irfft(np.fft.rfft(x, size) / np.sqrt(1 + (hz / edge_hz) ** 12), size)
    return out[: len(x)]

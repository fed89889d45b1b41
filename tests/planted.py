"""Clean speech of several voices, rates and noise floors, and faults planted into it at known places."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Final

import numpy as np
import soxr
from numpy.typing import NDArray

from zestpanel.core.audio.clip import Clip, as_samples
from zestpanel.core.measures.silence import measure_silence
from zestpanel.core.speech.builtin_voice import speak

Samples = NDArray[np.float64]
Planted = tuple[Samples, float]  # the sound, and where the fault is

TEXTS: Final = {
    "en": "The last frost of spring falls on the fourteenth of May. Nobody knew it would stay so late, and the whole "
          "crop was lost, apples and pears alike. We shall plant again next year.",
    "de": "Der letzte Frost des Frühlings fällt auf den vierzehnten Mai. Niemand ahnte, dass er so lange bliebe, und "
          "die ganze Ernte war verloren. Wir pflanzen nächstes Jahr wieder.",
    "fr": "La dernière gelée du printemps tombe le quatorze mai. Personne ne savait qu'elle durerait, et toute la "
          "récolte fut perdue, pommes et poires. Nous planterons encore l'an prochain.",
}  # fmt: skip
VOICES: Final = ("en", "en+f2", "en-us", "en+m3", "en-us+f4", "de", "de+f3", "fr", "fr+m2", "en+f5")
RATES_HZ: Final = (8_000, 16_000, 22_050, 24_000, 48_000)
FLOORS_DBFS: Final = (None, -80.0, -65.0, -55.0)


def clean(number: int) -> Clip:
    """One of many: voice, pitch, pace, rate and noise go round with the number, each at a pace of its own."""
    rng = np.random.default_rng(number)
    voice = VOICES[number % len(VOICES)]
    said = speak(TEXTS[voice[:2]], voice=voice, pitch=30 + 7 * (number % 6), rate_wpm=140 + 15 * (number % 4),
                 pitch_range=30 + 20 * (number % 3))  # fmt: skip
    rate = RATES_HZ[(number // 2) % len(RATES_HZ)]
    x = soxr.resample(said.samples.astype(np.float64) / 32_768, said.rate_hz, rate)
    quiet = np.zeros(round(0.15 * rate))
    x = np.concatenate([quiet, x, quiet])
    floor = FLOORS_DBFS[number % len(FLOORS_DBFS)]
    if floor is not None:
        x = x + rng.normal(0, 10 ** (floor / 20), len(x))
    return Clip(samples=as_samples(x), rate_hz=rate)


def many(count: int) -> Iterator[Clip]:
    for number in range(count):
        yield clean(number)


def _loud(x: Samples, rate: int, near: float) -> int:
    """A place near so far into the clip where the voice is loud for 60 ms."""
    size = round(0.06 * rate)
    power = np.convolve(x**2, np.ones(size) / size, "same")
    at = int(near * len(x))
    reach = round(0.6 * rate)
    return at - reach + int(np.argmax(power[at - reach : at + reach]))


def _pause(clip: Clip) -> tuple[int, int]:
    """The longest pause, in samples."""
    spans = measure_silence(clip).spans
    start, end = max(spans, key=lambda one: one[1] - one[0])
    return round(start * clip.rate_hz), round(end * clip.rate_hz)


def clipped(clip: Clip) -> Planted:
    x = clip.mono().astype(np.float64)
    at = _loud(x, clip.rate_hz, 0.5)
    part = slice(at - clip.rate_hz // 2, at + clip.rate_hz // 2)
    x[part] = np.clip(4 * x[part], -np.abs(x).max(), np.abs(x).max())
    return x, at / clip.rate_hz


def click(clip: Clip) -> Planted:
    x = clip.mono().astype(np.float64)
    at = round(0.4 * len(x))
    x[at] += 0.5
    return x, at / clip.rate_hz


def drop_out(clip: Clip) -> Planted:
    """Within a sound that goes on for 60 ms."""
    x = clip.mono().astype(np.float64)
    at = _loud(x, clip.rate_hz, 0.6) - round(0.01 * clip.rate_hz)
    x[at : at + round(0.02 * clip.rate_hz)] = 0.0
    return x, at / clip.rate_hz


def cut(clip: Clip) -> Planted:
    x = clip.mono().astype(np.float64)
    at = _loud(x, clip.rate_hz, 0.8)
    return x[:at], at / clip.rate_hz


def hum(clip: Clip) -> Planted:
    x = clip.mono().astype(np.float64)
    t = np.arange(len(x)) / clip.rate_hz
    for k, size in ((1, 1.0), (2, 0.7), (3, 0.5)):
        x += 10 ** (-50 / 20) * size * np.sin(2 * np.pi * 50 * k * t + k)
    return x, 0.0


def level_step(clip: Clip) -> Planted:
    """At the longest pause, as joins are."""
    x = clip.mono().astype(np.float64)
    start, _ = _pause(clip)
    x[start:] *= 10 ** (-9 / 20)
    return x, start / clip.rate_hz


def dead_pause(clip: Clip) -> Planted:
    """Noise everywhere but at a join."""
    x = clip.mono().astype(np.float64)
    start, end = _pause(clip)
    x += np.random.default_rng(1).normal(0, 10 ** (-60 / 20), len(x))
    x[start : max(end, start + round(0.12 * clip.rate_hz))] = 0.0
    return x, start / clip.rate_hz


def looped(clip: Clip) -> Planted:
    x = clip.mono().astype(np.float64)
    at, size = round(0.35 * len(x)), round(0.9 * clip.rate_hz)
    return np.concatenate([x[: at + size], x[at : at + size], x[at + size :]]), (at + size) / clip.rate_hz


def another_speaker(clip: Clip) -> Planted:
    """The middle of it an octave and more away."""
    other = speak(TEXTS["en"], voice="en+f5", pitch=99, pitch_range=20)
    x = clip.mono().astype(np.float64)
    part = soxr.resample(other.samples.astype(np.float64) / 32_768, other.rate_hz, clip.rate_hz)[: 3 * clip.rate_hz]
    at = round(0.4 * len(x))
    return np.concatenate([x[:at], part, x[at:]]), at / clip.rate_hz


FAULTS: Final[dict[str, Callable[[Clip], Planted]]] = {
    "clipped": clipped, "click": click, "drop-out": drop_out, "cut": cut, "hum": hum, "level step": level_step,
    "dead pause": dead_pause, "looped": looped,
}  # fmt: skip

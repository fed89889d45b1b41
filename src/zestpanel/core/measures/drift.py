"""Drift over a long clip: whether loudness, pitch, pace and timbre wander from its beginning to its end.

The clip is cut into stretches of ten seconds; the median of the slopes between all pairs of stretches (Theil 1950, Sen
1968), with its 95 % interval, is stated as the change from the first stretch to the last. A change is called a drift
when its interval leaves out nought and it is over an allowance below which nobody would act on it (common practice, no
source). Shorter clips than a minute say nothing about it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.audio.clip import Clip
from zestpanel.core.measures.balance import spectral_balance_db
from zestpanel.core.measures.loudness import gated_loudness, hop_energies
from zestpanel.core.measures.pitch import STEP_S, Track, measure_pitch, pitch_track, semitones
from zestpanel.core.measures.silence import measure_silence
from zestpanel.core.texts import tr

STRETCH_S: Final = 10.0
FEWEST: Final = 6  # stretches that speak
_HOPS: Final = 100  # of 100 ms in a stretch
_LEAST_SPEECH_S: Final = 3.0  # in a stretch


@dataclass(frozen=True, slots=True, kw_only=True)
class Kind:
    words: str
    unit: str
    allowance: float


KINDS: Final[dict[str, Kind]] = {
    "loudness": Kind(words="loudness", unit="LU", allowance=1.0),
    "pitch": Kind(words="pitch", unit="semitones", allowance=0.5),
    "pace": Kind(words="pace", unit="%", allowance=5.0),
    "timbre": Kind(words="timbre", unit="dB", allowance=2.0),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Drift:
    """A change from the first stretch to the last, with its 95 % interval, on n stretches."""

    kind: str
    change: float
    low: float
    high: float
    n: int

    @property
    def drifts(self) -> bool:
        return (self.low > 0 or self.high < 0) and abs(self.change) > KINDS[self.kind].allowance

    def says(self) -> str:
        kind = KINDS[self.kind]
        unit = f" {kind.unit}"
        words = tr(
            "{words} {change}{unit} (95 %: {low} to {high})",
            words=kind.words,
            change=f"{self.change:+.1f}",
            unit=unit,
            low=f"{self.low:+.1f}",
            high=f"{self.high:+.1f}",
        )
        return words.replace("-", "−")


def drift_of(
    clip: Clip, words: Sequence[tuple[str, float, float, bool]] = (), *, track: Track | None = None,
    hops: NDArray[np.float64] | None = None,
) -> tuple[Drift, ...]:  # fmt: skip
    """What there is to tell about a clip; empty where it is too short. Pace needs word times. track, hops: its pitch,
    and its energies of 100 ms each, where they are known."""
    length = round(STRETCH_S * clip.rate_hz)
    whole = len(clip.samples) // length
    if whole < FEWEST:
        return ()
    track = pitch_track(clip) if track is None else track
    hops = hop_energies(clip.samples, clip.rate_hz) if hops is None else hops
    found: dict[str, list[tuple[float, float]]] = {name: [] for name in KINDS}
    starts = np.array([start for _, start, _, _ in words])
    for k in range(whole):
        part = Clip(samples=clip.samples[k * length : (k + 1) * length], rate_hz=clip.rate_hz)
        speech = measure_silence(part).speech_s
        if speech < _LEAST_SPEECH_S:
            continue
        loud, _ = gated_loudness(hops[k * _HOPS : (k + 1) * _HOPS], clip.rate_hz)
        if loud is not None:
            found["loudness"].append((k, loud))
        steps = slice(round(k * STRETCH_S / STEP_S), round((k + 1) * STRETCH_S / STEP_S))
        if (hz := measure_pitch(part, Track(track.f0_hz[steps], 0.0)).median_hz) is not None:
            found["pitch"].append((k, float(semitones(np.array([hz]), 100.0)[0])))
        if (balance := spectral_balance_db(part)) is not None:
            found["timbre"].append((k, balance))
        if spoken := int(((starts >= k * STRETCH_S) & (starts < (k + 1) * STRETCH_S)).sum()):
            found["pace"].append((k, 100 * float(np.log(spoken / speech))))
    return tuple(one for name, points in found.items() if (one := _fitted(name, points)) is not None)


def _fitted(name: str, points: Sequence[tuple[float, float]]) -> Drift | None:
    if len(points) < FEWEST:
        return None
    from scipy.stats import theilslopes

    at, values = np.array(points).T
    found, over = theilslopes(values, at, 0.95), at[-1] - at[0]
    change, low, high = (float(slope * over) for slope in (found.slope, found.low_slope, found.high_slope))
    if name == "pace":  # from logarithms to percent of the pace at the beginning
        change, low, high = (100 * float(np.expm1(value / 100)) for value in (change, low, high))
    return Drift(kind=name, change=change, low=low, high=high, n=len(points))


def as_values(found: Sequence[Drift]) -> dict[str, float | str | None]:
    """As figures of a take, by name."""
    out: dict[str, float | str | None] = {}
    for one in found:
        out |= {f"drift_{one.kind}": one.change, f"drift_{one.kind}_low": one.low, f"drift_{one.kind}_high": one.high,
                f"drift_{one.kind}_n": float(one.n)}  # fmt: skip
    return out


def from_values(values: Mapping[str, float | str | None]) -> tuple[Drift, ...]:
    """What ``as_values`` wrote."""
    out = []
    for kind in KINDS:
        four = [values.get(f"drift_{kind}{end}") for end in ("", "_low", "_high", "_n")]
        if all(isinstance(value, int | float) for value in four):
            change, low, high, n = (float(value) for value in four)  # type: ignore[arg-type]
            out.append(Drift(kind=kind, change=change, low=low, high=high, n=round(n)))
    return tuple(out)


def drift_words(found: Sequence[Drift]) -> str:
    """A sentence on a long clip; '' where there is nothing to tell."""
    if not found:
        return ""
    moved = [one.says() for one in found if one.drifts]
    still = [KINDS[one.kind].words for one in found if not one.drifts]
    parts = [tr("Drifts from beginning to end: {moved}.", moved=", ".join(moved))] if moved else []
    if still:
        parts.append(
            tr(
                "No drift of {listed} from beginning to end ({n} stretches of ten seconds).",
                listed=_listed(still),
                n=found[0].n,
            )
        )
    return " ".join(parts)


def _listed(words: Sequence[str]) -> str:
    return tr(" and ").join(part for part in (", ".join(words[:-1]), words[-1]) if part)

"""How the pitch of a sentence runs: downwards over it, and where it ends.

Declination is the slope of a line through the pitch of a sentence, in semitones a second (Cohen, Collier & 't Hart
1982, Declination: construct or intrinsic feature of speech pitch?; from memory), here the median of the slopes between
all pairs of its steps (Theil 1950, Sen 1968). The final movement is the median pitch of the last 150 ms that are voiced
against the median of the sentence (common practice, no source).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.domain.passage import words_with_places
from zestpanel.core.measures.pitch import STEP_S, Track, semitones
from zestpanel.core.text.splitting import sentence_spans

LAST_S: Final = 0.15
LEAST_VOICED_S: Final = 0.6  # of a sentence, to say how it runs
_MOST_STEPS: Final = 150  # of a sentence that are compared with each other
_ASKS: Final = ("?", "？", "؟")


@dataclass(frozen=True, slots=True)
class Sentence:
    start_s: float
    end_s: float
    question: bool


@dataclass(frozen=True, slots=True)
class Movement:
    """slope: semitones a second; last: semitones from the sentence's median to its end."""

    slope: float
    last: float


def sentences(text: str, language: str, times: Sequence[tuple[str, float, float, bool]]) -> list[Sentence]:
    """Of a text whose words are all placed in the clip; none where they are not."""
    words = words_with_places(text)
    if len(words) != len(times) or not all(good for *_, good in times):
        return []
    out = []
    for start, end in sentence_spans(text, language):
        inside = [time for (_, at, _), time in zip(words, times, strict=True) if start <= at < end]
        if inside:
            out.append(Sentence(inside[0][1], inside[-1][2], text[start:end].rstrip("\"'”’»)").endswith(_ASKS)))
    return out


def movement_of(track: Track, start_s: float, end_s: float) -> Movement | None:
    """None where too little of the stretch is voiced."""
    first = max(0, round((start_s - track.begins_s) / STEP_S))
    f0 = track.f0_hz[first : max(first, round((end_s - track.begins_s) / STEP_S))]
    at = np.flatnonzero(f0 > 0)
    if len(at) * STEP_S < LEAST_VOICED_S:
        return None
    st = semitones(f0[at], float(np.median(f0[at])))
    return Movement(
        slope=_slope(at.astype(np.float64) * STEP_S, st), last=float(np.median(st[-round(LAST_S / STEP_S) :]))
    )


def _slope(x: NDArray[np.float64], y: NDArray[np.float64]) -> float:
    step = -(-len(x) // _MOST_STEPS)
    x, y = x[::step], y[::step]
    i, j = np.triu_indices(len(x), 1)
    return float(np.median((y[j] - y[i]) / (x[j] - x[i])))

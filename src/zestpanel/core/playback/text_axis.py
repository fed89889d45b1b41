"""The text as time axis: maps between a clip's time and the place in the text, and back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, slots=True, kw_only=True)
class TextAxis:
    """Places in the text run from 0 (before the first word) to ``words`` (after the last): word k starts at place k.

    times and places: increasing anchors, shape (anchors,). Without word times the axis is linear over the clip.
    """

    times: NDArray[np.float64] = field(repr=False, compare=False)
    places: NDArray[np.float64] = field(repr=False, compare=False)
    words: int
    duration_s: float
    aligned: bool

    def place_at(self, time_s: float) -> float:
        return float(np.interp(time_s, self.times, self.places))

    def time_at(self, place: float) -> float:
        return float(np.interp(place, self.places, self.times))


def text_axis(words: Sequence[tuple[str, float, float, bool]], duration_s: float, *, count: int = 0) -> TextAxis:
    """Axis from word times in the order of the text: (word, start_s, end_s, good).

    Words not marked good carry no anchor of their own. count: number of words of the text where no times are known.
    The lead and the tail of the clip belong to places just before 0 and after the last word, so that a swap during
    a lead lands in the other's lead.
    """
    good = [(k, start) for k, (_, start, _, ok) in enumerate(words) if ok and start >= 0]
    total = len(words) or max(1, count)
    times, places = [0.0], [-0.5]
    for k, start in good:
        if start > times[-1] + 1e-4:
            times.append(start)
            places.append(float(k))
        elif len(times) == 1:  # a first word at once: the lead is empty
            places[0] = float(k)
    if len(good) < 2:
        return TextAxis(
            times=np.array([0.0, duration_s]),
            places=np.array([0.0, float(total)]),
            words=total,
            duration_s=duration_s,
            aligned=False,
        )
    last_end = min(duration_s, max((end for _, _, end, ok in words if ok), default=duration_s))
    if last_end > times[-1] + 1e-4:
        times.append(last_end)
        places.append(float(total))
    if duration_s > times[-1] + 1e-4:
        times.append(duration_s)
        places.append(total + 0.5)
    return TextAxis(times=np.array(times), places=np.array(places), words=total, duration_s=duration_s, aligned=True)

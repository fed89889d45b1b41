"""A step in level: from one moment on the voice is louder or softer, as where two renders were joined."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Final

import numpy as np

from zestpanel.core.domain.take import Segment
from zestpanel.core.measures.declared import Material
from zestpanel.core.measures.detectors.declared import Detector
from zestpanel.core.measures.silence import FRAME_S
from zestpanel.core.measures.tracks import Kind
from zestpanel.core.texts import tr

NAME: Final = "level step"
BESIDE_S: Final = 1.5  # of speech on either side
LEAST_DB: Final = 6.0
NEAR_S: Final = 0.8
HALF: Final = 0.7  # of the step that each half of either side has to show: a single loud word is no step


def _find(of: Material) -> Iterator[Segment]:
    """Between stretches of speech: the loud frames of what comes before against those of what comes after."""
    if of.silence.beyond_reach:
        return
    at = np.flatnonzero(of.speaks)
    need = round(BESIDE_S / FRAME_S)
    if len(at) < 2 * need:
        return
    levels = of.levels[at]
    places = np.arange(need, len(at) - need + 1, 5)
    loud = np.percentile(np.lib.stride_tricks.sliding_window_view(levels, need)[::5], 80, axis=1)
    ahead = need // 5  # windows begin each five frames, and need is a multiple of that
    quantile = loud[ahead : ahead + len(places)] - loud[: len(places)]
    taken: list[int] = []
    for best in np.argsort(-np.abs(quantile)):
        step, k = float(quantile[best]), int(places[best])
        if abs(step) < LEAST_DB:
            break
        if any(abs(k - other) < need for other in taken):
            continue
        taken.append(k)
        halves = [levels[k - need : k - need // 2], levels[k - need // 2 : k], levels[k : k + need // 2],
                  levels[k + need // 2 : k + need]]  # fmt: skip
        first, second, third, fourth = (_loud(one) for one in halves)
        apart = min(third, fourth) - max(first, second) if step > 0 else min(first, second) - max(third, fourth)
        if apart >= HALF * LEAST_DB:
            time = _at_a_pause(float(at[k] * FRAME_S), of.silence.spans)
            yield Segment(NAME, max(0.0, time - 0.1), min(of.clip.duration_s, time + 0.1), step)


def _at_a_pause(time_s: float, pauses: Sequence[tuple[float, float]]) -> float:
    """Joins lie in pauses, where there is one near."""
    near = [end for start, end in pauses if start - NEAR_S <= time_s <= end + NEAR_S]
    return min(near, key=lambda end: abs(end - time_s), default=time_s)


def _loud(levels: np.ndarray[tuple[int], np.dtype[np.float64]]) -> float:
    return float(np.percentile(levels, 80))


DETECTOR: Final = Detector(
    kind=Kind(NAME, tr("step in level"), lambda one: (
        tr("louder by {db} dB from here on", db=f"{one.size:.0f}") if one.size > 0
        else tr("softer by {db} dB from here on", db=f"{-one.size:.0f}")
    )),
    find=_find,
    rule="the loud frames (80th percentile) of 1.5 s of speech after a place against those before it, 6 dB and more, "
         "seen in both halves of either side",
)  # fmt: skip

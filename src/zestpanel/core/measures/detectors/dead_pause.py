"""Silence that is none of this room's: nothing at all in a clip whose pauses have a noise of their own."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

import numpy as np

from zestpanel.core.domain.take import Segment
from zestpanel.core.measures.declared import Material
from zestpanel.core.measures.detectors.declared import Detector, runs
from zestpanel.core.measures.silence import FLOOR_DBFS, FRAME_S
from zestpanel.core.measures.tracks import Kind, seconds
from zestpanel.core.texts import tr

NAME: Final = "dead pause"
SHORTEST_S: Final = 0.05
LEAST_NOISE_DBFS: Final = -80.0
FEWEST_FRAMES: Final = 12  # of a pause with noise
STEADY_DB: Final = 15.0  # from frame to frame: sound that dies away falls by more


def _find(of: Material) -> Iterator[Segment]:
    if not of.speaks.any() or of.silence.beyond_reach:
        return
    first, last = int(np.argmax(of.speaks)), len(of.speaks) - int(np.argmax(of.speaks[::-1]))
    dead = of.levels <= FLOOR_DBFS + 1
    pauses = [of.levels[first:last][a:b] for a, b in runs(~of.speaks[first:last]) if b - a >= FEWEST_FRAMES]
    inner = [one[2:-2] for one in pauses]
    alive = [float(np.median(one)) for one in inner if one.min() > FLOOR_DBFS + 1 and np.ptp(one) < STEADY_DB]
    fallen = sum(bool((one <= FLOOR_DBFS + 1).any()) for one in pauses)
    if not alive or fallen > len(alive) or float(np.median(alive)) < LEAST_NOISE_DBFS:
        return  # voices whose sound dies away into nothing have no noise of their own
    for start, end in runs(dead[first:last]):
        if (end - start) * FRAME_S >= SHORTEST_S:
            begin = (first + int(start)) * FRAME_S
            yield Segment(NAME, begin, begin + float(end - start) * FRAME_S, float(end - start) * FRAME_S)


DETECTOR: Final = Detector(
    kind=Kind(NAME, tr("dead silence"),
              lambda one: tr("{lasts} of nothing where other pauses have noise of their own", lasts=seconds(one))),
    find=_find,
    rule="50 ms and more of digital silence inside the speech of a clip with other pauses of steady noise, over "
         "-80 dBFS",
)  # fmt: skip

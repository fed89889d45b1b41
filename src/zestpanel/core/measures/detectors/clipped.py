"""Peaks cut off: samples that stand still at the clip's ceiling."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

import numpy as np

from zestpanel.core.domain.take import Segment
from zestpanel.core.measures.declared import Material
from zestpanel.core.measures.detectors.declared import Detector, runs, together
from zestpanel.core.measures.tracks import Kind
from zestpanel.core.texts import tr

NAME: Final = "clipped"
LEAST_PEAK: Final = 0.3  # of full scale: what is quieter was cut before it was turned down, and is heard the same
FEWEST_SAMPLES: Final = 4  # at one and the same height
FEWEST_RUNS: Final = 3  # of a clip: a single one may be chance
_STILL: Final = 1.0 / 65_536
_WITHIN_S: Final = 0.25


def _find(of: Material) -> Iterator[Segment]:
    found: list[tuple[float, float, float]] = []
    for channel in of.clip.samples.T:
        x = np.abs(channel.astype(np.float64))
        ceiling = float(x.max(initial=0.0))
        if ceiling < LEAST_PEAK or len(x) < FEWEST_SAMPLES:
            continue
        still = (x[1:] >= 0.98 * ceiling) & (np.abs(np.diff(channel)) < _STILL)
        flat = [(a, b + 1) for a, b in runs(still) if b + 1 - a >= FEWEST_SAMPLES]
        if len(flat) >= FEWEST_RUNS:
            found += [(a / of.clip.rate_hz, b / of.clip.rate_hz, float(b - a)) for a, b in flat]
    for start, end, size in together(found, _WITHIN_S):
        yield Segment(NAME, start, end, size)


DETECTOR: Final = Detector(
    kind=Kind(NAME, tr("clipped"), lambda one: tr("peaks are cut off, up to {n} samples at once", n=round(one.size))),
    find=_find,
    rule="at least three runs of four samples or more that stand still within 2 % of the clip's ceiling",
)

"""A drop-out: speech that stops dead and goes on as if nothing had been."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

import numpy as np

from zestpanel.core.domain.take import Segment
from zestpanel.core.measures.declared import Material
from zestpanel.core.measures.detectors.declared import Detector, runs
from zestpanel.core.measures.tracks import Kind, seconds
from zestpanel.core.texts import tr

NAME: Final = "drop-out"
SHORTEST_S: Final = 0.004
LONGEST_S: Final = 1.0
NOTHING: Final = 1.5 / 32_768  # of full scale
EDGE_S: Final = 0.006  # right beside it
BESIDE_S: Final = 0.03
LEAST_PEAK: Final = 0.01  # of full scale
# of the peak beside it: what is left at the very edge, where sound that ends by itself has died away, and by how much
# the waveform jumps there
LEFT: Final = 0.25
JUMP: Final = 0.1


def _find(of: Material) -> Iterator[Segment]:
    x, rate = of.mono, of.clip.rate_hz
    edge, beside = max(2, round(EDGE_S * rate)), round(BESIDE_S * rate)
    for start, end in runs(np.abs(x) < NOTHING):
        if not SHORTEST_S <= (end - start) / rate <= LONGEST_S or start < beside or end + beside > len(x):
            continue
        sides = ((x[start - edge : start], x[start - beside : start]), (x[end : end + edge], x[end : end + beside]))
        peaks = [(float(np.abs(narrow).max()), float(np.abs(wide).max())) for narrow, wide in sides]
        jump = max(abs(x[start - 1]) / max(peaks[0][1], 1e-9), abs(x[end]) / max(peaks[1][1], 1e-9))
        if jump > JUMP and all(wide > LEAST_PEAK and narrow > LEFT * wide for narrow, wide in peaks):
            yield Segment(NAME, start / rate, end / rate, float(end - start) / rate)


DETECTOR: Final = Detector(
    kind=Kind(NAME, tr("drop-out"), lambda one: tr("the sound is gone for {lasts}", lasts=seconds(one))),
    find=_find,
    rule="4 ms to 1 s of nothing between sound that has not died away on either side: its peak within 6 ms "
    "is a quarter of that within 30 ms, and the waveform jumps by a tenth of it",
)

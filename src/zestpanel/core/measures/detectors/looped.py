"""A stretch that comes twice: the same samples again, as a buffer that was played once more."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

import numpy as np

from zestpanel.core.domain.take import Segment
from zestpanel.core.measures.declared import Material
from zestpanel.core.measures.detectors.declared import Detector, together
from zestpanel.core.measures.tracks import Kind, seconds
from zestpanel.core.texts import tr

NAME: Final = "looped"
RATE_HZ: Final = 2_000
STRETCH_S: Final = 0.4
HOP_S: Final = 0.25
LONGEST_S: Final = 3.0  # that it may come again after
ALIKE: Final = 0.985
LEAST_SPEECH: Final = 0.7  # of a stretch


def _find(of: Material) -> Iterator[Segment]:
    import soxr
    from scipy.signal import fftconvolve  # heavy imports, left out of the program's start

    if of.clip.duration_s < 2 * STRETCH_S or not of.speaks.any():
        return
    x = soxr.resample(of.mono, of.clip.rate_hz, RATE_HZ) if of.clip.rate_hz > RATE_HZ else of.mono
    rate = min(RATE_HZ, of.clip.rate_hz)
    size, reach = round(STRETCH_S * rate), round(LONGEST_S * rate)
    energy = np.concatenate([[0.0], np.cumsum(x**2)])
    found = []
    for start in range(0, len(x) - 2 * size, round(HOP_S * rate)):
        frames = of.speaks[int(100 * start / rate) : int(100 * (start + size) / rate)]
        if not len(frames) or frames.mean() < LEAST_SPEECH:
            continue
        part = x[start : start + size]
        later = x[start + size : start + size + reach]
        if len(later) < size:
            break
        product = fftconvolve(later, part[::-1], mode="valid")
        at = start + size + np.arange(len(product))
        norms = np.sqrt(np.maximum(energy[at + size] - energy[at], 1e-12) * max(float((part**2).sum()), 1e-12))
        likeness = product / norms
        best = int(np.argmax(likeness))
        if likeness[best] >= ALIKE:
            found.append((float(at[best]) / rate, float(at[best] + size) / rate, float(at[best] - start) / rate))
    for start_s, end_s, lag in together(found, STRETCH_S):
        yield Segment(NAME, start_s, end_s, lag)


DETECTOR: Final = Detector(
    kind=Kind(NAME, tr("played twice"), lambda one: tr("{lasts} that came {lag} s before, sample for sample",
                                                      lasts=seconds(one), lag=f"{one.size:.2f}")),
    find=_find,
    rule="0.4 s of speech whose samples correlate by 0.985 and more with 0.4 s that begin within 3 s after them",
)  # fmt: skip

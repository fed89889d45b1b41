"""Hum: a tone of the mains and its harmonics in the pauses."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

import numpy as np

from zestpanel.core.domain.take import Segment
from zestpanel.core.measures.declared import Material
from zestpanel.core.measures.detectors.declared import Detector, runs
from zestpanel.core.measures.silence import FLOOR_DBFS, frame_edges
from zestpanel.core.measures.tracks import Kind
from zestpanel.core.texts import tr

NAME: Final = "hum"
MAINS_HZ: Final = (50.0, 60.0)
HARMONICS: Final = 5
FEWEST: Final = 2  # that stand out
OVER_DB: Final = 15.0  # of the spectrum around them
LEAST_DBFS: Final = -75.0  # together
LEAST_S: Final = 0.4  # of pauses, none of it in stretches under 0.1 s
_STRETCH: Final = 10  # frames


def _find(of: Material) -> Iterator[Segment]:
    quiet = ~of.speaks & (of.levels > FLOOR_DBFS + 1)
    if of.silence.beyond_reach or not of.speaks.any():
        return
    edges = frame_edges(len(of.mono), of.clip.rate_hz)
    parts = [of.mono[edges[a] : edges[b]] for a, b in runs(quiet) if b - a >= _STRETCH]
    rate, size = of.clip.rate_hz, 2 ** int(np.ceil(np.log2(of.clip.rate_hz * 0.5)))
    if sum(map(len, parts)) < LEAST_S * rate:
        return
    power = np.zeros(size // 2 + 1)
    for part in parts:  # zero-padded, weighed by their length
        window = np.hanning(len(part))
        power += np.abs(np.fft.rfft((part - part.mean()) * window, size)) ** 2 / float((window**2).sum()) * len(part)
    power /= sum(map(len, parts)) * size / 2
    hz = np.arange(len(power)) * rate / size
    narrow = 1.5 / min(len(part) / rate for part in parts)  # Hz: the width of a line in the shortest stretch
    for mains in MAINS_HZ:
        over, level = 0, 0.0
        for k in range(1, HARMONICS + 1):
            line = np.abs(hz - k * mains) <= max(2.0, narrow / 2)
            beside = (np.abs(hz - k * mains) > max(6.0, 1.5 * narrow)) & (np.abs(hz - k * mains) < mains / 2)
            if not line.any() or not beside.any():
                continue
            if 10 * np.log10(power[line].max() / (np.median(power[beside]) + 1e-20)) > OVER_DB:
                over += 1
                level += float(power[line].sum())
        loud = 10 * np.log10(level + 1e-20)
        if over >= FEWEST and loud > LEAST_DBFS:
            yield Segment(NAME, 0.0, of.clip.duration_s, float(loud), f"{mains:.0f}")
            return


DETECTOR: Final = Detector(
    kind=Kind(NAME, tr("hum"), lambda one: tr("a hum of {hz} Hz in the pauses, {level} dBFS", hz=one.about,
                                              level=f"{one.size:.0f}".replace("-", "−"))),
    find=_find,
    rule="two or more of the first five harmonics of 50 or 60 Hz stand 15 dB out of the spectrum of the pauses, "
         "-75 dBFS together",
)  # fmt: skip

"""A click: a moment that does not follow from the sound around it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

import numpy as np

from zestpanel.core.domain.take import Segment
from zestpanel.core.measures.declared import Material
from zestpanel.core.measures.detectors.declared import Detector, together
from zestpanel.core.measures.tracks import Kind
from zestpanel.core.texts import tr

NAME: Final = "click"
AROUND_S: Final = 0.025  # what it is held against: more than a period of any voice on either side
ITSELF_S: Final = 0.0015
OVER: Final = 3.5  # times the greatest bend of the waveform around it
LEAST: Final = 0.004  # of full scale
_MOST: Final = 25  # of a clip: more are the sound itself


def _find(of: Material) -> Iterator[Segment]:
    """The waveform's bend (second difference) is greatest at glottal pulses, bursts and clicks; pulses and bursts have
    others like them within one period, a click stands alone."""
    from scipy.ndimage import maximum_filter1d  # a heavy import, left out of the program's start

    x, rate = of.mono, of.clip.rate_hz
    if len(x) < 3:
        return
    bend = np.abs(np.diff(x, 2))
    own, around = max(1, round(ITSELF_S * rate)), round(AROUND_S * rate)
    if len(bend) < 2 * around + 2:
        return
    greatest = maximum_filter1d(bend, around, origin=0)
    half = around // 2
    before = np.concatenate([np.zeros(own + half), greatest])[: len(bend)]
    after = np.concatenate([greatest[own + half :], np.zeros(min(len(bend), own + half))])
    beside = np.maximum(before, after)
    hit = np.flatnonzero((bend > LEAST) & (bend > OVER * np.maximum(beside, 1e-6)))
    spans = [(k / rate, (k + 2) / rate, float(bend[k] / max(beside[k], 1e-6))) for k in hit]
    found = together(spans, ITSELF_S)
    if len(found) <= _MOST:
        for start, end, size in found:
            yield Segment(NAME, start, end, min(size, 1_000.0))


DETECTOR: Final = Detector(
    kind=Kind(NAME, tr("click"), lambda one: tr("a click, {n} times the sound around it", n=f"{one.size:.0f}")),
    find=_find,
    rule="the second difference is 3.5 times as great as any within 25 ms on either side",
)

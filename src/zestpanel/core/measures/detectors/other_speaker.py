"""Another speaker: a stretch whose pitch lies far from the rest, as of somebody else."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

import numpy as np

from zestpanel.core.domain.take import Segment
from zestpanel.core.measures.declared import Material
from zestpanel.core.measures.detectors.declared import Detector, runs
from zestpanel.core.measures.pitch import STEP_S, semitones
from zestpanel.core.measures.tracks import Kind
from zestpanel.core.texts import tr

NAME: Final = "another speaker"
WINDOW_S: Final = 0.75
FEWEST: Final = 5  # windows that are voiced
APART_ST: Final = 6.0  # common practice, no source: further than phrases of one reader lie from one another
SHORTEST: Final = 2  # windows in a row


def _find(of: Material) -> Iterator[Segment]:
    f0, step = of.pitch.f0_hz, round(WINDOW_S / STEP_S)
    windows = [f0[k : k + step] for k in range(0, len(f0) - step + 1, step)]
    known = np.array([np.median(w[w > 0]) if (w > 0).mean() > 0.25 else np.nan for w in windows])
    if np.isfinite(known).sum() < FEWEST:
        return
    middle = float(np.nanmedian(known))
    apart = semitones(known, middle)
    for sign in (1.0, -1.0):
        far = np.nan_to_num(sign * apart, nan=0.0) > APART_ST
        beside = np.isnan(apart)
        for start, end in runs(far | beside):
            own = far[start:end]
            if own.sum() < SHORTEST or not own[0]:
                continue
            last = int(np.flatnonzero(own)[-1]) + 1
            size = float(np.nanmedian(apart[start : start + last]))
            yield Segment(NAME, start * WINDOW_S, (start + last) * WINDOW_S, size)


DETECTOR: Final = Detector(
    kind=Kind(NAME, tr("another speaker"), lambda one: tr("{st} semitones from the rest, as of somebody else",
                                                         st=f"{one.size:+.0f}".replace("-", "−"))),
    find=_find,
    rule="two and more windows of 0.75 s in a row whose median pitch lies over 6 semitones from the clip's",
)  # fmt: skip

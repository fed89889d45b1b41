"""Speech that is cut: the clip begins or ends in the middle of a sound."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Final

from zestpanel.core.domain.take import Segment
from zestpanel.core.measures.declared import Material
from zestpanel.core.measures.detectors.declared import Detector, rms_db
from zestpanel.core.measures.tracks import Kind
from zestpanel.core.texts import tr

NAME: Final = "cut"
EDGE_S: Final = 0.01
SHORTEST_S: Final = 0.2  # of a clip
BELOW_SPEECH_DB: Final = 18.0  # what dies away by itself is further below the clip's speech


def _find(of: Material) -> Iterator[Segment]:
    if of.clip.duration_s < SHORTEST_S or not of.speaks.any() or of.silence.beyond_reach:
        return
    x, rate = of.mono, of.clip.rate_hz
    edge = max(2, round(EDGE_S * rate))
    speech = rms_db(x) + 10 * math.log10(len(x) / max(1.0, of.silence.speech_s * rate))
    for part, start in ((x[:edge], 0.0), (x[-edge:], of.clip.duration_s - EDGE_S)):
        if (level := rms_db(part)) > speech - BELOW_SPEECH_DB:
            yield Segment(NAME, max(0.0, start), min(of.clip.duration_s, start + EDGE_S), level - speech, "end" if start
                          else "beginning")  # fmt: skip


DETECTOR: Final = Detector(
    kind=Kind(NAME, tr("cut"), lambda one: (
        tr("it ends in the middle of a sound") if one.about == "end" else tr("it begins in the middle of a sound")
    )),
    find=_find,
    rule="the first or last 10 ms lie within 18 dB of the clip's speech",
)  # fmt: skip

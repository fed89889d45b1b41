"""Whether it can be heard where the pieces of a long text were joined: a step in level or pitch at a join that is
greater than those at the other pauses of the clip."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.domain.take import Curve, Segment
from zestpanel.core.measures.tracks import Kind
from zestpanel.core.texts import tr

JOIN: Final = "join heard"
BESIDE_S: Final = 2.0  # on either side
LEAST: Final = {"level": 4.0, "pitch": 3.0}  # dB, semitones (common practice, no source)
QUIET_DB: Final = 25.0  # under the loud steps, and no speech


def _says(one: Segment) -> str:
    size = f"{abs(one.size):.0f}"
    if one.about == "pitch":
        return (tr("{size} semitones higher behind the join", size=size) if one.size > 0
                else tr("{size} semitones lower behind the join", size=size))  # fmt: skip
    return (tr("{size} dB louder behind the join", size=size) if one.size > 0
            else tr("{size} dB softer behind the join", size=size))  # fmt: skip


KIND: Final = Kind(JOIN, tr("join that is heard"), _says)


def joins_heard(
    curves: Mapping[str, Curve], joins_s: Sequence[float], pauses: Sequence[tuple[float, float]]
) -> list[Segment]:
    """curves: 'level' in dB and 'pitch' in semitones. joins_s: where later pieces begin. pauses: of the whole clip;
    those with a join in them are no yardstick."""
    out = []
    for name, least in LEAST.items():
        curve = curves.get(name)
        if curve is None:
            continue
        values = curve.values
        if name == "level":
            loud = float(np.nanpercentile(values, 90)) if np.isfinite(values).any() else 0.0
            values = np.where(values > loud - QUIET_DB, values, np.nan)
        others = [abs(step) for start, end in pauses
                  if not any(start - 0.2 <= at <= end + 0.2 for at in joins_s)
                  and (step := _step(values, curve.step_s, (start + end) / 2)) is not None]  # fmt: skip
        bound = max([least, *others])
        for at in joins_s:
            step = _step(values, curve.step_s, at)
            if step is not None and abs(step) > bound:
                out.append(Segment(JOIN, max(0.0, at - 0.1), at + 0.1, step, name))
    return sorted(out, key=lambda one: one.start_s)


def _step(values: NDArray[np.float64], step_s: float, at_s: float) -> float | None:
    """The middle of what is spoken in two seconds after a place less that before it."""
    k, reach = round(at_s / step_s), round(BESIDE_S / step_s)
    before, after = values[max(0, k - reach) : k], values[k : k + reach]
    before, after = before[np.isfinite(before)], after[np.isfinite(after)]
    if min(len(before), len(after)) < reach // 5:
        return None
    return float(np.median(after) - np.median(before))

"""Whether loudness, pitch and pace wander over a long clip."""

from __future__ import annotations

from typing import Final

from zestpanel.core.measures.declared import Family, Material, Values
from zestpanel.core.measures.drift import KINDS, as_values, drift_of


def _values(of: Material) -> Values:
    return as_values(drift_of(of.clip, of.words[0]))


FAMILY: Final = Family(
    name="drift",
    version=5,
    place=80,
    values=_values,
    measures=(),
    also=tuple(f"drift_{kind}{end}" for kind in KINDS for end in ("", "_low", "_high", "_n")),
)

"""How long a clip is."""

from __future__ import annotations

from typing import Final

from zestpanel.core.measures.declared import Family, Material, Measure, Values
from zestpanel.core.texts import tr


def _values(of: Material) -> Values:
    return {"duration_s": of.clip.duration_s}


FAMILY: Final = Family(
    name="length",
    version=5,
    place=0,
    group="pace",
    values=_values,
    measures=(
        Measure(name="duration_s", words="length", label=tr("length, s"), unit="s", decimals=2, swept=True,
                rule=tr("samples over the rate"), source="–"),
    ),
)  # fmt: skip

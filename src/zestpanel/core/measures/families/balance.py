"""How bright or dull a voice sounds."""

from __future__ import annotations

from typing import Final

from zestpanel.core.measures.declared import Allowance, Family, Material, Measure, Values
from zestpanel.core.texts import tr


def _values(of: Material) -> Values:
    from zestpanel.core.measures.balance import spectral_balance_db

    return {"balance_db": spectral_balance_db(of.clip)}


FAMILY: Final = Family(
    name="balance",
    version=5,
    place=50,
    group="voice",
    values=_values,
    measures=(
        Measure(name="balance_db", words=tr("spectral balance"), label=tr("spectral balance, dB"), unit="dB",
                change=Allowance(over=0.5, unit="dB"),
                rule=tr("level of 1 to 5 kHz less that of 50 Hz to 1 kHz over the frames that speak"),
                source=tr("Frøkjær-Jensen & Prytz (1976), the alpha ratio")),
    ),
)  # fmt: skip

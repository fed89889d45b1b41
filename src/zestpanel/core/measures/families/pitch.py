"""How high the voice is, and how much it moves."""

from __future__ import annotations

from typing import Final

from zestpanel.core.measures.declared import Allowance, Family, Material, Measure, Values
from zestpanel.core.texts import tr


def _values(of: Material) -> Values:
    from zestpanel.core.measures.pitch import measure_pitch

    pitch = measure_pitch(of.clip)
    return {"pitch_hz": pitch.median_hz, "pitch_sd_st": pitch.sd_st, "pitch_range_st": pitch.range_st,
            "voiced_share": pitch.voiced_share}  # fmt: skip


_RULE: Final = tr("autocorrelation, 60 to 500 Hz, every 10 ms")
_SOURCE: Final = tr("Boersma (1993), as Praat does it")
FAMILY: Final = Family(
    name="pitch",
    version=5,
    place=20,
    values=_values,
    also=("pitch_range_st", "voiced_share"),
    measures=(
        Measure(
            name="pitch_hz",
            words="pitch",
            label=tr("pitch, Hz"),
            short=tr("pitch Hz"),
            unit="Hz",
            decimals=0,
            change=Allowance(over=0.02, ratio=True),
            shown=True,
            swept=True,
            rule=tr("median; {rule}", rule=_RULE),
            source=_SOURCE,
            rests_on=tr("one voice in the clip"),
        ),
        Measure(
            name="pitch_sd_st",
            words=tr("pitch movement"),
            label=tr("pitch movement, semitones"),
            short=tr("moves st"),
            unit="semitones",
            decimals=1,
            change=Allowance(over=0.1, ratio=True),
            shown=True,
            swept=True,
            rule=tr("standard deviation in semitones; {rule}", rule=_RULE),
            source=_SOURCE,
            rests_on=tr("one voice in the clip"),
        ),
    ),
)

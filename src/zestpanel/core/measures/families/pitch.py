"""How high the voice is, and how much it moves."""

from __future__ import annotations

from typing import Final

from zestpanel.core.measures.declared import Allowance, Family, Material, Measure, Values


def _values(of: Material) -> Values:
    from zestpanel.core.measures.pitch import measure_pitch

    pitch = measure_pitch(of.clip)
    return {"pitch_hz": pitch.median_hz, "pitch_sd_st": pitch.sd_st, "pitch_range_st": pitch.range_st,
            "voiced_share": pitch.voiced_share}  # fmt: skip


_RULE: Final = "autocorrelation, 60 to 500 Hz, every 10 ms"
_SOURCE: Final = "Boersma (1993), as Praat does it"
FAMILY: Final = Family(
    name="pitch",
    version=5,
    place=20,
    values=_values,
    also=("pitch_range_st", "voiced_share"),
    measures=(
        Measure(name="pitch_hz", words="pitch", label="pitch, Hz", short="pitch Hz", unit="Hz", decimals=0,
                change=Allowance(over=0.02, ratio=True), shown=True, swept=True, rule=f"median; {_RULE}",
                source=_SOURCE, rests_on="one voice in the clip"),
        Measure(name="pitch_sd_st", words="pitch movement", label="pitch movement, semitones", short="moves st",
                unit="semitones", decimals=1, change=Allowance(over=0.1, ratio=True), shown=True, swept=True,
                rule=f"standard deviation in semitones; {_RULE}", source=_SOURCE, rests_on="one voice in the clip"),
    ),
)  # fmt: skip

"""Silence before, in and after the speech, and the noise that stands there."""

from __future__ import annotations

from typing import Final

from zestpanel.core.measures.declared import Family, Material, Measure, Values

_TOLD: Final = ("lead_s", "tail_s", "pauses", "pauses_s", "longest_pause_s")


def _values(of: Material) -> Values:
    found = of.silence
    if found.beyond_reach:
        told: Values = {**dict.fromkeys(_TOLD), "pauses_why": "noise lies too near the speech to tell pauses"}
    else:
        told = {name: float(getattr(found, name)) for name in _TOLD}
    return {**told, "noise_dbfs": found.noise_dbfs}


_RULE: Final = (
    "frames of 10 ms by time; silence is 35 dB below the loud frames; where noise is higher, what stands out of it on "
    "levels without rumble, smoothed over 50 ms"
)
_RESTS: Final = "noise staying below the speech; where it does not, nothing is told"
_SOURCE: Final = "common practice, no source"
FAMILY: Final = Family(
    name="silence",
    version=5,
    place=40,
    values=_values,
    also=("pauses", "pauses_why"),
    measures=(
        Measure(name="longest_pause_s", words="longest pause", label="longest pause, s", short="pause s", unit="s",
                decimals=2, shown=True, rule=f"the longest from 150 ms; {_RULE}", source=_SOURCE, rests_on=_RESTS),
        Measure(name="pauses_s", words="pauses", label="pauses, s", unit="s", decimals=2, swept=True,
                rule=f"all from 150 ms; {_RULE}", source=_SOURCE, rests_on=_RESTS),
        Measure(name="lead_s", words="silence before", label="silence before, s", short="around s", unit="s",
                decimals=2, shown=True, rule=f"before the first speech; {_RULE}", source=_SOURCE, rests_on=_RESTS),
        Measure(name="tail_s", words="silence after", label="silence after, s", unit="s", decimals=2, shown=True,
                shares="lead_s", rule=f"after the last speech; {_RULE}", source=_SOURCE, rests_on=_RESTS),
        Measure(name="noise_dbfs", words="noise in pauses", label="noise in pauses, dBFS", short="noise dB",
                unit="dBFS", decimals=0, better="lower", shown=True, rule=f"mean power of the silent frames; {_RULE}",
                source=_SOURCE, rests_on=_RESTS),
    ),
)  # fmt: skip

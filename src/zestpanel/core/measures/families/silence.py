"""Silence before, in and after the speech, and the noise that stands there."""

from __future__ import annotations

from typing import Final

from zestpanel.core.measures.declared import Family, Material, Measure, Values
from zestpanel.core.texts import tr

_TOLD: Final = ("lead_s", "tail_s", "pauses", "pauses_s", "longest_pause_s")


def _values(of: Material) -> Values:
    found = of.silence
    if found.beyond_reach:
        told: Values = {**dict.fromkeys(_TOLD), "pauses_why": tr("noise lies too near the speech to tell pauses")}
    else:
        told = {name: float(getattr(found, name)) for name in _TOLD}
    return {**told, "noise_dbfs": found.noise_dbfs}


_RULE: Final = tr(
    "frames of 10 ms by time; silence is 35 dB below the loud frames; where noise is higher, what stands out of it on "
    "levels without rumble, smoothed over 50 ms"
)
_RESTS: Final = tr("noise staying below the speech; where it does not, nothing is told")
_SOURCE: Final = tr("common practice, no source")
FAMILY: Final = Family(
    name="silence",
    version=6,
    place=40,
    values=_values,
    also=("pauses", "pauses_why"),
    measures=(
        Measure(
            name="longest_pause_s",
            words=tr("longest pause"),
            label=tr("longest pause, s"),
            short=tr("pause s"),
            unit="s",
            decimals=2,
            shown=True,
            rule=tr("the longest from 150 ms; {rule}", rule=_RULE),
            source=_SOURCE,
            rests_on=_RESTS,
        ),
        Measure(
            name="pauses_s",
            words="pauses",
            label=tr("pauses, s"),
            unit="s",
            decimals=2,
            swept=True,
            rule=tr("all from 150 ms; {rule}", rule=_RULE),
            source=_SOURCE,
            rests_on=_RESTS,
        ),
        Measure(
            name="lead_s",
            words=tr("silence before"),
            label=tr("silence before, s"),
            short=tr("around s"),
            unit="s",
            decimals=2,
            shown=True,
            rule=tr("before the first speech; {rule}", rule=_RULE),
            source=_SOURCE,
            rests_on=_RESTS,
        ),
        Measure(
            name="tail_s",
            words=tr("silence after"),
            label=tr("silence after, s"),
            unit="s",
            decimals=2,
            shown=True,
            shares="lead_s",
            rule=tr("after the last speech; {rule}", rule=_RULE),
            source=_SOURCE,
            rests_on=_RESTS,
        ),
        Measure(
            name="noise_dbfs",
            words=tr("noise in pauses"),
            label=tr("noise in pauses, dBFS"),
            short=tr("noise dB"),
            unit="dBFS",
            decimals=0,
            better="lower",
            shown=True,
            rule=tr("mean power of the silent frames; {rule}", rule=_RULE),
            source=_SOURCE,
            rests_on=_RESTS,
        ),
    ),
)

"""How high the voice is, and how much it moves."""

from __future__ import annotations

from typing import Final

from zestpanel.core.measures.declared import Allowance, Family, Material, Measure, Values
from zestpanel.core.measures.pitch import measure_pitch, semitones
from zestpanel.core.measures.tracks import Tracks, curve
from zestpanel.core.texts import tr


def _values(of: Material) -> Values:
    pitch = measure_pitch(of.clip, of.pitch)
    return {"pitch_hz": pitch.median_hz, "pitch_sd_st": pitch.sd_st, "pitch_range_st": pitch.range_st,
            "voiced_share": pitch.voiced_share}  # fmt: skip


def _tracks(of: Material) -> Tracks:
    st = semitones(of.pitch.on_steps(CURVE_STEP_S, of.clip.duration_s), REFERENCE_HZ)
    return Tracks(curves={"pitch": curve(st, CURVE_STEP_S)})


CURVE_STEP_S: Final = 0.02
REFERENCE_HZ: Final = 100.0  # semitones of the curve are above it
_RULE: Final = tr("autocorrelation, 60 to 500 Hz, every 10 ms")
_SOURCE: Final = tr("Boersma (1993), as Praat does it")
FAMILY: Final = Family(
    name="pitch",
    version=6,
    place=20,
    group="voice",
    values=_values,
    tracks=_tracks,
    curves=("pitch",),
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

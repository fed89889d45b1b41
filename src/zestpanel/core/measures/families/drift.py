"""Whether loudness, pitch and pace wander over a long clip."""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

from zestpanel.core.domain.take import Segment
from zestpanel.core.measures.declared import Family, Material, Measure, Values
from zestpanel.core.measures.drift import KINDS, Drift, as_values, drift_of
from zestpanel.core.measures.tracks import Kind, Tracks
from zestpanel.core.texts import tr, word


def _found(of: Material) -> tuple[Drift, ...]:
    return of.once("drift", lambda: drift_of(of.clip, of.words[0], track=of.pitch, hops=of.hops))


def _values(of: Material) -> Values:
    return as_values(_found(of))


def _tracks(of: Material) -> Tracks:
    found = [one for one in _found(of) if one.drifts]
    return Tracks(segments=tuple(
        Segment(f"{one.kind} drifts", 0.0, of.clip.duration_s, one.change) for one in found
    ))  # fmt: skip


def _says(kind: str) -> Callable[[Segment], str]:
    unit = KINDS[kind].unit
    return lambda one: tr("{words} {change} {unit} from beginning to end", words=word(KINDS[kind].words),
                          change=f"{one.size:+.1f}".replace("-", "−"), unit=word(unit))  # fmt: skip


_RULE: Final = tr("change from the first ten seconds to the last, by the median slope between all stretches")
_SOURCE: Final = "Theil (1950), Sen (1968)"
FAMILY: Final = Family(
    name="drift",
    version=7,
    group="voice",
    place=80,
    values=_values,
    tracks=_tracks,
    kinds=tuple(Kind(f"{kind} drifts", words, _says(kind)) for kind, words in (
        ("loudness", tr("loudness drifts")), ("pitch", tr("pitch drifts")), ("pace", tr("pace drifts")),
        ("timbre", tr("timbre drifts")))),
    measures=tuple(
        Measure(name=f"drift_{kind}", words=words, label=label, unit=KINDS[kind].unit, rule=_RULE, source=_SOURCE,
                rests_on=tr("clips of a minute and more"))
        for kind, words, label in (
            ("loudness", tr("drift of loudness"), tr("drift of loudness, LU")),
            ("pitch", tr("drift of pitch"), tr("drift of pitch, semitones")),
            ("pace", tr("drift of pace"), tr("drift of pace, %")),
            ("timbre", tr("drift of timbre"), tr("drift of timbre, dB")),
        )
    ),
    also=tuple(f"drift_{kind}{end}" for kind in KINDS for end in ("_low", "_high", "_n")),
)  # fmt: skip

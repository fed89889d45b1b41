"""Whether loudness, pitch and pace wander over a long clip."""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

from zestpanel.core.domain.take import Segment
from zestpanel.core.measures.declared import Family, Material, Values
from zestpanel.core.measures.drift import KINDS, Drift, as_values, drift_of
from zestpanel.core.measures.tracks import Kind, Tracks
from zestpanel.core.texts import tr, word


def _found(of: Material) -> tuple[Drift, ...]:
    return of.once("drift", lambda: drift_of(of.clip, of.words[0]))


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


FAMILY: Final = Family(
    name="drift",
    version=6,
    place=80,
    values=_values,
    tracks=_tracks,
    kinds=tuple(Kind(f"{kind} drifts", words, _says(kind)) for kind, words in (
        ("loudness", tr("loudness drifts")), ("pitch", tr("pitch drifts")), ("pace", tr("pace drifts")))),
    measures=(),
    also=tuple(f"drift_{kind}{end}" for kind in KINDS for end in ("", "_low", "_high", "_n")),
)  # fmt: skip

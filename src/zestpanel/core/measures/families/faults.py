"""Faults in the sound itself: where, how much, and of which kind. They are told, and a person says which are real."""

from __future__ import annotations

from functools import cache
from importlib import import_module
from pkgutil import iter_modules
from typing import Final

from zestpanel.core.measures import detectors as _detectors
from zestpanel.core.measures.declared import Family, Material, Measure, Values
from zestpanel.core.measures.detectors.declared import Detector
from zestpanel.core.measures.tracks import Tracks
from zestpanel.core.texts import tr


@cache
def detectors() -> tuple[Detector, ...]:
    """All that there are."""
    names = sorted(one.name for one in iter_modules(_detectors.__path__) if one.name != "declared")
    return tuple(import_module(f"{_detectors.__name__}.{name}").DETECTOR for name in names)


def _tracks(of: Material) -> Tracks:
    return of.once("faults", lambda: Tracks(segments=tuple(one for of_kind in detectors() for one in of_kind.find(of))))


def _values(of: Material) -> Values:
    return {"faults": float(len(_tracks(of).segments))}


def as_table() -> str:
    """The detectors with their rules, as docs/methods.md shows them."""
    lines = ["| fault | rule | source |", "|---|---|---|"]
    lines += [f"| {one.kind.words} | {one.rule} | {one.source} |" for one in detectors()]
    return "\n".join(lines)


FAMILY: Final = Family(
    name="faults",
    version=6,  # rows from before there were families say 5 of all, and have none of these
    place=45,
    values=_values,
    tracks=_tracks,
    kinds=tuple(one.kind for one in detectors()),
    measures=(
        Measure(name="faults", words=tr("faults in the sound"), label=tr("faults in the sound"), decimals=0,
                better="lower", rule=tr("how many the detectors of faults find"),
                source=tr("common practice, no source"), rests_on=tr("each detector's own rule")),
    ),
)  # fmt: skip

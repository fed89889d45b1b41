"""Defects that were marked while listening, to the minute that was heard; and faults that machines find, to the minute
that was examined."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping

from zestpanel.core.analysis.summary import faults_now
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.passage import Passage
from zestpanel.core.evidence.declared import CellParts, Cells, Figure, Place, Reading, Start
from zestpanel.core.evidence.known import Known
from zestpanel.core.listening.scores import LanguageScores
from zestpanel.core.texts import tr


def _read(of: Known, _: LanguageScores | None) -> Reading:
    found = of.defects
    if found is None or found.per_minute is None:
        return Reading(None)
    return Reading(found.per_minute, n=len(found.found))


def _told(of: Known, _: LanguageScores | None, brief: Brief) -> str:
    del brief
    found = of.defects
    if found is None or found.per_minute is None:
        return tr("not heard")
    return f"{found.per_minute:.2f}"


def _of_cells(project: CellParts, cells: Cells, _: Mapping[int, Passage]) -> Mapping[Place, float]:
    marks = Counter(mark.take_id for mark in project.takes.marks())
    return {place: float(marks[take.id]) for place, take in cells.items()}


def _read_faults(of: Known, _: LanguageScores | None) -> Reading:
    found = of.summary.faults
    if found is None or found.per_minute is None:
        return Reading(None)
    return Reading(found.per_minute, n=found.counted)


def _faults_of_cells(project: CellParts, cells: Cells, _: Mapping[int, Passage]) -> Mapping[Place, float]:
    """What counts of all that was found in them: what a person refused does not, nor what is the recogniser's."""
    found = faults_now(project)
    counted = Counter(fault.take.id for of in found.values() for fault in of.found if fault.counts)
    measured = project.takes.measured([take.id for take in cells.values()])
    return {place: float(counted[take.id]) for place, take in cells.items() if take.id in measured}


FIGURES = (
    Figure(
        name="faults", group="wrong", words=tr("faults found a minute"), label=tr("faults a minute"),
        column="faults a minute examined", decimals=2, better="lower", place=31, read=_read_faults,
        of_cells=_faults_of_cells, start=lambda _: Start(2.0, 0.0, 0),
    ),
    Figure(
        name="defects", group="wrong", words=tr("defects a minute heard"), label=tr("defects marked"),
        column="defects a minute heard", decimals=2, better="lower", place=30, read=_read, told=_told,
        of_cells=_of_cells, start=lambda _: Start(2.0, 0.0, 0),
    ),
)  # fmt: skip

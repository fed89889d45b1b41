"""What is measured from the sound: a figure for each measure."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.passage import Passage
from zestpanel.core.evidence.declared import CellParts, Cells, Figure, Group, Place, Reading, Start, of_median
from zestpanel.core.evidence.known import Known
from zestpanel.core.listening.scores import LanguageScores
from zestpanel.core.measures import registry
from zestpanel.core.measures.declared import Measure


def median_of(name: str) -> Callable[[Known, LanguageScores | None], Reading]:
    """Of a value that takes have, the median over a candidate's."""

    def read(of: Known, _: LanguageScores | None) -> Reading:
        found = of.summary.sound.get(name)
        return Reading(None) if found is None else of_median(found.median, found.low, found.high, found.n)

    return read


def cells_of(name: str) -> Callable[[CellParts, Cells, Mapping[int, Passage]], Mapping[Place, float]]:
    """Of a value that takes have, that of each cell's."""

    def of_cells(project: CellParts, cells: Cells, _: Mapping[int, Passage]) -> Mapping[Place, float]:
        measured = project.takes.measured([take.id for take in cells.values()])
        values = {place: measured[take.id].values.get(name) for place, take in cells.items() if take.id in measured}
        return {place: float(value) for place, value in values.items() if isinstance(value, int | float)}

    return of_cells


def _of(one: Measure, group: Group, place: int) -> Figure:
    name = one.name

    start: Callable[[Brief], Start] | None = None
    if one.good is not None:
        worst, best = one.good
        start = lambda _: Start(worst, best, 0)  # noqa: E731 weighed by those who set a weight for it
    return Figure(
        name=f"measure {name}", words=one.words, label=one.label, column=name.replace("_", " "), decimals=one.decimals,
        unit=lambda _: f" {one.unit}" if one.unit else "", better=one.better, place=place, group=group,
        read=median_of(name), of_cells=cells_of(name), start=start, claimed=one.claimed,
        best_of="lower" if one.better == "lower" else "higher",
    )  # fmt: skip


def declared() -> tuple[Figure, ...]:
    """One for each measure, in their order; of faults there is one to the minute."""
    every = [(one, family.group) for family in registry.families() for one in family.measures if one.name != "faults"]
    return tuple(_of(one, group, 40 + place) for place, (one, group) in enumerate(every))

"""What predictors of the person's own say of takes: shown where it is asked for, with how far it goes along with this
project's panel, and never weighed."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import lru_cache
from typing import Final

from zestpanel.core.domain.passage import Passage
from zestpanel.core.evidence.declared import CellParts, Cells, Figure, Place, Reading, of_median
from zestpanel.core.evidence.known import Known
from zestpanel.core.listening.scores import LanguageScores
from zestpanel.core.runs.measuring.hearing import PREDICTED
from zestpanel.core.texts import tr

FIGURES: Final[tuple[Figure, ...]] = ()  # each is known by its predictor's name


@lru_cache(maxsize=100)
def own(name: str) -> Figure | None:
    """The figure of a predictor, by the name under which its values are kept; None for another name."""
    if not name.startswith(PREDICTED):
        return None
    by = name.removeprefix(PREDICTED)

    def read(of: Known, _: LanguageScores | None) -> Reading:
        found = of.summary.sound.get(name)
        return Reading(None) if found is None else of_median(found.median, found.low, found.high, found.n)

    def of_cells(project: CellParts, cells: Cells, _: Mapping[int, Passage]) -> Mapping[Place, float]:
        measured = project.takes.measured([take.id for take in cells.values()])
        values = {place: measured[take.id].values.get(name) for place, take in cells.items() if take.id in measured}
        return {place: float(value) for place, value in values.items() if isinstance(value, int | float)}

    words = tr("predicted by {by}", by=by)
    return Figure(name=name, words=words, label=words, decimals=2, place=105, group="sound", read=read,
                  of_cells=of_cells)  # fmt: skip


def known_in(rows: Iterable[Known]) -> list[Figure]:
    """Of the predictors that have told something of these."""
    names = dict.fromkeys(name for of in rows for name in of.summary.sound if name.startswith(PREDICTED))
    return [found for name in names if (found := own(name)) is not None]

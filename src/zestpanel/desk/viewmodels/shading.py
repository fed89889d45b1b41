"""What the grid's cells can be shaded by instead of their waveforms: wait, words wrong, score, marks, money, any
measure."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.choice.where import shade
from zestpanel.core.evidence.declared import Place
from zestpanel.core.evidence.registry import figures
from zestpanel.core.store.project import Project
from zestpanel.core.texts import tr
from zestpanel.desk.viewmodels.cells import Bench


@dataclass(frozen=True, kw_only=True)
class Shading:
    """values: by cell, of the takes there are. less_is_better: what is good is pale. None of both: neither is
    better."""

    name: str
    title: str
    unit: str
    decimals: int
    values: Mapping[Place, float]
    less_is_better: bool | None = None

    def share(self, place: Place) -> float | None:
        """How strongly a cell is shaded, 0 to 1: by its rank among the cells, so that one odd cell hides no other."""
        value = self.values.get(place)
        return None if value is None else shade(self._sorted, value, high_is_pale=self.less_is_better is False)

    @cached_property
    def _sorted(self) -> NDArray[np.float64]:
        return np.sort(np.array(list(self.values.values()), dtype=np.float64))

    def words(self, place: Place) -> str:
        """'1.24', '' where there is none."""
        value = self.values.get(place)
        return "" if value is None else f"{value:.{self.decimals}f}".replace("-", "−")

    def order(self, ids: list[int], *, of_passages: bool) -> list[int]:
        """Candidates, or passages, by their means: the best first, those without a value last."""
        of: dict[int, list[float]] = defaultdict(list)
        for (candidate, passage), value in self.values.items():
            of[passage if of_passages else candidate].append(value)
        sign = -1.0 if self.less_is_better is False else 1.0
        return sorted(ids, key=lambda one: (one not in of, sign * float(np.mean(of[one])) if one in of else 0.0))


def choices() -> dict[str, str]:
    """What can be chosen, by name."""
    return {"": tr("waveforms")} | {one.name: one.label for one in figures().values() if one.of_cells or one.start}


def shading(project: Project, bench: Bench, name: str, found: Evaluation | None = None) -> Shading | None:
    """None for the waveforms. Reads the project: not for the interface thread. found: where figures of a candidate are
    read, which stand in all of its cells."""
    figure = figures().get(name)
    if figure is None:
        return None
    takes = {place: cell.take for place, cell in bench.cells.items() if cell.take is not None}
    if figure.of_cells is not None:
        values = figure.of_cells(project, takes, {passage.id: passage for passage in bench.passages})
    else:
        rows = found.rows if found is not None else {}
        of = {number: value for number, row in rows.items() if (value := figure.read(row, None).value) is not None}
        values = {place: of[place[0]] for place in takes if place[0] in of}
    return Shading(
        name=name, title=figure.label, unit=figure.unit(bench.brief).strip(), decimals=min(figure.decimals, 2),
        values={place: value * figure.factor for place, value in values.items()},
        less_is_better={"lower": True, "higher": False}.get(figure.better),
    )  # fmt: skip

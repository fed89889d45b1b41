"""What the grid's cells can be shaded by instead of their waveforms: wait, words wrong, score, marks, money, any
measure."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from decimal import Decimal
from functools import cached_property
from typing import Final

import numpy as np

from zestpanel.core.catalogue.candidate import plan_of
from zestpanel.core.domain.take import Take
from zestpanel.core.measures.registry import listed
from zestpanel.core.money.curve import month_curve
from zestpanel.core.money.volume import Rates
from zestpanel.core.store.project import Project
from zestpanel.core.texts import tr
from zestpanel.desk.viewmodels.cells import Bench

Place = tuple[int, int]  # candidate, passage


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
        if value is None or len(self._sorted) < 2 or self._sorted[0] == self._sorted[-1]:
            return None if value is None else 0.0
        low, high = np.searchsorted(self._sorted, value, "left"), np.searchsorted(self._sorted, value, "right")
        rank = float(low + high - 1) / 2 / (len(self._sorted) - 1)
        return 1 - rank if self.less_is_better is False else rank

    @cached_property
    def _sorted(self) -> list[float]:
        return sorted(self.values.values())

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
    found = {
        "": tr("waveforms"),
        "wait": tr("wait for the whole clip"),
        "score": tr("panel score"),
        "marks": tr("defects marked"),
        "money": tr("money a month"),
    }
    return found | {f"measure {name}": one.label for name, one in listed().items()}


def shading(project: Project, bench: Bench, name: str) -> Shading | None:
    """None for the waveforms. Reads the project: not for the interface thread."""
    if not name:
        return None
    takes = {place: cell.take for place, cell in bench.cells.items() if cell.take is not None}
    if name.startswith("measure "):
        return _measure(project, takes, name.removeprefix("measure "))
    return _WAYS[name](project, bench, takes)


def _measure(project: Project, takes: Mapping[Place, Take], name: str) -> Shading:
    one = listed()[name]
    measured = project.takes.measured([take.id for take in takes.values()])
    values = {}
    for place, take in takes.items():
        value = measured[take.id].values.get(name) if take.id in measured else None
        if isinstance(value, int | float):
            values[place] = float(value)
    better = {"lower": True, "higher": False}.get(str(one.better or ""))
    return Shading(
        name=f"measure {name}",
        title=one.label,
        unit=one.unit,
        decimals=one.decimals,
        values=values,
        less_is_better=better,
    )


def _wait(project: Project, bench: Bench, takes: Mapping[Place, Take]) -> Shading:
    del bench
    timed = {t.id: t.timing for t in project.takes.all() if t.timing is not None and not t.timing.typed}
    values = {place: timing.last_byte_s for place, take in takes.items() if (timing := timed.get(take.id)) is not None}
    return Shading(name="wait", title=tr("wait for the whole clip"), unit="s", decimals=2, values=values,
                   less_is_better=True)  # fmt: skip


def _score(project: Project, bench: Bench, takes: Mapping[Place, Take]) -> Shading:
    del takes
    of_version = {p.version_id: p.id for p in bench.passages}
    scores: dict[Place, list[float]] = defaultdict(list)
    for rating in project.answers.ratings():
        if rating.scale == "ACR" and rating.passage_version_id in of_version:
            scores[rating.candidate_id, of_version[rating.passage_version_id]].append(rating.score)
    values = {place: float(np.mean(of)) for place, of in scores.items()}
    return Shading(
        name="score", title=tr("panel score"), unit=tr("1 to 5"), decimals=1, values=values, less_is_better=False
    )


def _marks(project: Project, bench: Bench, takes: Mapping[Place, Take]) -> Shading:
    del project
    values = {place: float(bench.cells[place].marks) for place in takes}
    return Shading(name="marks", title=tr("defects marked"), unit="", decimals=0, values=values, less_is_better=True)


def _money(project: Project, bench: Bench, takes: Mapping[Place, Take]) -> Shading:
    """What this channel's month costs under the candidate's plan: the same for all its passages."""
    del project
    per: dict[int, float] = {}
    for candidate in bench.candidates:
        engine = bench.engines.get(candidate.engine)
        curve = month_curve(plan_of(candidate, engine).tariff, Rates(), bench.brief, model=candidate.model)
        month = None if curve is None else curve.at([Decimal(bench.brief.minutes_per_month)])[0]
        if month is not None:
            per[candidate.id] = float(month)
    values = {place: per[place[0]] for place in takes if place[0] in per}
    return Shading(name="money", title=tr("money a month"), unit=bench.brief.currency, decimals=2, values=values,
                   less_is_better=True)  # fmt: skip


_WAYS: Final[Mapping[str, Callable[[Project, Bench, Mapping[Place, Take]], Shading]]] = {
    "wait": _wait, "score": _score, "marks": _marks, "money": _money,
}  # fmt: skip

"""How long one waits, in one set of circumstances; give-ups are later than any."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from functools import lru_cache

from zestpanel.core.analysis.statistics.intervals import Interval
from zestpanel.core.analysis.timing.waits import Waits, quantile_interval
from zestpanel.core.analysis.timing.waits import in_words as wait_in_words
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.passage import Passage
from zestpanel.core.evidence.declared import CellParts, Cells, Figure, Place, Reading, Start, of_median
from zestpanel.core.evidence.known import Known
from zestpanel.core.listening.scores import LanguageScores
from zestpanel.core.texts import tr, word


def _median(pick: Callable[[Known], Waits]) -> Callable[[Known, LanguageScores | None], Reading]:
    def read(of: Known, _: LanguageScores | None) -> Reading:
        found = pick(of)
        if found.median is None:
            return Reading(None)
        between = _between(tuple(found.points), found.gave_up) if found.points else None
        if between is None or not math.isfinite(between.high):
            return Reading(found.median, n=found.n)
        error = (between.high - between.low) / 2 / 1.96
        return Reading(found.median, between.low, between.high, error, n=found.n)

    return read


@lru_cache(maxsize=2_048)  # asked for by every role
def _between(points: tuple[float, ...], gave_up: int) -> Interval | None:
    return quantile_interval(points, 0.5, gave_up=gave_up)


def _told(of: Known, _: LanguageScores | None, brief: Brief) -> str:
    del brief
    return wait_in_words(of.summary.whole_clip.median) or word("missing")


def _factor(of: Known, _: LanguageScores | None) -> Reading:
    found = of.summary.real_time_factor
    return Reading(None) if found is None else of_median(found.median, found.low, found.high, found.n)


def _of_cells(project: CellParts, cells: Cells, _: Mapping[int, Passage]) -> Mapping[Place, float]:
    timed = {t.id: t.timing for t in project.takes.all() if t.timing is not None and not t.timing.typed}
    return {place: timing.last_byte_s for place, take in cells.items() if (timing := timed.get(take.id)) is not None}


FIGURES = (
    Figure(
        name="wait", words="wait", label=tr("wait for the whole clip"), column="whole clip s (median)", decimals=3,
        unit=lambda _: " s", better="lower", place=20, first=True, read=_median(lambda of: of.summary.whole_clip),
        told=_told, of_cells=_of_cells, start=lambda brief: Start(float(brief.longest_wait_s or 30), 0.5, 10),
        claimed="whole clip s",
    ),
    Figure(name="first sound", words=tr("wait for the first sound"), label=tr("first sound"), decimals=3,
           column="first sound s (median)", unit=lambda _: " s", better="lower", place=21,
           read=_median(lambda of: of.summary.first_sound), start=lambda _: Start(5.0, 0.3, 0),
           claimed="first sound s"),
    Figure(name="real-time factor", words=tr("real-time factor"), label=tr("real-time factor"), decimals=3,
           column="real-time factor", better="lower", place=22, read=_factor, claimed="real-time factor"),
)  # fmt: skip

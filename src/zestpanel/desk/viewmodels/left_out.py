"""What a plan leaves out, counted: which cells may have been paid, and why the others cannot be rendered."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from zestpanel.core.runs.plan.planning import PlannedRun
from zestpanel.core.runs.plan.undecided import WORDS as MAY_BE_PAID
from zestpanel.core.waiting import in_turns
from zestpanel.desk.viewmodels.cells import Bench


@dataclass(frozen=True, slots=True, kw_only=True)
class LeftOut:
    """paid: cells without sound that may have been paid for; reasons: (engine, why) of whatever is left out.

    barred: cells without a take that cannot be rendered; why: what bars ``most`` of them.
    """

    paid: int
    reasons: frozenset[tuple[str, str]]
    barred: int
    why: str
    most: int


def left_out_of(planned: PlannedRun, bench: Bench) -> LeftOut:
    """Counted off the interface thread: of 200 voices and 100 passages it takes a while."""
    barred: dict[tuple[int, int], str] = {}
    reasons: set[tuple[str, str]] = set()
    paid = 0
    for candidate, passage, why in in_turns(planned.left_out):
        reasons.add((candidate.engine, why))
        if why == MAY_BE_PAID:
            paid += 1
        elif (cell := bench.cells.get((candidate.id, passage.id))) is None or cell.state != "there":
            barred[candidate.id, passage.id] = why.split("; ")[0]  # the first is what has to be done first
    why, most = Counter(barred.values()).most_common(1)[0] if barred else ("", 0)
    return LeftOut(paid=paid, reasons=frozenset(reasons), barred=len(barred), why=why, most=most)

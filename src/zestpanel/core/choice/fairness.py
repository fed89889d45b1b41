"""What is not alike among those that are compared, and how each engine stands with its best voices."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from typing import Final

from zestpanel.core.choice.row import Row
from zestpanel.core.choice.standing import Standing
from zestpanel.core.texts import some_of, tr, trn

BEST: Final = 3
_MOST_TOLD: Final = 4


def not_alike(standing: Standing) -> list[str]:
    """Sentences on comparisons that are not of like with like: settings, plan levels, how much was heard."""
    return [said for said in (_tuned(standing), _levels(standing), _heard(standing)) if said]


def _tuned(standing: Standing) -> str:
    rows = standing.rows.values()
    tuned = [row.name for row in rows if not row.candidate.factory]
    factory = {row.candidate.engine for row in rows if row.candidate.factory}
    others = factory - {row.candidate.engine for row in rows if not row.candidate.factory}
    if not tuned or not others:
        return ""
    return tr("Tuned: {tuned}; no voice of {others} is.", tuned=some_of(tuned, _MOST_TOLD),
              others=", ".join(sorted(others)))  # fmt: skip


def level_of(row: Row) -> str:
    """How a candidate's plan is bought: 'trial', 'free', 'paid', 'own machine', or '' where no price is known."""
    if row.plan.trial:
        return "trial"
    if row.hosted is False:
        return "own machine"
    own = row.cost.own
    return "" if own is None else "free" if not own.amount else "paid"


def _levels(standing: Standing) -> str:
    """A trial or a free plan may give less than what is bought later, and is not compared in silence."""
    levels: dict[str, list[str]] = defaultdict(list)
    for row in standing.rows.values():
        levels[level_of(row)].append(row.name)
    under = levels["trial"] + levels["free"]
    if not under or not levels["paid"]:
        return ""
    return tr("Under a trial or a free plan: {under}; others are paid for, and may be served otherwise.",
              under=some_of(under, _MOST_TOLD))  # fmt: skip


def _heard(standing: Standing) -> str:
    """Candidates that far fewer heard than others: their means rest on other ears."""
    heard = {row.name: row.score.listeners for row in standing.rows.values() if row.score is not None}
    if len(heard) < 2:
        return ""
    most = max(heard.values())
    few = [f"{name} ({n})" for name, n in heard.items() if 2 * n < most]
    return tr("Heard by fewer than half as many listeners as others ({most}): {few}.", most=most,
              few=some_of(few, _MOST_TOLD)) if few else ""  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class EngineLine:
    """voices: that were rated, each once, whatever its route, plan or settings; best and worst: mean scores; top: the
    mean of the best three."""

    engine: str
    voices: int
    top: float
    best: float
    worst: float

    def says(self) -> str:
        rated = trn("{voices} voice", "{voices} voices", self.voices, voices=self.voices)
        if self.voices == 1:
            return f"{self.engine} {self.best:.2f} ({rated})"
        return tr("{engine} {top} ({rated}, {worst} to {best})", engine=self.engine, top=f"{self.top:.2f}", rated=rated,
                  worst=f"{self.worst:.2f}", best=f"{self.best:.2f}")  # fmt: skip


def by_engine(standing: Standing) -> list[EngineLine]:
    """Breadth beside quality: the best three voices of each engine and how far its voices spread, the best first."""
    scores = standing.scored.scores if standing.scored is not None else {}
    best: dict[str, dict[str, float]] = defaultdict(dict)
    for number, row in standing.rows.items():
        if number in scores:
            own = best[row.candidate.engine]
            own[row.candidate.voice] = max(own.get(row.candidate.voice, 0.0), scores[number].mean)
    lines = []
    for engine, voices in best.items():
        means = sorted(voices.values(), reverse=True)
        top = means[:BEST]
        lines.append(EngineLine(engine=engine, voices=len(means), top=sum(top) / len(top), best=means[0],
                                worst=means[-1]))  # fmt: skip
    return sorted(lines, key=lambda one: -one.top)

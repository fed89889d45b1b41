"""What a choice is weighed by: each criterion in one place. To add one, add an entry; pages and the record follow."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from zestpanel.core.choice.ranking import Criterion, Evidence
from zestpanel.core.choice.row import Row
from zestpanel.core.domain.brief import Brief
from zestpanel.core.listening.scores import LanguageScores
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.stored import Stored
from zestpanel.core.texts import tr, word


class Reading(NamedTuple):
    """What is known of a candidate by a criterion: None where evidence is missing. error: standard error. draws: drawn
    together for all candidates, instead of a normal law around the value."""

    value: float | None
    error: float | None = None
    draws: NDArray[np.float64] | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Kind:
    """words: as it is called in the interface. unit: behind a value, with the brief's currency for money. times: what
    a value is multiplied by where it is shown. start: worst, best and weight, until somebody sets others."""

    name: str
    words: str
    unit: Callable[[Brief], str] = lambda _: ""
    times: int = 1
    start: Callable[[Brief], tuple[float, float, float]]
    read: Callable[[Row, LanguageScores | None], Reading]


def _quality(row: Row, language: LanguageScores | None) -> Reading:
    score = None if language is None else language.scores.get(row.candidate.id)
    if score is None or language is None:
        return Reading(None)
    return Reading(score.mean, None, language.draws_of(row.candidate.id))


def _failures(row: Row, _: LanguageScores | None) -> Reading:
    rate = row.summary.failure_rate
    return Reading(None) if rate is None else Reading(rate.estimate, (rate.high - rate.low) / 2 / 1.96)


def _measured(name: str) -> Callable[[Row, LanguageScores | None], Reading]:
    """The median over a candidate's takes."""

    def read(row: Row, _: LanguageScores | None) -> Reading:
        figure = row.summary.sound.get(name)
        return Reading(None if figure is None else figure.median)

    return read


QUALITY, COST, WAIT, FAILURES = "quality", "cost", "wait", "failures"
KINDS: Final = (
    Kind(name=QUALITY, words="quality", start=lambda _: (2.5, 4.5, 50), read=_quality),
    Kind(
        name=COST,
        words="money",
        unit=lambda brief: tr(" {currency} a month", currency=brief.currency),
        start=lambda brief: (float(brief.budget_per_month or 100), 0.0, 30),
        read=lambda row, _: Reading(None if row.cost.own is None else float(row.cost.own.amount)),
    ),
    Kind(
        name=WAIT,
        words="wait",
        unit=lambda _: " s",
        start=lambda brief: (float(brief.longest_wait_s or 30), 0.5, 10),
        read=lambda row, _: Reading(row.summary.whole_clip.median),
    ),
    Kind(name=FAILURES, words="failures", unit=lambda _: " %", times=100, start=lambda _: (0.1, 0.0, 10),
         read=_failures),
    # weighed by those who set a weight for it
    Kind(name="words wrong", words=tr("words wrong"), unit=lambda _: " %", start=lambda _: (20.0, 0.0, 0),
         read=_measured("words_wrong")),
)  # fmt: skip


class SetTo(BaseModel):
    """What a person has set of a criterion; None is as it starts."""

    model_config = ConfigDict(frozen=True)
    worst: float | None = None
    best: float | None = None
    weight: float | None = None


CRITERIA: Final[Stored[dict[str, SetTo]]] = Stored("criteria", dict[str, SetTo], {}, sparing=True)


def criteria_of(documents: Documents, brief: Brief) -> tuple[Criterion, ...]:
    """As they are set: the start's bounds and weights, and what was stored instead."""
    stored = CRITERIA.read(documents)
    out = []
    for kind in KINDS:
        worst, best, weight = kind.start(brief)
        one = stored.get(kind.name, SetTo())
        out.append(Criterion(name=kind.name, worst=worst if one.worst is None else one.worst,
                             best=best if one.best is None else one.best,
                             weight=weight if one.weight is None else one.weight))  # fmt: skip
    return tuple(out)


def bounds_in_words(criteria: Iterable[Criterion], brief: Brief) -> str:
    """Between which values each criterion that has a weight counts: 'quality (weight 50) from 2.5 to 4.5'."""
    kinds = {kind.name: kind for kind in KINDS}
    parts = []
    for one in criteria:
        kind = kinds[one.name]
        worst, best = (f"{value * kind.times:g}".replace("-", "−") for value in (one.worst, one.best))
        unit = kind.unit(brief)
        if one.weight > 0:
            parts.append(
                tr(
                    "{words} (weight {weight}) from {worst}{unit} to {best}{unit2}",
                    words=word(kind.words),
                    weight=f"{one.weight:g}",
                    worst=worst,
                    unit=unit,
                    best=best,
                    unit2=unit,
                )
            )
    return tr("From not acceptable to as good as it need be: {parts}.", parts="; ".join(parts)) if parts else ""


def evidence_of(row: Row, language: LanguageScores | None) -> Evidence:
    """A candidate by every criterion, within a language."""
    read = {kind.name: kind.read(row, language) for kind in KINDS}
    return Evidence(
        candidate_id=row.candidate.id,
        passes=row.passes,
        values={name: one.value for name, one in read.items()},
        errors={name: one.error for name, one in read.items() if one.error is not None},
        draws={name: one.draws for name, one in read.items() if one.draws is not None},
    )

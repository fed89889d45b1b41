"""What a choice is weighed by: any figure that is declared as weighable, with bounds and a weight."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Final

from pydantic import BaseModel, ConfigDict

from zestpanel.core.choice.ranking import Criterion, Evidence
from zestpanel.core.choice.row import Row
from zestpanel.core.domain.brief import Brief
from zestpanel.core.errors import InputError
from zestpanel.core.evidence.declared import Figure
from zestpanel.core.evidence.registry import figures, weighable
from zestpanel.core.listening.scores import LanguageScores
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.stored import Stored
from zestpanel.core.texts import capital, tr, word
from zestpanel.core.typed import typed_number


class SetTo(BaseModel):
    """What a person has set of a criterion; None is as it starts."""

    model_config = ConfigDict(frozen=True)
    worst: float | None = None
    best: float | None = None
    weight: float | None = None


CRITERIA: Final[Stored[dict[str, SetTo]]] = Stored("criteria", dict[str, SetTo], {}, sparing=True)


_FORMER: Final = {"measure words_wrong": "words wrong"}  # what weights were stored under before


def criteria_of(documents: Documents, brief: Brief) -> tuple[Criterion, ...]:
    """As they are set: the start's bounds and weights, and what was stored instead."""
    stored = CRITERIA.read(documents)
    out = []
    for figure in weighable():
        assert figure.start is not None
        start = figure.start(brief)
        one = stored.get(figure.name) or stored.get(_FORMER.get(figure.name, "")) or SetTo()
        out.append(Criterion(name=figure.name, worst=start.worst if one.worst is None else one.worst,
                             best=start.best if one.best is None else one.best,
                             weight=start.weight if one.weight is None else one.weight))  # fmt: skip
    return tuple(out)


BOUNDS: Final = {"weight": tr("weight"), "worst": tr("not acceptable"), "best": tr("good enough")}


def set_to(figure: Figure, texts: Mapping[str, str], brief: Brief) -> SetTo:
    """What is typed of a figure, as it is shown: weight, worst and best, each empty for as it starts. Raises
    InputError."""
    values: dict[str, float] = {}
    for field, text in texts.items():
        what = f"{capital(word(figure.words))}, {BOUNDS[field]}"
        if text.strip():
            number = float(typed_number(text.replace("−", "-"), what, least=0 if field == "weight" else None))
            values[field] = number if field == "weight" else number / figure.factor
    assert figure.start is not None
    start = figure.start(brief)
    usual = {"weight": start.weight, "worst": start.worst, "best": start.best}
    found = {**usual, **values}
    if found["weight"] > 0 and found["worst"] == found["best"]:
        raise InputError(
            tr(
                "{what}: what is not acceptable and what is good enough are the same.", what=capital(word(figure.words))
            ),
            kept=tr("Nothing was changed."),
        )
    return SetTo(**{field: value for field, value in values.items() if value != usual[field]})


def in_ranking(criteria: Iterable[Criterion]) -> list[Figure]:
    """The figures a ranking shows: those that are weighed, and those that always are."""
    weighed = {one.name for one in criteria if one.weight > 0}
    return [one for one in figures().values() if one.first or one.name in weighed]


def bounds_in_words(criteria: Iterable[Criterion], brief: Brief) -> str:
    """Between which values each criterion that has a weight counts: 'quality (weight 50) from 2.5 to 4.5'."""
    parts = []
    for one in criteria:
        figure = figures()[one.name]
        worst, best = (f"{value * figure.factor:g}".replace("-", "−") for value in (one.worst, one.best))
        unit = figure.unit(brief)
        if one.weight > 0:
            parts.append(
                tr(
                    "{words} (weight {weight}) from {worst}{unit} to {best}{unit2}",
                    words=word(figure.words),
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
    read = {one.name: one.read(row, language) for one in weighable()}
    return Evidence(
        candidate_id=row.candidate.id,
        passes=row.passes,
        values={name: one.value for name, one in read.items()},
        errors={name: one.error for name, one in read.items() if one.error is not None},
        draws={name: one.draws for name, one in read.items() if one.draws is not None},
    )

"""What a choice is weighed by: any figure that is declared as weighable, with bounds and a weight."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from typing import Final

from zestpanel.core.choice.gates import Gate
from zestpanel.core.choice.ranking import Criterion, Evidence
from zestpanel.core.choice.row import Row
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.role import Role, SetTo
from zestpanel.core.errors import InputError
from zestpanel.core.evidence.declared import Figure
from zestpanel.core.evidence.registry import figures, known_to
from zestpanel.core.listening.scores import LanguageScores
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.stored import Stored
from zestpanel.core.texts import capital, tr, word
from zestpanel.core.typed import typed_number

CRITERIA: Final[Stored[dict[str, SetTo]]] = Stored("criteria", dict[str, SetTo], {}, sparing=True)


_FORMER: Final = {"measure words_wrong": "words wrong"}  # what weights were stored under before


def set_of(documents: Documents, role: Role | None = None) -> dict[str, SetTo]:
    """What is set of the criteria: the role's own, where it has such, else what all roles share."""
    own = role.criteria if role is not None else None
    return dict(CRITERIA.read(documents) if own is None else own)


def criteria_of(documents: Documents, brief: Brief, role: Role | None = None) -> tuple[Criterion, ...]:
    """As they are set: the start's bounds and weights, and what was stored instead. A figure that starts without
    bounds is none before it has been given some."""
    stored = set_of(documents, role)
    out = []
    for figure in known_to(stored):
        one = stored.get(figure.name) or stored.get(_FORMER.get(figure.name, "")) or SetTo()
        start = figure.start(brief) if figure.start is not None else None
        worst = start.worst if one.worst is None and start else one.worst
        best = start.best if one.best is None and start else one.best
        weight = one.weight if one.weight is not None else start.weight if start else 0.0
        if worst is not None and best is not None:
            out.append(Criterion(name=figure.name, worst=worst, best=best, weight=weight, bars=one.bars))
    return tuple(out)


BOUNDS: Final = {"weight": tr("weight"), "worst": tr("not acceptable"), "best": tr("good enough")}


def set_to(figure: Figure, texts: Mapping[str, str], brief: Brief, *, bars: bool = False) -> SetTo:
    """What is typed of a figure, as it is shown: weight, worst and best, each empty for as it starts. bars: what is not
    acceptable is a must-have. Raises InputError."""
    values: dict[str, float] = {}
    what = capital(word(figure.words))
    for field, text in texts.items():
        if text.strip():
            number = float(typed_number(text.replace("−", "-"), f"{what}, {BOUNDS[field]}",
                                        least=0 if field == "weight" else None))  # fmt: skip
            values[field] = number if field == "weight" else number / figure.factor
    start = figure.start(brief) if figure.start is not None else None
    usual = {"weight": start.weight, "worst": start.worst, "best": start.best} if start else {"weight": 0.0}
    found = {**usual, **values}
    if found["weight"] > 0 or bars:
        lacks = [field for field in ("worst", "best") if field not in found]
        if lacks:
            raise InputError(
                tr("{what}: it has no bounds of its own; '{lacks}' is missing.", what=what, lacks=BOUNDS[lacks[0]]),
                kept=tr("Nothing was changed."), remedy=tr("Say what is not acceptable, and what is good enough."),
            )  # fmt: skip
        if found["worst"] == found["best"]:
            raise InputError(
                tr("{what}: what is not acceptable and what is good enough are the same.", what=what),
                kept=tr("Nothing was changed."),
            )
    return SetTo(**{field: value for field, value in values.items() if value != usual.get(field)}, bars=bars)


def limit_set(figure: Figure, text: str, before: SetTo | None, brief: Brief, *, most: bool) -> SetTo:
    """A limit as a must-have: at most, or at least, what is typed; '' takes it off, and leaves what is weighed. Raises
    InputError."""
    before = before or SetTo()
    if not text.strip():
        return before.model_copy(update={"bars": False})
    at = float(typed_number(text.replace("−", "-"), capital(word(figure.words)), least=None)) / figure.factor
    start = figure.start(brief) if figure.start is not None else None
    best = before.best if before.best is not None else start.best if start is not None else None
    if best is None or best == at or (at > best) != most:  # a bound of its own on the side that is good
        best = at - max(abs(at), 1.0) if most else at + max(abs(at), 1.0)
    return before.model_copy(update={"worst": at, "best": best, "bars": True})


def bars_of(row: Row, language: LanguageScores | None, criteria: Iterable[Criterion], brief: Brief) -> list[Gate]:
    """The must-haves that are figures: what is beyond the end that is not acceptable is not met, by its value; the
    interval is told."""
    out = []
    for one in criteria:
        if not one.bars:
            continue
        figure = figures()[one.name]
        most = one.worst > one.best
        limit = figure.in_words(one.worst, brief)
        words = {"words": word(figure.words), "limit": limit}
        name = tr("{words}: at most {limit}", **words) if most else tr("{words}: at least {limit}", **words)
        code = f"{one.name} {'at most' if most else 'at least'} {one.worst * figure.factor:g}"
        read = figure.read(row, language)
        if read.value is None:
            out.append(Gate(name=name, verdict="unknown", why=word("missing"), code=code))
            continue
        met = read.value <= one.worst if most else read.value >= one.worst
        why = figure.cell(row, language, brief).split("\n")[0] if math.isinf(read.value) else figure.in_words(
            read.value, brief)  # fmt: skip
        if read.low is not None and read.high is not None and read.low < one.worst < read.high:
            why += tr(", 95 % from {low} to {high}", low=figure.in_words(read.low, brief),
                      high=figure.in_words(read.high, brief))  # fmt: skip
        out.append(Gate(name=name, verdict="yes" if met else "no", why=why, code=code))
    return out


def in_ranking(criteria: Iterable[Criterion]) -> list[Figure]:
    """The figures a ranking shows: those that are weighed, and those that always are."""
    weighed = {one.name for one in criteria if one.weight > 0}
    return [one for one in known_to(weighed) if one.first or one.name in weighed]


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
    """A candidate by every figure, within a language."""
    read = {one.name: one.read(row, language) for one in known_to(name for _, name in row.tests)}
    return Evidence(
        candidate_id=row.candidate.id,
        passes=row.passes,
        values={name: one.value for name, one in read.items()},
        errors={name: one.error for name, one in read.items() if one.error is not None},
        draws={name: one.draws for name, one in read.items() if one.draws is not None},
    )

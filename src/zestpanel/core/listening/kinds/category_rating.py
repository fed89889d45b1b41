"""Category rating of one clip at a time (ITU-T P.800, absolute category rating), on any of the scales, or on
several."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Final

import numpy as np

from zestpanel.core.domain.listening import QUALITY, RATING, Answered, PlannedTrial
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.listening.design import judged_at, one_at_a_time
from zestpanel.core.listening.kind import (
    Able,
    Around,
    Bar,
    Common,
    Found,
    Heard,
    Option,
    Planning,
    Shown,
    figure_of,
)
from zestpanel.core.listening.scaled import category_found, lines_of, stated_comparisons, values_of
from zestpanel.core.listening.scales import HEARD_ALONE, OWN, Scale, scale_of
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.texts import tr

SCORE: Final = "score"  # what the first scale's answer is kept under; further ones have their own names


class CategoryRating(Common):
    name = RATING
    title = tr("category rating (ACR)")
    asks = tr("How good is each?")
    fewest_candidates = 1
    uses: frozenset[Option] = frozenset(
        {"scale", "also", "repeats", "traps", "gold", "training", "context", "stated", "blocks"}
    )
    planned_by: Planning = "differences"

    def design(
        self, able: Able, settings: TestSettings, *, listener: int, rng: np.random.Generator
    ) -> list[PlannedTrial]:
        return one_at_a_time(able, settings, listener=listener, rng=rng)

    def shown(self, trial: PlannedTrial, settings: TestSettings) -> Shown:
        asked = [
            scale_of(settings).as_question(SCORE),
            *(scale_of(settings, name).as_question(name) for name in settings.also),
        ]
        everything = Heard("", tuple(range(len(trial.stimuli))))
        alone = HEARD_ALONE & {settings.scale, *settings.also}
        return Shown(lanes=(everything,), questions=tuple(asked), must_hear=settings.must_hear, shows_text=not alone)

    def found(self, answers: Sequence[Answered], around: Around) -> Found:
        """The first scale's result; what the others say, in a sentence each, and in the table behind it."""
        settings = around.settings
        parts = [rated_on(name, answers, around, kept) for kept, name in _asked(settings)]
        first, *others = parts
        if not others:
            return first
        names = [scale_of(settings, name).short for name in (settings.scale, *settings.also)]
        return replace(
            first,
            says=" ".join(f"{name[:1].upper()}{name[1:]}: {part.says}" for name, part in zip(names, parts,
                                                                                            strict=True)),
            head=(tr("Scale"), *first.head[:-2], tr("answers, lowest first"), tr("in all")),
            rows=tuple((name, *row) for name, part in zip(names, parts, strict=True) for row in part.rows),
            numbers=(2, 3, 5, 6, 7, 8, 9),
        )  # fmt: skip

    def fed(self, found: Found, answers: Sequence[Answered], around: Around) -> Mapping[str, tuple[Bar, ...]]:
        """A figure for each scale; listening quality has its own, of all ratings there are."""
        asked, out = _asked(around.settings), {}
        for kept, name in asked:
            if name not in (QUALITY, OWN) and any(kept in one.answer.given for one in answers):
                out[figure_of(name)] = rated_on(name, answers, around, kept).bars if len(asked) > 1 else found.bars
        if around.settings.scale == OWN and around.settings.question:
            out[figure_of(OWN, around.settings.question)] = _of_the_way(found.bars, scale_of(around.settings))
        return out


def rated_on(name: str, answers: Sequence[Answered], around: Around, kept: str) -> Found:
    """What ratings on a scale say. kept: what they are kept under. Raises NotEnoughData."""
    scale = scale_of(around.settings, name)
    said = [one for one in answers if kept in one.answer.given]
    if not said:
        raise NotEnoughData(tr("Nobody has answered yet."))
    unit = scale.category
    values = values_of(said, lambda one: [(judged_at(one.trial), float(one.answer.given[kept]) / unit)])
    lines = lines_of(values, bounds=(scale.low / unit, scale.high / unit), unit=unit)
    found = category_found(lines, around, steps=scale.steps, question=scale.question, ordered=scale.ordered)
    return replace(found, stated=stated_comparisons(values, around))


def _of_the_way(bars: Sequence[Bar], scale: Scale) -> tuple[Bar, ...]:
    """From 0 at the worst step to 100 at the best: scales of one's own have as many steps as one likes."""
    span = scale.high - scale.low

    def part(value: float | None) -> float | None:
        return None if value is None else 100 * (value - scale.low) / span

    return tuple(replace(bar, value=100 * (bar.value - scale.low) / span, low=part(bar.low), high=part(bar.high))
                 for bar in bars)  # fmt: skip


def _asked(settings: TestSettings) -> list[tuple[str, str]]:
    """(what an answer is kept under, its scale)."""
    return [(SCORE, settings.scale), *((name, name) for name in settings.also)]


KIND: Final = CategoryRating()

"""Degradation rating: is it worse than this recording? (ITU-T P.800, annex D): the reference first, then the sample."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

import numpy as np

from zestpanel.core.domain.listening import Answered, PlannedTrial
from zestpanel.core.listening.design import beside_the_reference, with_training
from zestpanel.core.listening.kind import (
    Able,
    Around,
    Common,
    Feeds,
    Found,
    Heard,
    Option,
    Planning,
    Shown,
)
from zestpanel.core.listening.scaled import category_found, lines_of, values_of
from zestpanel.core.listening.scales import DEGRADATION
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.texts import asked, tr


class Degradation(Common):
    name = "DCR"
    title = tr("degradation rating (DCR)")
    asks = DEGRADATION.about
    fewest_candidates = 1
    uses: frozenset[Option] = frozenset({"reference", "repeats", "training", "blocks", "controls"})
    planned_by: Planning = "differences"
    feeds = Feeds(words=tr("as good as the reference"), better="higher", worst=2.5, best=4.5, decimals=2)

    def design(
        self, able: Able, settings: TestSettings, *, listener: int, rng: np.random.Generator
    ) -> list[PlannedTrial]:
        trials = beside_the_reference(able, settings, listener=listener, rng=rng)
        return with_training(trials, settings.training, rng)

    def shown(self, trial: PlannedTrial, settings: TestSettings) -> Shown:
        return Shown(
            lanes=(Heard(asked("Reference"), (0,), reference=True), Heard(asked("Sample"), (1,))),
            questions=(DEGRADATION.as_question("score", by_letters=True),), must_hear=settings.must_hear,
        )  # fmt: skip

    def found(self, answers: Sequence[Answered], around: Around) -> Found:
        """Degradation mean opinion score with its crossed interval."""
        lines = lines_of(values_of(answers, lambda one: [(1, float(one.answer.given["score"]))]), bounds=(1, 5))
        around = around.with_controls(tr("the reference itself"))
        return category_found(lines, around, steps=DEGRADATION.steps, question=DEGRADATION.question,
                              controls=around.controls)  # fmt: skip


KIND: Final = Degradation()

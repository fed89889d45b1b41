"""Category rating of one clip at a time (ITU-T P.800, absolute category rating), on any of the scales."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from typing import Final

import numpy as np

from zestpanel.core.domain.listening import Answered, PlannedTrial
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.listening.design import one_at_a_time
from zestpanel.core.listening.kind import Able, Around, Choice, Found, Question, Shown
from zestpanel.core.listening.scales import SCALES
from zestpanel.core.listening.settings import TestSettings


class CategoryRating:
    name = "ACR"
    title = "category rating (ACR)"
    asks = "How good is each?"
    fewest_candidates = 1

    def design(
        self, able: Able, settings: TestSettings, *, listener: int, rng: np.random.Generator
    ) -> list[PlannedTrial]:
        return one_at_a_time(able, settings, listener=listener, rng=rng)

    def shown(self, trial: PlannedTrial, settings: TestSettings) -> Shown:
        scale = SCALES[settings.scale]
        choices = tuple(Choice(score, words, str(score)) for score, words in scale.steps.items())
        question = Question("score", scale.question, choices)
        return Shown(clips=(("", 0),), question=question, must_hear=settings.must_hear)

    def found(self, answers: Sequence[Answered], around: Around) -> Found:
        """Plain means by candidate; what is compared, and how sure it is, stands on the page of scores."""
        scores: dict[int, list[float]] = defaultdict(list)
        for one in answers:
            scores[one.trial.stimuli[0].candidate_id].append(float(one.answer.given["score"]))
        if not scores:
            raise NotEnoughData("Nobody has answered yet.")
        rows = sorted(scores.items(), key=lambda item: -float(np.mean(item[1])))
        scale = SCALES[around.settings.scale]
        best = around.name(rows[0][0])
        return Found(
            says=f"{best} has the highest mean, {np.mean(rows[0][1]):.2f} of {scale.high}.",
            head=("Candidate", "mean", "answers"),
            rows=tuple((around.name(c), f"{np.mean(x):.2f}", str(len(x))) for c, x in rows),
            rule=f"Means of '{scale.question}' from {scale.low} ({scale.steps[scale.low].lower()}) to {scale.high} "
                 f"({scale.steps[scale.high].lower()}).",
        )  # fmt: skip


KIND: Final = CategoryRating()

"""Likeness: does it sound like the person? A reference recording first, then the sample, which says something else.

Two questions, as evaluations of converted voices ask them (common practice, no source): how much alike, in five steps,
and whether it is the same person. The reference is another text of the same person where there is one, so that the
voice is compared and not the delivery of one line.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Final

import numpy as np

from zestpanel.core.domain.listening import Answered, PlannedTrial
from zestpanel.core.listening.design import beside_the_reference, with_training
from zestpanel.core.listening.kind import (
    Able,
    Around,
    Bar,
    Choice,
    Common,
    Feeds,
    Found,
    Heard,
    Option,
    Planning,
    Question,
    Shown,
    figure_of,
    share_bars,
    share_cells,
    share_of,
)
from zestpanel.core.listening.scaled import category_found, lines_of, values_of
from zestpanel.core.listening.scales import LIKENESS
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.texts import asked, tr


class Likeness(Common):
    name = "likeness"
    title = tr("likeness to a person")
    asks = LIKENESS.about
    fewest_candidates = 1
    uses: frozenset[Option] = frozenset({"reference", "repeats", "training", "blocks", "controls", "stranger"})
    planned_by: Planning = "differences"
    feeds = Feeds(words=tr("likeness to the person"), better="higher", worst=2.5, best=4.5, decimals=2)

    also_feeds: Mapping[str, Feeds] = {
        "same person": Feeds(words=tr("taken for the same person"), better="higher", worst=20, best=80, unit=" %")
    }

    def design(
        self, able: Able, settings: TestSettings, *, listener: int, rng: np.random.Generator
    ) -> list[PlannedTrial]:
        trials = beside_the_reference(able, settings, listener=listener, rng=rng, held_out=True)
        return with_training(trials, settings.training, rng)

    def shown(self, trial: PlannedTrial, settings: TestSettings) -> Shown:
        same = (Choice("same", asked("The same person"), "s"), Choice("other", asked("Another person"), "o"),
                Choice("unsure", asked("Unsure"), "u"))  # fmt: skip
        return Shown(
            lanes=(Heard(asked("Reference"), (0,), reference=True), Heard(asked("Sample"), (1,))),
            questions=(
                LIKENESS.as_question("score", by_letters=True),
                Question("person", asked("Is it the same person?"), same),
            ),
            must_hear=settings.must_hear,
            shows_text=False,
            by_text=False,
        )

    def found(self, answers: Sequence[Answered], around: Around) -> Found:
        """Mean likeness with its crossed interval; share taken for the same person, of those who are sure, with
        its interval."""
        lines = lines_of(values_of(answers, lambda one: [(1, float(one.answer.given["score"]))]), bounds=(1, 5))
        around = around.with_controls(tr("the same person"))
        found = category_found(lines, around, steps=LIKENESS.steps, question=LIKENESS.question,
                               controls=around.controls)  # fmt: skip
        shares = []
        for line in lines:
            sure = [one for one in answers if one.trial.stimuli[1].candidate_id == line.candidate_id
                    and one.answer.given["person"] != "unsure"]  # fmt: skip
            shares.append(share_cells(share_of(sure, lambda one: one.answer.given["person"] == "same")))
        return replace(
            found, head=(*found.head, tr("same person"), "95 %"),
            rows=tuple((*row, *share) for row, share in zip(found.rows, shares, strict=True)),
            numbers=(*found.numbers, len(found.head), len(found.head) + 1),
            rule=tr("{rule} Same person: of those who are sure, other listeners and texts drawn.", rule=found.rule),
        )  # fmt: skip

    def fed(self, found: Found, answers: Sequence[Answered], around: Around) -> Mapping[str, tuple[Bar, ...]]:
        judged = [c for bar in found.bars for c in bar.candidate_ids if c not in around.controls]
        sure = [one for one in answers if one.answer.given["person"] != "unsure"]
        same = share_bars(sure, around, lambda one: one.answer.given["person"] == "same", of=judged)
        return {**super().fed(found, answers, around), figure_of(self.name, "same person"): same}


KIND: Final = Likeness()

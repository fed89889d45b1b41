"""Match to neighbours: does a new line fit between recorded ones? The recording before, the sample, the recording
after.

Of passages that follow one another, the person's recordings stand around the sample; whether it fits is rated, and
where the foreign part was is asked, which tells whether it stands out at all (common practice, no source).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Final

import numpy as np

from zestpanel.core.domain.listening import Answered, PlannedTrial, Stimulus
from zestpanel.core.listening.design import with_training
from zestpanel.core.listening.kind import (
    Able,
    Around,
    Choice,
    Common,
    Feeds,
    Found,
    Heard,
    Option,
    Planning,
    Question,
    Shown,
    share_cells,
    share_of,
)
from zestpanel.core.listening.scaled import category_found, lines_of, values_of
from zestpanel.core.listening.scales import MATCH
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.texts import asked, tr


class Match(Common):
    name = "match"
    title = tr("match to neighbours")
    asks = MATCH.about
    fewest_candidates = 1
    uses: frozenset[Option] = frozenset({"reference", "repeats", "training"})
    planned_by: Planning = "differences"
    feeds = Feeds(words=tr("fit between recorded lines"), better="higher", worst=2.5, best=4.5, decimals=2)

    def design(
        self, able: Able, settings: TestSettings, *, listener: int, rng: np.random.Generator
    ) -> list[PlannedTrial]:
        """Of every three passages in a row that the person has recorded at both sides: the sample in the middle."""
        order = list(dict.fromkeys(version for _, version in able))
        person = settings.reference_id
        trials = []
        for k in range(1, len(order) - 1):
            before, here, after = order[k - 1 : k + 2]
            if (person, before) not in able or (person, after) not in able:
                continue
            for candidate in settings.candidate_ids:
                if candidate != person and (candidate, here) in able:
                    trials.append(PlannedTrial(stimuli=(
                        Stimulus(candidate_id=person, passage_version_id=before, take_id=able[person, before],
                                 role="context"),
                        Stimulus(candidate_id=candidate, passage_version_id=here, take_id=able[candidate, here]),
                        Stimulus(candidate_id=person, passage_version_id=after, take_id=able[person, after],
                                 role="context"),
                    )))  # fmt: skip
        drawn = [trials[k] for k in rng.permutation(len(trials))]
        return with_training(drawn[: settings.most] if settings.most else drawn, settings.training, rng)

    def shown(self, trial: PlannedTrial, settings: TestSettings) -> Shown:
        parts = (
            Choice("first", asked("The first part"), "f"),
            Choice("middle", asked("The middle part"), "m"),
            Choice("last", asked("The last part"), "l"),
            Choice("none", asked("Nothing stands out"), "n"),
        )
        return Shown(
            lanes=(Heard("", (0, 1, 2)),),
            questions=(
                Question("place", asked("Which part stands out as another voice?"), parts),
                MATCH.as_question("score"),
            ),
            must_hear=settings.must_hear,
            shows_text=False,
        )

    def found(self, answers: Sequence[Answered], around: Around) -> Found:
        """Mean fit with its crossed interval; how often the new part was found."""
        lines = lines_of(values_of(answers, lambda one: [(1, float(one.answer.given["score"]))]), bounds=(1, 5))
        found = category_found(lines, around, steps=MATCH.steps, question=MATCH.question)
        shares = []
        for line in lines:
            of = [one for one in answers if one.trial.stimuli[1].candidate_id == line.candidate_id]
            shares.append(share_cells(share_of(of, lambda one: one.answer.given["place"] == "middle")))
        return replace(
            found, head=(*found.head, tr("found out"), "95 %"),
            rows=tuple((*row, *share) for row, share in zip(found.rows, shares, strict=True)),
            numbers=(*found.numbers, len(found.head), len(found.head) + 1),
            rule=tr("{rule} Found out: how often the middle part was named, other listeners and texts drawn.",
                    rule=found.rule),
        )  # fmt: skip


KIND: Final = Match()

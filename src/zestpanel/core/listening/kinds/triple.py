"""Triple with hidden reference, for small impairments (after ITU-R BS.1116-3): the reference is open, and hidden once
beside the sample; whoever grades both does not know which is which.

Grades are continuous from 1 to 5, here on the line from 0 to 100 in five bands. What counts is the difference between
the sample's grade and that of the hidden reference: 0 where nothing is heard, down to −4.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import replace
from typing import Final

import numpy as np

from zestpanel.core.domain.listening import Answered, PlannedTrial, Stimulus
from zestpanel.core.listening.design import beside_the_reference, with_training
from zestpanel.core.listening.kind import (
    Able,
    Around,
    Axis,
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
from zestpanel.core.listening.kinds.placing import PLACES, placed
from zestpanel.core.listening.scaled import RULE, Value, bars_of, best_sentence, lines_of, pairs_of_lines
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.texts import asked, tr

GRADE: Final = 25.0  # points of the line for a grade
WORST: Final = -4.0
BANDS: Final = (
    asked("Imperceptible"),
    asked("Perceptible, but not annoying"),
    asked("Slightly annoying"),
    asked("Annoying"),
    asked("Very annoying"),
)


class Triple(Common):
    name = "triple"
    title = tr("triple with hidden reference (BS.1116)")
    asks = tr("Is anything at all lost against this recording?")
    fewest_candidates = 1
    uses: frozenset[Option] = frozenset({"reference", "repeats", "training", "blocks"})
    planned_by: Planning = "differences"
    feeds = Feeds(words=tr("grade against the hidden reference"), better="higher", worst=-2, best=0, decimals=2)

    def design(
        self, able: Able, settings: TestSettings, *, listener: int, rng: np.random.Generator
    ) -> list[PlannedTrial]:
        trials = []
        for one in beside_the_reference(able, settings, listener=listener, rng=rng):
            reference, sample = one.stimuli
            hidden: tuple[Stimulus, ...] = (reference, sample)
            order = hidden if rng.random() < 0.5 else hidden[::-1]
            trials.append(PlannedTrial(stimuli=(reference, *order), detail={"reference": True}))
        return with_training(trials, settings.training, rng)

    def shown(self, trial: PlannedTrial, settings: TestSettings) -> Shown:
        words = asked("One of the two is the reference again. Place each by how far it is from the reference")
        return Shown(
            lanes=(Heard(asked("Reference"), (0,), reference=True), Heard("", (1,)), Heard("", (2,))),
            questions=(Question(PLACES, words, places=2, bands=BANDS),), must_hear=settings.must_hear,
        )  # fmt: skip

    def found(self, answers: Sequence[Answered], around: Around) -> Found:
        """Mean difference of grades with its crossed interval, and how often the sample was taken for the reference."""
        person = around.settings.reference_id
        values: list[Value] = []
        of: dict[int, list[Answered]] = defaultdict(list)
        for one in answers:
            graded = dict(placed(one))
            sample = next(c for c in graded if c != person)
            of[sample].append(one)
            values.append((sample, one.listener_id, one.trial.stimuli[0].passage_version_id,
                           (graded[sample] - graded[person]) / GRADE))  # fmt: skip
        lines = lines_of(values, bounds=(WORST, -WORST))
        swapped = [share_cells(share_of(of[line.candidate_id], lambda one: _swapped(one, person))) for line in lines]
        rows = tuple(
            (around.name(line.candidate_id), f"{line.mean:+.2f}".replace("-", "−"),
             tr("{low} to {high}", low=f"{line.low:+.2f}", high=f"{line.high:+.2f}").replace("-", "−"), line.letters,
             str(len(line.values)), *share)
            for line, share in zip(lines, swapped, strict=True)
        )  # fmt: skip
        heard = [around.name(line.candidate_id) for line in lines if line.high < 0]
        says = best_sentence(lines, around).replace("-", "−")
        says += " " + (tr("An impairment is shown of: {heard}.", heard="; ".join(heard)) if heard
                       else tr("No impairment is shown of any."))  # fmt: skip
        return Found(
            says=says,
            head=(tr("Candidate"), tr("difference"), "95 %", "letters", "answers", tr("taken for reference"), "95 %"),
            rows=rows, numbers=(1, 2, 4, 5, 6),
            rule=tr("Grade of the sample less that of the hidden reference, in grades from 1 to 5 (ITU-R BS.1116-3): "
                    "0 where nothing is heard. {rule}", rule=RULE),
            bars=tuple(replace(bar, says=bar.says.replace("-", "−")) for bar in bars_of(lines, around)),
            axis=Axis(low=min([-1.0, *(line.low for line in lines)]), high=max([0.5, *(line.high for line in lines)]),
                      words=tr("grade against the hidden reference"), even=0.0, step=1.0),
            pairs=pairs_of_lines(lines),
        )  # fmt: skip


def _swapped(one: Answered, person: int) -> bool:
    graded = dict(placed(one))
    return next(place for c, place in graded.items() if c != person) > graded[person]


KIND: Final = Triple()

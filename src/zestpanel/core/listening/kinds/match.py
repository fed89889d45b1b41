"""Match to neighbours: does a new line fit between recorded ones?

Of passages that follow one another, the person's recordings stand around the sample, which may be any of the three;
where the foreign part was is asked, which tells whether it stands out at all, and how well the parts fit (common
practice, no source).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Final

import numpy as np

from zestpanel.core.domain.listening import Answered, PlannedTrial, Stimulus
from zestpanel.core.listening.design import judged_at, with_training
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
from zestpanel.core.listening.scales import MATCH
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.texts import asked, tr

PLACES: Final = ("first", "middle", "last")


class Match(Common):
    name = "match"
    title = tr("match to neighbours")
    asks = MATCH.about
    fewest_candidates = 1
    uses: frozenset[Option] = frozenset({"reference", "repeats", "training", "controls"})
    planned_by: Planning = "differences"
    feeds = Feeds(words=tr("fit between recorded lines"), better="higher", worst=2.5, best=4.5, decimals=2)

    also_feeds: Mapping[str, Feeds] = {
        "found out": Feeds(words=tr("patches found out"), better="lower", worst=80, best=20, unit=" %")
    }

    def design(
        self, able: Able, settings: TestSettings, *, listener: int, rng: np.random.Generator
    ) -> list[PlannedTrial]:
        """Of passages in a row, three at a time, the sample at the beginning, in the middle or at the end, the person's
        recordings at the other two places: which place changes over from listener to listener. With controls the person
        speaks all three as often as any candidate one of them."""
        order, person = list(dict.fromkeys(version for _, version in able)), settings.reference_id
        whose = [c for c in settings.candidate_ids if c != person]
        trials = []
        for number, candidate in enumerate([*whose, *([person] if settings.controls else [])]):
            for at, version in enumerate(order):
                if (candidate, version) not in able:
                    continue
                rows = [(place, order[at - place : at - place + 3]) for place in range(3) if at >= place]
                good = [(place, row) for place, row in rows if len(row) == 3
                        and all((person, one) in able for one in row if one != version)]  # fmt: skip
                if good:
                    place, row = good[(listener + number + at) % len(good)]
                    trials.append(PlannedTrial(stimuli=tuple(
                        Stimulus(candidate_id=candidate if k == place else person, passage_version_id=one,
                                 take_id=able[candidate if k == place else person, one],
                                 role="judged" if k == place else "context")
                        for k, one in enumerate(row)
                    )))  # fmt: skip
        drawn = [trials[k] for k in rng.permutation(len(trials))]
        return with_training(drawn[: settings.most] if settings.most else drawn, settings.training, rng)

    def shown(self, trial: PlannedTrial, settings: TestSettings) -> Shown:
        parts = (
            Choice(PLACES[0], asked("The first part"), "f"),
            Choice(PLACES[1], asked("The middle part"), "m"),
            Choice(PLACES[2], asked("The last part"), "l"),
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
        """Mean fit with its crossed interval; how often the new part was found, and how often one is where none is."""
        around, person = around.with_controls(tr("nothing replaced")), around.settings.reference_id
        lines = lines_of(
            values_of(answers, lambda one: [(judged_at(one.trial), float(one.answer.given["score"]))]), bounds=(1, 5)
        )
        found = category_found(lines, around, steps=MATCH.steps, question=MATCH.question, controls=around.controls)
        shares = []
        for line in lines:
            of = [one for one in answers if one.trial.stimuli[judged_at(one.trial)].candidate_id == line.candidate_id]
            shares.append(share_cells(share_of(of, lambda one: _found_out(one, person))))
        return replace(
            found, head=(*found.head, tr("found out"), "95 %"),
            rows=tuple((*row, *share) for row, share in zip(found.rows, shares, strict=True)),
            numbers=(*found.numbers, len(found.head), len(found.head) + 1),
            rule=tr("{rule} Found out: how often the part that was replaced was named, other listeners and texts "
                    "drawn; where nothing was, how often one was named all the same.", rule=found.rule),
        )  # fmt: skip

    def fed(self, found: Found, answers: Sequence[Answered], around: Around) -> Mapping[str, tuple[Bar, ...]]:
        judged = [c for bar in found.bars for c in bar.candidate_ids if c not in around.controls]
        named = share_bars(answers, around, lambda one: _found_out(one, around.settings.reference_id), of=judged)
        return {**super().fed(found, answers, around), figure_of(self.name, "found out"): named}


def _found_out(one: Answered, person: int) -> bool:
    at = judged_at(one.trial)
    named = one.answer.given["place"]
    return bool(named != "none" if one.trial.stimuli[at].candidate_id == person else named == PLACES[at])


KIND: Final = Match()

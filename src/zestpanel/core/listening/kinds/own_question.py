"""A question of one's own, answered yes, no or unsure: did it laugh, or read the laugh out?"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from typing import Final

import numpy as np

from zestpanel.core.domain.listening import Answered, PlannedTrial
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.listening.design import judged_at, one_at_a_time
from zestpanel.core.listening.kind import (
    Able,
    Around,
    Axis,
    Bar,
    Choice,
    Common,
    Feeds,
    Found,
    Heard,
    Option,
    Question,
    Shown,
    figure_of,
    share_of,
)
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.texts import asked, tr

UNSURE: Final = "unsure"
USUAL: Final = asked("Is everything as it should be?")


class OwnQuestion(Common):
    name = "yes or no"
    title = tr("a question of your own")
    asks = tr("Did it do what it should?")
    fewest_candidates = 1
    uses: frozenset[Option] = frozenset({"question", "repeats", "traps", "gold", "training", "context", "blocks"})
    feeds = Feeds(words=tr("yes to a question of your own"), better="higher", worst=50, best=100, unit=" %")

    def design(
        self, able: Able, settings: TestSettings, *, listener: int, rng: np.random.Generator
    ) -> list[PlannedTrial]:
        return one_at_a_time(able, settings, listener=listener, rng=rng)

    def shown(self, trial: PlannedTrial, settings: TestSettings) -> Shown:
        choices = (
            Choice("yes", asked("Yes"), "y"),
            Choice("no", asked("No"), "n"),
            Choice(UNSURE, asked("Unsure"), "u"),
        )
        question = Question("says", settings.question or USUAL, choices)
        return Shown(lanes=(Heard("", tuple(range(len(trial.stimuli)))),), questions=(question,),
                     must_hear=settings.must_hear)  # fmt: skip

    def found(self, answers: Sequence[Answered], around: Around) -> Found:
        said: dict[int, Counter[str]] = defaultdict(Counter)
        for one in answers:
            said[one.trial.stimuli[judged_at(one.trial)].candidate_id][str(one.answer.given["says"])] += 1
        if not said:
            raise NotEnoughData(tr("Nobody has answered yet."))
        rows = []
        sure = [one for one in answers if one.answer.given["says"] in ("yes", "no")]
        shares = {
            c: share_of([one for one in sure if one.trial.stimuli[judged_at(one.trial)].candidate_id == c],
                        lambda one: one.answer.given["says"] == "yes")
            for c in said
        }  # fmt: skip

        def best_first(candidate: int) -> float:
            share = shares[candidate]
            return -1.0 if share is None else -share.estimate

        for candidate in sorted(said, key=best_first):
            n = said[candidate]
            share = shares[candidate]
            rows.append(
                (
                    around.name(candidate),
                    f"{100 * share.estimate:.0f} %" if share else "–",
                    tr("{low} to {high} %", low=f"{100 * share.low:.0f}", high=f"{100 * share.high:.0f}")
                    if share
                    else "–",
                    str(n["yes"]),
                    str(n["no"]),
                    str(n["unsure"]),
                    "",
                )
            )
        question = around.settings.question or tr(USUAL)
        return Found(
            says=tr(
                "{question} {rows}: yes {rows2}; {rows3}: yes {rows4}.",
                question=question,
                rows=rows[0][0],
                rows2=rows[0][1],
                rows3=rows[-1][0],
                rows4=rows[-1][1],
            )
            if len(rows) > 1
            else tr("{question} {rows}: yes {rows2}.", question=question, rows=rows[0][0], rows2=rows[0][1]),
            head=("Candidate", "yes", "95 %", "yes", "no", "unsure", ""),
            rows=tuple(rows),
            rule=tr("Of the answers that are yes or no, other listeners and texts drawn; unsure ones stand apart."),
            bars=tuple(
                Bar(
                    name=around.name(c),
                    value=100 * share.estimate,
                    low=100 * share.low,
                    high=100 * share.high,
                    candidate_ids=(c,),
                    says=tr(
                        "yes {said}, no {said2}, unsure {said3}",
                        said=said[c]["yes"],
                        said2=said[c]["no"],
                        said3=said[c]["unsure"],
                    ),
                )
                for c in sorted(said, key=best_first)
                if (share := shares[c]) is not None
            ),
            axis=Axis(low=0, high=100, words=tr("yes, of yes and no (%)"), step=10),
        )

    def fed(self, found: Found, answers: Sequence[Answered], around: Around) -> Mapping[str, tuple[Bar, ...]]:
        """Of this question by itself, too: two questions are two figures."""
        own = {figure_of(self.name, around.settings.question): found.bars} if around.settings.question else {}
        return {figure_of(self.name): found.bars, **own}


KIND: Final = OwnQuestion()

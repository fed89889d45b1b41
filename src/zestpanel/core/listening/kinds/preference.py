"""Paired preference: which of two would you publish? First, second, or no preference."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.analysis.statistics.intervals import wilson_interval
from zestpanel.core.analysis.statistics.preference import Strengths, equal_p, pair_table, strengths
from zestpanel.core.analysis.statistics.tails import even_p
from zestpanel.core.domain.listening import Answered, PlannedTrial
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.listening.design import pairs_in_both_orders, with_training
from zestpanel.core.listening.kind import (
    Able,
    Around,
    Axis,
    Bar,
    Choice,
    Found,
    Heard,
    Option,
    Question,
    Shown,
    Versus,
)
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.texts import asked, tr

FIRST, NEITHER, SECOND = "first", "neither", "second"
STRONGLY: Final = ", strongly"
ALPHA: Final = 0.05


class Preference:
    name = "preference"
    title = tr("paired preference")
    asks = tr("Which would you publish?")
    fewest_candidates = 2
    uses: frozenset[Option] = frozenset({"repeats", "training", "strength", "stated"})

    def design(
        self, able: Able, settings: TestSettings, *, listener: int, rng: np.random.Generator
    ) -> list[PlannedTrial]:
        return with_training(pairs_in_both_orders(able, settings, listener=listener, rng=rng), settings.training, rng)

    def shown(self, trial: PlannedTrial, settings: TestSettings) -> Shown:
        choices: tuple[Choice, ...] = (
            Choice(FIRST, asked("The first"), "f"),
            Choice(NEITHER, asked("No preference"), "n"),
            Choice(SECOND, asked("The second"), "s"),
        )
        if settings.strength:
            choices = (
                Choice(FIRST + STRONGLY, asked("The first, strongly"), "a"),
                Choice(FIRST, asked("The first, slightly"), "b"),
                Choice(NEITHER, asked("No preference"), "c"),
                Choice(SECOND, asked("The second, slightly"), "d"),
                Choice(SECOND + STRONGLY, asked("The second, strongly"), "e"),
            )
        question = Question("choice", asked("Which of the two would you publish?"), choices)
        return Shown(
            lanes=(Heard(asked("First"), (0,)), Heard(asked("Second"), (1,))),
            questions=(question,),
            must_hear=settings.must_hear,
        )

    def found(self, answers: Sequence[Answered], around: Around) -> Found:
        votes = []
        for one in answers:
            first, second = (around.name(s.candidate_id) for s in one.trial.stimuli)
            votes.append((first, second, str(one.answer.given["choice"]).removesuffix(STRONGLY)))
        numbers = {around.name(s.candidate_id): s.candidate_id for one in answers for s in one.trial.stimuli}
        strong = sum(str(one.answer.given["choice"]).endswith(STRONGLY) for one in answers)
        found = preference_found(votes, numbers=numbers)
        if not around.settings.strength:
            return found
        return replace(
            found,
            says=tr(
                "{says} {strong} of {votes} preferences are strong.", says=found.says, strong=strong, votes=len(votes)
            ),
        )


KIND: Final = Preference()


def preference_found(
    votes: Sequence[tuple[str, str, str]], *, ordered: bool = True, numbers: Mapping[str, int] | None = None
) -> Found:
    """What votes (first, second, 'first' | 'second' | 'neither') say. Raises NotEnoughData for none.

    ordered: whether the first was heard first, which a table of winners does not say. numbers: candidates by name.
    Share of wins among those with a preference, with Wilson's 95 % interval (1927), which takes the answers as
    independent; strengths by Davidson (1970) where the answers allow them.
    """
    if not votes:
        raise NotEnoughData(tr("Nobody has answered yet."))
    names = list(dict.fromkeys(name for first, second, _ in votes for name in (first, second)))
    at = {name: k for k, name in enumerate(names)}
    signed = {FIRST: 1, SECOND: -1, NEITHER: 0}
    wins, ties = pair_table([(at[a], at[b], signed[choice]) for a, b, choice in votes], len(names))
    won, lost, tied = wins.sum(axis=1), wins.sum(axis=0), ties.sum(axis=1)
    shares = [wilson_interval(int(won[k]), int(won[k] + lost[k])) if won[k] + lost[k] else None
              for k in range(len(names))]  # fmt: skip
    try:
        fitted = strengths(wins, ties)
        why = ""
    except NotEnoughData as error:
        fitted, why = None, tr(" No strengths: {what}", what=error.what)
    key = fitted.log_strength if fitted is not None else np.array([s.estimate if s else 0.5 for s in shares])
    order = sorted(range(len(names)), key=lambda k: -float(key[k]))
    rows = []
    for k in order:
        share = shares[k]
        rows.append((
            names[k],
            f"{100 * share.estimate:.0f} %" if share else "–",
            tr("{low} to {high} %", low=f"{100 * share.low:.0f}", high=f"{100 * share.high:.0f}") if share else "–",
            f"{int(won[k])}", f"{int(tied[k])}", f"{int(lost[k])}",
            f"{fitted.log_strength[k]:+.2f}".replace("-", "−") if fitted is not None else "–",
            "",
        ))  # fmt: skip
    return Found(
        says=_says(names, order, (wins, ties), fitted, len(votes)) + (_order_effect(votes) if ordered else "") + why,
        head=(tr("Candidate"), "preferred", "95 %", "won", "neither", "lost", tr("strength (log)"), ""),
        rows=tuple(rows),
        rule=tr(
            "Preferred: of the answers with a preference, with Wilson's interval, answers taken as independent. "
            "Strength: Davidson's model (1970), natural logarithms around 0."
        ),
        bars=tuple(
            Bar(
                name=names[k],
                value=100 * share.estimate,
                low=100 * share.low,
                high=100 * share.high,
                candidate_ids=(numbers[names[k]],) if numbers else (),
                says=tr(
                    "preferred in {won} of {won2}, {tied} without a preference",
                    won=int(won[k]),
                    won2=int(won[k] + lost[k]),
                    tied=int(tied[k]),
                ),
            )
            for k in order
            if (share := shares[k]) is not None
        ),
        versus=Versus(
            names=tuple(names[k] for k in order),
            wins=tuple(tuple(int(wins[a, b]) for b in order) for a in order),
            ties=tuple(tuple(int(ties[a, b]) for b in order) for a in order),
            candidate_ids=tuple(numbers[names[k]] for k in order) if numbers else (),
        ),
        axis=Axis(low=0, high=100, words=tr("preferred, of those with a preference (%)"), even=50, step=10),
    )


def _says(
    names: Sequence[str], order: Sequence[int], tables: tuple[NDArray[np.float64], NDArray[np.float64]],
    fitted: Strengths | None, count: int,
) -> str:  # fmt: skip
    wins, ties = tables
    best, second = order[0], order[1]
    if fitted is None:  # then what the two did against one another is all there is to tell
        won, lost = int(wins[best, second]), int(wins[second, best])
        if won + lost and even_p(won, won + lost) < ALPHA:
            return tr(
                "{names} is preferred to {names2}, the next, {won} to {lost}.",
                names=names[best],
                names2=names[second],
                won=won,
                lost=lost,
            )
        return tr("{names} is preferred most often, in {count} answers.", names=names[best], count=count)
    if equal_p(wins, ties, best, second) >= ALPHA:
        return tr(
            "{names} and {names2} are not told apart ({count} answers).",
            names=names[best],
            names2=names[second],
            count=count,
        )
    share = 100 * fitted.beats(best, second)
    return tr(
        "{names} is preferred to {names2}, the next, by {share} of 100 who have a preference.",
        names=names[best],
        names2=names[second],
        share=f"{share:.0f}",
    )


def _order_effect(votes: Sequence[tuple[str, str, str]]) -> str:
    """A sentence where the place in the pair decided more than chance allows (exact binomial test, two-sided)."""
    first = sum(choice == FIRST for _, _, choice in votes)
    decided = first + sum(choice == SECOND for _, _, choice in votes)
    if not decided:
        return ""
    p = even_p(first, decided)
    if p >= ALPHA:
        return ""
    which = tr("first") if 2 * first > decided else tr("second")
    return tr(
        " The {which} of a pair was chosen more often than chance allows ({first} % the first): "
        "pairs in one order only would mislead.",
        which=which,
        first=f"{100 * first / decided:.0f}",
    )

"""Paired preference: which of two would you publish? First, second, or no preference."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import combinations
from typing import Final

import numpy as np

from zestpanel.core.analysis.statistics.drawn import share, share_p
from zestpanel.core.analysis.statistics.intervals import Interval
from zestpanel.core.analysis.statistics.paired import holm
from zestpanel.core.analysis.statistics.preference import Strengths, Vote, gap, never_compared, pair_table, strengths
from zestpanel.core.domain.listening import Answered, PlannedTrial
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.listening.design import pairs_in_both_orders, with_training
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
    Pair,
    Planning,
    Question,
    Shown,
    Versus,
    by_whom,
)
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.texts import asked, tr

FIRST, NEITHER, SECOND = "first", "neither", "second"
STRONGLY: Final = ", strongly"
ALPHA: Final = 0.05
_MOST_IN_PAIRS: Final = 9  # candidates, of which all pairs are tested
_MOST_PAIRS: Final = 40


class Preference(Common):
    name = "preference"
    title = tr("paired preference")
    asks = tr("Which would you publish?")
    fewest_candidates = 2
    uses: frozenset[Option] = frozenset({"repeats", "training", "strength", "stated"})
    planned_by: Planning = "preferences"
    feeds = Feeds(words=tr("preferred"), better="higher", worst=20, best=80, unit=" %")

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
        found = preference_found(votes, numbers=numbers, by=by_whom(answers))
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
    votes: Sequence[tuple[str, str, str]],
    *,
    ordered: bool = True,
    numbers: Mapping[str, int] | None = None,
    by: Sequence[tuple[int, int]] = (),
) -> Found:
    """What votes (first, second, 'first' | 'second' | 'neither') say. Raises NotEnoughData for none.

    ordered: whether the first was heard first, which a table of winners does not say. numbers: candidates by name. by:
    listener and passage of each vote; where they are not known answers are taken as independent. Share of wins among
    those with a preference; strengths by Davidson (1970) where the answers allow them.
    """
    if not votes:
        raise NotEnoughData(tr("Nobody has answered yet."))
    names = list(dict.fromkeys(name for first, second, _ in votes for name in (first, second)))
    at = {name: k for k, name in enumerate(names)}
    signed = {FIRST: 1, SECOND: -1, NEITHER: 0}
    coded = [(at[a], at[b], signed[choice]) for a, b, choice in votes]
    drawn = list(by) or [(k, k) for k in range(len(votes))]
    wins, ties = pair_table(coded, len(names))
    won, lost, tied = wins.sum(axis=1), wins.sum(axis=0), ties.sum(axis=1)
    shares = [_share_of(k, coded, drawn) for k in range(len(names))]
    try:
        fitted: Strengths | None = strengths(wins, ties)
        why = ""
    except NotEnoughData as error:
        fitted, why = None, tr(" No strengths: {what}", what=error.what)
    key = fitted.log_strength if fitted is not None else np.array([s.estimate if s else 0.5 for s in shares])
    group = never_compared(wins, ties)
    if len(group) > 1:
        told = tr(" and ").join(", ".join(names[k] for k in of) for of in group)
        why = tr(" Never compared, so not placed against one another: {told}.", told=told)
    place = {k: number for number, of in enumerate(group) for k in of}
    order = sorted(range(len(names)), key=lambda k: (place[k], -float(key[k])))
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
        says=_says(names, order, coded, drawn, fitted) + (_order_effect(votes, drawn) if ordered else "") + why,
        head=(tr("Candidate"), "preferred", "95 %", "won", "neither", "lost", tr("strength (log)"), ""),
        rows=tuple(rows),
        rule=tr(
            "Preferred: of the answers with a preference; other listeners and other texts are drawn (Wilson's interval "
            "over the design effect). Strength: Davidson's model (1970), natural logarithms around 0."
        )
        + ("" if by else tr(" The table names no listeners: answers are taken as independent.")),
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
        pairs=_pairs(names, coded, drawn, fitted, numbers) if numbers else (),
    )


def _pairs(
    names: Sequence[str], votes: Sequence[Vote], drawn: Sequence[tuple[int, int]], fitted: Strengths | None,
    numbers: Mapping[str, int],
) -> tuple[Pair, ...]:  # fmt: skip
    """Every pair, by its gap in strength; Holm over all of them. Of very many only those that were compared."""
    if fitted is None:
        return ()
    every = list(combinations(range(len(names)), 2))
    if len(names) > _MOST_IN_PAIRS:
        heard = {(min(a, b), max(a, b)) for a, b, _ in votes}
        every = [pair for pair in every if pair in heard][:_MOST_PAIRS]
    listeners, passages = zip(*drawn, strict=True)
    gaps = [gap(votes, listeners, passages, len(names), a, b) for a, b in every]
    return tuple(
        Pair(numbers[names[a]], numbers[names[b]], p < ALPHA,
             0 if of.difference == 0 else numbers[names[a if of.difference > 0 else b]])
        for (a, b), of, p in zip(every, gaps, holm([one.p for one in gaps]), strict=True)
    )  # fmt: skip


def _share_of(k: int, votes: Sequence[Vote], drawn: Sequence[tuple[int, int]]) -> Interval | None:
    """How often a candidate is preferred, of the answers about it with a preference; None without any."""
    decided = [((a == k) == (answer > 0), whom) for (a, b, answer), whom in zip(votes, drawn, strict=True)
               if answer and k in (a, b)]  # fmt: skip
    if not decided:
        return None
    return share([yes for yes, _ in decided], *zip(*(whom for _, whom in decided), strict=True))


def _says(
    names: Sequence[str], order: Sequence[int], votes: Sequence[Vote], drawn: Sequence[tuple[int, int]],
    fitted: Strengths | None,
) -> str:  # fmt: skip
    best, second, count = order[0], order[1], len(votes)
    listeners, passages = zip(*drawn, strict=True)
    if fitted is None:  # then what the two did against one another is all there is to tell
        both = [(answer > 0 if a == best else answer < 0, whom) for (a, b, answer), whom
                in zip(votes, drawn, strict=True) if answer and {a, b} == {best, second}]  # fmt: skip
        won, lost = sum(yes for yes, _ in both), sum(not yes for yes, _ in both)
        if both and share_p([y for y, _ in both], *zip(*(whom for _, whom in both), strict=True)) < ALPHA:
            ahead, behind = (best, second) if won > lost else (second, best)
            return tr(
                "{names} is preferred to {names2}, the next, {won} to {lost}.",
                names=names[ahead],
                names2=names[behind],
                won=max(won, lost),
                lost=min(won, lost),
            )
        return tr("No candidate is told apart from the next ({count} answers).", count=count)
    if gap(votes, listeners, passages, len(names), best, second).p >= ALPHA:
        return tr(
            "{names} and {names2} are not told apart ({count} answers).",
            names=names[best],
            names2=names[second],
            count=count,
        )
    return tr(
        "{names} is preferred to {names2}, the next, by {share} of 100 who have a preference.",
        names=names[best],
        names2=names[second],
        share=f"{100 * fitted.beats(best, second):.0f}",
    )


def _order_effect(votes: Sequence[tuple[str, str, str]], drawn: Sequence[tuple[int, int]]) -> str:
    """A sentence where the place in the pair decided more than chance allows, for other listeners and texts, too."""
    decided = [(choice == FIRST, whom) for (_, _, choice), whom in zip(votes, drawn, strict=True) if choice != NEITHER]
    if not decided:
        return ""
    first = sum(yes for yes, _ in decided)
    if share_p([yes for yes, _ in decided], *zip(*(whom for _, whom in decided), strict=True)) >= ALPHA:
        return ""
    which = tr("first") if 2 * first > len(decided) else tr("second")
    return tr(
        " The {which} of a pair was chosen more often than chance allows ({first} % the first): "
        "pairs in one order only would mislead.",
        which=which,
        first=f"{100 * first / len(decided):.0f}",
    )

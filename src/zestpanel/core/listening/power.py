"""What a test will be able to show, said before anybody listens."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Final

from zestpanel.core.analysis.statistics.crossed import (
    FEWEST_TO_COMPARE,
    USUAL_LEANINGS,
    Leanings,
    listeners_to_tell,
    smallest_difference_told,
)
from zestpanel.core.analysis.statistics.drawn import usual_effect
from zestpanel.core.analysis.statistics.tails import at_least_p, normal_below
from zestpanel.core.listening.counted import counted
from zestpanel.core.listening.kind import Planning
from zestpanel.core.listening.registry import kind_of
from zestpanel.core.texts import tr, trn

WORTH_TELLING: Final = 0.5  # a difference, in categories, that a planner looks for (common practice, no source)


def what_can_be_told(
    *, candidates: int, passages: int, listeners: int, spread: Leanings | None = None,
    whence: str = tr("the spread of the ratings so far"),
) -> str:  # fmt: skip
    """A sentence, before the test, on what such a panel tells apart within one language, and on what it never can.

    All pairs are tested with listeners and passages drawn, adjusted by Holm; spreads are those given (of earlier
    ratings, or stated), else those usual for such panels.
    """
    known, whence = (spread, whence) if spread else (USUAL_LEANINGS, tr("the usual spread of ratings"))
    pairs = candidates * (candidates - 1) // 2
    if pairs == 0:
        return tr("One candidate alone is scored, and compared with nobody.")
    panel = tr("{counted} on {counted2}", counted=counted(listeners, "listener"), counted2=counted(passages, "passage"))
    told = smallest_difference_told(listeners, passages, pairs, spread=known)
    if told is None:
        people, texts = FEWEST_TO_COMPARE
        return tr(
            "{panel}: too few to tell any two candidates apart; at least {people} and {texts} are needed.",
            panel=panel,
            people=people,
            texts=texts,
        )
    words = tr(
        "{panel} tell {candidates} candidates apart where they differ by about {told} categories or more",
        panel=panel,
        candidates=candidates,
        told=f"{told:.1f}",
    )
    more = listeners_to_tell(WORTH_TELLING, passages, comparisons=pairs, spread=known)
    if told > WORTH_TELLING and more is not None:
        words += trn(
            "; {more} listener would tell {worth_telling}",
            "; {more} listeners would tell {worth_telling}",
            more,
            more=more,
            worth_telling=f"{WORTH_TELLING:g}",
        )
    elif told > WORTH_TELLING:
        words += tr("; more listeners alone do not help, more passages do")
    return tr("{words} (8 times in 10, at {whence}).", words=words, whence=whence)


def preference_can_tell(*, candidates: int, passages: int, listeners: int) -> str:
    """A sentence on which share of preferences such a panel tells from even, when every listener compares every pair on
    every passage and all answers are a preference, 8 times in 10; the level divided by the number of pairs (Holm's
    first step)."""
    pairs, answers = candidates * (candidates - 1) // 2, passages * listeners
    if pairs == 0 or answers == 0:
        return tr("A preference needs two candidates, a passage and a listener.")
    asked = tr("{counted}, {counted2} each", counted=counted(pairs, "pair"), counted2=counted(answers, "answer"))
    found = preference_told(listeners, passages, pairs)
    if found is None:
        return tr("{asked}: too few to tell any preference from even.", asked=asked)
    share, most = found
    return tr(
        "{asked}: a preference of {share} to {share2} is told from even (8 times in 10; {most} "
        "of {answers} are needed).",
        asked=asked,
        share=f"{100 * share:.0f}",
        share2=f"{100 - 100 * share:.0f}",
        most=most,
        answers=answers,
    )


def preference_told(listeners: int, passages: int, comparisons: int) -> tuple[float, int] | None:
    """The share of preferences that such a panel tells from even, 8 times in 10, and how many answers it takes: by the
    test of shares that will be made, answers of one listener and of one passage as alike as they usually are. None
    where no outcome would."""
    n = listeners * passages
    known = usual_effect(listeners, passages)
    most = math.ceil(n * (0.5 + known.quantile(1 - 0.05 / max(1, comparisons)) / (2 * math.sqrt(n))) - 1e-9)
    if most > n:
        return None

    def power(share: float) -> float:
        spread = math.sqrt(known.times * share * (1 - share) / n)
        return normal_below((share - (most - 0.5) / n) / spread) if spread else float(share * n >= most)

    return next((s / 100 for s in range(51, 101) if power(s / 100) >= 0.8), 1.0), most


def hearing_told(listeners: int, passages: int, comparisons: int) -> tuple[float, int] | None:
    """The share of right answers that so many answers tell from guessing among two, 8 times in 10, and how many right
    ones it takes: exact binomial test, one-sided, at the first step of Holm. None where no outcome would."""
    answers, level = listeners * passages, 0.05 / max(1, comparisons)
    most = next((k for k in range(answers // 2, answers + 1) if at_least_p(k, answers) <= level), None)
    if most is None:
        return None
    return next((s / 100 for s in range(51, 101) if at_least_p(most, answers, s / 100) >= 0.8), 1.0), most


Least = tuple[tuple[int, float | None], ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Told:
    """What a test of a kind tells with so many listeners. least: by number of listeners, None where nothing is told.
    others: the same of tests that compare less, by what they are.
    words: what is on the axis; worth: a difference that is looked for."""

    least: Least
    others: Mapping[str, Least]
    words: str
    worth: float
    floor: float


_SHARES: Final[Mapping[Planning, Callable[[int, int, int], tuple[float, int] | None]]] = {
    "preferences": preference_told, "right answers": hearing_told,
}  # fmt: skip
WORTH_PREFERRING: Final = 0.65
FEWEST_INSTEAD: Final = 3  # candidates of a smaller test that is worth showing
_SHOWN: Final = range(2, 41)


def told_by(
    kind: str, *, candidates: int, passages: int, stated: bool = False, spread: Leanings | None = None
) -> Told | None:
    """What a test tells, over the number of listeners; None for kinds without a rule. stated: whether all are compared
    with one alone: fewer comparisons tell smaller differences. spread: of earlier ratings, the usual one for None."""
    pairs = candidates - 1 if stated else candidates * (candidates - 1) // 2
    rule, unit = kind_of(kind).planned_by, kind_of(kind).category
    if pairs == 0 or passages == 0 or not rule:
        return None

    def least(comparisons: int) -> Least:
        return tuple((n, _least(rule, n, passages, comparisons, spread or USUAL_LEANINGS, unit)) for n in _SHOWN)

    fewer = (candidates + 1) // 2
    others = {}
    if fewer >= FEWEST_INSTEAD and not stated:
        others[tr("{fewer} candidates instead", fewer=fewer)] = least(fewer * (fewer - 1) // 2)
    if pairs > 1:
        others[tr("one stated comparison")] = least(1)
    if rule == "differences":
        words, worth, floor = tr("categories") if unit == 1 else tr("places on the line"), unit * WORTH_TELLING, 0.0
        return Told(
            least=least(pairs),
            others=others,
            words=tr("smallest difference told, {words}", words=words),
            worth=worth,
            floor=floor,
        )
    words = (
        tr("smallest preference told, %") if rule == "preferences" else tr("smallest share of right answers told, %")
    )
    return Told(least=least(pairs), others=others, words=words, worth=100 * WORTH_PREFERRING, floor=50.0)


def _least(
    rule: Planning, listeners: int, passages: int, comparisons: int, spread: Leanings, unit: float
) -> float | None:
    if rule == "differences":
        found = smallest_difference_told(listeners, passages, comparisons, spread=spread)
        return None if found is None else unit * found
    share = _SHARES[rule](listeners, passages, comparisons)
    return None if share is None else 100 * share[0]

"""What a test will be able to show, said before anybody listens."""

from __future__ import annotations

from typing import Final

from zestpanel.core.analysis.statistics.crossed import FEWEST_TO_COMPARE, smallest_difference_told

WORTH_TELLING: Final = 0.5  # a difference, in categories, that a planner looks for (common practice, no source)


def what_can_be_told(*, candidates: int, passages: int, listeners: int) -> str:
    """A sentence, before the test, on what such a panel tells apart within one language, and on what it never can.

    All pairs are tested with listeners and passages drawn, adjusted by Holm; spreads are those usual for such panels.
    """
    pairs = candidates * (candidates - 1) // 2
    if pairs == 0:
        return "One candidate alone is scored, and compared with nobody."
    panel = f"{_counted(listeners, 'listener')} on {_counted(passages, 'passage')}"
    told = smallest_difference_told(listeners, passages, pairs)
    if told is None:
        people, texts = FEWEST_TO_COMPARE
        return f"{panel}: too few to tell any two candidates apart; at least {people} and {texts} are needed."
    words = f"{panel} tell {candidates} candidates apart where they differ by about {told:.1f} categories or more"
    more = next(n for n in range(max(listeners, 1), 10_000) if _good_enough(n, passages, pairs) or n > 200)
    if told > WORTH_TELLING and more <= 200:
        words += f"; {more} listeners would tell {WORTH_TELLING:g}"
    elif told > WORTH_TELLING:
        words += "; more listeners alone do not help, more passages do"
    return f"{words} (8 times in 10, at the usual spread of ratings)."


def _good_enough(listeners: int, passages: int, pairs: int) -> bool:
    told = smallest_difference_told(listeners, passages, pairs)
    return told is not None and told <= WORTH_TELLING


def _counted(n: int, what: str) -> str:
    return f"{n} {what}{'' if n == 1 else 's'}"


def preference_can_tell(*, candidates: int, passages: int, listeners: int) -> str:
    """A sentence on which share of preferences such a panel tells from even, when every listener compares every pair on
    every passage: exact binomial test, the level divided by the number of pairs (Holm's first step), 8 times in 10.

    Answers are taken as independent; where listeners or texts differ much, fewer differences are told.
    """
    pairs, answers = candidates * (candidates - 1) // 2, passages * listeners
    if pairs == 0 or answers == 0:
        return "A preference needs two candidates, a passage and a listener."
    from scipy.stats import binom

    level = 0.05 / pairs
    most = next((k for k in range(answers // 2, answers + 1) if 2 * binom.sf(k - 1, answers, 0.5) <= level), None)
    asked = f"{_counted(pairs, 'pair')}, {_counted(answers, 'answer')} each"
    if most is None:
        return f"{asked}: too few to tell any preference from even."
    share = next((s / 100 for s in range(51, 101) if binom.sf(most - 1, answers, s / 100) >= 0.8), 1.0)
    return (
        f"{asked}: a preference of {100 * share:.0f} to {100 - 100 * share:.0f} is told from even (8 times in 10; "
        f"{most} of {answers} are needed)."
    )

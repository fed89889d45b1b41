"""What a listener is asked before a test: who takes part in it, and how many of each group are wanted.

An answer may keep a listener from taking part, and may be wanted so many times only. Who is turned away has heard
nothing and counts nowhere; the lead may have them asked again.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

from zestpanel.core.texts import tr

ENTRY, TURNED_AWAY = "entry", "turned_away"  # what a session's checks keep
UNSUITED, ENOUGH = "unsuited", "enough"  # why somebody was turned away
FEWEST_ANSWERS, MOST_ANSWERS = 2, 9  # a digit for each
MOST_QUESTIONS: Final = 5


@dataclass(frozen=True, slots=True)
class EntryAnswer:
    """admits: whether who gives it takes part. wanted: how many of them, 0 for any number."""

    words: str
    admits: bool = True
    wanted: int = 0


@dataclass(frozen=True, slots=True)
class EntryQuestion:
    words: str
    answers: tuple[EntryAnswer, ...]

    @classmethod
    def from_document(cls, value: Mapping[str, Any]) -> EntryQuestion:
        return cls(str(value["words"]), tuple(EntryAnswer(**one) for one in value["answers"]))


Place = tuple[int, int]  # of a question and of an answer to it


def wrong_with_entry(questions: Sequence[EntryQuestion]) -> str:
    """What keeps these from being asked, '' for nothing."""
    for one in questions:
        given = [answer.words for answer in one.answers]
        if not one.words or not FEWEST_ANSWERS <= len(given) <= MOST_ANSWERS or len(set(given)) < len(given):
            return tr("A question before the test has its words and {fewest} to {most} different answers.",
                      fewest=FEWEST_ANSWERS, most=MOST_ANSWERS)  # fmt: skip
        if not any(answer.admits for answer in one.answers):
            return tr("Nobody would take part: no answer to '{question}' lets anybody in.", question=one.words)
    return ""


def given_by(checks: Mapping[str, Any], questions: Sequence[EntryQuestion]) -> list[int] | None:
    """The answers that a session has, by their places; None where it was not asked, or not all of it."""
    given = checks.get(ENTRY)
    if not isinstance(given, list) or len(given) != len(questions):
        return None
    good = all(isinstance(k, int) and 0 <= k < len(of.answers) for k, of in zip(given, questions, strict=True))
    return given if good else None


def taking_part(every: Iterable[Mapping[str, Any]], questions: Sequence[EntryQuestion]) -> Counter[Place]:
    """How often each answer was given by those who take part; every: what the checks of a test's sessions found."""
    out: Counter[Place] = Counter()
    for checks in every:
        given = given_by(checks, questions)
        if given is not None and not checks.get(TURNED_AWAY):
            out.update(enumerate(given))
    return out


def turned_away(question: EntryQuestion, at: int, answer: int, there: Mapping[Place, int]) -> str:
    """Why somebody with this answer does not take part, '' where they do. there: as ``taking_part`` counts."""
    given = question.answers[answer]
    if not given.admits:
        return UNSUITED
    return ENOUGH if given.wanted and there.get((at, answer), 0) >= given.wanted else ""


def how_far(questions: Sequence[EntryQuestion], there: Mapping[Place, int]) -> list[str]:
    """'audiobooks every week: 4 of 6', an entry for each answer that a number is wanted of."""
    return [
        tr("{answer}: {n} of {wanted}", answer=answer.words, n=there.get((at, k), 0), wanted=answer.wanted)
        for at, question in enumerate(questions) for k, answer in enumerate(question.answers) if answer.wanted
    ]  # fmt: skip

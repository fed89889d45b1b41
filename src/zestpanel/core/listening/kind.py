"""What a kind of listening test is: which trials it makes, how one stands in the booth, what may be answered."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Final, Protocol

import numpy as np

from zestpanel.core.domain.listening import Answered, PlannedTrial
from zestpanel.core.errors import InputError
from zestpanel.core.listening.settings import TestSettings

LONGEST_TEXT: Final = 5_000
Able = Mapping[tuple[int, int], int]  # the take heard by (candidate, passage version), that this listener can judge


@dataclass(frozen=True, slots=True)
class Choice:
    """One answer that may be given, and the key that gives it."""

    value: int | str
    words: str
    key: str


@dataclass(frozen=True, slots=True)
class Question:
    """name: under which its answer is kept. choices: the answers it allows; none for words that are written down."""

    name: str
    words: str
    choices: tuple[Choice, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Shown:
    """How a trial stands in the booth.

    clips: for each lane, what its button says, and which of the trial's stimuli it plays; one lane without a name is
    just played. Lanes swap at the same place in the text. must_hear: share of every clip, before an answer counts.
    """

    clips: tuple[tuple[str, int], ...]
    question: Question
    must_hear: float
    shows_text: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class Found:
    """What the answers to a test say: in a sentence, then as a table. numbers: columns to be aligned at the right."""

    says: str
    head: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    rule: str
    numbers: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Around:
    """What answers are read with. names: of candidates, by id; texts: (words, language) by passage version."""

    settings: TestSettings
    names: Mapping[int, str]
    texts: Mapping[int, tuple[str, str]] = field(default_factory=dict)

    def name(self, candidate_id: int) -> str:
        return self.names.get(candidate_id, "?")


class Kind(Protocol):
    """One kind of listening test; a file in ``kinds`` declares one as KIND."""

    name: str  # as it is stored
    title: str
    asks: str  # the lead's question that it answers
    fewest_candidates: int

    def design(
        self, able: Able, settings: TestSettings, *, listener: int, rng: np.random.Generator
    ) -> list[PlannedTrial]:
        """One listener's trials, in order. listener: a running number, by which orders balance over listeners."""
        ...

    def shown(self, trial: PlannedTrial, settings: TestSettings) -> Shown: ...

    def found(self, answers: Sequence[Answered], around: Around) -> Found:
        """What the answers say. Raises NotEnoughData."""
        ...


def check(given: Mapping[str, Any], shown: Shown) -> None:
    """Raises InputError for an answer that the trial does not allow."""
    question = shown.question
    if not question.choices:
        text = given.get(question.name)
        if set(given) != {question.name} or not isinstance(text, str) or len(text) > LONGEST_TEXT:
            raise InputError(f"This is no answer to '{question.words}'.", kept="Nothing was kept.",
                             remedy=f"Write down what was said, in at most {LONGEST_TEXT:,} characters.")  # fmt: skip
        return
    if set(given) != {question.name} or given[question.name] not in [choice.value for choice in question.choices]:
        allowed = ", ".join(choice.words for choice in question.choices)
        raise InputError(f"This is no answer to '{question.words}'.", kept="Nothing was kept.",
                         remedy=f"Answers are: {allowed}.")  # fmt: skip

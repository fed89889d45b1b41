"""What a kind of listening test is: which trials it makes, how one stands in the booth, what may be answered."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import combinations
from types import MappingProxyType
from typing import Any, Final, Literal, Protocol

import numpy as np

from zestpanel.core.analysis.statistics.drawn import share
from zestpanel.core.analysis.statistics.intervals import Interval
from zestpanel.core.domain.listening import Answered, PlannedTrial
from zestpanel.core.errors import InputError, ZestError
from zestpanel.core.listening.design import judged_at
from zestpanel.core.listening.orders import balanced_from
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.texts import tr

LONGEST_TEXT: Final = 5_000
LOW, HIGH = 0, 100  # ends of the line that clips are placed on (ITU-R BS.1534-3)
MOST_LANES: Final = 9  # a digit for each
Option = Literal[
    "scale",
    "also",
    "question",
    "reference",
    "anchors",
    "repeats",
    "traps",
    "training",
    "context",
    "strength",
    "stated",
    "blocks",
    "times",
    "controls",
    "stranger",
    "gold",
    "content",
]
Able = Mapping[tuple[int, int], int]  # the take heard by (candidate, passage version), that this listener can judge


@dataclass(frozen=True, slots=True)
class Choice:
    """One answer that may be given, and the key that gives it."""

    value: int | str
    words: str
    key: str


@dataclass(frozen=True, slots=True)
class Question:
    """name: under which its answer is kept. choices: the answers it allows; none for words that are written down.

    places: instead of choices, how many clips are placed on a line from 0 to 100; bands: its five names, the best
    first. once: until it is answered each clip is heard a single time.
    """

    name: str
    words: str
    choices: tuple[Choice, ...] = ()
    places: int = 0
    bands: tuple[str, ...] = ()
    once: bool = False


@dataclass(frozen=True, slots=True)
class Heard:
    """A lane of a trial: what its button says, '' for one that is just played, and the trial's stimuli that are heard
    in it, one after the other. reference: it is there to compare with, and never placed or judged itself."""

    name: str
    stimuli: tuple[int, ...]
    reference: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Shown:
    """How a trial stands in the booth: its lanes, which swap at the same place in the text, and what is asked, one
    question after the other. must_hear: share of every lane, before an answer counts. by_text: off where the lanes
    speak different words and have no place in common."""

    lanes: tuple[Heard, ...]
    questions: tuple[Question, ...]
    must_hear: float
    shows_text: bool = True
    by_text: bool = True

    @property
    def once(self) -> bool:
        """Whether something of it is asked after a single hearing, so that its answer cannot be given anew."""
        return any(question.once for question in self.questions)


@dataclass(frozen=True, slots=True, kw_only=True)
class Bar:
    """A line of the picture of a result: an estimate with its interval, None where there is none. candidate_ids: whose
    answers are behind it. note: stands at its end, such as letters."""

    name: str
    value: float
    low: float | None
    high: float | None
    candidate_ids: tuple[int, ...]
    says: str = ""
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Axis:
    """What the bars lie on. even: where nothing is told, such as one half; drawn across."""

    low: float
    high: float
    words: str
    even: float | None = None
    step: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Versus:
    """Who was compared with whom, in an order. wins: how often the row was preferred to the column; ties: how often
    neither was. candidate_ids: of the names, where they have such."""

    names: tuple[str, ...]
    wins: tuple[tuple[int, ...], ...]
    ties: tuple[tuple[int, ...], ...]
    candidate_ids: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class Pair:
    """What a test says of two candidates, by id. apart: whether they are told apart, over all pairs of the test;
    better: which of them, 0 where the test does not ask that or shows no difference at all."""

    first: int
    second: int
    apart: bool
    better: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Found:
    """What the answers to a test say: in a sentence, as a picture, then as a table. numbers: columns to be aligned at
    the right. stated: what the comparisons say that were named before anybody listened. pairs: the same for each two
    candidates."""

    says: str
    head: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    rule: str
    numbers: tuple[int, ...] = ()
    bars: tuple[Bar, ...] = ()
    axis: Axis | None = None
    versus: Versus | None = None
    stated: str = ""
    pairs: tuple[Pair, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Around:
    """What answers are read with. names: of candidates, by id; texts: (words, language) by passage version."""

    settings: TestSettings
    names: Mapping[int, str]
    texts: Mapping[int, tuple[str, str]] = field(default_factory=dict)

    def name(self, candidate_id: int) -> str:
        return self.names.get(candidate_id, "?")

    def with_controls(self, itself: str) -> Around:
        """With what trials whose answer is known are called. itself: of the reference among those that are judged."""
        names = dict(self.names)
        if person := self.settings.reference_id:
            names[person] = f"{self.name(person)} ({itself})"
        if stranger := self.settings.stranger_id:
            names[stranger] = tr("{name} (a stranger)", name=self.name(stranger))
        return replace(self, names=names)

    @property
    def controls(self) -> frozenset[int]:
        """Whose clips have a known answer, and are in no comparison."""
        return frozenset({self.settings.reference_id, self.settings.stranger_id} - {0})


@dataclass(frozen=True, slots=True, kw_only=True)
class Feeds:
    """How a result of single candidates is a figure of the choice. worst and best: where it starts as a criterion."""

    words: str
    better: Literal["higher", "lower"]
    worst: float
    best: float
    unit: str = ""
    decimals: int = 1


Planning = Literal["differences", "preferences", "right answers", ""]


class Kind(Protocol):
    """One kind of listening test; a file in ``kinds`` declares one as KIND, made from ``Common``."""

    name: str  # as it is stored
    title: str
    asks: str  # the lead's question that it answers
    fewest_candidates: int
    uses: frozenset[Option]  # settings of a test that mean something to it
    planned_by: Planning  # the rule that says what so many listeners tell, '' for none
    category: float  # how far a category is on its scale
    feeds: Feeds | None  # where its result of a candidate is a figure of the choice
    also_feeds: Mapping[str, Feeds]  # further figures of it, by what is behind the kind's name in theirs

    def design(
        self, able: Able, settings: TestSettings, *, listener: int, rng: np.random.Generator
    ) -> list[PlannedTrial]:
        """One listener's trials, in order. listener: a running number, by which orders balance over listeners."""
        ...

    def shown(self, trial: PlannedTrial, settings: TestSettings) -> Shown: ...

    def found(self, answers: Sequence[Answered], around: Around) -> Found:
        """What the answers say, all to texts of one language. Raises NotEnoughData."""
        ...

    def leaves_out(self, by: Mapping[int, Sequence[Answered]], settings: TestSettings) -> Mapping[int, Sequence[str]]:
        """By listener, why the answers count in no result by a standard of the kind; nobody where they do."""
        ...

    def balanced_from(self, candidates: int, passages: int, settings: TestSettings) -> int | None:
        """The number of listeners from which on its orders are balanced, None where that is not counted."""
        ...

    def warns(self, items: int, settings: TestSettings) -> str:
        """What is to be known of that standard with so many items a listener, '' for nothing."""
        ...

    def fed(self, found: Found, answers: Sequence[Answered], around: Around) -> Mapping[str, tuple[Bar, ...]]:
        """By the name of a figure, what it is of each candidate."""
        ...


class Common:
    """What most kinds have in common."""

    name: str
    uses: frozenset[Option]
    planned_by: Planning = ""
    category = 1.0
    feeds: Feeds | None = None
    also_feeds: Mapping[str, Feeds] = MappingProxyType({})

    def leaves_out(self, by: Mapping[int, Sequence[Answered]], settings: TestSettings) -> Mapping[int, Sequence[str]]:
        del by, settings
        return {}

    def balanced_from(self, candidates: int, passages: int, settings: TestSettings) -> int | None:
        if settings.most or "blocks" not in self.uses:
            return None
        return balanced_from(candidates, passages, blocks=settings.blocks)

    def warns(self, items: int, settings: TestSettings) -> str:
        del items, settings
        return ""

    def fed(self, found: Found, answers: Sequence[Answered], around: Around) -> Mapping[str, tuple[Bar, ...]]:
        del answers, around
        return {figure_of(self.name): found.bars} if self.feeds is not None else {}


def figure_of(kind: str, further: str = "") -> str:
    """What a kind's result is called as a figure: as weights are stored."""
    return f"test {kind} {further}".rstrip()


def share_bars(
    answers: Sequence[Answered], around: Around, yes: Callable[[Answered], bool], *, of: Collection[int]
) -> tuple[Bar, ...]:
    """A bar for each candidate: how often its answers say yes (%)."""
    out = []
    for candidate in of:
        given = [one for one in answers if one.trial.stimuli[judged_at(one.trial)].candidate_id == candidate]
        if (share := share_of(given, yes)) is not None:
            out.append(Bar(name=around.name(candidate), value=100 * share.estimate, low=100 * share.low,
                           high=100 * share.high, candidate_ids=(candidate,)))  # fmt: skip
    return tuple(out)


def check(given: Mapping[str, Any], shown: Shown) -> None:
    """Raises InputError for answers that the trial does not allow: one to each question, and nothing else."""
    if set(given) != {question.name for question in shown.questions}:
        asked = "; ".join(question.words for question in shown.questions)
        raise InputError(tr("This is no answer to '{asked}'.", asked=asked), kept=tr("Nothing was kept."),
                         remedy=tr("Each question has one answer."))  # fmt: skip
    for question in shown.questions:
        if remedy := wrong(question, given[question.name]):
            raise InputError(
                tr("This is no answer to '{words}'.", words=question.words), kept=tr("Nothing was kept."), remedy=remedy
            )


def fits(kind: Kind, settings: TestSettings, one: Answered) -> bool:
    """Whether an answer is one to its trial, as the kind asks it: a project may come from anybody."""
    try:
        shown = kind.shown(one.trial, settings)
        if [at for lane in shown.lanes for at in lane.stimuli] != list(range(len(one.trial.stimuli))):
            return False  # a clip of it is missing
        return all(not wrong(question, one.answer.given[question.name]) for question in shown.questions)
    except (LookupError, ValueError, TypeError, AttributeError, ZestError):
        return False


def wrong(question: Question, value: object) -> str:
    """What an answer to the question would be, where this is none; '' where it is one."""
    if question.places:
        good = isinstance(value, list) and len(value) == question.places
        if not good or not all(type(one) is int and LOW <= one <= HIGH for one in value):  # type: ignore[attr-defined]
            return tr(
                "Each of the {places} clips has a place from {low} to {high}.",
                places=question.places,
                low=LOW,
                high=HIGH,
            )
    elif question.choices:
        # 1 == True: an answer is of its choice's type, too
        if not any(type(value) is type(choice.value) and value == choice.value for choice in question.choices):
            return tr("Answers are: {choices}.", choices=", ".join(choice.words for choice in question.choices))
    elif not isinstance(value, str) or len(value) > LONGEST_TEXT:
        return tr("Write down what was said, in at most {longest_text} characters.", longest_text=f"{LONGEST_TEXT:,}")
    return ""


def by_whom(answers: Sequence[Answered]) -> list[tuple[int, int]]:
    """Listener and passage of each answer, of the clip that is judged: what is drawn."""
    return [(one.listener_id, one.trial.stimuli[judged_at(one.trial)].passage_version_id) for one in answers]


def pairs_by_interval(bars: Sequence[Bar], *, lower_is_better: bool = False) -> tuple[Pair, ...]:
    """Single candidates told apart where their 95 % intervals do not overlap, which is rarer than a test at 5 %
    (Schenker & Gentleman 2001)."""
    out = []
    for one, other in combinations([bar for bar in bars if len(bar.candidate_ids) == 1], 2):
        known = None not in (one.low, one.high, other.low, other.high)
        apart = known and (one.low > other.high or other.low > one.high)  # type: ignore[operator]
        first = (one.value < other.value) == lower_is_better
        better = 0 if one.value == other.value else (one if first else other).candidate_ids[0]
        out.append(Pair(one.candidate_ids[0], other.candidate_ids[0], apart, better))
    return tuple(out)


def share_of(answers: Sequence[Answered], yes: Callable[[Answered], bool]) -> Interval | None:
    """The share of answers that say yes, other listeners and other texts drawn; None for no answer."""
    if not answers:
        return None
    return share([yes(one) for one in answers], *zip(*by_whom(answers), strict=True))


def share_cells(found: Interval | None) -> tuple[str, str]:
    """('63 %', '41 to 80 %'), dashes for none."""
    if found is None:
        return "–", "–"
    between = tr("{low} to {high} %", low=f"{100 * found.low:.0f}", high=f"{100 * found.high:.0f}")
    return f"{100 * found.estimate:.0f} %", between

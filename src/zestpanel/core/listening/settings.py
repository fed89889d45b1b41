"""What a listening test is set to, the same for every kind."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass
from typing import Any, Final, Literal

from zestpanel.core.domain.listening import QUALITY
from zestpanel.core.listening.content import ContentQuestion
from zestpanel.core.listening.entry import EntryQuestion
from zestpanel.core.texts import tr

GOOD, POOR = "good", "poor"
TakeRule = Literal["drawn", "first", "preferred"]
TAKE_RULES: Final[Mapping[TakeRule, str]] = {
    "drawn": tr("drawn for each listener: the engine as it is"),
    "first": tr("the first of each cell"),
    "preferred": tr("starred, else first: the best of several"),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class TestSettings:
    """must_hear: share of each clip to be heard before it may be answered. training: unscored trials at the start.
    scale: of a category rating; also: further scales asked in the same trial. steps: of a scale of one's own, the
    best first, with its question. most: scored trials a listener is given at most, 0 for all. blocks: all clips of
    a passage together, instead of passages interleaved. times: how often a pair is compared on a passage. controls:
    trials whose answer is known, such as the person against himself; stranger_id: another person among them, 0 for
    none. stated_id: the candidate that all others are compared with, and they not with one another, 0 where
    everyone is. take_rule: which of a cell's repeats is heard. reference_id: the candidate spoken by a person that
    others are compared with, 0 for none. anchors: of a multi-stimulus test, low-passed copies of the reference.
    repeats: trials that come a second time, hidden. traps: clips that say which answer to give. strength: whether a
    preference is slight or strong. listeners: how many are planned, 0 where that is not stated. trim: silence at
    both ends is cut to a stated length. context: what is heard around a clip. bed: a clip of the project that lies
    under all others, so much below speech, '' for none; bed_name: the file it came in. version_of: the number of
    the test that this is a changed one of, 0 for none. entry: what is asked before the first trial. content: a question
    to each passage. gold: trials of known quality, by the candidate good_id, which is surely good, and poor_id, which
    is surely poor; 0 for none.
    """

    __test__ = False  # no test of pytest's

    candidate_ids: tuple[int, ...]
    passage_ids: tuple[int, ...]
    must_hear: float = 0.8
    training: int = 2
    seed: int = 1
    scale: str = QUALITY
    also: tuple[str, ...] = ()
    steps: tuple[str, ...] = ()
    most: int = 0
    blocks: bool = False
    times: int = 1
    controls: bool = False
    stranger_id: int = 0
    question: str = ""
    stated_id: int = 0
    version_of: int = 0
    take_rule: TakeRule = "preferred"
    reference_id: int = 0
    anchors: bool = False
    repeats: int = 0
    listeners: int = 0
    traps: int = 0
    strength: bool = False
    comments: bool = False
    trim: bool = False
    context: Literal["dry", "neighbours"] = "dry"
    bed: str = ""
    bed_name: str = ""
    bed_below_lu: float = 15.0
    level_check: bool = False
    headphone_check: bool = False
    entry: tuple[EntryQuestion, ...] = ()
    content: tuple[ContentQuestion, ...] = ()
    gold: int = 0
    good_id: int = 0
    poor_id: int = 0

    @property
    def heard_ids(self) -> tuple[int, ...]:
        """Candidates whose clips are heard: those that are judged, and those with a known answer."""
        every = (self.reference_id, self.stranger_id, *self.gold_ids)
        more = [one for one in every if one not in (0, *self.candidate_ids)]
        return (*self.candidate_ids, *dict.fromkeys(more))

    @property
    def gold_ids(self) -> dict[int, str]:
        """'good' or 'poor' by candidate, where clips of known quality are heard."""
        named = {self.good_id: GOOD, self.poor_id: POOR} if self.gold else {}
        return {one: which for one, which in named.items() if one not in (0, self.reference_id, *self.candidate_ids)}

    def as_document(self) -> dict[str, Any]:
        return {name: list(value) if isinstance(value, tuple) else value for name, value in asdict(self).items()}

    @classmethod
    def from_document(cls, value: Mapping[str, Any]) -> TestSettings:
        known: dict[str, Any] = {"candidate_ids": (), "passage_ids": ()}
        known |= {name: value[name] for name in cls.__dataclass_fields__ if name in value}
        known |= {name: tuple(one) for name, one in known.items() if isinstance(one, list)}
        for name, of in (("entry", EntryQuestion), ("content", ContentQuestion)):
            known[name] = tuple(map(of.from_document, known.get(name, ())))
        return cls(**known)


def came_later(settings: TestSettings, candidate_ids: Iterable[int], passage_ids: Iterable[int]) -> tuple[int, int]:
    """How many of the candidates and of the passages there are now the test does not know."""
    return (
        len(set(candidate_ids) - set(settings.candidate_ids)),
        len(set(passage_ids) - set(settings.passage_ids)),
    )

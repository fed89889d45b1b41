"""What machines find wrong in the takes: listed with its place and size, told which is a person's word, and counted to
the minute that was examined.

A finding keeps what a person said of it when the rules of its measure change: a stretch of the same kind at an
overlapping place is the same finding. A word that most other voices are not heard to say either is the recogniser's
doing, not the voice's: it is listed, and counts in no figure.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from typing import Final, Protocol

import numpy as np

from zestpanel.core.analysis.channel import ChannelTakes, channel_takes
from zestpanel.core.analysis.joins import KIND as JOIN_HEARD
from zestpanel.core.analysis.joins import joins_heard
from zestpanel.core.domain.passage import Passage, words_with_places
from zestpanel.core.domain.take import Measured, Segment, Take, Verdict
from zestpanel.core.measures.families.faults import FAMILY
from zestpanel.core.measures.families.silence import INSIDE, PAUSE, SENTENCE
from zestpanel.core.measures.registry import kinds
from zestpanel.core.measures.tracks import Kind, seconds
from zestpanel.core.measures.words_told import KINDS as _WORD_KINDS
from zestpanel.core.texts import some_of, tr

LONG_PAUSE, ODD_PAUSE, ODD_LENGTH = "long pause", "odd pause", "odd length"
LONGEST_S: Final = (
    1.2  # a pause within a sentence or at a comma; after a sentence twice that (common practice, no source)
)
ODD_S: Final = 0.4  # a pause where the text has no sign for one (common practice, no source)
NEAR_S: Final = 0.2  # of a place where a pause is asked for, or where pieces are joined
SAME_WITHIN_S: Final = 0.1  # between two stretches that are one finding
FEWEST_TAKES: Final = 6  # of a candidate, to say that one is of an odd length
ODD_BY: Final = 0.25  # as a share, and five times the spread of its candidate's
FEWEST_OTHERS: Final = 2  # voices, to tell whose fault a word is
MOSTLY: Final = 0.5  # of the other voices

KINDS: Final = (
    Kind(LONG_PAUSE, tr("long pause"), lambda one: tr("a pause of {lasts}", lasts=seconds(one))),
    Kind(ODD_PAUSE, tr("pause within a phrase"),
         lambda one: tr("a pause of {lasts} where the text has no sign for one", lasts=seconds(one))),
    Kind(ODD_LENGTH, tr("odd length"),
         lambda one: tr("{percent} % longer than the voice's pace and this text would have it",
                        percent=f"{one.size:.0f}")
         if one.size > 0 else
         tr("{percent} % shorter than the voice's pace and this text would have it", percent=f"{-one.size:.0f}")),
)  # fmt: skip
OF_WORDS: Final = frozenset(one.name for one in _WORD_KINDS)  # what a recogniser told


class FaultParts(ChannelTakes, Protocol):
    """Takes, and what decides whether they still speak for the channel."""


@cache
def fault_kinds() -> Mapping[str, Kind]:
    """All kinds of findings, by name."""
    return {one.name: one for one in (*kinds().values(), *KINDS, JOIN_HEARD) if one.fault}


@dataclass(frozen=True, slots=True, kw_only=True)
class Fault:
    """real: what a person said, None for nothing yet; verdict: its number. others: of a word, (voices that are not
    heard to say it either, voices). hard_to_hear: of a word, whether the recogniser knows the voice badly."""

    take: Take
    passage: Passage
    of: Segment
    real: bool | None = None
    verdict: int = 0
    others: tuple[int, int] | None = None
    hard_to_hear: bool = False

    @property
    def kind(self) -> Kind:
        return fault_kinds()[self.of.kind]

    @property
    def doubtful(self) -> bool:
        """Whether the recogniser is likelier to be wrong than the voice; a person's word goes before."""
        if self.real is not None:
            return False
        missed, voices = self.others or (0, 0)
        return self.hard_to_hear or (voices >= FEWEST_OTHERS and missed > MOSTLY * voices)

    @property
    def counts(self) -> bool:
        return self.real is not False and not self.doubtful

    def says(self) -> str:
        said = self.kind.says(self.of)
        if self.hard_to_hear:
            return tr("{said}; the recogniser knows this voice badly", said=said)
        if self.others is not None and self.others[0]:
            missed, voices = self.others
            return tr("{said}; so it is from {missed} of {voices} other voices", said=said, missed=missed,
                      voices=voices)  # fmt: skip
        return said


@dataclass(frozen=True, slots=True, kw_only=True)
class Faults:
    """A candidate's. minutes: of its takes that were examined by the detectors as they are now."""

    candidate_id: int
    found: tuple[Fault, ...]
    minutes: float

    @property
    def counted(self) -> int:
        return sum(one.counts for one in self.found)

    @property
    def per_minute(self) -> float | None:
        """None where nothing was examined."""
        return self.counted / self.minutes if self.minutes > 0 else None

    def says(self, most: int = 99) -> str:
        """'2 × click, 1 × drop-out', of what counts, the most frequent first."""
        counts = Counter(one.of.kind for one in self.found if one.counts)
        return some_of([f"{n} × {fault_kinds()[kind].words}" for kind, n in counts.most_common()], most)


def _kept(one: Segment) -> bool:
    """Faults, and pauses that may be."""
    return one.end_s - one.start_s >= ODD_S if one.kind == PAUSE else one.kind in fault_kinds()


def faults(
    project: FaultParts, takes: Mapping[int, Sequence[Take]] | None = None,
    measured: Mapping[int, Measured] | None = None, hard_to_hear: Collection[int] = (),
) -> dict[int, Faults]:  # fmt: skip
    """By candidate id, of all that have takes of the channel's passages as they are asked for today. takes, measured:
    where they are known. hard_to_hear: candidates that the recogniser knows badly."""
    takes = channel_takes(project) if takes is None else takes
    measured = project.takes.measured() if measured is None else measured
    passages = {p.version_id: p for p in project.texts.all()}
    stretches = project.takes.segments(_kept)
    said: dict[int, list[Verdict]] = defaultdict(list)
    for verdict in project.takes.verdicts():
        said[verdict.take_id].append(verdict)
    missed, lengths = _missed(takes, measured), _odd_lengths(takes, passages)
    out = {}
    for candidate, of in takes.items():
        found: list[Fault] = []
        minutes = 0.0
        for take in of:
            if take.id not in measured or measured[take.id].version_of(FAMILY.name) < FAMILY.version:
                continue
            minutes += take.duration_s / 60
            passage = passages[take.passage_version_id]
            here = _as_faults(stretches.get(take.id, ()), take, passage)
            if take.id in lengths:
                here.append(lengths[take.id])
            if take.timing is not None and take.timing.joins_s:
                curves = project.takes.measured([take.id], tracks=True)[take.id].curves
                pauses = [(s.start_s, s.end_s) for s in stretches.get(take.id, ()) if s.kind == PAUSE]
                here += joins_heard(curves, take.timing.joins_s, pauses)
            for one in sorted(here, key=lambda one: one.start_s):
                real, number = _said_of(one, said.get(take.id, ()))
                word = one.kind in OF_WORDS
                others = missed(candidate, take.passage_version_id, round(one.size)) if word else None
                found.append(Fault(take=take, passage=passage, of=one, real=real, verdict=number, others=others,
                                   hard_to_hear=word and candidate in hard_to_hear))  # fmt: skip
        out[candidate] = Faults(candidate_id=candidate, found=tuple(found), minutes=minutes)
    return out


def _as_faults(of: Sequence[Segment], take: Take, passage: Passage) -> list[Segment]:
    """Pauses that nobody asked for, and everything that is a fault by itself."""
    out = []
    for one in of:
        if one.kind != PAUSE:
            out.append(one)
            continue
        lasts = one.end_s - one.start_s
        joined = take.timing is not None and any(
            one.start_s - NEAR_S <= at <= one.end_s + NEAR_S for at in take.timing.joins_s
        )
        if joined or _asked_for(passage, round(one.size)):
            continue
        if lasts > (2 * LONGEST_S if one.about == SENTENCE else LONGEST_S):
            out.append(one._replace(kind=LONG_PAUSE, size=lasts))
        elif one.about == INSIDE and lasts >= ODD_S:
            out.append(one._replace(kind=ODD_PAUSE, size=lasts))
    return out


def _asked_for(passage: Passage, word: int) -> bool:
    """Whether a mark asks for a pause, or a sound, behind this word of the text."""
    if not passage.marks or word < 0:
        return False
    words = words_with_places(passage.text)
    if word >= len(words) - 1:
        return False
    return any(words[word][2] <= mark.start <= words[word + 1][1] and mark.start == mark.end for mark in passage.marks)


def _odd_lengths(takes: Mapping[int, Sequence[Take]], passages: Mapping[int, Passage]) -> dict[int, Segment]:
    """By take, of one that is far longer or shorter than its candidate's pace and the other candidates' length of the
    same text would have it: a text has figures to be spoken out, or dashes to be waited at, for all alike. By medians:
    one odd take moves neither pace nor length."""
    lasts: dict[int, dict[int, list[float]]] = defaultdict(lambda: defaultdict(list))  # by candidate and version
    for candidate, of in takes.items():
        for take in of:
            if take.scored and passages[take.passage_version_id].characters > 0:
                characters = passages[take.passage_version_id].characters
                lasts[candidate][take.passage_version_id].append(float(np.log(take.duration_s / characters)))
    paces = {c: float(np.median([v for of in by.values() for v in of])) for c, by in lasts.items()}
    over = {(c, v): float(np.median(of)) - paces[c] for c, by in lasts.items() for v, of in by.items()}
    out = {}
    for candidate, of in takes.items():
        apart: dict[int, list[float]] = {}  # from each of the others
        for take in of:
            version = take.passage_version_id
            beside = [over[c, version] for c in lasts if c != candidate and (c, version) in over]
            if take.scored and len(beside) >= FEWEST_OTHERS and passages[version].characters > 0:
                own = float(np.log(take.duration_s / passages[version].characters)) - paces[candidate]
                apart[take.id] = [own - other for other in beside]
        if len(apart) < FEWEST_TAKES:
            continue
        values = np.array([float(np.median(by)) for by in apart.values()])
        middle = float(np.median(values))
        bound = max(float(np.log(1 + ODD_BY)), 5 * 1.4826 * float(np.median(np.abs(values - middle))))
        for take in of:
            from_each = np.array(apart.get(take.id, [0.0])) - middle
            by = float(np.median(from_each))
            if abs(by) > bound and 2 * int((np.abs(from_each) > bound).sum()) > len(from_each):
                out[take.id] = Segment(ODD_LENGTH, 0.0, take.duration_s, 100 * float(np.expm1(by)))
    return out


def _said_of(one: Segment, verdicts: Sequence[Verdict]) -> tuple[bool | None, int]:
    """The last word on it."""
    for said in reversed(verdicts):
        apart = max(said.start_s, one.start_s) - min(said.end_s, one.end_s)
        if said.kind == one.kind and apart <= SAME_WITHIN_S:
            return said.real, said.id
    return None, 0


def _missed(
    takes: Mapping[int, Sequence[Take]], measured: Mapping[int, Measured]
) -> Callable[[int, int, int], tuple[int, int] | None]:
    """(candidate, passage version, place of the text) -> how many of the other candidates miss it in most of their
    takes, and how many others there are."""
    heard: dict[int, dict[int, list[str]]] = defaultdict(lambda: defaultdict(list))
    for candidate, of in takes.items():
        for take in of:
            right = measured[take.id].values.get("heard_right") if take.id in measured else None
            if isinstance(right, str) and right:
                heard[take.passage_version_id][candidate].append(right)

    def others(candidate: int, version: int, place: int) -> tuple[int, int] | None:
        beside = [of for who, of in heard[version].items() if who != candidate]
        if not beside:
            return None
        misses = sum(2 * sum(place < len(r) and r[place] == "0" for r in of) > len(of) for of in beside)
        return misses, len(beside)

    return others

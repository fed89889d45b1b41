"""Defects that were marked while listening: their kinds, and how many there are to the minute of each candidate."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final, Protocol

from zestpanel.core.domain.passage import Passage
from zestpanel.core.domain.take import Mark, Take
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.parts import HasAnswers, HasDocuments, HasTakes, HasTexts
from zestpanel.core.store.stored import Stored

# the common ones, each with a key of its own (common practice, no source); marks of other kinds are kept as they are
KINDS: Final = (
    "gap", "wrong word", "missing word", "odd stress", "click or noise", "cut end", "mark-up read out", "accent slip",
    "tone jump", "other",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Defect:
    mark: Mark
    take: Take
    passage: Passage


@dataclass(frozen=True, slots=True, kw_only=True)
class Defects:
    """A candidate's defects. minutes: of its takes at the passages' present versions that somebody has heard."""

    candidate_id: int
    found: tuple[Defect, ...]
    minutes: float

    @property
    def per_minute(self) -> float | None:
        """None where nobody has heard anything of it."""
        return len(self.found) / self.minutes if self.minutes > 0 else None

    def kinds(self) -> str:
        """'2 gap, 1 odd stress'."""
        counts = Counter(one.mark.kind for one in self.found)
        return ", ".join(f"{n} {kind}" for kind, n in counts.most_common())


# seconds of each take that were heard on the strip, by its id
HEARD: Final[Stored[dict[int, float]]] = Stored("heard", dict[int, float], {})


def keep_heard(documents: Documents, seconds: Mapping[int, float]) -> None:
    """What was heard of takes; what was heard before of the same stays, where it is more."""
    with documents.alone():
        before = HEARD.read(documents)
        after = {**before, **{take: max(before.get(take, 0.0), heard) for take, heard in seconds.items()}}
        if after != before:
            HEARD.write(documents, after)


class DefectParts(HasTexts, HasTakes, HasDocuments, HasAnswers, Protocol):
    """Marks, and what was heard."""


def defects(project: DefectParts) -> list[Defects]:
    """Of every candidate that has takes, the most to the minute first. A take was heard as far as it was played on the
    strip; wholly where a defect is marked in it, or where its passage was rated."""
    passages: Mapping[int, Passage] = {p.version_id: p for p in project.texts.all()}
    by_id = {t.id: t for t in project.takes.all(with_timing=False) if t.passage_version_id in passages}
    heard = {take: seconds for take, seconds in HEARD.read(project.documents).items() if take in by_id}
    marks: dict[int, list[Defect]] = defaultdict(list)
    for mark in project.takes.marks():
        if (of := by_id.get(mark.take_id)) is not None:
            marks[of.candidate_id].append(Defect(mark, of, passages[of.passage_version_id]))
            heard[of.id] = of.duration_s
    rated = {(one.candidate_id, one.passage_version_id) for one in project.answers.ratings(apart=True)}
    for take in by_id.values():
        if (cell := (take.candidate_id, take.passage_version_id)) in rated:
            rated.discard(cell)  # one take of a passage is what listeners hear
            heard[take.id] = take.duration_s
    seconds: dict[int, float] = dict.fromkeys((take.candidate_id for take in by_id.values()), 0.0)
    for take_id, of_take in heard.items():
        seconds[by_id[take_id].candidate_id] += min(of_take, by_id[take_id].duration_s)
    found = [
        Defects(candidate_id=candidate, minutes=seconds[candidate] / 60, found=tuple(marks[candidate]))
        for candidate in seconds
    ]
    return sorted(found, key=lambda one: -(one.per_minute or 0.0))

"""Defects that were marked while listening: their kinds, and how many there are to the minute of each candidate."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from zestpanel.core.domain.passage import Passage
from zestpanel.core.domain.take import Mark, Take
from zestpanel.core.store.takes import Takes
from zestpanel.core.store.texts import Texts

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
    """A candidate's defects. minutes: of all its takes at the passages' present versions, heard or not."""

    candidate_id: int
    found: tuple[Defect, ...]
    minutes: float

    @property
    def per_minute(self) -> float:
        return len(self.found) / self.minutes if self.minutes > 0 else 0.0

    def kinds(self) -> str:
        """'2 gap, 1 odd stress'."""
        counts = Counter(one.mark.kind for one in self.found)
        return ", ".join(f"{n} {kind}" for kind, n in counts.most_common())


def defects(takes: Takes, texts: Texts) -> list[Defects]:
    """Of every candidate that has by_id, the most to the minute first."""
    passages: Mapping[int, Passage] = {p.version_id: p for p in texts.all()}
    by_id = {t.id: t for t in takes.all(with_timing=False) if t.passage_version_id in passages}
    seconds: Counter[int] = Counter()
    for take in by_id.values():
        seconds[take.candidate_id] += take.duration_s  # type: ignore[assignment]
    marks: dict[int, list[Defect]] = defaultdict(list)
    for mark in takes.marks():
        if (of := by_id.get(mark.take_id)) is not None:
            marks[of.candidate_id].append(Defect(mark, of, passages[of.passage_version_id]))
    found = [
        Defects(candidate_id=candidate, minutes=seconds[candidate] / 60, found=tuple(marks[candidate]))
        for candidate in seconds
    ]
    return sorted(found, key=lambda one: -one.per_minute)

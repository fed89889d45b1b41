"""The time a person spends on an engine: set-up, tries, hand imports. It is a cost that no bill shows."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, field

from zestpanel.core.store.notes import CatalogueNotes
from zestpanel.core.store.shortlist import Shortlist
from zestpanel.core.store.takes import Takes


@dataclass(frozen=True, slots=True, kw_only=True)
class PersonTime:
    """minutes in all, and by what they were spent on; sound_minutes: of all takes of the engine."""

    minutes: float
    by_kind: Mapping[str, float] = field(default_factory=dict)
    sound_minutes: float

    @property
    def per_finished_minute(self) -> float | None:
        """Minutes of a person per minute of sound there is; None while there is none."""
        return self.minutes / self.sound_minutes if self.sound_minutes else None


def person_time(notes: CatalogueNotes, takes: Takes, shortlist: Shortlist) -> dict[str, PersonTime]:
    """By engine, of those for which something was logged."""
    by_kind: dict[str, dict[str, float]] = defaultdict(lambda: defaultdict(float))
    for entry in notes.setup():
        by_kind[entry.engine][entry.kind] += entry.minutes
    engines = {c.id: c.engine for c in shortlist.candidates(removed=True, of_sweeps=True)}
    sound: dict[str, float] = defaultdict(float)
    for take in takes.all(with_timing=False):
        sound[engines[take.candidate_id]] += take.duration_s / 60
    return {
        name: PersonTime(minutes=sum(kinds.values()), by_kind=dict(kinds), sound_minutes=sound[name])
        for name, kinds in by_kind.items()
    }

"""A run, and each request of it: written open before it is sent and closed after it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True, slots=True, kw_only=True)
class RunRow:
    """One run. kind: 'bench', 'load', 'scheduled', 'sweep' or 'again' (an earlier run, ``of_run``, once more).

    machine and network: what its timings were taken on. conditions: at_once (the level, 0 for each engine's own
    limit), cold, and what else the kind needs. ended is empty for a run that was cut short by the program's end.
    """

    id: int
    created: str
    ended: str
    repeats: int
    seed: int
    machine: str
    kind: str
    network: str
    conditions: Mapping[str, Any] = field(default_factory=dict)
    of_run: int | None = None

    @property
    def at_once(self) -> int:
        return int(self.conditions.get("at_once") or 0)

    @property
    def side_by_side(self) -> bool:
        """Whether programs of this machine ran beside one another and beside the measuring, as they always did before
        it could be said."""
        return bool(self.conditions.get("side_by_side", True))

    @property
    def cold(self) -> bool:
        return bool(self.conditions.get("cold"))


@dataclass(frozen=True, slots=True, kw_only=True)
class JournalRow:
    id: int
    run_id: int
    candidate_id: int
    passage_version_id: int
    repeat: int
    attempt: int
    plan: str
    state: str
    opened: str
    closed: str
    characters: int
    failure_kind: str
    failure_text: str
    beside: int | None
    sound_s: float | None = None
    decided: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Answered:
    """What came of a request: characters the reply says it billed (None: it says nothing), and seconds of sound."""

    request_id: int
    characters: int | None
    sound_s: float

    def as_values(self) -> dict[str, Any]:
        """Columns of the journal that the reply corrects."""
        said = {} if self.characters is None else {"characters": self.characters}
        return {"sound_s": self.sound_s, **said}

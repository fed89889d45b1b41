"""A candidate: engine + model and version + route + plan + voice + language + settings, dated."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from zestpanel.core.texts import dated, tr


@dataclass(frozen=True, slots=True, kw_only=True)
class Candidate:
    """What is compared. ``settings`` holds every control's value, so that a take can be made again.

    ended: from when on the same request gave another sound, '' while it goes on. first_id: the earliest of the
    candidates that are the same in all that is stated, itself where there is no other. one_language: held to its own,
    whatever else the voice speaks.
    """

    id: int
    engine: str
    model: str
    model_version: str
    route: str
    plan: str
    voice: str
    language: str
    settings: Mapping[str, Any] = field(default_factory=dict)
    factory: bool = True
    created: str = ""
    note: str = ""
    ended: str = ""
    first_id: int = 0
    one_language: bool = False

    @property
    def sound_key(self) -> tuple[object, ...]:
        """What its sound hangs on: candidates that differ by plan alone sound the same."""
        settings = tuple(sorted((name, repr(value)) for name, value in self.settings.items()))
        return (self.engine, self.route, self.model, self.model_version, self.voice, self.language, settings,
                self.factory, self.id if self.ended else 0)  # fmt: skip

    @property
    def ended_on(self) -> str:
        """'25 Nov 2026', in local time; '' while it goes on."""
        return dated(datetime.fromisoformat(self.ended).astimezone(), tr("d MMM y")) if self.ended else ""

"""Runs at set hours over a day or a week, so that a slow hour is seen. Pure arithmetic; the desk and the command line
ask what is due."""

from __future__ import annotations

import hashlib
import json
from datetime import datetime, timedelta
from typing import Final

from pydantic import BaseModel, ConfigDict, Field

LATEST_MINUTES: Final = 60  # whatever a project states: nothing older is made up for


class Schedule(BaseModel):
    """``times`` runs, one every ``every_minutes`` from ``first`` on, each with ``repeats`` new takes of the cells.

    late_by_minutes: an occasion found later than that was missed and is not made up for, so that hours stay apart.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    first: datetime
    every_minutes: int = Field(default=60, ge=5, le=7 * 24 * 60)
    times: int = Field(default=24, ge=1, le=500)
    candidate_ids: tuple[int, ...] = ()
    passage_ids: tuple[int, ...] = ()
    repeats: int = Field(default=1, ge=1, le=10)
    late_by_minutes: int = Field(default=10, ge=1)
    done: tuple[int, ...] = ()
    missed: tuple[int, ...] = ()

    @property
    def identity(self) -> str:
        """What was asked for, whatever has been done of it since: one digest."""
        asked = self.model_dump(mode="json", exclude={"done", "missed"})
        return hashlib.sha256(json.dumps(asked, sort_keys=True).encode()).hexdigest()

    def at(self, occasion: int) -> datetime:
        return self.first + timedelta(minutes=self.every_minutes * occasion)

    @property
    def over(self) -> bool:
        return len(self.done) + len(self.missed) >= self.times

    def upcoming(self) -> datetime | None:
        """When the next occasion is; None when all are over."""
        left = [k for k in range(self.times) if k not in self.done and k not in self.missed]
        return self.at(left[0]) if left else None


def look(schedule: Schedule, now: datetime) -> tuple[Schedule, int | None]:
    """(the schedule with occasions that were missed marked as such, the occasion that is due now or None).

    A clock that was set back makes no occasion due twice: what is done stays done.
    """
    missed, due = set(schedule.missed), None
    for occasion in range(schedule.times):
        if occasion in schedule.done or occasion in missed:
            continue
        late = (now - schedule.at(occasion)).total_seconds() / 60
        if late > min(schedule.late_by_minutes, LATEST_MINUTES):
            missed.add(occasion)
        elif late >= 0:
            due = occasion
    return schedule.model_copy(update={"missed": tuple(sorted(missed))}), due


def finished(schedule: Schedule, occasion: int) -> Schedule:
    return schedule.model_copy(update={"done": tuple(sorted({*schedule.done, occasion}))})

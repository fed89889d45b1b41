"""The stored schedule: what of it is due now, as a planned run."""

from __future__ import annotations

from datetime import datetime
from typing import Final, Protocol

from zestpanel.core.connectors.agreed import agree_to_schedule, schedule_agreed
from zestpanel.core.runs.plan.conditions import Conditions
from zestpanel.core.runs.plan.planning import PlannedRun, PlanningParts, plan_run
from zestpanel.core.runs.schedule.schedule import Schedule, finished, look
from zestpanel.core.store.documents import Documents
from zestpanel.core.store.parts import HasDocuments, HasFolder
from zestpanel.core.store.stored import Stored
from zestpanel.core.texts import dated, tr


class ScheduleParts(HasFolder, HasDocuments, Protocol):
    """Where the hours of runs are kept."""


class OccasionParts(ScheduleParts, PlanningParts, Protocol):
    """Likewise, and what a run that is due rests on."""


SCHEDULE: Final[Stored[Schedule | None]] = Stored("schedule", Schedule, None)


def stored_schedule(documents: Documents) -> Schedule | None:
    """The project's schedule; None for none, and for one that makes no sense: the project may be of anybody."""
    return SCHEDULE.read(documents)


def keep_schedule(project: ScheduleParts, schedule: Schedule) -> None:
    """Set by the person at this machine: it may begin runs by itself."""
    agree_to_schedule(project.folder, schedule.identity)
    SCHEDULE.write(project.documents, schedule)


def sleeps(project: ScheduleParts, schedule: Schedule) -> bool:
    """Whether it was not set or agreed to on this machine: then nothing is begun and nothing made up for."""
    return not schedule_agreed(project.folder, schedule.identity)


def wake(project: ScheduleParts) -> None:
    """The person at this machine agrees to the schedule the project came with."""
    if (schedule := stored_schedule(project.documents)) is not None:
        agree_to_schedule(project.folder, schedule.identity)


def give_up_schedule(documents: Documents) -> None:
    SCHEDULE.forget(documents)


def is_due(project: ScheduleParts, now: datetime) -> bool:
    schedule = stored_schedule(project.documents)
    return schedule is not None and not sleeps(project, schedule) and look(schedule, now)[1] is not None


def take_due(project: OccasionParts, now: datetime) -> tuple[Schedule | None, PlannedRun | None]:
    """(the schedule as it now stands, the run that is due). The occasion counts as done as soon as it is taken, so
    that neither a crash in the middle nor a second program that looks renders it twice."""
    while (stored := project.documents.get(SCHEDULE.name)) is not None:
        schedule = SCHEDULE.understood(stored)
        if schedule is None:
            break
        if sleeps(project, schedule):
            return schedule, None
        schedule, due = look(schedule, now)
        if due is not None:
            schedule = finished(schedule, due)
        if project.documents.put_if(SCHEDULE.name, SCHEDULE.as_json(schedule), was=stored):
            return schedule, None if due is None else plan_occasion(project, schedule)
    return None, None


def plan_occasion(project: PlanningParts, schedule: Schedule) -> PlannedRun:
    """New takes of the schedule's cells, with the same seeds at every occasion."""
    return plan_run(
        project,
        repeats=schedule.repeats,
        candidates=[c for c in project.shortlist.candidates() if c.id in schedule.candidate_ids],
        passages=[p for p in project.texts.all() if p.id in schedule.passage_ids],
        conditions=Conditions(fresh=True, kind="scheduled"),
    )


def coming(schedule: Schedule | None, *, asleep: bool = False) -> str:
    """How a schedule stands, in a sentence; '' where there is none."""
    if schedule is None:
        return ""
    if asleep and not schedule.over:
        return tr("The project came with runs at set hours. They sleep until they are agreed to on this machine.")
    missed = (
        tr(" {missed} were missed, as nothing looked at their time.", missed=len(schedule.missed))
        if schedule.missed
        else ""
    )
    upcoming = schedule.upcoming()
    if upcoming is None:
        return tr("All {times} runs of the schedule are over.{missed}", times=schedule.times, missed=missed)
    at = dated(upcoming.astimezone(), tr("EEE dd MMM, HH:mm"))
    return tr(
        "Run {done} of {times} at {at}.{missed}",
        done=len(schedule.done) + len(schedule.missed) + 1,
        times=schedule.times,
        at=at,
        missed=missed,
    )

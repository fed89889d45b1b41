"""The stored schedule: what of it is due now, as a planned run."""

from __future__ import annotations

from datetime import datetime

from zestpanel.core.bench.conditions import Conditions
from zestpanel.core.bench.planning import PlannedRun, plan_run
from zestpanel.core.bench.schedule import DOCUMENT, Schedule, finished, look
from zestpanel.core.project.project import Project


def stored_schedule(project: Project) -> Schedule | None:
    found = project.documents.get(DOCUMENT)
    return Schedule.model_validate(found) if found else None


def give_up_schedule(project: Project) -> None:
    project.documents.put(DOCUMENT, None)


def take_due(project: Project, now: datetime) -> tuple[Schedule | None, PlannedRun | None]:
    """(the schedule as it now stands, the run that is due). The occasion counts as done as soon as it is taken, so
    that a crash in the middle never renders it twice."""
    schedule = stored_schedule(project)
    if schedule is None:
        return None, None
    schedule, due = look(schedule, now)
    if due is not None:
        schedule = finished(schedule, due)
    project.documents.put(DOCUMENT, schedule.model_dump(mode="json"))
    return schedule, None if due is None else plan_occasion(project, schedule)


def plan_occasion(project: Project, schedule: Schedule) -> PlannedRun:
    """New takes of the schedule's cells, with the same seeds at every occasion."""
    return plan_run(
        project,
        repeats=schedule.repeats,
        candidates=[c for c in project.shortlist.candidates() if c.id in schedule.candidate_ids],
        passages=[p for p in project.texts.all() if p.id in schedule.passage_ids],
        conditions=Conditions(fresh=True, kind="scheduled"),
    )

"""A sweep as a run."""

from __future__ import annotations

from zestpanel.core.domain.sweep import Sweep
from zestpanel.core.runs.plan.conditions import Conditions
from zestpanel.core.runs.plan.planning import PlannedRun, PlanningParts, plan_run


def plan_sweep(project: PlanningParts, sweep: Sweep) -> PlannedRun:
    """The takes its points still lack. A point that equals a candidate is served from that one's takes."""
    passages = [p for p in project.texts.all() if p.id in sweep.spec.passage_ids]
    return plan_run(
        project,
        repeats=sweep.spec.repeats,
        candidates=sweep.points,
        passages=passages,
        conditions=Conditions(kind="sweep"),
    )

"""What a lead does after the first bench: time engines under load, sweep a setting, and bench again weeks later."""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Any, Final

import httpx

from zestpanel.core.analysis.changes.again import plan_again
from zestpanel.core.analysis.sweeps.running import plan_sweep
from zestpanel.core.domain.sweep import Axis, SweepSpec
from zestpanel.core.errors import ZestError
from zestpanel.core.runs.execute.executors import Executor
from zestpanel.core.runs.execute.unattended import make
from zestpanel.core.runs.plan.conditions import Conditions
from zestpanel.core.runs.plan.planning import PlannedRun, plan_run
from zestpanel.core.store.project import Project

Step = Callable[[Project, dict[str, Any], Callable[[str], None], Executor], None]


def _made(project: Project, planned: PlannedRun, executor: Executor) -> None:
    progress = make(project, planned, seed=3, executor=executor)
    if progress.held:
        raise ZestError(progress.held)


def _under_load(project: Project, data: dict[str, Any], tell: Callable[[str], None], executor: Executor) -> None:
    candidates, passages, load = project.shortlist.candidates(), project.texts.all(), data["load"]
    tell("  timing under load")
    planned = plan_run(
        project,
        candidates=[candidates[n - 1] for n in load["candidates"]],
        passages=[passages[n - 1] for n in load["passages"]],
        repeats=load["repeats"],
        conditions=Conditions(at_once=tuple(load["at_once"]), kind="load"),
    )
    _made(project, planned, executor)


def _swept(project: Project, data: dict[str, Any], tell: Callable[[str], None], executor: Executor) -> None:
    candidates, passages, sweep = project.shortlist.candidates(), project.texts.all(), data["sweep"]
    tell("  sweeping a setting")
    spec = SweepSpec(
        candidate_id=candidates[sweep["candidate"] - 1].id,
        axes=(Axis(control=sweep["control"], values=tuple(sweep["values"])),),
        passage_ids=(passages[sweep["passage"] - 1].id,),
        repeats=sweep["repeats"],
    )
    known = next((one for one in project.sweeps.all() if one.spec == spec), None)
    _made(project, plan_sweep(project, known or project.sweeps.add(spec)), executor)


def _again(project: Project, data: dict[str, Any], tell: Callable[[str], None], executor: Executor) -> None:
    candidates, passages, again = project.shortlist.candidates(), project.texts.all(), data["again"]
    tell("  benching again, weeks later")
    wanted = {(candidates[c - 1].id, passages[p - 1].id) for c in again["candidates"] for p in again["passages"]}
    run = project.journal.runs()[min(project.journal.runs())]
    _on_day(again["day"])
    try:
        _made(project, plan_again(project, run, only=lambda c, p: (c.id, p.id) in wanted), executor)
    finally:
        _on_day("")


FURTHER: Final[dict[str, Step]] = {"load": _under_load, "sweep": _swept, "again": _again}


def _on_day(day: str) -> None:
    """Tell the stand-in service which day it is; '' for today."""
    httpx.post(f"{os.environ['ZEST_LIMONAIA_ADDRESS']}/control", json={"today": day}).raise_for_status()

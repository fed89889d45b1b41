"""A whole run without a person: planned, made and waited for."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from zestpanel.core.errors import ZestError
from zestpanel.core.runs.execute.events import Progress, RunEvent
from zestpanel.core.runs.execute.executors import Executor
from zestpanel.core.runs.execute.jobs import RunParts
from zestpanel.core.runs.execute.running import BenchRun
from zestpanel.core.runs.plan.planning import PlannedRun, plan_run
from zestpanel.core.texts import tr


def render_missing(
    project: RunParts,
    *,
    repeats: int = 1,
    on_event: Callable[[RunEvent], None] = lambda _: None,
    seed: int = 0,
    executor: Executor | None = None,
) -> tuple[PlannedRun, Progress]:
    """Plan what is missing and make it. What is held then waits for another run (``held`` says why)."""
    planned = plan_run(project, repeats=repeats)
    return planned, make(project, planned, on_event=on_event, seed=seed, executor=executor)


def make(
    project: RunParts,
    planned: PlannedRun,
    *,
    on_event: Callable[[RunEvent], None] = lambda _: None,
    seed: int = 0,
    executor: Executor | None = None,
) -> Progress:
    """Make a planned run and wait until it is over or held. Raises ZestError when it is interrupted."""
    run = BenchRun(project, planned, on_event=on_event, seed=seed, executor=executor)
    run.start()
    try:
        run.wait_till_resting()
        held = run.progress().held
        run.cancel()
        run.wait()
    except KeyboardInterrupt:
        run.leave()  # what waits to be measured is measured by the next run
        run.wait()
        raise ZestError(
            tr("The run was stopped."), kept=tr("Finished takes are kept."), remedy=tr("Run again to go on.")
        ) from None
    return replace(run.progress(), held=held)

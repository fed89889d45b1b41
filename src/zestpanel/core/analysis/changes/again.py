"""Planning an earlier run once more: the same requests, in the same order, to the character."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from dataclasses import replace

from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.passage import Passage
from zestpanel.core.domain.run import RunRow
from zestpanel.core.errors import InputError
from zestpanel.core.runs.plan.conditions import Conditions
from zestpanel.core.runs.plan.planning import PlannedRun, PlanningParts, plan_run
from zestpanel.core.texts import tr

CHANGED = tr("its text, or the way it is sent, was changed since")


def plan_again(
    project: PlanningParts, run: RunRow, *, only: Callable[[Candidate, Passage], bool] = lambda candidate, passage: True
) -> PlannedRun:
    """A run of the same candidates, texts, settings and seeds under the same conditions, each asked for anew.

    only: which of its cells are wanted; all unless said. Cells whose request would differ from then are left out:
    comparing them would compare texts. Raises InputError when nothing of the run can be asked for again.
    """
    asked: dict[tuple[int, int], set[str]] = defaultdict(set)
    repeats = 1
    listed = project.shortlist.candidates()
    going_on = {c.first_id: c.id for c in listed if not c.ended}
    now_called = {c.id: going_on.get(c.first_id, c.id) for c in listed}
    for take in project.takes.all(with_timing=False):
        if take.run_id == run.id and take.asked and take.copied_from is None:
            candidate_id = now_called.get(take.candidate_id, take.candidate_id)
            asked[(candidate_id, take.passage_version_id)].add(take.asked)
            repeats = max(repeats, take.seed or 1)
    candidates = {c.id: c for c in listed}
    passages = {p.version_id: p for p in project.texts.all()}
    wanted = {(c, v) for c, v in asked if c in candidates and v in passages}
    if not wanted:
        raise InputError(
            tr("Nothing of that run can be asked for again: its candidates or texts are gone."),
            kept=tr("Nothing was sent."),
        )
    levels = (run.at_once,) if run.at_once else ()
    planned = plan_run(
        project,
        repeats=repeats,
        candidates=[c for c in candidates.values() if any(c.id == one for one, _ in wanted)],
        passages=[p for p in passages.values() if any(p.version_id == one for _, one in wanted)],
        only=lambda c, p: (c.id, p.version_id) in wanted and only(c, p),
        conditions=Conditions(
            at_once=levels,
            cold=run.cold,
            fresh=True,
            side_by_side=run.side_by_side,
            kind="again",
            of_run=run.id,
        ),
    )
    return _only_as_then(planned, asked)


def _only_as_then(planned: PlannedRun, asked: dict[tuple[int, int], set[str]]) -> PlannedRun:
    same = [j for j in planned.jobs if j.asked in asked[(j.candidate.id, j.passage.version_id)]]
    cells = {(j.candidate.id, j.passage.version_id) for j in same}
    other = {
        (j.candidate.id, j.passage.version_id): (j.candidate, j.passage, CHANGED)
        for j in planned.jobs
        if (j.candidate.id, j.passage.version_id) not in cells
    }
    return replace(planned, jobs=tuple(same), left_out=(*planned.left_out, *other.values()))

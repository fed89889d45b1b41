"""What another program has made, or asked for, between a run's planning and its beginning."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.run import JournalRow
from zestpanel.core.domain.take import Take
from zestpanel.core.runs.plan.job import Job
from zestpanel.core.runs.plan.undecided import undecided_of
from zestpanel.core.store.takes import Takes


def left_to_make(
    takes: Takes, journal: Sequence[JournalRow], candidates: Mapping[int, Candidate], engines: Mapping[str, Engine]
) -> tuple[Callable[[Job], bool], dict[str, Take]]:
    """(whether a job is still to be made, asked of each job once and of those others wait for first; the takes that
    serve jobs which wait for one that is there already, by its digest). What may have been paid meanwhile is not."""
    every = takes.all(with_timing=False)
    there = {(take.candidate_id, take.passage_version_id, take.repeat, take.asked): take for take in every}
    waiting = undecided_of(journal, candidates, engines, every)
    under_way = {(row.candidate_id, row.passage_version_id, row.repeat) for row in waiting}
    asked_for: set[str] = set()
    serving: dict[str, Take] = {}

    def is_left(job: Job) -> bool:
        cell = (job.candidate.id, job.passage.version_id, job.repeat)
        if (take := there.get((*cell, job.asked))) is not None:
            serving[job.asked] = take
            return False
        if cell in under_way or job.same_as in asked_for:
            asked_for.add(job.asked)
            return False
        return True

    return is_left, serving

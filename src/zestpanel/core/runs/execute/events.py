"""What a run tells while it goes on."""

from __future__ import annotations

from dataclasses import dataclass

from zestpanel.core.domain.money import Money
from zestpanel.core.domain.take import Take
from zestpanel.core.runs.plan.job import Job


@dataclass(frozen=True, slots=True, kw_only=True)
class RunEvent:
    """kind: 'started', 'kept', 'measured', 'failed', 'waiting' (before a retry), 'told' (what an engine says while it
    loads), 'put back' (made when the run goes on), 'held' (an engine or the run waits for a person, with the reason),
    'unmeasured' (the take is kept and measured later), 'finished'. run_id: of a take that failed; a kept one names its
    own."""

    kind: str
    job: Job | None = None
    take: Take | None = None
    text: str = ""
    run_id: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Progress:
    """held: why the run, or some engine of it, waits for a person; '' when nothing does. waiting: which engines wait
    because their service asked for it, and how long; '' for none."""

    total: int
    done: int
    failed: int
    running: int
    elapsed_s: float
    left_s: float | None
    spent: tuple[Money, ...]
    paused: bool
    finished: bool
    held: str
    waiting: str = ""

    @property
    def left_over(self) -> int:
        """Takes that were neither made nor given up."""
        return self.total - self.done - self.failed

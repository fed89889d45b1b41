"""A run's log: a text file in the project that a person can read, a line an event."""

from __future__ import annotations

import contextlib
import threading
from collections import Counter
from datetime import datetime
from pathlib import Path

from zestpanel.core.own_files import append_to
from zestpanel.core.runs.execute.events import Progress
from zestpanel.core.runs.plan.circumstances import describe_machine, describe_network
from zestpanel.core.runs.plan.job import Job
from zestpanel.core.runs.plan.planning import PlannedRun
from zestpanel.core.secrets.masking import without_keys


class RunLog:
    """Lines are on disk when ``write`` returns, as far as the disk takes them: a log never stops a run."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._lock = threading.Lock()

    def write(self, text: str) -> None:
        stamp = datetime.now().astimezone().isoformat(sep=" ", timespec="milliseconds")
        with self._lock, contextlib.suppress(OSError):
            self.path.parent.mkdir(exist_ok=True)
            append_to(self.path, f"{stamp}  {without_keys(text)}\n")

    def begin(self, run_id: int, seed: int, *, planned: PlannedRun) -> None:
        self.write(
            f"Run {run_id} ({planned.conditions.kind}): {len(planned.jobs)} takes, {planned.requests} requests, "
            f"{planned.characters} characters, {planned.price}, seed {seed}. {describe_machine()}, "
            f"network {describe_network()}."
        )
        why_count = Counter(why for _, _, why in planned.left_out)
        for candidate, passage, why in planned.left_out:
            if more := why_count.pop(why, 0):  # one line a reason
                others = f" and {more - 1} more" if more > 1 else ""
                self.write(f"Left out: {candidate.engine} {candidate.voice}, '{passage.title}'{others}: {why}")

    def end(self, progress: Progress, *, stopped: bool) -> None:
        spent = " + ".join(map(str, progress.spent)) or "nothing"
        how = "Stopped" if stopped else "Ended"
        self.write(f"{how}: {progress.done} takes kept, {progress.failed} failed, {spent} spent.")


def log_path(folder: Path, run_id: int) -> Path:
    return folder / "runs" / f"{run_id:04d}.log"


def named(job: Job) -> str:
    return f"{job.candidate.engine} {job.candidate.voice}, '{job.passage.title}', take {job.repeat}"

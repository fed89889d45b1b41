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
from zestpanel.core.texts import tr


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
            tr(
                "Run {run_id} ({kind}): {jobs} takes, {requests} requests, {characters} characters, "
                "{price}, seed {seed}. {describe_machine}, network {describe_network}.",
                run_id=run_id,
                kind=planned.conditions.kind,
                jobs=len(planned.jobs),
                requests=planned.requests,
                characters=planned.characters,
                price=planned.price,
                seed=seed,
                describe_machine=describe_machine(),
                describe_network=describe_network(),
            )
        )
        why_count = Counter(why for _, _, why in planned.left_out)
        for candidate, passage, why in planned.left_out:
            if more := why_count.pop(why, 0):  # one line a reason
                others = tr(" and {more} more", more=more - 1) if more > 1 else ""
                self.write(
                    tr(
                        "Left out: {engine} {voice}, '{title}'{others}: {why}",
                        engine=candidate.engine,
                        voice=candidate.voice,
                        title=passage.title,
                        others=others,
                        why=why,
                    )
                )

    def end(self, progress: Progress, *, stopped: bool) -> None:
        spent = " + ".join(map(str, progress.spent)) or "nothing"
        how = tr("Stopped") if stopped else tr("Ended")
        self.write(
            tr(
                "{how}: {done} takes kept, {failed} failed, {spent} spent.",
                how=how,
                done=progress.done,
                failed=progress.failed,
                spent=spent,
            )
        )


def log_path(folder: Path, run_id: int) -> Path:
    return folder / "runs" / f"{run_id:04d}.log"


def named(job: Job) -> str:
    return tr(
        "{engine} {voice}, '{title}', take {repeat}",
        engine=job.candidate.engine,
        voice=job.candidate.voice,
        title=job.passage.title,
        repeat=job.repeat,
    )

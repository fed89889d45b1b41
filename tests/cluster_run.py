"""The same bench here and on a local cluster of two workers, one of which is killed in the middle.

python -m tests.cluster_run FOLDER     prints what was the same, as JSON
"""

from __future__ import annotations

import json
import os
import signal
import sys
from pathlib import Path
from typing import Any

from tests.conftest import add_command_engine
from zestpanel.core.runs.execute.elsewhere import DaskExecutor
from zestpanel.core.runs.execute.events import RunEvent
from zestpanel.core.runs.execute.executors import Executor, LocalExecutor
from zestpanel.core.runs.execute.unattended import make
from zestpanel.core.runs.plan.planning import plan_run
from zestpanel.core.store.project import Project


def _bench(folder: Path, executor: Executor, on_kept: Any = lambda: None) -> tuple[list[Any], int]:
    project = Project.create(folder)
    add_command_engine(project)
    project.shortlist.add(project.shortlist.engines()["Kitchen Table"], voice="hesk")
    project.texts.add(["The last frost falls in May.", "Rain."], language="en-GB")

    def on_event(event: RunEvent) -> None:
        if event.kind == "kept":
            on_kept()

    progress = make(project, plan_run(project), on_event=on_event, executor=executor)
    measured = project.takes.measured()
    out = sorted(
        [t.candidate_id, t.passage_version_id, t.repeat, t.clip, measured[t.id].values, measured[t.id].words_by,
         [list(word) for word in measured[t.id].words]]
        for t in project.takes.all()
    )  # fmt: skip
    machines = {t.timing.machine for t in project.takes.all() if t.timing}
    project.close()
    assert progress.held == "", progress.held
    return json.loads(json.dumps(out)), len(machines - {""})


def main(folder: Path) -> None:
    from distributed import LocalCluster

    here, _ = _bench(folder / "Here.zest", LocalExecutor())
    with LocalCluster(n_workers=2, threads_per_worker=1, processes=True, dashboard_address=None) as cluster:
        pids = [worker.process.pid for worker in cluster.workers.values()]

        def kill_one() -> None:
            if pids:
                os.kill(pids.pop(), signal.SIGKILL)
                pids.clear()

        executor = DaskExecutor(cluster.scheduler_address)
        there, elsewhere = _bench(folder / "There.zest", executor, kill_one)
        executor.close()
    print(json.dumps({"takes": len(here), "same": here == there, "killed": not pids, "timed elsewhere": elsewhere}))


if __name__ == "__main__":
    main(Path(sys.argv[1]))

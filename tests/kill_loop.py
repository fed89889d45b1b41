"""Kill a run at random moments, again and again, and look at the project after each.

python -m tests.kill_loop FOLDER KILLS SEED     prints one line at the end, or fails with what was found wrong

Each run is a fork that talks to the stand-in service over HTTP; the service lives on and counts what it was asked, so
that a request which the journal does not know of would be seen.
"""

from __future__ import annotations

import functools
import os
import random
import signal
import sys
import time
from collections.abc import Callable
from pathlib import Path

import httpx

from tests.conftest import KEY, Unmeasured, add_demo_engine
from zestpanel.core.runs.execute.running import BenchRun
from zestpanel.core.runs.plan.planning import plan_run
from zestpanel.core.runs.plan.undecided import WORDS as MAY_BE_PAID
from zestpanel.core.store.project import Project
from zestpanel.demo.building import stand_in_service

LONGEST_S = 0.7
TEXTS = ["First words.", "Second words.", "A third line."]


def _run(folder: Path, repeats: int) -> None:
    project = Project.open(folder)
    run = BenchRun(project, plan_run(project, repeats=repeats), executor=Unmeasured())
    run.start()
    run.wait()


def _killed(child: Callable[[], None], after_s: float) -> bool:
    """Run the function in a fork and kill it; False when it had ended by itself."""
    pid = os.fork()
    if pid == 0:
        try:
            child()
        finally:
            os._exit(0)
    time.sleep(after_s)
    os.kill(pid, signal.SIGKILL)
    _, status = os.waitpid(pid, 0)
    return os.WIFSIGNALED(status)


def main(folder: Path, kills: int, seed: int) -> None:
    chance = random.Random(seed)
    with stand_in_service() as address:
        os.environ["ZEST_SECRET_LIMONAIA"] = KEY
        httpx.post(f"{address}/control", json={"delay_s": {"tangor": 0.0, "citrange": 0.0, "mandelo": 0.0}})
        project = Project.create(folder)
        for name, voices in (("tangor", ("ilseth", "corwick")), ("citrange", ("linnoway", "brindal"))):
            add_demo_engine(project, name)
            for voice in voices:
                project.shortlist.add(project.shortlist.engines()[name.capitalize()], voice=voice)
        project.texts.add(TEXTS, language="en-GB")
        project.close()
        repeats, kept, left_open, done, ended = 4, 0, 0, 0, 0
        while done < kills:
            if _killed(functools.partial(_run, folder, repeats), chance.uniform(0.02, LONGEST_S)):
                done += 1
            else:
                ended += 1
            project = Project.open(folder)
            takes, still_open = project.takes.all(), project.journal.rows(state="open")
            assert len(takes) >= kept, f"{kept - len(takes)} finished takes are gone"
            kept = len(takes)
            assert all(project.takes.load(take).frames > 0 for take in takes[-20:])
            rows = project.journal.rows()
            assert sum(row.state == "done" for row in rows) == kept, "a take without its request, or the reverse"
            asked = httpx.get(f"{address}/account", headers={"x-key": KEY}).json()["used"]
            sure = sum(row.characters for row in rows if row.state == "done")
            perhaps = sum(row.characters for row in rows if row.state in ("open", "abandoned"))
            assert sure <= asked <= sure + perhaps, f"the service was asked {asked}, the journal knows {sure}+{perhaps}"
            planned = plan_run(project, repeats=repeats)
            undecided = {(row.candidate_id, row.passage_version_id) for row in still_open}
            assert not undecided & {(job.candidate.id, job.passage.version_id) for job in planned.jobs}
            assert any(why == MAY_BE_PAID for _, _, why in planned.left_out) == bool(undecided)
            left_open += len(still_open)
            for row in still_open:
                project.journal.close_failed(row.id, "abandoned", "given up", state="abandoned")
            if len(plan_run(project, repeats=repeats).jobs) < 6:
                repeats += 4
            project.close()
        print(f"{done} kills, {ended} ended first: {kept} takes kept, {left_open} requests left open and listed")


if __name__ == "__main__":
    main(Path(sys.argv[1]), int(sys.argv[2]), int(sys.argv[3]))

"""Rows that need widgets, run offscreen."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import psutil
from tests.conftest import COMMAND_ENGINE
from tests.screen import virtual_screen

from benchmarks.core_rows import Rows, fill, limit, speech
from benchmarks.timing import best_of, seconds

APPLICATION: list[object] = []  # kept: Qt ends with the last reference

START = """
import sys, time
from pathlib import Path
from PyQt6.QtCore import QTimer
from zestpanel.desk import application as a
from zestpanel.desk.window import MainWindow
from zestpanel.core.store.project import Project
app = a.make_application()
window = MainWindow(Project.open(Path(sys.argv[1])))
window.show()
app.processEvents()
print(time.time(), flush=True)
window.close()
"""

# sleeps 5 ms at a time; says at its end what the longest of them was over that, in seconds
BYSTANDER = """
import signal, sys, time
longest = 0.0
def end(*_):
    print(longest, flush=True)
    sys.exit(0)
signal.signal(signal.SIGTERM, end)
last = time.perf_counter()
while True:
    time.sleep(0.005)
    now = time.perf_counter()
    longest, last = max(longest, now - last - 0.005), now
"""


def start() -> Rows:
    """From starting Python to the first painted window on a project like the demo's (9 x 8 cells, two repeats)."""
    from zestpanel.core.store.project import Project

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "P.zest"
        project = Project.create(path)
        fill(project, candidates=9, passages=8, repeats=2, rated=8)
        project.close()
        taken = []
        for _ in range(3):
            began = time.time()
            done = subprocess.run([sys.executable, "-c", START, str(path)], capture_output=True, text=True, check=True,
                                  env={**os.environ, "QT_QPA_PLATFORM": "offscreen"})  # fmt: skip
            taken.append(float(done.stdout) - began)
    return [("start to first usable window, demo-sized project", seconds(min(taken)), "< 1.5 s")]


def voices() -> Rows:
    from zestpanel.core.catalogue.browsing import EngineTraits, VoiceIndex, make_rows
    from zestpanel.core.catalogue.facts import Engine, Voice
    from zestpanel.core.catalogue.reaching import CommandSpeak
    from zestpanel.desk.application import make_application
    from zestpanel.desk.pages.engines.facets import FacetPanel
    from zestpanel.desk.pages.engines.voice_table import VoiceModel

    APPLICATION.append(make_application())
    rng = np.random.default_rng(1)
    kinds = ("warm", "deep", "bright", "brisk", "calm")
    tags = ("en-GB", "en-US", "fr-FR", "es-ES", "de-DE", "it-IT")
    engines = [
        Engine(**{"zest-connector": 1, "engine": f"E{e}",
                  "speak": CommandSpeak(kind="command", arguments=("x",)), "voices": tuple(
                      Voice(id=f"v{k}", name=f"Voice {k}", languages=(tags[int(rng.integers(6))],),
                            gender=("woman", "man")[k % 2], styles=(kinds[k % 5],),
                            character=(kinds[int(rng.integers(5))],)) for k in range(4000))})
        for e in range(10)
    ]  # fmt: skip
    traits = [EngineTraits(engine=e, hosted="hosted", rights="yes", price_band="unknown", unlocked_tiers=frozenset())
              for e in engines]  # fmt: skip
    model, panel = VoiceModel(), FacetPanel()
    began = time.perf_counter()
    model.show(VoiceIndex(make_rows(traits, {}, {})))
    opened = time.perf_counter() - began

    def press(text: str, facets: dict[str, frozenset[str]]) -> None:
        model.look_for(text, facets)
        panel.show_facets(model.facets())

    french = {"language": frozenset({"French"}), "gender": frozenset({"woman"})}
    presses: tuple[tuple[str, dict[str, frozenset[str]]], ...] = (
        ("w", {}), ("wa", {}), ("warm", {}), ("warm", french), ("", french), ("", {}), ("warm 7", french))  # fmt: skip
    worst = max(best_of(1, lambda t=text, f=facets: press(t, f)) for text, facets in presses)
    resort = max(best_of(1, lambda c=column: model.sort(c)) for column in (1, 3, 1, 2))
    return [
        ("filter 40,000 voices with counts, slowest key press", seconds(worst), "< 50 ms"),
        ("sort 40,000 voices, first time by a column", seconds(resort), "< 50 ms"),
        ("put 40,000 voices in the table (off the interface thread)", seconds(opened), ""),
    ]


def grid() -> Rows:
    from PyQt6.QtWidgets import QApplication

    from zestpanel.core.store.project import Project
    from zestpanel.desk.application import make_application
    from zestpanel.desk.window import MainWindow

    APPLICATION.append(make_application())
    with tempfile.TemporaryDirectory() as folder:
        project = Project.create(Path(folder) / "P.zest")
        fill(project, candidates=200, passages=100, repeats=1)
        small = Project.create(Path(folder) / "Small.zest")  # another project is open already: nothing is imported
        MainWindow(small).close()
        small.close()
        began = time.perf_counter()
        window = MainWindow(project)
        window.show()
        QApplication.processEvents()
        opened = time.perf_counter() - began
        view = window.page("renders").grid  # type: ignore[attr-defined]
        bar = view.verticalScrollBar()
        frames = []
        for step in range(60):
            bar.setValue(step * 37)
            began = time.perf_counter()
            view.viewport().repaint()
            frames.append(time.perf_counter() - began)
        across = view.horizontalScrollBar()
        memory = []
        for _ in range(10):  # past every cell, ten times
            for x in range(0, across.maximum() + 400, 400):
                across.setValue(x)
                for y in range(0, bar.maximum() + 400, 400):
                    bar.setValue(y)
                    QApplication.processEvents()
            memory.append(psutil.Process().memory_info().rss / 1e6)
        window.close()
        project.close()
    return [
        ("bench grid of 200 x 100 takes: open", seconds(opened), "< 1 s"),
        ("bench grid of 200 x 100 takes: scroll frame, median", seconds(float(np.median(frames))), "< 16 ms"),
        (
            f"  past all 20,000 cells three times: {memory[2]:.0f} MB; seven times more",
            f"{memory[-1] - memory[2]:+.1f} MB",
            "flat",
        ),
    ]


LARGE = """
import sys, time, resource
from pathlib import Path
from zestpanel.core.store.project import Project
began = time.perf_counter()
from zestpanel.desk.viewmodels.cells import bench_of
project = Project.open(Path(sys.argv[1]))
bench = bench_of(project)
print(time.perf_counter() - began, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
"""


def large_project() -> Rows:
    from zestpanel.core.store.project import Project

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "P.zest"
        project = Project.create(path)
        fill(project, candidates=100, passages=50, repeats=10)
        project.close()
        done = subprocess.run([sys.executable, "-c", LARGE, str(path)], capture_output=True, text=True, check=True)
        taken, memory = map(float, done.stdout.split())
    return [("project of 50,000 takes: open, memory", f"{seconds(taken)}, {memory:.0f} MB", "< 2 s, < 500 MB")]


def wait_for(done: Callable[[], bool]) -> None:
    """Let the window work until something is so."""
    from PyQt6.QtWidgets import QApplication

    while not done():
        QApplication.processEvents()
        time.sleep(0.001)


def run_of_1000() -> Rows:
    """1,000 takes at eight at once from an engine that answers at once; how long the interface thread stood still.

    Beside it a process that only sleeps: what it misses, the machine took from everybody.
    """
    from functools import partial

    from PyQt6.QtCore import QTimer

    from zestpanel.core.connectors.agreed import agree
    from zestpanel.core.connectors.speaking import Reply, SpeakRequest
    from zestpanel.core.domain.take import Timing
    from zestpanel.core.runs.execute.running import BenchRun
    from zestpanel.core.store.project import Project
    from zestpanel.core.store.schema import takes as take_rows
    from zestpanel.core.waiting import Cancelled, never_cancelled
    from zestpanel.desk import run_control
    from zestpanel.desk.application import make_application
    from zestpanel.desk.window import MainWindow

    clip = speech(1)

    class Instant:
        def speak(self, request: SpeakRequest, cancelled: Cancelled = never_cancelled) -> Reply:
            time.sleep(0.05)
            return Reply(data=b"", clip=clip, timing=Timing(last_byte_s=0.05, decoded_s=0.05), voice_used=request.voice)

        def describe(self, request: SpeakRequest) -> str:
            return ""

        def close(self) -> None:
            pass

    APPLICATION.append(make_application())
    with tempfile.TemporaryDirectory() as folder:
        project = Project.create(Path(folder) / "P.zest")
        fill(project, candidates=50, passages=20, repeats=1)
        with project.takes._database.writing() as connection:
            connection.exec_driver_sql("DELETE FROM measures")
            connection.execute(take_rows.delete())
        os.environ["ZEST_LIMONAIA_ADDRESS"] = "http://127.0.0.1:9"  # nobody is asked: see Instant
        limit(project, requests_at_once=8)
        agree(project.shortlist.engines()["Tangor"])
        window = MainWindow(project)
        window.show()
        state, renders = window.state, window.pages["renders"]
        wait_for(lambda: not state.background.busy and state.evaluation is not None and renders.planned is not None)  # type: ignore[attr-defined]
        gaps: list[float] = []
        last = [time.perf_counter()]

        def beat() -> None:
            now = time.perf_counter()
            gaps.append(now - last[0])
            last[0] = now

        timer = QTimer()
        timer.setInterval(5)
        timer.timeout.connect(beat)
        timer.start()
        run_control.BenchRun = partial(BenchRun, connect=lambda _: Instant())  # type: ignore[attr-defined]
        bystander = subprocess.Popen([sys.executable, "-c", BYSTANDER], stdout=subprocess.PIPE, text=True)
        began = last[0] = time.perf_counter()
        renders.start()  # type: ignore[attr-defined]
        wait_for(
            lambda: state.runs.run is not None and state.runs.run.progress().finished and not state.background.busy
        )
        taken = time.perf_counter() - began
        bystander.terminate()
        missed = float(bystander.communicate()[0].strip() or 0)
        memory = psutil.Process().memory_info().rss / 1e6
        window.close()
        project.close()
    worst, often = max(gaps), float(np.quantile(gaps, 0.999))
    return [
        ("interface thread held during a run of 1,000 takes: longest", seconds(worst), "never > 50 ms"),
        (f"  the same, 999 of 1,000 beats within (run took {taken:.0f} s, {memory:.0f} MB)", seconds(often), ""),
        ("  a process that only sleeps, beside it: longest it was kept waiting", seconds(missed), ""),
    ]


def first_decision() -> Rows:
    """From the first start to a written decision: two voices of a program, one passage, three listeners who hear every
    clip, and the rights stated; on a usual screen, without a mouse, and at 150 % on a small one."""
    out: Rows = []
    for name, way, size, scale in (
        ("", "first", "1400x900", "1"),
        (", without a mouse (everything gone to by Tab)", "keys", "1400x900", "1"),
        (" at 150 % on 1366 x 768", "first", "1366x768", "1.5"),
    ):
        with tempfile.TemporaryDirectory() as folder, virtual_screen(size) as display:
            script, engine = Path(folder) / "own.txt", Path(folder) / "kitchen.yaml"
            script.write_text("The russet pear keeps until March, if the frost does not find it first.", "utf-8")
            engine.write_text(COMMAND_ENGINE, encoding="utf-8")
            keys, clicks, took = _journey(
                display, way, str(Path(folder) / "Own.zest"), str(script), str(engine), "1", scale
            )
        out += [(f"first start to a written decision{name}, keys and clicks", f"{keys} + {clicks}",
                 "150" if way == "first" else ""),
                ("  seconds, nearly all of them listening", took, "900")]  # fmt: skip
    return out


def decision_in_a_rated_project() -> Rows:
    """Some voices heard at one word, the last four pages, a written decision: as large as the demo, and large."""
    from zestpanel.core.store.project import Project

    out: Rows = []
    for candidates, passages in ((9, 8), (40, 60)):
        with tempfile.TemporaryDirectory() as folder, virtual_screen() as display:
            project = Project.create(Path(folder) / "Rated.zest")
            fill(project, candidates=candidates, passages=passages, repeats=1, rated=8)
            project.close()
            keys, clicks, took = _journey(display, "large", str(Path(folder) / "Rated.zest"))
        name = f"a decision in a rated project of {candidates} x {passages}, keys and clicks"
        out += [(name, f"{keys} + {clicks}", ""), ("  seconds", took, "")]
    return out


def _journey(display: str, *arguments: str) -> list[str]:
    """Keys, clicks and seconds of a journey of somebody who starts the program for the first time."""
    with tempfile.TemporaryDirectory() as settings:
        own = {"DISPLAY": display, "QT_QPA_PLATFORM": "xcb", "XDG_CONFIG_HOME": settings}
        done = subprocess.run([sys.executable, "-m", "tests.journey", *arguments], check=True, text=True,
                              stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, env={**os.environ, **own})  # fmt: skip
    return done.stdout.splitlines()[-1].removeprefix("hands ").split()


ROWS = [
    ("first decision", first_decision), ("decision rated", decision_in_a_rated_project),
    ("start", start), ("voices", voices), ("grid", grid), ("large", large_project), ("run", run_of_1000),
]  # fmt: skip

"""What one engine does stays with it: nine others are heard, whatever the tenth sends."""

from __future__ import annotations

import io
import json
import os
import signal
import struct
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import av
import numpy as np
import psutil
import pytest

from tests.conftest import Unmeasured
from tests.core.test_limits import hidden
from tests.small_service import wav
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.domain.take import Measured
from zestpanel.core.errors import ZestError
from zestpanel.core.runs.execute.running import BenchRun
from zestpanel.core.runs.execute.unattended import make
from zestpanel.core.runs.plan.planning import plan_run
from zestpanel.core.store.project import Project

TEXTS = ["Rain at noon.", "Snow by dusk."]


def with_program(project: Project, name: str, code: str, *, argument: str = "{output}", **speak: object) -> None:
    """A program of this machine: Python code that is given a path to write its sound to, or writes it out."""
    source = json.dumps({
        "zest-connector": 1, "engine": name, "voices": [{"id": "v", "name": "V", "languages": ["en-GB"]}],
        "speak": {"kind": "command", "arguments": ["${ZEST_PYTHON}", "-c", code, argument, "--", "{text}"],
                  "timeout_s": 10, **speak},
    })  # fmt: skip
    project.shortlist.add_engine(parse_connector(source, name=f"{name}.json"), source, f"{name}.json")
    project.shortlist.add(project.shortlist.engines()[name], voice="v")


def writes(data: bytes) -> str:
    """A program that writes these bytes where it is told to."""
    return f"import sys, zlib; open(sys.argv[1], 'wb').write(zlib.decompress({__import__('zlib').compress(data)!r}))"


def flac_without_a_length() -> bytes:
    """A FLAC stream as an encoder pipes it: its head says no number of samples."""
    out = io.BytesIO()
    with av.open(out, "w", format="flac") as container:
        stream = container.add_stream("flac", rate=16_000)
        tone = (8000 * np.sin(np.arange(8_000) / 6)).astype(np.int16)[None, :]
        frame = av.AudioFrame.from_ndarray(tone, format="s16", layout="mono")
        frame.sample_rate = 16_000
        for packet in [*stream.encode(frame), *stream.encode(None)]:
            container.mux(packet)
    data = bytearray(out.getvalue())
    data[21] &= 0xF0  # the 36 bits of STREAMINFO that count the samples (RFC 9639, 8.2)
    data[22:26] = bytes(4)
    return bytes(data)


WHOLE = wav(0.5)
STREAMED = WHOLE[:4] + b"\xff" * 4 + WHOLE[8:40] + b"\xff" * 4 + WHOLE[44:]
HUGE_RATE = WHOLE[:24] + struct.pack("<I", 2_000_000_000) + WHOLE[28:]
NONSENSE = {
    "half a file": (writes(WHOLE[:4000]), "cut off: its header promises more"),
    "a rate beyond reason": (writes(HUGE_RATE), "no playable sound"),
    "noise of no kind": (writes(bytes(range(256)) * 50), "no known sound file"),
    "a page": (writes(b"<!doctype html><p>Not found"), "a web page, not sound"),
    "nothing": ("pass", "wrote no sound"),
    "not a number": (writes(WHOLE[:20] + struct.pack("<HHIIHH", 3, 1, 16_000, 64_000, 4, 32) + b"data"
                            + struct.pack("<I", 64_000) + struct.pack("<f", float("nan")) * 16_000), ""),
    "an end with words": ("import sys; print('loading'); sys.stderr.write('no weights\\nat all\\n'); sys.exit(3)",
                          "ended with status 3: no weights | at all · its output ended with: loading"),
    "a signal": ("import os; os.kill(os.getpid(), 11)", "was ended by signal 11"),
    "silence for ever": ("import time; time.sleep(600)", "did not end within 1 s"),
}  # fmt: skip


@pytest.mark.parametrize("name", NONSENSE)
def test_one_broken_engine_among_ten_leaves_nine_untouched(project: Project, name: str) -> None:
    code, said = NONSENSE[name]
    for number in range(9):
        with_program(project, f"Good {number}", writes(wav(0.3, hz=200 + 20 * number)))
    with_program(project, "Broken", code, **({"timeout_s": 1} if name == "silence for ever" else {}))
    project.texts.add(TEXTS[:1], language="en-GB")
    progress = make(project, plan_run(project), executor=Unmeasured())
    assert (progress.done, progress.failed, progress.held) == (9, 1, "")
    (failed,) = project.journal.rows(state="failed")
    assert said in failed.failure_text
    log = (project.folder / "runs" / "0001.log").read_text("utf-8")
    [line] = [line for line in log.splitlines() if ": failed, " in line]
    assert "Broken v" in line
    assert TEXTS[0].rstrip(".") in line
    assert len(make(project, plan_run(project), executor=Unmeasured()).held) == 0, "later runs are not held by it"


@pytest.mark.parametrize("data", [flac_without_a_length(), STREAMED], ids=["flac", "wav"])
def test_streams_that_state_no_length_are_heard(project: Project, data: bytes) -> None:
    with_program(project, "Streams", f"import sys; sys.stdout.buffer.write({data!r})", argument="-")
    project.texts.add(TEXTS[:1], language="en-GB")
    assert make(project, plan_run(project), executor=Unmeasured()).done == 1
    assert project.takes.all()[0].duration_s == pytest.approx(0.5, abs=0.01)


def test_an_error_nobody_foresaw_stays_with_its_take(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    with_program(project, "Good", writes(WHOLE))
    with_program(project, "Odd", writes(wav(0.7)))
    project.texts.add(TEXTS, language="en-GB")
    keep = project.takes.keep

    def odd(clip: object, **values: object) -> object:
        if clip.duration_s > 0.6:  # type: ignore[attr-defined]
            raise ZeroDivisionError("a corner of a coder")
        return keep(clip, **values)  # type: ignore[arg-type]

    monkeypatch.setattr(project.takes, "keep", odd)
    progress = make(project, plan_run(project), executor=Unmeasured())
    assert (progress.done, progress.failed, progress.held) == (2, 2, "")


def test_a_run_that_is_told_to_end_ends_its_programs_and_closes_its_journal(project: Project, tmp_path: Path) -> None:
    mark = tmp_path / "pid"
    with_program(project, "Slow", f"{hidden(mark)}open({str(mark)!r}, 'a').write(str(os.getpid())); time.sleep(300)")
    project.texts.add(TEXTS, language="en-GB")
    project.close()
    process = subprocess.Popen([sys.executable, "-m", "zestpanel", "agree", str(project.folder), "--yes"])
    assert process.wait(60) == 0
    process = subprocess.Popen([sys.executable, "-m", "zestpanel", "run", str(project.folder), "--render"],
                               stderr=subprocess.PIPE, text=True)  # fmt: skip
    until = time.monotonic() + 60
    while not (mark.exists() and len(mark.read_text().split()) == 2) and time.monotonic() < until:
        time.sleep(0.05)
    pids = [int(pid) for pid in mark.read_text().split()]
    os.kill(process.pid, signal.SIGTERM)
    _, err = process.communicate(timeout=30)
    assert process.returncode == 2
    assert "The run was stopped. Finished takes are kept. Run again to go on." in err
    assert not any(psutil.pid_exists(pid) and psutil.Process(pid).status() != "zombie" for pid in pids)
    again = Project.open(project.folder)
    assert [row.state for row in again.journal.rows()] == ["cancelled"]
    again.close()


def test_a_run_that_is_killed_takes_its_programs_along(project: Project, tmp_path: Path) -> None:
    """No handler runs on SIGKILL (signal(7)); the engine's program and what it started end all the same."""
    mark = tmp_path / "pid"
    with_program(project, "Slow", f"{hidden(mark)}open({str(mark)!r}, 'a').write(str(os.getpid())); time.sleep(300)")
    project.texts.add(TEXTS, language="en-GB")
    project.close()
    assert subprocess.run([sys.executable, "-m", "zestpanel", "agree", str(project.folder), "--yes"]).returncode == 0
    process = subprocess.Popen([sys.executable, "-m", "zestpanel", "run", str(project.folder), "--render"])
    assert soon(lambda: mark.exists() and len(mark.read_text().split()) == 2)
    pids = [int(pid) for pid in mark.read_text().split()]
    process.kill()
    process.wait(30)
    assert soon(lambda: not any(_lives(pid) for pid in pids))


def soon(holds: Callable[[], bool]) -> bool:
    until = time.monotonic() + 60
    while not holds() and time.monotonic() < until:
        time.sleep(0.05)
    return holds()


def _lives(pid: int) -> bool:
    return psutil.pid_exists(pid) and psutil.Process(pid).status() != "zombie"


def test_a_run_that_is_told_to_end_measures_nothing_more(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    """Measuring takes longer than rendering: an end that waited for all of it would look like a program that hangs."""
    measured: list[int] = []

    class Slow(Unmeasured):
        def measure(self, *asked: object, **more: object) -> Measured:
            measured.append(1)
            time.sleep(0.3)
            return super().measure(*asked, **more)

    def interrupted(run: BenchRun, timeout_s: float | None = None) -> bool:
        assert soon(lambda: len(measured) > 0 and len(project.takes.all()) == 12)
        raise KeyboardInterrupt

    monkeypatch.setattr(BenchRun, "wait_till_resting", interrupted)
    with_program(project, "Quick", writes(wav()))
    project.texts.add([f"Text number {n}." for n in range(12)], language="en-GB")
    with pytest.raises(ZestError, match=r"The run was stopped\. Finished takes are kept"):
        make(project, plan_run(project), executor=Slow())
    assert len(measured) < 12
    assert len(project.takes.all()) == 12
    assert len(project.takes.measured()) == len(measured)

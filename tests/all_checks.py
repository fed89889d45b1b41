"""Every check of the project, in one run: style, types, directions of import, and all tests.

Tests run in three parts at once, since most of them wait more than they compute: the core (without Qt) in two, one of
them with the checks against outside sources; and the desk, offscreen and in a real window under a virtual screen that
the tests start.
"""

from __future__ import annotations

import compileall
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
BIN = Path(sys.executable).parent
# a test makes a project or two, and a disk is slow at writing through; in memory they take half the time
IN_MEMORY = Path("/dev/shm")
ROOM_BYTES = 4 * 10**9
# what mypy knows of files, by their content: seconds instead of minutes in another checkout of the same person
TYPES = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "zestpanel-checks" / "mypy"
# tests of the core that are a part of their own, so that all take about as long: runs, recordings, kills, sweeps, demo
APART = [
    f"tests/core/test_{name}.py"
    for name in (
        "runs",
        "recordings",
        "project",
        "sweeps",
        "demo",
        "sending",
        "survival",
        "engines_together",
        "texts",
        "command_line",
        "faults",
        "believed",
    )
]

REFERENCE = "tests/reference"
ELSEWHERE = "tests/elsewhere"  # in a real browser
DEEP_INPUTS = 1_000_000
DEEP_KILLS = 1_000


def started(name: str, arguments: list[str], **environment: str) -> tuple[str, subprocess.Popen[str], float]:
    process = subprocess.Popen(
        arguments,
        cwd=ROOT,
        env={**os.environ, **environment},
        text=True,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
    )
    return name, process, time.monotonic()


def finished(check: tuple[str, subprocess.Popen[str], float]) -> bool:
    name, process, began = check
    output, _ = process.communicate()
    good = process.returncode == 0
    print(f"--- {name}: {'passed' if good else 'FAILED'} in {time.monotonic() - began:.0f} s", flush=True)
    if not good or name.startswith("tests"):
        print(output.rstrip(), flush=True)
    return good


def explored() -> list[bool]:
    """A million damaged inputs, others each time, on all processors; what went wrong is kept in a folder."""
    folder, many = tempfile.mkdtemp(prefix="zest-fuzzing-"), os.cpu_count() or 1
    print(f"--- fuzzing {DEEP_INPUTS:,} inputs; what goes wrong is kept in {folder}", flush=True)
    parts = [
        started(f"fuzzing part {part + 1}", [sys.executable, "-m", "tests.fuzzing", str(DEEP_INPUTS // many),
                                             str(random.SystemRandom().randrange(10**9)), folder])
        for part in range(many)
    ]  # fmt: skip
    print(f"--- {DEEP_KILLS:,} runs killed", flush=True)
    killed = [f"{folder}/killed", str(DEEP_KILLS), str(random.SystemRandom().randrange(10**6))]
    parts.append(started("runs that are killed", [sys.executable, "-m", "tests.kill_loop", *killed]))
    parts.append(started("kills at every statement, 600 damaged databases", [
        sys.executable, "-m", "pytest", "tests/core/test_survival.py"], ZEST_DEEP="1"))  # fmt: skip
    parts.append(started("2,000 faults after a text was taken in, 600 odd cells", [
        sys.executable, "-m", "pytest", "tests/hostile"], ZEST_DEEP="1"))  # fmt: skip
    parts.append(started("twelve listeners elsewhere", [
        sys.executable, "-m", "pytest", "tests/elsewhere/test_a_panel.py"], ZEST_DEEP="1"))  # fmt: skip
    parts.append(started("10,000 random tariffs", [
        sys.executable, "-m", "pytest", "tests/reference/test_random_tariffs.py"], ZEST_DEEP="1"))  # fmt: skip
    return [finished(part) for part in parts]


def main() -> int:
    if IN_MEMORY.is_dir() and os.access(IN_MEMORY, os.W_OK) and shutil.disk_usage(IN_MEMORY).free > ROOM_BYTES:
        os.environ["TMPDIR"] = str(IN_MEMORY)
    for pool in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS"):
        os.environ[pool] = "1"  # the parts share the processors: threads of one would only wait for the others
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)  # tests are rewritten for their assertions once, not every time
    # hundreds of programs are started, each of which would compile the code again where the machine keeps none of it
    compileall.compile_dir(ROOT / "src", quiet=2, workers=0)
    compileall.compile_dir(ROOT / "tests", quiet=2, workers=0)
    deep, release = "--deep" in sys.argv, "--release" in sys.argv
    if release:
        os.environ["ZEST_RELEASE"] = "1"  # every text in every language
    pytest = [sys.executable, "-m", "pytest", *(one for one in sys.argv[1:] if one not in ("--deep", "--release"))]
    core = started(
        "tests of the core", [*pytest, "tests/core", "tests/hostile", *(f"--ignore={path}" for path in APART)]
    )
    about = "tests of the core that run and render, against outside sources, and in a browser"
    apart = started(about, [*pytest, *APART, REFERENCE, ELSEWHERE])
    desk = started("tests of the desk", [*pytest, "tests/desk"], QT_QPA_PLATFORM="offscreen")
    quick = [
        finished(started("ruff", [str(BIN / "ruff"), "check", "src", "tests", "benchmarks"])),
        finished(started("ruff format", [str(BIN / "ruff"), "format", "--check", "-q", "src", "tests", "benchmarks"])),
        finished(started("import-linter", [str(BIN / "lint-imports"), "--no-cache"])),
        finished(started("mypy", [str(BIN / "mypy"), "--cache-dir", str(TYPES)])),
    ]
    results = [*quick, *(finished(part) for part in (core, apart, desk))]
    if deep and all(results):
        results += explored()
    print("All checks passed." if all(results) else "Some checks FAILED.")
    return 0 if all(results) else 1


if __name__ == "__main__":
    sys.exit(main())

"""Every check of the project, in one run: style, types, directions of import, and all tests.

Tests run in three parts at once, since most of them wait more than they compute: the core (without Qt) in two, one of
them with the checks against outside sources; and the desk, offscreen and in a real window under a virtual screen that
the tests start.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
BIN = Path(sys.executable).parent
# a test makes a project or two, and a disk is slow at writing through; in memory they take half the time
IN_MEMORY = Path("/dev/shm")
ROOM_BYTES = 4 * 10**9
# tests of the core that are a part of their own, so that all take about as long: runs, recordings, kills, sweeps, demo
APART = [f"tests/core/test_{name}.py" for name in ("runs", "recordings", "project", "sweeps", "demo", "sending")]

REFERENCE = "tests/reference"


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


def main() -> int:
    if IN_MEMORY.is_dir() and os.access(IN_MEMORY, os.W_OK) and shutil.disk_usage(IN_MEMORY).free > ROOM_BYTES:
        os.environ["TMPDIR"] = str(IN_MEMORY)
    pytest = [sys.executable, "-m", "pytest", *sys.argv[1:]]
    core = started("tests of the core", [*pytest, "tests/core", *(f"--ignore={path}" for path in APART)])
    apart = started("tests of the core that run and render, and against outside sources", [*pytest, *APART, REFERENCE])
    desk = started("tests of the desk", [*pytest, "tests/desk"], QT_QPA_PLATFORM="offscreen")
    quick = [
        finished(started("ruff", [str(BIN / "ruff"), "check", "src", "tests", "benchmarks"])),
        finished(started("ruff format", [str(BIN / "ruff"), "format", "--check", "-q", "src", "tests", "benchmarks"])),
        finished(started("import-linter", [str(BIN / "lint-imports"), "--no-cache"])),
        finished(started("mypy", [str(BIN / "mypy"), "--no-incremental"])),
    ]
    results = [*quick, *(finished(part) for part in (core, apart, desk))]
    print("All checks passed." if all(results) else "Some checks FAILED.")
    return 0 if all(results) else 1


if __name__ == "__main__":
    sys.exit(main())

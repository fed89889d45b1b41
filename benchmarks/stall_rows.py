"""Rows on how long the interface thread is held, each in a process of its own: see ``stalls``."""

from __future__ import annotations

import os
import subprocess
import sys

from benchmarks.core_rows import Rows
from benchmarks.stalls import DROPS
from benchmarks.timing import seconds


def _longest(*what: str) -> float:
    done = subprocess.run(
        [sys.executable, "-m", "benchmarks.stalls", *what], env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    first = next(line for line in done.stdout.splitlines() if line.startswith("longest"))
    return float(first.split()[1])


def walks() -> Rows:
    return [
        (f"interface held on all pages, {name}: longest", seconds(_longest("walk", *size)), "< 50 ms")
        for name, size in (("demo-sized", ("9", "8")), ("40 x 60", ("40", "60")), ("200 x 100", ("200", "100")))
    ]


def drops() -> Rows:
    return [(f"interface held by {what}, dropped: longest", seconds(_longest("drop", what)), "< 50 ms")
            for what in DROPS]  # fmt: skip


ROWS = [("held on pages", walks), ("held by drops", drops)]

"""Rows on how long the interface thread is held, each in a process of its own: see ``stalls``."""

from __future__ import annotations

import os
import subprocess
import sys

from benchmarks.core_rows import Rows
from benchmarks.stalls import DROPS
from benchmarks.timing import seconds


def _longest(*what: str) -> str:
    """'61 ms, 48 ms computing': by the clock, and without what the machine stood still."""
    done = subprocess.run(
        [sys.executable, "-m", "benchmarks.stalls", *what], env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    said = dict(reversed([line.split()[:2] for line in done.stdout.splitlines()]))  # the first of a name is the longest
    return f"{seconds(float(said['longest']))}, {seconds(float(said['computed']))} computing"


def walks() -> Rows:
    return [
        (f"interface held on all pages, {name}: longest", _longest("walk", *size), "< 50 ms")
        for name, size in (("demo-sized", ("9", "8")), ("40 x 60", ("40", "60")), ("200 x 100", ("200", "100")))
    ]


def drops() -> Rows:
    return [(f"interface held by {what}, dropped: longest", _longest("drop", what), "< 50 ms")
            for what in DROPS]  # fmt: skip


ROWS = [("held on pages", walks), ("held by drops", drops)]

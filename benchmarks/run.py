"""Measure speed and memory against the goals, beside a reference package in the same run where one is named.

./zest bench             all of it
./zest bench NAME ...    only rows whose name contains one of the words
"""

from __future__ import annotations

import os
import platform
import sys
import tempfile
import traceback
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("ZEST_PYTHON", sys.executable)
os.environ["XDG_CONFIG_HOME"] = tempfile.mkdtemp(prefix="zest-bench-")  # nobody's own settings and agreements
sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from tests.conftest import KEY

os.environ["ZEST_SECRET_LIMONAIA"] = KEY  # what the stand-ins ask for, before any module sets another

from benchmarks import (
    core_rows,
    desk_rows,
    error_rates,
    listening_rows,
    panel_rows,
    production_rows,
    run_rows,
    sound_rows,
    stall_rows,
    text_rows,
)
from benchmarks.timing import machine_today

Row = Callable[[], list[tuple[str, str, str]]]
ROWS: list[tuple[str, Row]] = [
    *core_rows.ROWS, *text_rows.ROWS, *run_rows.ROWS, *error_rates.ROWS, *listening_rows.ROWS, *desk_rows.ROWS,
    *sound_rows.ROWS, *stall_rows.ROWS, *production_rows.ROWS, *panel_rows.ROWS,
]  # fmt: skip


def main(words: list[str]) -> int:
    print(f"{platform.system()} {platform.machine()}, {os.cpu_count()} cores, Python {platform.python_version()}")
    print(machine_today())
    print(f"{'what':<66}{'measured':>28}   goal")
    failed = []
    for name, row in ROWS:
        if words and not any(word in name for word in words):
            continue
        environment = dict(os.environ)
        try:
            for what, measured, goal in row():
                print(f"{what:<66}{measured:>28}   {goal}", flush=True)
        except Exception:  # the others are measured all the same
            traceback.print_exc()
            failed.append(name)
        finally:  # no row sets anything for another
            os.environ.clear()
            os.environ.update(environment)
    print("All rows were measured." if not failed else f"NOT measured: {', '.join(failed)}")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))

"""What a program takes of the machine: its memory and CPU with those of the programs it starts.

The kernel's account at a program's end (wait4) has its CPU seconds and those of its children, but as its greatest
memory that of the process it was forked from, if that was greater. Memory is therefore read while it runs.
"""

from __future__ import annotations

import contextlib
import os
import threading
from pathlib import Path
from typing import Final

_FIRST_S: Final = 0.002
_LONGEST_S: Final = 0.04
_TICKS: Final = os.sysconf("SC_CLK_TCK")


def tree(pid: int) -> list[int]:
    """The process and all below it that still are; [] when it is gone."""
    out, waiting = [], [pid]
    while waiting:
        one = waiting.pop()
        try:
            tasks = os.listdir(f"/proc/{one}/task")
        except OSError:
            continue
        out.append(one)
        for task in tasks:
            with contextlib.suppress(OSError):
                waiting += [int(child) for child in Path(f"/proc/{one}/task/{task}/children").read_text().split()]
    return out


def memory_mb(pids: list[int]) -> tuple[float, float]:
    """(held now by all together, the most that a single one has held since its start), MB."""
    now = most = 0.0
    for pid in pids:
        with contextlib.suppress(OSError, ValueError, IndexError):
            for line in Path(f"/proc/{pid}/status").read_text().splitlines():
                name, _, rest = line.partition(":")
                if name == "VmHWM":
                    most = max(most, int(rest.split()[0]) * 1024 / 1e6)
                elif name == "VmRSS":
                    now += int(rest.split()[0]) * 1024 / 1e6
    return now, most


def cpu_s(pids: list[int]) -> float:
    """CPU seconds of processes that are, with those of their children that were waited for (proc(5), stat 14 to 17)."""
    ticks = 0
    for pid in pids:
        with contextlib.suppress(OSError, ValueError, IndexError):
            fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
            ticks += sum(int(value) for value in fields[11:15])
    return ticks / _TICKS


def threads_of(pids: list[int]) -> int:
    count = 0
    for pid in pids:
        with contextlib.suppress(OSError):
            count += len(os.listdir(f"/proc/{pid}/task"))
    return count


class MemoryWatch:
    """Watches a program's memory from a thread of its own, densely at first. ``end`` gives the most it held, MB."""

    def __init__(self, pid: int) -> None:
        self._pid, self._over = pid, threading.Event()
        self._most = 0.0
        self._look()
        self._thread = threading.Thread(target=self._watch, name="memory watch", daemon=True)
        self._thread.start()

    def _look(self) -> None:
        self._most = max(self._most, *memory_mb(tree(self._pid)))

    def _watch(self) -> None:
        pause = _FIRST_S
        while not self._over.wait(pause):
            self._look()
            pause = min(_LONGEST_S, pause * 1.3)

    def end(self) -> float | None:
        """None where nothing could be read: it was over at once, or the system has no such account."""
        self._over.set()
        self._thread.join()
        return self._most or None

"""Engine programs end with this one, however it ends: a small process of its own kills the groups that are left when
the pipe to it closes, which no signal can keep from happening.
"""

from __future__ import annotations

import atexit
import contextlib
import subprocess
import sys
import threading
from typing import Final

_HOLDER: Final = """
import os, signal, sys
groups = set()
for line in sys.stdin:
    group = int(line[1:])
    groups.add(group) if line[0] == "+" else groups.discard(group)
for group in groups:
    try:
        os.killpg(group, signal.SIGKILL)
    except OSError:
        pass
"""


class Leash:
    """Knows which process groups run. Thread-safe; without a holder (no process could be started) it does nothing."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._holder: subprocess.Popen[str] | None = None

    def hold(self, group: int) -> None:
        self._tell(f"+{group}\n")

    def let_go(self, group: int) -> None:
        """The group was ended: its number may be another's soon."""
        if self._holder is not None:
            self._tell(f"-{group}\n")

    def _end(self) -> None:
        with self._lock, contextlib.suppress(OSError, subprocess.TimeoutExpired):
            if self._holder is not None and self._holder.stdin is not None:
                self._holder.stdin.close()
                self._holder.wait(5)

    def _tell(self, line: str) -> None:
        with self._lock, contextlib.suppress(OSError):
            if self._holder is None or self._holder.poll() is not None:
                if self._holder is None:
                    atexit.register(self._end)
                # no site, no environment: it needs nothing, and a session of its own keeps the terminal's signals away
                self._holder = subprocess.Popen(
                    [sys.executable, "-I", "-S", "-c", _HOLDER], stdin=subprocess.PIPE, stdout=subprocess.DEVNULL,
                    stderr=subprocess.DEVNULL, text=True, bufsize=1, start_new_session=True, env={},
                )  # fmt: skip
            assert self._holder.stdin is not None
            self._holder.stdin.write(line)


leash: Final = Leash()

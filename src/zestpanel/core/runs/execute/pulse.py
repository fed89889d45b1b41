"""Time in which this program did not run: a machine that slept, a program that was stopped. No engine is to be given a
wait that was ours."""

from __future__ import annotations

import threading
import time
from typing import Final

from zestpanel.core.runs.plan.circumstances import asleep_s

_BEAT_S: Final = 0.1
_HELD_FROM_S: Final = 3.0  # a beat later than that: a busy machine is not that late


class Pulse:
    """A thread that does nothing but look at the clock; ``held_s`` is what it missed. The clock does not run while the
    machine sleeps (CLOCK_MONOTONIC), but does while a program is stopped."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._held_s, self._last_s = 0.0, time.monotonic()
        threading.Thread(target=self._beat, name="pulse", daemon=True).start()

    def _beat(self) -> None:
        while True:
            time.sleep(_BEAT_S)
            self.held_s()

    def held_s(self) -> float:
        with self._lock:
            now = time.monotonic()
            gap, self._last_s = now - self._last_s, now
            if gap > _HELD_FROM_S:
                self._held_s += gap
            return self._held_s


_pulse: list[Pulse] = []
_one = threading.Lock()


def missed_s() -> float:
    """Seconds since the first call that the machine slept or this program was held. Never less than before."""
    with _one:
        if not _pulse:
            _pulse.append(Pulse())
    return asleep_s() + _pulse[0].held_s()

"""When the next request to an engine may begin: its requests a minute, and the waits that its service asks for."""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Callable, Sequence
from typing import Final

import numpy as np

_WINDOW_S: Final = 60.0
FIRST_BACKOFF_S: Final = 0.8
LONGEST_BACKOFF_S: Final = 30.0


class RateLimiter:
    """At most ``per_minute`` requests begin within any 60 seconds, and none before a wait that was asked for is over.

    earlier: ages in s of requests that an earlier run began within the last minute. Safe to use from many threads.
    """

    def __init__(
        self,
        per_minute: int | None = None,
        *,
        earlier: Sequence[float] = (),
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        self._per_minute, self._clock = per_minute, clock
        self._lock = threading.Lock()
        began = clock()
        self._begun: deque[float] = deque(sorted(began - age for age in earlier if age < _WINDOW_S))
        self._not_before = 0.0

    def claim(self) -> float:
        """0 when a request may begin now (and then it counts as begun); else seconds until it is worth asking again."""
        with self._lock:
            now = self._clock()
            if now < self._not_before:
                return self._not_before - now
            while self._begun and now >= self._begun[0] + _WINDOW_S:
                self._begun.popleft()
            if self._per_minute is not None and len(self._begun) >= self._per_minute:
                return max(self._begun[0] + _WINDOW_S - now, 1e-6)
            self._begun.append(now)
            return 0.0

    def held_s(self) -> float:
        """Seconds still to wait because the service asked for it; 0 for none."""
        with self._lock:
            return max(0.0, self._not_before - self._clock())

    def hold(self, seconds: float) -> None:
        """The service asked everybody to wait so long: nothing begins before."""
        with self._lock:
            self._not_before = max(self._not_before, self._clock() + seconds)


def backoff_s(attempt: int, rng: np.random.Generator) -> float:
    """Wait before try ``attempt`` + 1 where the service names none: doubling, ±25 % at random so that requests that
    failed together do not come back together (common practice, no source)."""
    return min(LONGEST_BACKOFF_S, FIRST_BACKOFF_S * 2.0 ** (attempt - 1)) * (0.75 + 0.5 * float(rng.random()))

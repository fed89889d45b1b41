"""How things are timed here."""

from __future__ import annotations

import time
from collections.abc import Callable


def best_of(times: int, do: Callable[[], object]) -> float:
    """Seconds of the fastest of several runs: the least disturbed one."""
    best = float("inf")
    for _ in range(times):
        began = time.perf_counter()
        do()
        best = min(best, time.perf_counter() - began)
    return best


def seconds(value: float) -> str:
    if value < 0.00005:
        return "< 0.1 ms"
    return f"{value * 1000:.1f} ms" if value < 1 else f"{value:.2f} s"


def machine_today() -> str:
    """How quick the machine is now, and how still it stands: figures of a slow or a busy one say less."""
    began = time.perf_counter()
    number = 0
    for step in range(5_000_000):
        number += step
    pace, still = time.perf_counter() - began, 0.0
    before = time.perf_counter()
    while before < began + pace + 2:
        now = time.perf_counter()
        still, before = max(still, now - before), now
    return f"5,000,000 additions in {pace:.2f} s; within 2 s it stood still for up to {1000 * still:.0f} ms"

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

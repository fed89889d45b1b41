"""Waiting in a program with a window, whose events go on meanwhile."""

from __future__ import annotations

import time
from collections.abc import Callable

from PyQt6.QtTest import QTest


def pause(ms: int) -> None:
    QTest.qWait(ms)  # type: ignore[call-arg]  # the stubs want one argument more than there is


def wait(what: Callable[[], bool], seconds: float = 90) -> None:
    until = time.monotonic() + seconds
    while not what():
        assert time.monotonic() < until, "waited in vain"
        pause(20)

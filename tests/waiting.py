"""Waiting in a program with a window, whose events go on meanwhile."""

from __future__ import annotations

import time
from collections.abc import Callable

from PyQt6.QtCore import QEventLoop, QTimer


def pause(ms: int) -> None:
    """As the program waits itself: QTest's own way sleeps between events."""
    loop = QEventLoop()
    QTimer.singleShot(ms, loop.quit)
    loop.exec()


def wait(what: Callable[[], bool], seconds: float = 90) -> None:
    until = time.monotonic() + seconds
    while not what():
        assert time.monotonic() < until, "waited in vain"
        pause(20)

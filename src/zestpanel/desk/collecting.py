"""The interpreter's full walk over all objects is done in quiet moments: in a large project it takes 0.4 s, and would
come just while somebody listens or types."""

from __future__ import annotations

import gc
from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtWidgets import QWidget

from zestpanel.desk.quiet import Quiet

QUIET_S = 4.0  # since the last key or movement of the pointer
EVERY_MS = 15_000
NEVER = 1_000_000  # collections of the second generation before a full one would come by itself


class QuietCollector(QObject):
    """busy: whether something goes on that is not to be held, such as a clip or a run."""

    def __init__(self, window: QWidget, busy: Callable[[], bool]) -> None:
        super().__init__(window)
        self._busy, self._quiet = busy, Quiet(window, self)
        self._timer = QTimer(self)
        self._timer.setInterval(EVERY_MS)
        self._timer.timeout.connect(self.look)
        self._timer.start()

    def look(self) -> bool:
        """Collect, where nobody does anything and nothing is heard. Whether it was done."""
        if self._busy() or self._quiet.seconds < QUIET_S:
            return False
        gc.collect()
        return True

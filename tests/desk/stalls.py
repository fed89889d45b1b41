"""A meter of how long the interface thread is held, and by what."""

from __future__ import annotations

import sys
import threading
import time
from collections import Counter
from types import FrameType, TracebackType
from typing import Self

from PyQt6.QtCore import QTimer

BEAT_MS = 4


class StallMeter:
    """While it is entered a timer of the interface thread beats; a watcher notes where that thread stood whenever no
    beat came for ``limit_s``. ``held`` lists (seconds, where), the longest first. ``computed_s`` is the most that this
    program computed, on all its threads, within one of them: a machine that stands still is not counted in it.
    """

    def __init__(self, limit_s: float = 0.05) -> None:
        self.limit_s = limit_s
        self.held: list[tuple[float, str]] = []
        self.computed_s = 0.0
        self._beat, self._computed = time.monotonic(), time.process_time()
        self._where: Counter[str] = Counter()
        self._ended = threading.Event()
        self._thread = threading.get_ident()
        self._timer = QTimer()
        self._timer.setInterval(BEAT_MS)
        self._timer.timeout.connect(self._on_beat)
        self._watcher = threading.Thread(target=self._watch, daemon=True)

    def __enter__(self) -> Self:
        self._beat, self._computed = time.monotonic(), time.process_time()
        self._timer.start()
        self._watcher.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, value: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._on_beat()
        self._timer.stop()
        self._ended.set()
        self._watcher.join()
        self.held.sort(reverse=True)

    def _on_beat(self) -> None:
        now, computed = time.monotonic(), time.process_time()
        if now - self._beat > self.limit_s:
            self.held.append((now - self._beat, "; ".join(f"{n} x {w}" for w, n in self._where.most_common(3))))
            self.computed_s = max(self.computed_s, min(computed - self._computed, now - self._beat))
        self._beat, self._computed, self._where = now, computed, Counter()

    def _watch(self) -> None:
        while not self._ended.wait(self.limit_s / 5):
            if time.monotonic() - self._beat > self.limit_s * 0.5:
                self._where[_place_of(sys._current_frames().get(self._thread))] += 1

    @property
    def longest_s(self) -> float:
        return self.held[0][0] if self.held else 0.0


def _place_of(frame: FrameType | None) -> str:
    """The five innermost places of ours. No source is read for it: that would hold up what is measured."""
    ours: list[str] = []
    while frame is not None and len(ours) < 5:
        file = frame.f_code.co_filename
        if "zestpanel" in file:
            ours.append(f"{file.rpartition('zestpanel/')[2]}:{frame.f_lineno} {frame.f_code.co_name}")
        frame = frame.f_back
    return " < ".join(ours)

"""How long nobody has touched a window."""

from __future__ import annotations

import time

from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QWidget

_HANDS = (
    QEvent.Type.KeyPress,
    QEvent.Type.MouseMove,
    QEvent.Type.MouseButtonPress,
    QEvent.Type.Wheel,
    QEvent.Type.DragMove,
    QEvent.Type.Drop,
)


class Quiet(QObject):
    """Watches keys and pointer of a window that is shown, until ``end``."""

    def __init__(self, window: QWidget, parent: QObject) -> None:
        super().__init__(parent)
        self._hands = time.monotonic()
        handle = window.windowHandle()
        self._watched: QObject = window if handle is None else handle
        self._watched.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() in _HANDS:
            self._hands = time.monotonic()
        return False

    @property
    def seconds(self) -> float:
        """Since the last key or movement of the pointer."""
        return time.monotonic() - self._hands

    def end(self) -> None:
        self._watched.removeEventFilter(self)

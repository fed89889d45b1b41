"""What takes a while on the interface thread is done in turns: keys and the pointer are seen to in between."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtWidgets import QWidget

_NEXT_MS = 1


def next_turn(owner: QObject, do: Callable[[], None], *, painted: bool = False) -> None:
    """Do it in a turn of its own, just after this one, unless ``owner`` is gone by then. painted: after what is painted
    next turn."""
    if painted:
        next_turn(owner, lambda: next_turn(owner, do))
        return
    timer = QTimer(owner)
    timer.setSingleShot(True)
    timer.timeout.connect(timer.deleteLater)
    timer.timeout.connect(do)
    timer.start(_NEXT_MS)


def paint_next_turn(widget: QWidget) -> None:
    """What is filled and laid out within ``widget`` now is painted in a turn of its own, just after this one."""
    if widget.isVisible() and widget.updatesEnabled():
        widget.setUpdatesEnabled(False)
        next_turn(widget, lambda: widget.setUpdatesEnabled(True))

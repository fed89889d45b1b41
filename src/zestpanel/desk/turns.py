"""What takes a while on the interface thread is done in turns: keys and the pointer are seen to in between."""

from __future__ import annotations

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QWidget

_NEXT_MS = 1


def paint_next_turn(widget: QWidget) -> None:
    """What is filled and laid out within ``widget`` now is painted in a turn of its own, just after this one."""
    if not widget.isVisible() or not widget.updatesEnabled():
        return
    timer = QTimer(widget)  # it goes with the widget
    timer.setSingleShot(True)

    def paint() -> None:
        widget.setUpdatesEnabled(True)
        timer.deleteLater()

    timer.timeout.connect(paint)
    widget.setUpdatesEnabled(False)
    timer.start(_NEXT_MS)

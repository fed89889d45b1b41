"""Bare keys are shortcuts, except where they mean something to the widget that has the focus."""

from __future__ import annotations

import contextlib

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QWidget,
)


class BareKeys(QObject):
    """Typing, and Space on buttons, boxes and lists to choose from, come before shortcuts.

    Keys are looked at where they arrive, and nowhere else: an ear on everything would cost all that is drawn.
    """

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        self._focus_changed = application.focusChanged
        self._focus_changed.connect(self._watch)

    def end(self) -> None:
        with contextlib.suppress(TypeError):  # a window may be told to close twice
            self._focus_changed.disconnect(self._watch)

    def _watch(self, old: QWidget | None, new: QWidget | None) -> None:
        with contextlib.suppress(RuntimeError):  # it may be gone
            if old is not None:
                old.removeEventFilter(self)
        if new is not None:
            new.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            focus = QApplication.focusWidget()
            typing = isinstance(focus, QLineEdit | QPlainTextEdit | QAbstractSpinBox)
            bare = event.modifiers() in (
                Qt.KeyboardModifier.NoModifier,
                Qt.KeyboardModifier.ShiftModifier,
                Qt.KeyboardModifier.KeypadModifier,
            )
            space = event.key() == Qt.Key.Key_Space
            takes_space = focus is not None and bool(focus.property("takesSpace"))
            if bare and (typing or (space and (isinstance(focus, QAbstractButton | QComboBox) or takes_space))):
                event.accept()
                return True
        return super().eventFilter(watched, event)

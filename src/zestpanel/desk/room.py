"""The room that a trial or a form has: all it wants where the window is high enough, else as much as there is, and it
scrolls."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtWidgets import QScrollArea, QSizePolicy, QWidget

from zestpanel.desk.theme.tokens import theme


class Room(QScrollArea):
    def __init__(self, inner: QWidget) -> None:
        super().__init__()
        self.setWidget(inner)
        self.setWidgetResizable(True)
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # keys are for what is in it
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)

    def sizeHint(self) -> QSize:
        inner = self.widget()
        if inner is None:
            return QSize()
        width = max(inner.minimumWidth(), min(inner.sizeHint().width(), inner.maximumWidth()))
        return QSize(width + theme.px(12), max(inner.minimumHeight(), inner.minimumSizeHint().height()))

    def minimumSizeHint(self) -> QSize:
        return QSize(self.sizeHint().width(), theme.px(220))

"""A painter that ends with its block, whoever else still looks at it: one that lives on spoils the next painting."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QPaintDevice, QPainter, QPixmap


@contextmanager
def painting(device: QPaintDevice) -> Iterator[QPainter]:
    painter = QPainter(device)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    try:
        yield painter
    finally:
        painter.end()


def empty_picture(size: QSize, ratio: float) -> QPixmap:
    """A transparent picture to paint on, as sharp as the screen. size: in the pixels of widgets; ratio: of the screen's
    to those."""
    picture = QPixmap(size * ratio)
    picture.setDevicePixelRatio(ratio)
    picture.fill(Qt.GlobalColor.transparent)
    return picture

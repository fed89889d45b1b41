"""The tokens widgets are made with: colours by role, a scale of type sizes and of spaces, and the shipped faces."""

from __future__ import annotations

from importlib import resources
from typing import Final

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QFontMetricsF

from zestpanel.core.report.palette import DARK, LIGHT

UNIT: Final = 4  # every space is a multiple of it, in pixels at 100 %
SANS, SERIF = "Lato", "Vollkorn"
SIZES: Final = {"small": 11.5, "body": 13.5, "lead": 15.5, "title": 20.0, "page": 25.0}
_MOST_CUT: Final = 4_000  # texts whose cut is kept
SCALES: Final = (0.9, 1.0, 1.15, 1.3, 1.5)


class Theme(QObject):
    """The scheme and text size in force. ``changed`` is emitted when either is set (on the interface thread)."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._dark, self._scale = False, 1.0
        self._fonts: dict[tuple[str, bool, bool, bool], QFont] = {}
        self._colours: dict[str, QColor] = {}
        self._cut: dict[tuple[str, int, str, bool], str] = {}

    @property
    def dark(self) -> bool:
        return self._dark

    @property
    def scale(self) -> float:
        return self._scale

    @property
    def looks(self) -> tuple[bool, float]:
        """What everything looks like: the scheme and the text size."""
        return self._dark, self._scale

    def set(self, *, dark: bool | None = None, scale: float | None = None) -> None:
        before = (self._dark, self._scale)
        self._dark = self._dark if dark is None else dark
        self._scale = self._scale if scale is None else min(SCALES[-1], max(SCALES[0], scale))
        if (self._dark, self._scale) == before:
            return  # laying a window out anew takes half a second
        self._fonts.clear()
        self._colours.clear()
        self._cut.clear()
        self.changed.emit()

    def step_scale(self, by: int) -> None:
        nearest = min(range(len(SCALES)), key=lambda i: abs(SCALES[i] - self._scale))
        self.set(scale=SCALES[min(len(SCALES) - 1, max(0, nearest + by))])

    @property
    def colours(self) -> dict[str, str]:
        return DARK if self._dark else LIGHT

    def colour(self, role: str) -> QColor:
        if role not in self._colours:
            self._colours[role] = QColor(self.colours[role])
        return self._colours[role]

    def px(self, at_100: float) -> int:
        """Pixels at the text size in force."""
        return round(at_100 * self._scale)

    def font(self, size: str = "body", *, serif: bool = False, bold: bool = False, italic: bool = False) -> QFont:
        """A face at a size of the scale. The font is shared: copy it before changing it."""
        key = (size, serif, bold, italic)
        if key in self._fonts:
            return self._fonts[key]
        font = QFont(SERIF if serif else SANS)
        font.setPixelSize(round(SIZES[size] * self._scale))
        if bold:
            font.setWeight(QFont.Weight.DemiBold if serif else QFont.Weight.Bold)
        font.setItalic(italic)
        font.setFeature(QFont.Tag("tnum"), 1)
        self._fonts[key] = font
        return font

    def cut(self, text: str, width: float, size: str = "body", *, bold: bool = False) -> str:
        """The text, ended by an ellipsis where it is wider than so many pixels. Cells say the same many times: it is
        worked out once."""
        key = (text, int(width), size, bold)
        if key not in self._cut:
            if len(self._cut) >= _MOST_CUT:
                self._cut.clear()
            metrics = QFontMetricsF(self.font(size, bold=bold))
            self._cut[key] = metrics.elidedText(text, Qt.TextElideMode.ElideRight, int(width))
        return self._cut[key]


theme = Theme()


def load_faces() -> None:
    """Register the shipped faces with Qt; called once, after the application is made."""
    for file in (resources.files("zestpanel") / "fonts").iterdir():
        if file.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(file.read_bytes())

"""Small widgets used everywhere: labels by role, buttons that show their key, charts, tables that copy."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.texts import tr, word
from zestpanel.desk.brush import painting
from zestpanel.desk.plain_tips import plain_tip
from zestpanel.desk.theme.tokens import theme


def open_at(dialog: QDialog, width: int, height: int) -> None:
    """Give a dialog its size in pixels at 100 %, scaled with the text, and no larger than the window it belongs to."""
    parent = dialog.parentWidget()
    most = parent.window().size() if parent is not None else QSize(1280, 800)
    dialog.resize(min(theme.px(width), most.width() - 40), min(theme.px(height), most.height() - 40))


class _Wrapped(QLabel):
    """A label in lines. How high it is at a width is asked for again and again while a page is laid out, and its text
    set in lines for each answer: the answers are kept."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self._heights: dict[int, int] = {}
        self.setWordWrap(True)

    def heightForWidth(self, width: int) -> int:
        if width not in self._heights:
            self._heights[width] = super().heightForWidth(width)
        return self._heights[width]

    def setText(self, text: str | None) -> None:
        if text != self.text():
            self._heights.clear()
            super().setText(text)

    def changeEvent(self, event: QEvent | None) -> None:
        self._heights.clear()  # another font, another style
        super().changeEvent(event)


def label(text: str, role: str = "", *, wrap: bool = False) -> QLabel:
    """A label; roles are those of the style sheet: quiet, small, strong, bad, good, page, name, lead."""
    out = _Wrapped(text) if wrap else QLabel(text)
    out.setTextFormat(Qt.TextFormat.PlainText)
    if role:
        out.setProperty("role", role)
    return out


def yielding(made: QLabel) -> QLabel:
    """The label lets its neighbours have the width they need, and is cut off first."""
    made.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
    return made


class Stack(QStackedWidget):
    """Widgets of which one is shown, in whatever room there is. It asks for no height by its width: Qt would ask every
    widget in it, shown or not, over and over, thousands of times for a page."""

    def hasHeightForWidth(self) -> bool:
        return False


def show_only(stack: QStackedWidget, widget: QWidget) -> None:
    """Show one widget of a stack; the hidden ones do not count for the least size the window can have."""
    for i in range(stack.count()):
        other = stack.widget(i)
        if other is not None:
            policy = QSizePolicy.Policy.Preferred if other is widget else QSizePolicy.Policy.Ignored
            other.setSizePolicy(policy, policy)
    stack.setCurrentWidget(widget)


def set_role(widget: QWidget, role: str) -> None:
    """Change a widget's role and have the style sheet looked at again."""
    if widget.property("role") != role:
        widget.setProperty("role", role)
        style = widget.style()
        if style is not None:
            style.unpolish(widget)
            style.polish(widget)


def rule() -> QFrame:
    line = QFrame()
    line.setObjectName("rule")
    line.setFixedHeight(1)
    return line


def scrolled(*inside: QWidget) -> QScrollArea:
    """Widgets one below the other, which scroll where there is no room; the keys stay with them."""
    area, holder = QScrollArea(), QWidget()
    box = QVBoxLayout(holder)
    box.setContentsMargins(0, 0, 8, 0)
    for one in inside:
        box.addWidget(one)
    box.addStretch(1)
    area.setWidgetResizable(True)
    area.setFrameShape(QScrollArea.Shape.NoFrame)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    area.setWidget(holder)
    return area


def button(text: str, on_click: Callable[[], object], *, role: str = "", tip: str = "") -> QPushButton:
    out = QPushButton(text.replace("&", "&&"))  # a letter, and no sign of a key
    out.clicked.connect(lambda _=False: on_click())
    if role:
        out.setProperty("role", role)
    if tip:
        out.setToolTip(plain_tip(tip))
    return out


class KeyButton(QPushButton):
    """A button that shows the key that does the same, in a small box at its right."""

    def __init__(self, text: str, key: str, *, checkable: bool = False) -> None:
        super().__init__()
        self._key = word(key)
        self._measured: tuple[object, float, float] | None = None  # it is painted often, and says the same
        self.setCheckable(checkable)
        self.set_text(text)

    def set_text(self, text: str, key: str = "") -> None:
        """key: as it is shown, where it has another name than the interface gives it."""
        self._words, self._key = text, key or self._key
        self.setText("")
        self.setAccessibleName(tr("{words}, key {key}", words=text, key=self._key))
        self.setToolTip(f"{text} ({self._key})")
        self.updateGeometry()
        self.update()

    def words(self) -> str:
        return self._words

    def _widths(self) -> tuple[float, float]:
        now = (self._words, self._key, theme.scale)
        if self._measured is None or self._measured[0] != now:
            key = QFontMetricsF(theme.font("small")).horizontalAdvance(self._key) + theme.px(12)
            self._measured = (now, QFontMetricsF(theme.font()).horizontalAdvance(self._words), key)
        return self._measured[1], self._measured[2]

    def sizeHint(self) -> QSize:
        text, key = self._widths()
        return QSize(round(text + key + theme.px(34)), theme.px(30))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        with painting(self) as painter:
            text, key = self._widths()
            painter.setPen(theme.colour("ink" if self.isEnabled() else "quiet"))
            painter.setFont(theme.font())
            x = (self.width() - text - key - theme.px(8)) / 2
            painter.drawText(QRectF(x, 0, text + 2, self.height()), Qt.AlignmentFlag.AlignVCenter, self._words)
            box = QRectF(x + text + theme.px(8), self.height() / 2 - theme.px(9), key, theme.px(18))
            painter.setPen(QPen(theme.colour("rule")))
            painter.setBrush(theme.colour("paper"))
            painter.drawRoundedRect(box, 3, 3)
            painter.setFont(theme.font("small"))
            painter.setPen(theme.colour("quiet"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self._key)


class EmptyState(QWidget):
    """What an empty page says: the one next thing to do, and a button that does it."""

    def __init__(self, text: str, action: str, on_action: Callable[[], object]) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.addStretch(2)
        words = label(text, "lead", wrap=True)
        words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        words.setFixedWidth(theme.px(460))
        words.setFont(theme.font("lead"))
        words.setMinimumHeight(words.heightForWidth(theme.px(460)) + theme.px(6))
        layout.addWidget(words, 0, Qt.AlignmentFlag.AlignHCenter)
        layout.addSpacing(14)
        self.action = button(action, on_action, role="main")
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(self.action)
        row.addStretch(1)
        layout.addLayout(row)
        layout.addStretch(3)


class Swatch(QWidget):
    """A small interval: a scale from low to high, the interval on it, the estimate as a dot."""

    def __init__(self, low: float, high: float) -> None:
        super().__init__()
        self._scale = (low, high)
        self._interval: tuple[float, float, float] | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(theme.px(16))

    def show_interval(self, low: float, estimate: float, high: float) -> None:
        self._interval = (low, estimate, high)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._interval is None:
            return
        with painting(self) as painter:
            low, high = self._scale

            def x(value: float) -> float:
                return 5 + (min(high, max(low, value)) - low) / (high - low) * (self.width() - 10)

            y = self.height() / 2
            painter.setPen(QPen(theme.colour("rule"), 2))
            painter.drawLine(QPointF(5, y), QPointF(self.width() - 5, y))
            painter.setPen(QPen(theme.colour("ink"), 2))
            painter.drawLine(QPointF(x(self._interval[0]), y), QPointF(x(self._interval[2]), y))
            painter.setBrush(theme.colour("zest"))
            painter.drawEllipse(QPointF(x(self._interval[1]), y), 4, 4)

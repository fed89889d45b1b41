"""A row that breaks into several lines where the width does not do, as words do."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtWidgets import QLayout, QLayoutItem, QSizePolicy, QWidget, QWidgetItem

from zestpanel.desk.theme.tokens import theme


class FlowLayout(QLayout):
    """Left to right, then the next line. ``add_right`` puts a widget at the right end of its line."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._items: list[QLayoutItem] = []
        self._right: set[QWidget] = set()
        self.setContentsMargins(0, 0, 0, 0)
        self.setSpacing(8)

    def addItem(self, item: QLayoutItem | None) -> None:
        if item is not None:
            self._items.append(item)

    def add_right(self, widget: QWidget) -> None:
        self._right.add(widget)
        self.addChildWidget(widget)
        self.addItem(QWidgetItem(widget))

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._lay(QRect(0, 0, width, 0), move=False)

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._lay(rect, move=True)

    def sizeHint(self) -> QSize:
        wide = sum(item.sizeHint().width() + self.spacing() for item in self._shown())
        return QSize(wide, max((item.sizeHint().height() for item in self._shown()), default=0))

    def minimumSize(self) -> QSize:
        shown = self._shown()
        return QSize(
            max((item.minimumSize().width() for item in shown), default=0),
            max((item.sizeHint().height() for item in shown), default=0),
        )

    def _shown(self) -> list[QLayoutItem]:
        return [item for item in self._items if not item.isEmpty()]

    def _lay(self, rect: QRect, *, move: bool) -> int:
        """Place the items in lines; returns the height they take."""
        lines: list[list[QLayoutItem]] = [[]]
        x = 0
        for item in self._shown():
            width = item.sizeHint().width()
            if lines[-1] and x + width > rect.width():
                lines.append([])
                x = 0
            lines[-1].append(item)
            x += width + self.spacing()
        y = rect.y()
        for line in lines:
            tall = max((item.sizeHint().height() for item in line), default=0)
            if move:
                self._place(line, rect, y, tall)
            y += tall + self.spacing()
        return max(0, y - rect.y() - self.spacing())

    def _place(self, line: list[QLayoutItem], rect: QRect, y: int, tall: int) -> None:
        left = [item for item in line if item.widget() not in self._right]
        right = [item for item in line if item.widget() in self._right]
        x = rect.x()
        for item in left:
            size = item.sizeHint()
            wide = min(size.width(), rect.width())
            item.setGeometry(QRect(QPoint(x, y + (tall - size.height()) // 2), QSize(wide, size.height())))
            x += wide + self.spacing()
        x = rect.right() + 1 - sum(item.sizeHint().width() for item in right) - self.spacing() * max(0, len(right) - 1)
        for item in right:
            size = item.sizeHint()
            item.setGeometry(QRect(QPoint(x, y + (tall - size.height()) // 2), size))
            x += size.width() + self.spacing()


def flow_row(*widgets: QWidget, right: tuple[QWidget, ...] = ()) -> QWidget:
    """A widget with a flow of widgets, some of them at the right."""
    out = QWidget()
    layout = FlowLayout(out)
    layout.setSpacing(theme.px(8))
    for widget in widgets:
        layout.addWidget(widget)
    for widget in right:
        layout.add_right(widget)
    policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
    policy.setHeightForWidth(True)
    out.setSizePolicy(policy)
    return out

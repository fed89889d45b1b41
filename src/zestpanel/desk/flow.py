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
        # what the items want is asked for again and again while a page is laid out, and changes seldom
        self._wanted: list[tuple[QLayoutItem, QSize]] | None = None
        self._heights: dict[int, int] = {}
        self.setContentsMargins(0, 0, 0, 0)
        self.setSpacing(8)

    def addItem(self, item: QLayoutItem | None) -> None:
        if item is not None:
            self._items.append(item)
            self.invalidate()

    def add_right(self, widget: QWidget) -> None:
        self._right.add(widget)
        self.addChildWidget(widget)
        self.addItem(QWidgetItem(widget))

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        if not 0 <= index < len(self._items):
            return None
        self.invalidate()
        return self._items.pop(index)

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def invalidate(self) -> None:
        self._wanted = None
        self._heights.clear()
        super().invalidate()

    def heightForWidth(self, width: int) -> int:
        if width not in self._heights:
            self._heights[width] = self._lay(QRect(0, 0, width, 0), move=False)
        return self._heights[width]

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._lay(rect, move=True)

    def sizeHint(self) -> QSize:
        wide = sum(size.width() + self.spacing() for _, size in self._shown())
        return QSize(wide, max((size.height() for _, size in self._shown()), default=0))

    def minimumSize(self) -> QSize:
        shown = self._shown()
        return QSize(
            max((item.minimumSize().width() for item, _ in shown), default=0),
            max((size.height() for _, size in shown), default=0),
        )

    def _shown(self) -> list[tuple[QLayoutItem, QSize]]:
        """The items that are to be seen, with the size each wants."""
        if self._wanted is None:
            self._wanted = [(item, item.sizeHint()) for item in self._items if not item.isEmpty()]
        return self._wanted

    def _lay(self, rect: QRect, *, move: bool) -> int:
        """Place the items in lines; returns the height they take."""
        lines: list[list[tuple[QLayoutItem, QSize]]] = [[]]
        x, space = 0, self.spacing()
        for item, size in self._shown():
            width = size.width()
            if lines[-1] and x + width > rect.width():
                lines.append([])
                x = 0
            lines[-1].append((item, size))
            x += width + space
        y = rect.y()
        for line in lines:
            tall = max((size.height() for _, size in line), default=0)
            if move:
                self._place(line, rect, y, tall)
            y += tall + self.spacing()
        return max(0, y - rect.y() - self.spacing())

    def _place(self, line: list[tuple[QLayoutItem, QSize]], rect: QRect, y: int, tall: int) -> None:
        left = [one for one in line if one[0].widget() not in self._right]
        right = [one for one in line if one[0].widget() in self._right]
        x = rect.x()
        for item, size in left:
            wide = min(size.width(), rect.width())
            item.setGeometry(QRect(QPoint(x, y + (tall - size.height()) // 2), QSize(wide, size.height())))
            x += wide + self.spacing()
        x = rect.right() + 1 - sum(size.width() for _, size in right) - self.spacing() * max(0, len(right) - 1)
        for item, size in right:
            item.setGeometry(QRect(QPoint(x, y + (tall - size.height()) // 2), size))
            x += size.width() + self.spacing()


class RightFlow(FlowLayout):
    """All of it at the right."""

    def addWidget(self, widget: QWidget | None) -> None:
        if widget is not None:
            self.add_right(widget)


def flow_row(*widgets: QWidget, right: tuple[QWidget, ...] = ()) -> QWidget:
    """A widget with a flow of widgets, some of them at the right."""
    out = QWidget()
    layout = FlowLayout(out)
    layout.setSpacing(theme.px(8))
    for widget in widgets:
        layout.addWidget(widget)
    for widget in right:
        layout.add_right(widget)
    as_high_as_it_takes(out)
    return out


def as_high_as_it_takes(holder: QWidget) -> None:
    """For a widget that holds a flow: its height follows from its width."""
    policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
    policy.setHeightForWidth(True)
    holder.setSizePolicy(policy)

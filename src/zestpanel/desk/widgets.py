"""Small widgets used everywhere: labels by role, buttons that show their key, charts, tables that copy."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QModelIndex, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QGuiApplication, QKeyEvent, QKeySequence, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QFrame,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.report.tables import as_tsv
from zestpanel.desk.brush import painting
from zestpanel.desk.plain_tips import plain_tip
from zestpanel.desk.theme.tokens import theme


def open_at(dialog: QDialog, width: int, height: int) -> None:
    """Give a dialog its size in pixels at 100 %, scaled with the text, and no larger than the window it belongs to."""
    parent = dialog.parentWidget()
    most = parent.window().size() if parent is not None else QSize(1280, 800)
    dialog.resize(min(theme.px(width), most.width() - 40), min(theme.px(height), most.height() - 40))


def label(text: str, role: str = "", *, wrap: bool = False) -> QLabel:
    """A label; roles are those of the style sheet: quiet, small, strong, bad, good, page, name, lead."""
    out = QLabel(text)
    out.setTextFormat(Qt.TextFormat.PlainText)
    out.setWordWrap(wrap)
    if role:
        out.setProperty("role", role)
    return out


def yielding(made: QLabel) -> QLabel:
    """The label lets its neighbours have the width they need, and is cut off first."""
    made.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
    return made


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


def button(text: str, on_click: Callable[[], object], *, role: str = "", tip: str = "") -> QPushButton:
    out = QPushButton(text)
    out.clicked.connect(lambda _=False: on_click())
    if role:
        out.setProperty("role", role)
    if tip:
        out.setToolTip(tip)
    return out


class KeyButton(QPushButton):
    """A button that shows the key that does the same, in a small box at its right."""

    def __init__(self, text: str, key: str, *, checkable: bool = False) -> None:
        super().__init__()
        self._key = key
        self.setCheckable(checkable)
        self.set_text(text)

    def set_text(self, text: str) -> None:
        self._words = text
        self.setText("")
        self.setAccessibleName(f"{text}, key {self._key}")
        self.setToolTip(f"{text} ({self._key})")
        self.updateGeometry()
        self.update()

    def words(self) -> str:
        return self._words

    def _widths(self) -> tuple[float, float]:
        key = QFontMetricsF(theme.font("small")).horizontalAdvance(self._key) + theme.px(12)
        return QFontMetricsF(theme.font()).horizontalAdvance(self._words), key

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


class TwoLines(QStyledItemDelegate):
    """Cells whose text has two lines: a name over its detail, smaller and quiet."""

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        first, newline, second = str(index.data() or "").partition("\n")
        if not newline or painter is None:
            super().paint(painter, option, index)
            return
        self.initStyleOption(option, index)
        option.text = ""
        style = option.widget.style() if option.widget is not None else None
        if style is not None:
            style.drawControl(QStyle.ControlElement.CE_ItemViewItem, option, painter, option.widget)
        box = QRectF(option.rect).adjusted(theme.px(8) + 3, theme.px(5), -theme.px(6), -theme.px(5))
        painter.save()
        marked = index.data(Qt.ItemDataRole.ForegroundRole)  # a cell in the warning colour keeps it
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        colour = marked.color() if marked is not None else theme.colour("ink")
        for font, pen, text, align in (
            (theme.font(bold=marked is not None), colour, first, Qt.AlignmentFlag.AlignTop),
            (theme.font("small"), theme.colour("ink" if chosen else "quiet"), second, Qt.AlignmentFlag.AlignBottom),
        ):
            painter.setFont(font)
            painter.setPen(pen)
            shown = QFontMetricsF(font).elidedText(text, Qt.TextElideMode.ElideRight, box.width())
            painter.drawText(box, align | Qt.AlignmentFlag.AlignLeft, shown)
        painter.restore()


class Table(QTableWidget):
    """A read-only table of text. Numbers go to the right; Ctrl+C copies the selected rows, or all, as TSV."""

    row_chosen = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._rows: list[list[str]] = []
        self._head: list[str] = []
        self._line = 32
        self._wide: int | None = None
        self.setItemDelegate(TwoLines(self))
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setTabKeyNavigation(False)
        vertical, head = self.verticalHeader(), self.horizontalHeader()
        assert vertical is not None
        assert head is not None
        vertical.hide()
        head.setHighlightSections(False)
        head.setStretchLastSection(True)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.cellActivated.connect(lambda row, _: self.row_chosen.emit(row))

    def show_rows(
        self,
        head: Sequence[str],
        rows: Sequence[Sequence[str]],
        *,
        numbers: Sequence[int] = (),
        bad: Sequence[tuple[int, int]] = (),
        tips: dict[tuple[int, int], str] | None = None,
        wide: int | None = None,
    ) -> None:
        """Fill the table. numbers: columns set to the right; bad: cells in the warning colour, in bold.

        wide: the column that takes what is left of the width; the last one unless said.
        """
        self._wide = wide
        self._head, self._rows = list(head), [list(row) for row in rows]
        self.clear()
        self.setRowCount(len(rows))
        self.setColumnCount(len(head))
        self._line = 44 if any("\n" in cell for row in rows for cell in row) else 32
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        for column, name in enumerate(head):
            item = QTableWidgetItem(name)
            item.setTextAlignment(right if column in numbers else left)
            self.setHorizontalHeaderItem(column, item)
        for r, row in enumerate(rows):
            for c, text in enumerate(row):
                item = QTableWidgetItem(text)
                if c in numbers:
                    item.setTextAlignment(right)
                if (r, c) in bad:
                    item.setForeground(theme.colour("plum"))
                    item.setFont(theme.font(bold=True))
                item.setToolTip(plain_tip((tips or {}).get((r, c), text if len(text) > 24 else "")))
                self.setItem(r, c, item)
        self.fit()

    def fit(self) -> None:
        vertical = self.verticalHeader()
        assert vertical is not None
        vertical.setDefaultSectionSize(theme.px(self._line))
        head = self.horizontalHeader()
        assert head is not None
        head.setStretchLastSection(self._wide is None)
        for column in range(self.columnCount()):
            stretch = column == self._wide
            mode = QHeaderView.ResizeMode.Stretch if stretch else QHeaderView.ResizeMode.Interactive
            head.setSectionResizeMode(column, mode)
        self.resizeColumnsToContents()
        for column in range(self.columnCount() - (self._wide is None)):  # the last one takes what is left
            self.setColumnWidth(column, min(self.columnWidth(column) + 2, theme.px(330)))

    def height_for_rows(self, most: int = 12) -> int:
        head = self.horizontalHeader()
        assert head is not None
        wide = head.length() > self.viewport().width() > 200
        rows = theme.px(self._line) * min(most, max(1, self.rowCount()))
        return theme.px(34) + rows + 6 + (theme.px(12) if wide else 0)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        else:
            super().keyPressEvent(event)

    def copy(self) -> None:
        chosen = sorted({index.row() for index in self.selectedIndexes()}) or range(len(self._rows))
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(as_tsv([self._head, *(self._rows[i] for i in chosen if i < len(self._rows))]))


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

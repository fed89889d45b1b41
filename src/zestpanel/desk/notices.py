"""What the program says to the person: over the page, never moving it; problems stay, success fades; all are kept."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from zestpanel.core.texts import tr
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.table import Table
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import button, open_at, set_role

MOST_SHOWN = 3
MOST_KEPT = 200
GOOD_NEWS_MS = 7_000  # long enough to read two sentences (common practice, no source)
MOST_AT_ONCE = 8
_TOGETHER = 5  # notices that are shown in one turn
QUIET_MS = 250  # notices that follow one another more quickly come from one thing
_WIDTH = 460  # pixels at 100 %


@dataclass(frozen=True, slots=True)
class Said:
    level: str
    text: str
    at: datetime


class Notices(QWidget):
    """Lies at the lower right of its parent. ``newest`` is the label of the last one."""

    def __init__(self, parent: QWidget, above: QWidget) -> None:
        """above: the widget at the foot that is never covered."""
        super().__init__(parent)
        self._above = above
        self.said: list[Said] = []
        self._shown: list[QFrame] = []
        self.newest = QLabel()
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(6)
        self._at_once = 0
        self._in_turn: list[tuple[str, str]] = []
        self._next = QTimer(self)
        self._next.setInterval(0)
        self._next.timeout.connect(self._show_next)
        self._quiet = QTimer(self)
        self._quiet.setSingleShot(True)
        self._quiet.setInterval(QUIET_MS)
        self._quiet.timeout.connect(self._count_others)
        self._held: list[tuple[str, str]] | None = None  # what is shown later, while a listener is at the screen
        self.hide()
        parent.installEventFilter(self)

    def hold(self, on: bool) -> None:
        """Show nothing while somebody sits at a blind test: a notice may name a voice. Problems are shown afterwards;
        all is kept in the list of what was said."""
        if on:
            self._held = []
            for frame in list(self._shown):
                self._held.append(("problem", str(frame.property("words"))))
                self._close(frame)
        elif self._held is not None:
            held, self._held = self._held, None
            for level, text in held:
                if level == "problem":
                    self._show(level, text)

    def show_notice(self, level: str, text: str) -> None:
        """level: 'info' fades by itself, 'problem' stays until it is closed. Of many at once the first are shown."""
        self.said = [*self.said[-MOST_KEPT + 1 :], Said(level, text, datetime.now().astimezone())]
        if self._held is not None:
            self._held.append((level, text))
            return
        self._at_once += 1
        self._quiet.start()
        if self._at_once <= _TOGETHER:
            self._show(level, text)
        elif self._at_once <= MOST_AT_ONCE:
            self._in_turn.append((level, text))
            self._next.start()

    def _show_next(self) -> None:
        """Each of many in a turn of its own: together they would hold the window."""
        if self._in_turn:
            self._show(*self._in_turn.pop(0))
        if not self._in_turn:
            self._next.stop()

    def _count_others(self) -> None:
        """It is quiet again: how many were said beside those that were shown."""
        others, self._at_once = self._at_once - MOST_AT_ONCE, 0
        if others > 0:
            self._show(
                "problem",
                tr("{others} more like these were said: all are listed in Help, What was said.", others=others),
            )

    def _show(self, level: str, text: str) -> None:
        for older in [one for one in self._shown if one.property("words") == text]:
            self._close(older)  # the same again stands once
        while len(self._shown) >= MOST_SHOWN:
            self._close(self._shown[0])
        frame = QFrame()
        frame.setObjectName("notice")
        frame.setProperty("words", text)
        row = QHBoxLayout(frame)
        row.setContentsMargins(14, 8, 8, 8)
        words = QLabel(text)
        words.setWordWrap(True)
        words.setTextFormat(Qt.TextFormat.PlainText)
        words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        set_role(words, "bad" if level == "problem" else "")
        row.addWidget(words, 1)
        row.addWidget(button(tr("Close"), lambda: self._close(frame), role="link"), 0, Qt.AlignmentFlag.AlignTop)
        frame.setAccessibleName(text)
        self.newest = words
        self._column.addWidget(frame)
        frame.show()
        self._shown.append(frame)
        if level != "problem":
            timer = QTimer(frame)
            timer.setSingleShot(True)
            timer.timeout.connect(lambda: self._close(frame))
            timer.start(GOOD_NEWS_MS)
        self._place()

    @property
    def any(self) -> bool:
        return bool(self._shown)

    def close_last(self) -> bool:
        """Escape: the newest goes. Whether there was one."""
        if self._shown:
            self._close(self._shown[-1])
            return True
        return False

    def _close(self, frame: QFrame) -> None:
        if frame in self._shown:
            self._shown.remove(frame)
            self._column.removeWidget(frame)
            frame.hide()
            frame.deleteLater()
            self._place()

    def _place(self) -> None:
        parent = self.parentWidget()
        if not self._shown or parent is None:
            self.hide()
            return
        width = min(theme.px(_WIDTH), parent.width() - 40)
        self.setFixedWidth(width)
        height = sum(frame.heightForWidth(width) if frame.hasHeightForWidth() else frame.sizeHint().height()
                     for frame in self._shown) + 6 * (len(self._shown) - 1)  # fmt: skip
        foot = (
            self._above.mapTo(parent, self._above.rect().topLeft()).y() if self._above.isVisible() else parent.height()
        )
        self.setGeometry(parent.width() - width - 20, max(0, foot - height - 12), width, height)
        self.show()
        self.raise_()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() in (QEvent.Type.Resize, QEvent.Type.LayoutRequest):
            self._place()
        return super().eventFilter(watched, event)


class NoticesDialog(Dialog):
    """All that was said since the window was opened, the newest first."""

    def __init__(self, parent: QWidget, said: list[Said]) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("What was said"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        self.table = Table()
        self.table.setAccessibleName(tr("Notices"))
        rows = [[f"{one.at:%H:%M:%S}", "problem" if one.level == "problem" else "", one.text] for one in reversed(said)]
        self.table.show_rows([tr("at"), "", tr("what")], rows or [["", "", tr("Nothing was said yet.")]], wide=2)
        layout.addWidget(self.table, 1)
        foot = QHBoxLayout()
        foot.addWidget(button(tr("Copy"), self.table.copy))
        foot.addStretch(1)
        foot.addWidget(button(tr("Close"), self.accept, role="main"))
        layout.addLayout(foot)
        open_at(self, 820, 460)

"""The editor of a passage: words to type in, delivery marks as quiet chips among them."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from itertools import pairwise
from typing import Final

from PyQt6.QtCore import QMimeData, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import (
    QKeySequence,
    QMouseEvent,
    QShortcut,
    QTextCharFormat,
    QTextCursor,
    QTextDocument,
    QTextOption,
)
from PyQt6.QtWidgets import QTextEdit, QWidget

from zestpanel.core.domain.mark import KINDS, DeliveryMark, clashes, tidy_value
from zestpanel.core.domain.passage import LONGEST_PASSAGE
from zestpanel.core.texts import tr
from zestpanel.desk.pages.passages.chips import (
    OBJECT,
    Chip,
    chips_in,
    is_chip,
    put_chip,
    read_document,
    write_document,
)
from zestpanel.desk.theme.tokens import theme

_LONGEST_WRAPPED: Final = 1_000  # characters of a word


class MarksEditor(QTextEdit):
    """``chip_clicked`` gives the number of a mark and where to show its value; ``refused`` says why a mark was not put
    in. Pasted text comes without marks of any kind."""

    chip_clicked = pyqtSignal(int, QPoint)
    refused = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAcceptRichText(False)
        self.setProperty("role", "reading")
        self._next = 1
        self._read: tuple[int, str, list[DeliveryMark]] | None = None  # by the revision of the document
        self._tidying = False
        self.textChanged.connect(self._tidy)
        self.cursorPositionChanged.connect(self._show_where)
        for kind in KINDS.values():
            keys = QShortcut(QKeySequence(f"Ctrl+Shift+{kind.key}"), self)
            keys.setContext(Qt.ShortcutContext.WidgetShortcut)
            keys.activated.connect(partial(self.add_mark, kind.name))

    def page(self) -> QTextDocument:
        document = self.document()
        assert document is not None
        return document

    # -- text and marks

    def set_marked(self, text: str, marks: Sequence[DeliveryMark]) -> None:
        """Show a text; what was typed before cannot be taken back from here."""
        self._tidying = True
        self._wrap_for(text)
        font = theme.font("title", serif=True)
        if self.page().defaultFont() != font:  # to set it lays the text that is still there out anew
            self.page().setDefaultFont(font)
        self._next = write_document(self.page(), text, marks, self._next)
        self.page().clearUndoRedoStacks()
        self._tidying = False
        self._tint()
        self.moveCursor(QTextCursor.MoveOperation.Start)

    def _wrap_for(self, text: str) -> None:
        """Lines end between words; in a text with a word of pages anywhere: for each line of it Qt would go through
        the whole word again."""
        giant = max(map(len, text.split()), default=0) > _LONGEST_WRAPPED
        wrap = QTextOption.WrapMode.WrapAnywhere if giant else QTextOption.WrapMode.WrapAtWordBoundaryOrAnywhere
        if wrap != self.wordWrapMode():
            self.page().clear()
            self.setWordWrapMode(wrap)

    def marked(self) -> tuple[str, list[DeliveryMark]]:
        """The text without chips, and the marks by index in it; read once for each change."""
        revision = self.page().revision()
        if self._read is None or self._read[0] != revision:
            self._read = revision, *read_document(self.page())
        return self._read[1], list(self._read[2])

    def plain_text(self) -> str:
        return self.marked()[0]

    # -- adding and changing marks

    def add_mark(self, kind: str, value: str | None = None) -> int | None:
        """Put a mark over the selection, the word at the cursor, or, for a pause or a sound, at the cursor.

        Returns its number, None where it cannot stand there (and says so).
        """
        about = KINDS[kind]
        cursor = self.textCursor()
        if not about.point and not cursor.hasSelection():
            cursor.select(QTextCursor.SelectionType.WordUnderCursor)
        start, end = cursor.selectionStart(), cursor.selectionEnd()
        if about.point:
            start = end = cursor.position()
        else:
            start, end = self._without_edges(start, end)
        if not about.point and end <= start:
            self.refused.emit(tr("Select the words first: {kind} covers words.", kind=kind))
            return None
        number = self._next
        given = about.default if value is None else value
        if kind in ("phoneme", "read as", "speaker") and not given:
            given = self._words(start, end)
        self._next += 1
        before = self.marked()
        change = self.textCursor()
        change.beginEditBlock()
        if not about.point:
            self._put(change, end, number, "close", kind, given)
        self._put(change, start, number, "point" if about.point else "open", kind, given)
        change.endEditBlock()
        text, marks = self.marked()
        wrong = clashes(text, marks)
        if wrong or text != before[0]:
            self.page().undo()
            self.refused.emit(f"{wrong[0][0].upper()}{wrong[0][1:]}." if wrong else tr("A mark cannot stand there."))
            return None
        self._tint()
        self._announce(number)
        return number

    def _words(self, start: int, end: int) -> str:
        cursor = QTextCursor(self.page())
        cursor.setPosition(start)
        cursor.setPosition(end, QTextCursor.MoveMode.KeepAnchor)
        return cursor.selectedText().replace(OBJECT, "").strip()

    def _without_edges(self, start: int, end: int) -> tuple[int, int]:
        """A selection without the spaces at its ends."""
        page = self.page()
        while start < end and page.characterAt(start).isspace():
            start += 1
        while end > start and page.characterAt(end - 1).isspace():
            end -= 1
        return start, end

    def _put(self, cursor: QTextCursor, at: int, number: int, side: str, kind: str, value: str) -> None:
        cursor.setPosition(at)
        put_chip(cursor, number, side, kind, value)

    def set_value(self, number: int, value: str) -> None:
        """Give a mark another value. Raises ValueError with the reason."""
        chips = [chip for chip in chips_in(self.page()) if chip.number == number]
        if not chips:
            return
        tidy = tidy_value(chips[0].kind, value)
        cursor = self.textCursor()
        cursor.beginEditBlock()
        for chip in chips:
            cursor.setPosition(chip.position)
            cursor.setPosition(chip.position + 1, QTextCursor.MoveMode.KeepAnchor)
            put_chip(cursor, number, chip.side, chip.kind, tidy)
        cursor.endEditBlock()

    def remove_mark(self, number: int) -> None:
        """Take a mark away; its words stay."""
        cursor = self.textCursor()
        cursor.beginEditBlock()
        for chip in reversed([chip for chip in chips_in(self.page()) if chip.number == number]):
            self._cut(cursor, chip)
        cursor.endEditBlock()

    def _cut(self, cursor: QTextCursor, chip: Chip) -> None:
        cursor.setPosition(chip.position)
        cursor.setPosition(chip.position + 1, QTextCursor.MoveMode.KeepAnchor)
        cursor.removeSelectedText()

    def mark_at(self, position: int) -> Chip | None:
        return next((chip for chip in chips_in(self.page()) if chip.position == position), None)

    def mark_numbered(self, number: int) -> Chip | None:
        return next((chip for chip in chips_in(self.page()) if chip.number == number), None)

    # -- keeping it whole

    def _tidy(self) -> None:
        """A mark that lost one end, or all its words, goes; typing beside a chip is plain text."""
        if self._tidying:
            return
        chips = chips_in(self.page())
        sides: dict[int, set[str]] = {}
        for chip in chips:
            sides.setdefault(chip.number, set()).add(chip.side)
        gone = [chip for chip in chips if sides[chip.number] not in ({"point"}, {"open", "close"})]
        for one, other in pairwise(chips):
            if one.number == other.number and one.side == "open" and other.position == one.position + 1:
                gone += [one, other]
        if gone:
            self._tidying = True
            cursor = self.textCursor()
            cursor.joinPreviousEditBlock()
            for chip in sorted({c.position: c for c in gone}.values(), key=lambda c: -c.position):
                self._cut(cursor, chip)
            cursor.endEditBlock()
            self._tidying = False
        self._tint()

    def _show_where(self) -> None:
        if is_chip(self.currentCharFormat()) and not self.textCursor().hasSelection():
            self.setCurrentCharFormat(QTextCharFormat())
        self._tint()

    def _tint(self) -> None:
        """Words under a mark have a quiet ground; those of the innermost mark at the cursor a warmer one."""
        chips = chips_in(self.page())
        opened: dict[int, Chip] = {}
        spans: list[tuple[int, int, int]] = []
        for chip in chips:
            if chip.side == "open":
                opened[chip.number] = chip
            elif chip.side == "close" and chip.number in opened:
                spans.append((opened[chip.number].position, chip.position + 1, chip.number))
        at = self.textCursor().position()
        inner = min((s for s in spans if s[0] < at <= s[1]), key=lambda s: s[1] - s[0], default=None)
        chosen = inner[2] if inner else next((c.number for c in chips if c.side == "point" and at in (
            c.position, c.position + 1)), -1)  # fmt: skip
        selections = []
        for start, end, number in spans:
            selection = QTextEdit.ExtraSelection()
            selection.cursor = QTextCursor(self.page())
            selection.cursor.setPosition(start + 1)
            selection.cursor.setPosition(end - 1, QTextCursor.MoveMode.KeepAnchor)
            selection.format.setBackground(theme.colour("zest-pale" if number == chosen else "shade"))
            selections.append(selection)
        self.setExtraSelections(selections)

    # -- the hand

    def mousePressEvent(self, event: QMouseEvent) -> None:
        chip = self._chip_under(event.pos())
        if chip is not None and event.button() == Qt.MouseButton.LeftButton:
            self._announce(chip.number)
            return
        super().mousePressEvent(event)

    def _chip_under(self, place: QPoint) -> Chip | None:
        layout = self.page().documentLayout()
        assert layout is not None
        inside = place + QPoint(self.horizontalScrollBar().value(), self.verticalScrollBar().value())
        at = layout.hitTest(inside.toPointF(), Qt.HitTestAccuracy.ExactHit)
        if at < 0:
            return None
        for candidate in (at, at - 1):
            chip = self.mark_at(candidate)
            if chip is not None and self._rect_of(candidate).contains(place):
                return chip
        return None

    def _rect_of(self, position: int):  # type: ignore[no-untyped-def]
        cursor = QTextCursor(self.page())
        cursor.setPosition(position)
        first = self.cursorRect(cursor)
        cursor.setPosition(position + 1)
        return first.united(self.cursorRect(cursor))

    def _announce(self, number: int) -> None:
        chip = self.mark_numbered(number)
        if chip is not None:
            rect = self._rect_of(chip.position)
            self.chip_clicked.emit(number, self.viewport().mapToGlobal(rect.bottomLeft()))

    # -- the clipboard

    def createMimeDataFromSelection(self) -> QMimeData:
        data = QMimeData()
        data.setText(self.textCursor().selectedText().replace(OBJECT, "").replace("\u2029", "\n"))
        return data

    def insertFromMimeData(self, source: QMimeData | None) -> None:
        if source is None or not source.hasText():
            return
        text, replaced = source.text().replace(OBJECT, ""), self.textCursor().selectedText().replace(OBJECT, "")
        characters = len(self.plain_text()) - len(replaced) + len(text)
        if characters > LONGEST_PASSAGE:
            self.refused.emit(
                tr(
                    "The passage would have {characters} characters; it may have at most {most}. Nothing was pasted. "
                    "Bring it in as a script: Import script …, Paste text.",
                    characters=f"{characters:,}",
                    most=f"{LONGEST_PASSAGE:,}",
                )
            )
            return
        self.textCursor().insertText(text, QTextCharFormat())

"""Delivery marks within a text as small chips: how a document holds them, and how it is read back."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Final

from PyQt6.QtCore import QPointF, QRectF, Qt, QUrl
from PyQt6.QtGui import (
    QFontMetricsF,
    QGuiApplication,
    QImage,
    QPainter,
    QPen,
    QTextCharFormat,
    QTextCursor,
    QTextDocument,
    QTextFormat,
    QTextImageFormat,
)

from zestpanel.core.domain.mark import KINDS, DeliveryMark, in_order
from zestpanel.core.texts import tr
from zestpanel.desk.plain_tips import plain_tip
from zestpanel.desk.theme.tokens import theme

OBJECT: Final = "\ufffc"
_NUMBER: Final = QTextFormat.Property.UserProperty + 1  # both chips of a mark share it
_SIDE: Final = QTextFormat.Property.UserProperty + 2  # 'open', 'close' or 'point'
_KIND: Final = QTextFormat.Property.UserProperty + 3
_VALUE: Final = QTextFormat.Property.UserProperty + 4


def words_of(kind: str, value: str) -> str:
    """What a chip says: the value, with a word before it where that alone would not tell."""
    match kind:
        case "phoneme":
            return f"/{value}/"
        case "read as":
            return tr("read: {value}", value=value)
        case "say-as":
            return tr("as {value}", value=value)
        case "emphasis":
            return tr("{value} stress", value=value) if value != "none" else tr("no stress")
        case "sound":
            return value
        case "pause":
            return tr("{value} pause", value=value) if not value[:1].isdigit() else value
    return value


def chip_picture(side: str, kind: str, value: str, *, ratio: float = 1.0) -> QImage:
    """A chip as it is drawn: the opening one with its value, the closing one as a narrow end."""
    font = theme.font("small")
    shown = _shown(kind, value)
    wide = theme.px(8) if side == "close" else round(QFontMetricsF(font).horizontalAdvance(shown)) + theme.px(16)
    tall = round(QFontMetricsF(theme.font("title", serif=True)).ascent())
    picture = QImage(round(wide * ratio), round(tall * ratio), QImage.Format.Format_ARGB32_Premultiplied)
    picture.setDevicePixelRatio(ratio)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    box = QRectF(0, 0, wide, tall).adjusted(theme.px(2), 0.5, -theme.px(2), -0.5)
    if side == "close":
        painter.setPen(QPen(theme.colour("quiet"), 1.3))
        x = box.center().x()
        painter.drawLine(QPointF(x, box.top() + 2), QPointF(x, box.bottom() - 1))
        painter.drawLine(QPointF(x, box.bottom() - 1), QPointF(x - theme.px(3), box.bottom() - 1))
        painter.drawLine(QPointF(x, box.top() + 2), QPointF(x - theme.px(3), box.top() + 2))
    else:
        painter.setPen(QPen(theme.colour("quiet"), 1))
        painter.setBrush(theme.colour("shade"))
        painter.drawRoundedRect(box, theme.px(4), theme.px(4))
        painter.setFont(font)
        painter.setPen(theme.colour("ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, shown)
    painter.end()
    return picture


def _shown(kind: str, value: str) -> str:
    text = words_of(kind, value)
    return text if len(text) <= 22 else text[:21] + "…"


def put_chip(cursor: QTextCursor, number: int, side: str, kind: str, value: str) -> None:
    """Insert a chip where the cursor stands."""
    document = cursor.document()
    assert document is not None
    application = QGuiApplication.instance()
    ratio = application.devicePixelRatio() if isinstance(application, QGuiApplication) else 1.0
    picture = chip_picture(side, kind, value, ratio=ratio)
    name = f"chip/{side}/{kind}/{value}"
    document.addResource(QTextDocument.ResourceType.ImageResource, QUrl(name), picture)
    made = QTextImageFormat()
    made.setName(QUrl(name).toString())
    made.setWidth(picture.width() / ratio)
    made.setHeight(picture.height() / ratio)
    made.setProperty(_NUMBER, number)
    made.setProperty(_SIDE, side)
    made.setProperty(_KIND, kind)
    made.setProperty(_VALUE, value)
    made.setToolTip(plain_tip(f"{kind}: {value}"))
    made.setVerticalAlignment(QTextCharFormat.VerticalAlignment.AlignMiddle)
    cursor.insertImage(made)


def is_chip(format: QTextFormat) -> bool:
    return format.hasProperty(_NUMBER)


class Chip:
    """One chip as it stands in a document."""

    __slots__ = ("kind", "number", "position", "side", "value")

    def __init__(self, position: int, format: QTextFormat) -> None:
        self.position = position
        self.number = int(format.property(_NUMBER))
        self.side = str(format.property(_SIDE))
        self.kind = str(format.property(_KIND))
        self.value = str(format.property(_VALUE))


def chips_in(document: QTextDocument) -> list[Chip]:
    """All chips by place."""
    found = []
    block = document.begin()
    while block.isValid():
        iterator = block.begin()
        while not iterator.atEnd():
            fragment = iterator.fragment()
            if is_chip(fragment.charFormat()):
                found += [Chip(fragment.position() + i, fragment.charFormat()) for i in range(fragment.length())]
            iterator += 1
        block = block.next()
    return found


def index_in(text: str) -> Callable[[int], int]:
    """From a place as Qt counts it, in units of UTF-16, to the index in the text: a character beyond the basic plane,
    such as an emoji, is two of them (The Unicode Standard, D91)."""
    if not text or max(text) <= "\uffff":
        return lambda place: place
    coded = text.encode("utf-16-le", "surrogatepass")
    return lambda place: len(coded[: 2 * place].decode("utf-16-le", "surrogatepass"))


def whole_of(document: QTextDocument) -> str:
    """The text with its chips. Qt's plain text has common spaces for no-break ones, which French texts are full of."""
    return document.toRawText().replace("\u2029", "\n").replace("\u2028", "\n")


def read_document(document: QTextDocument) -> tuple[str, list[DeliveryMark]]:
    """(text, marks) of a document: the text without chips, the marks by index in it."""
    whole = whole_of(document)
    chips = chips_in(document)
    index = index_in(whole)
    places = [index(chip.position) for chip in chips]
    begins = [0, *(place + 1 for place in places)]
    text = "".join(whole[begin:end] for begin, end in zip(begins, [*places, len(whole)], strict=True))
    marks: list[DeliveryMark] = []
    opened: dict[int, tuple[int, Chip]] = {}
    for before, (place, chip) in enumerate(zip(places, chips, strict=True)):
        at = place - before
        if chip.side == "point":
            marks.append(DeliveryMark(at, at, chip.kind, chip.value))
        elif chip.side == "open":
            opened[chip.number] = (at, chip)
        elif chip.number in opened:
            start, first = opened.pop(chip.number)
            if at > start:
                marks.append(DeliveryMark(start, at, first.kind, first.value))
    return text, in_order(marks)


def write_document(document: QTextDocument, text: str, marks: Sequence[DeliveryMark], first_number: int = 1) -> int:
    """Fill a document with a text and its marks as chips. Returns the next free number."""
    cursor = QTextCursor(document)
    cursor.beginEditBlock()
    cursor.select(QTextCursor.SelectionType.Document)
    cursor.removeSelectedText()
    plain = QTextCharFormat()
    number = first_number
    open_marks: list[tuple[int, int, DeliveryMark]] = []
    at = 0

    def text_up_to(place: int) -> None:
        nonlocal at
        while open_marks and open_marks[-1][0] <= place:
            end, own, mark = open_marks.pop()
            cursor.insertText(text[at:end], plain)
            put_chip(cursor, own, "close", mark.kind, mark.value)
            at = end
        cursor.insertText(text[at:place], plain)
        at = place

    for mark in in_order(marks):
        text_up_to(mark.start)
        side = "point" if KINDS[mark.kind].point else "open"
        put_chip(cursor, number, side, mark.kind, mark.value)
        if mark.end > mark.start:
            open_marks.append((mark.end, number, mark))
        number += 1
    text_up_to(len(text))
    cursor.endEditBlock()
    return number

"""What the card is made of, one piece below the other. Another candidate's figures go into the pieces that stand there
already: sixty labels made anew for every step of an arrow key would be felt."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Protocol

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from zestpanel.core.texts import tr, word
from zestpanel.desk.plain_tips import plain_tip
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import Swatch, button, label, rule, yielding


class Piece(Protocol):
    """Pieces of one ``shape`` differ in their words only."""

    @property
    def shape(self) -> object: ...

    def build(self) -> Built: ...


class Built(Protocol):
    widget: QWidget

    def put(self, piece: Piece) -> None: ...


@dataclass(frozen=True, slots=True)
class Words:
    """A text of its own."""

    text: str
    role: str = ""
    tip: str = ""

    @property
    def shape(self) -> object:
        return "words", self.role

    def build(self) -> Built:
        return _Words(self)


class _Words:
    def __init__(self, piece: Words) -> None:
        self.widget: QWidget = label("", piece.role, wrap=True)
        self.put(piece)

    def put(self, piece: Piece) -> None:
        assert isinstance(piece, Words)
        assert isinstance(self.widget, QLabel)
        self.widget.setText(piece.text)
        self.widget.setToolTip(plain_tip(piece.tip))


@dataclass(frozen=True, slots=True)
class Line:
    """A name at the left, its figure at the right."""

    words: str
    value: str
    tip: str = ""
    bad: bool = False

    @property
    def shape(self) -> object:
        return "line", self.bad

    def build(self) -> Built:
        return _Line(self)


class _Line:
    def __init__(self, piece: Line) -> None:
        self.widget = QWidget()
        across = QHBoxLayout(self.widget)
        across.setContentsMargins(0, 0, 0, 0)
        self._name, self._figure = yielding(label("")), label("", "bad" if piece.bad else "")
        across.addWidget(self._name, 1)
        across.addWidget(self._figure)
        self.put(piece)

    def put(self, piece: Piece) -> None:
        assert isinstance(piece, Line)
        self._name.setText(piece.words)
        self._figure.setText(piece.value)
        for one in (self._name, self._figure):
            one.setToolTip(plain_tip(piece.tip))


@dataclass(frozen=True, slots=True)
class Verdict:
    """Yes, no or unknown, and what about."""

    verdict: str
    name: str
    why: str

    @property
    def shape(self) -> object:
        return "verdict", self.verdict == "yes"

    def build(self) -> Built:
        return _Verdict(self)


class _Verdict:
    def __init__(self, piece: Verdict) -> None:
        self.widget = QWidget()
        across = QHBoxLayout(self.widget)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(5)
        self._says, self._name = label("", "good" if piece.verdict == "yes" else "bad"), label("", wrap=True)
        across.addWidget(self._says, 0, Qt.AlignmentFlag.AlignTop)
        across.addWidget(self._name, 1)
        self.put(piece)

    def put(self, piece: Piece) -> None:
        assert isinstance(piece, Verdict)
        self._says.setText(word(piece.verdict))
        self._name.setText(piece.name)
        self._name.setToolTip(plain_tip(piece.why))


@dataclass(frozen=True, slots=True)
class Interval:
    """An interval on a scale from 1 to 5."""

    low: float
    mean: float
    high: float
    tip: str

    @property
    def shape(self) -> object:
        return "interval"

    def build(self) -> Built:
        return _Interval(self)


class _Interval:
    def __init__(self, piece: Interval) -> None:
        self.widget: QWidget = Swatch(1, 5)
        self.put(piece)

    def put(self, piece: Piece) -> None:
        assert isinstance(piece, Interval)
        assert isinstance(self.widget, Swatch)
        self.widget.show_interval(piece.low, piece.mean, piece.high)
        self.widget.setToolTip(plain_tip(piece.tip))


@dataclass(frozen=True, slots=True)
class Head:
    """The head of a group; with ``behind`` it leads to what is behind the group."""

    title: str
    small: str = ""
    value: str = ""
    behind: Callable[[], QWidget] | None = field(default=None, compare=False)

    @property
    def shape(self) -> object:
        return "head", self.title, self.behind is None

    def build(self) -> Built:
        return _Head(self)


class _Head:
    def __init__(self, piece: Head) -> None:
        self.widget = QWidget()
        column = QVBoxLayout(self.widget)
        column.setContentsMargins(0, theme.px(6), 0, 0)
        column.setSpacing(theme.px(6))
        column.addWidget(rule())
        across = QHBoxLayout()
        self._behind = piece.behind
        if piece.behind is None:
            across.addWidget(label(piece.title, "strong"))
        else:
            link = button(
                f"{piece.title} ›",
                self._open,
                role="link",
                tip=tr("What is behind: {title}", title=piece.title.lower()),
            )
            link.setFont(theme.font(bold=True))
            link.setAccessibleName(tr("{title}: show what is behind", title=piece.title))
            across.addWidget(link)
        self._small, self._value = yielding(label("", "small")), label("", "strong")
        across.addWidget(self._small, 1)
        across.addWidget(self._value)
        column.addLayout(across)
        self.put(piece)

    def _open(self) -> None:
        if self._behind is not None:
            self._behind().show()

    def put(self, piece: Piece) -> None:
        assert isinstance(piece, Head)
        self._behind = piece.behind
        self._small.setText(piece.small)
        self._value.setText(piece.value)


class Pieces(QWidget):
    """Pieces below one another. What has the same shape as before is kept and gets its words."""

    def __init__(self) -> None:
        super().__init__()
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(16, 14, 14, 14)
        self._column.setSpacing(theme.px(4))
        self._column.addStretch(1)
        self._shown: list[tuple[Piece, Built]] = []

    def show_pieces(self, pieces: list[Piece]) -> None:
        kept = 0
        for piece, (before, built) in zip(pieces, self._shown, strict=False):
            if piece.shape != before.shape:
                break
            built.put(piece)
            self._shown[kept] = (piece, built)
            kept += 1
        for _, built in self._shown[kept:]:
            self._column.removeWidget(built.widget)
            built.widget.hide()
            built.widget.deleteLater()
        del self._shown[kept:]
        for piece in pieces[kept:]:
            built = piece.build()
            self._column.insertWidget(len(self._shown), built.widget)
            self._shown.append((piece, built))

"""Asking the person at this machine whether an engine may use a program, a host, a key or a folder: once for each."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors import agreed
from zestpanel.core.errors import SynthesisFailure, ZestError
from zestpanel.core.texts import tr
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.widgets import button, label, open_at

_MOST_SHOWN = 6


def unasked(engines: Sequence[Engine]) -> list[Engine]:
    """Those that use something nobody has agreed to here. One whose file cannot be understood says so when used."""
    out = []
    for engine in engines:
        try:
            if agreed.missing(engine):
                out.append(engine)
        except SynthesisFailure:
            continue
    return out


def ask_first(parent: QWidget, engines: Sequence[Engine], then: Callable[[], None]) -> None:
    """Go on at once where all was agreed to, else after the person has seen what it is and said yes."""
    asked = unasked(engines)
    if asked:
        AgreeDialog(parent, asked, then).show()
    else:
        then()


class TakeBackDialog(Dialog):
    """What engines use and was agreed to; taken back, it is asked about again."""

    def __init__(self, parent: QWidget, engines: Sequence[Engine], then: Callable[[], None]) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle(tr("What these engines may use"))
        self._engines, self._then = engines, then
        self.problem = _hidden_line()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 18, 24, 18)
        layout.setSpacing(8)
        layout.addWidget(label(tr("You agreed to this on this machine"), "page"))
        for engine in engines[:_MOST_SHOWN]:
            layout.addWidget(label(engine.engine, "strong"))
            for use in _uses(engine):
                words = label(f"{use[0].upper()}{use[1:]}.", wrap=True)
                words.setIndent(24)
                layout.addWidget(words)
        if len(engines) > _MOST_SHOWN:
            layout.addWidget(label(tr("and {engines} more", engines=len(engines) - _MOST_SHOWN), "small"))
        layout.addStretch(1)
        layout.addWidget(self.problem)
        foot = QHBoxLayout()
        foot.addStretch(1)
        self.take_back = button(tr("Take it back"), self.go)
        foot.addWidget(self.take_back)
        foot.addWidget(button(tr("Leave it so"), self.reject, role="main"))
        layout.addLayout(foot)
        open_at(self, 640, 260)

    def go(self) -> None:
        keep(self, self.problem, agreed.take_back, self._engines, self._then)


def _hidden_line() -> QLabel:
    line = label("", "bad", wrap=True)
    line.hide()
    return line


def keep(
    dialog: Dialog, problem: QLabel, do: Callable[[Engine], None], engines: Sequence[Engine], then: Callable[[], None]
) -> None:
    """Write it down and go on; where that cannot be, one sentence, and the question stays."""
    try:
        for engine in engines:
            do(engine)
    except ZestError as error:
        problem.setText(str(error))
        problem.show()
        return
    dialog.accept()
    then()


def _uses(engine: Engine) -> list[str]:
    try:
        return [use.words for use in agreed.uses_of(engine)]
    except SynthesisFailure as failure:
        return [failure.what.rstrip(".")]


class AgreeDialog(Dialog):
    """What each engine would use, in full; what is ticked is agreed to."""

    def __init__(self, parent: QWidget, engines: Sequence[Engine], then: Callable[[], None]) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle(tr("May these be used on this machine?"))
        self._then = then
        self.problem = _hidden_line()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 18, 24, 18)
        layout.setSpacing(10)
        layout.addWidget(label(tr("May these be used on this machine?"), "page"))
        layout.addWidget(
            label(
                tr(
                    "A connector file says which program is run, or which host gets your texts and your key. "
                    "Agree to what "
                    "you know. It is asked once for each, kept with your own settings and not in the project; whatever "
                    "changes is asked about again."
                ),
                "small",
                wrap=True,
            )
        )
        inner = QWidget()
        rows = QVBoxLayout(inner)
        rows.setContentsMargins(0, 0, 0, 0)
        self.ticks: list[tuple[QCheckBox, Engine]] = []
        for engine in engines:
            rows.addWidget(self._row(engine))
        rows.addStretch(1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setWidget(inner)
        layout.addWidget(area, 1)
        layout.addWidget(self.problem)
        foot = QHBoxLayout()
        foot.addStretch(1)
        self.later = button(tr("Not now"), self.reject)
        self.yes = button(tr("Agree to what is ticked"), self.go, role="main")
        foot.addWidget(self.later)
        foot.addWidget(self.yes)
        layout.addLayout(foot)
        self.later.setDefault(True)  # a hasty Enter agrees to nothing
        open_at(self, 680, min(560, 230 + 96 * len(engines)))

    def _row(self, engine: Engine) -> QWidget:
        box = QWidget()
        column = QVBoxLayout(box)
        column.setContentsMargins(0, 6, 0, 6)
        column.setSpacing(3)
        tick = QCheckBox(engine.engine.replace("&", "&&"))
        tick.setChecked(True)
        tick.toggled.connect(lambda _: self.yes.setEnabled(any(t.isChecked() for t, _ in self.ticks)))
        self.ticks.append((tick, engine))
        column.addWidget(tick)
        lines = [use.words for use in agreed.missing(engine)]
        lines = [f"{line[0].upper()}{line[1:]}." for line in lines]
        if changed := agreed.before(engine):
            lines.append(
                tr("This is another than what you agreed to for it before: it {changed}.", changed=changed[-1])
            )
        for line in lines:
            words = label(line, wrap=True)
            words.setTextFormat(Qt.TextFormat.PlainText)
            words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            words.setIndent(24)
            column.addWidget(words)
        return box

    def go(self) -> None:
        ticked = [engine for tick, engine in self.ticks if tick.isChecked()]
        keep(self, self.problem, agreed.agree, ticked, self._then)

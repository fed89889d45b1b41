"""The small window at a chip: what the mark is, its value, what that makes of the duration, and how to take it away."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QComboBox, QFrame, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from zestpanel.core.domain.mark import KINDS, STRENGTHS, tidy_value
from zestpanel.core.texts import capital, tr, word
from zestpanel.desk.theme.tokens import theme
from zestpanel.desk.widgets import button, label
from zestpanel.desk.word_box import add_words, chosen_word


class MarkPopup(QFrame):
    """keep(value) is called with a tidy value when it is changed; remove() when the mark is to go.

    about(value) gives a line on what the value means here, such as the duration a rate results in.
    """

    def __init__(
        self,
        parent: QWidget,
        kind: str,
        value: str,
        *,
        keep: Callable[[str], None],
        remove: Callable[[], None],
        about: Callable[[str], str] = lambda value: "",
        hear: Callable[[str], None] | None = None,
    ) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("popup")
        self._kind, self._keep, self._remove, self._about = kind, keep, remove, about
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 10, 14, 12)
        layout.setSpacing(6)
        layout.addWidget(label(capital(word(kind)), "strong"))
        choices = STRENGTHS if kind == "pause" else KINDS[kind].choices
        self.edit: QLineEdit | QComboBox
        if choices:
            self.edit = QComboBox()
            self.edit.setEditable(kind in ("pause", "say-as"))
            add_words(self.edit, choices)
            self.edit.setCurrentText(word(value))
            self.edit.currentTextChanged.connect(lambda _: self._changed(self._text()))
        else:
            self.edit = QLineEdit(value)
            self.edit.selectAll()
            self.edit.textChanged.connect(self._changed)
            self.edit.returnPressed.connect(self.close)
        self.edit.setAccessibleName(tr("Value of {kind}", kind=kind))
        self.edit.setMinimumWidth(theme.px(210))
        layout.addWidget(self.edit)
        self.hint = label(KINDS[kind].hint, "small", wrap=True)
        layout.addWidget(self.hint)
        row = QHBoxLayout()
        self.remove = button(tr("Take away"), self._gone)
        row.addWidget(self.remove)
        row.addStretch(1)
        if hear is not None:
            row.addWidget(button(tr("Hear it"), lambda: hear(self._text())))
        row.addWidget(button(tr("Done"), self.close, role="main"))
        layout.addLayout(row)
        self._changed(value)

    def show_at(self, place: QPoint) -> None:
        self.adjustSize()
        self.move(place + QPoint(0, theme.px(4)))
        self.show()
        self.edit.setFocus(Qt.FocusReason.PopupFocusReason)

    def _text(self) -> str:
        return chosen_word(self.edit) if isinstance(self.edit, QComboBox) else self.edit.text()

    def _changed(self, text: str) -> None:
        try:
            value = tidy_value(self._kind, text)
        except ValueError as error:
            self.hint.setText(tr("Not kept: {error}.", error=error))
            return
        self.hint.setText(self._about(value) or KINDS[self._kind].hint)
        self._keep(value)

    def _gone(self) -> None:
        self._remove()
        self.close()

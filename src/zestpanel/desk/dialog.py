"""How every dialog behaves: the first field has the focus, Enter does the main thing, Escape leaves, Tab goes through
the fields before the buttons at the foot; and once closed it is freed."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QComboBox,
    QDialog,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QTextEdit,
    QWidget,
)

_FIELDS = (QLineEdit, QComboBox, QAbstractSpinBox, QPlainTextEdit, QTextEdit, QAbstractItemView)
_FOOT_PX = 70  # buttons so near to the lower edge are the foot


class Dialog(QDialog):
    """The main button is the one of the role 'main', unless another was made the default: what could do harm by a hasty
    Enter asks for nothing."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._ordered = False
        self.finished.connect(lambda _: self.deleteLater())

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if not self._ordered:
            self._ordered = True
            self._order()

    def _order(self) -> None:
        layout = self.layout()
        if layout is not None:
            layout.activate()
        buttons = self.findChildren(QPushButton)
        if not any(one.isDefault() for one in buttons):
            main = next((one for one in buttons if one.property("role") == "main"), None)
            if main is not None:
                main.setDefault(True)
        before = self.focusWidget()
        tabbed = self._tabbed()
        foot = [one for one in tabbed if isinstance(one, QPushButton) and one.isVisible()
                and one.mapTo(self, one.rect().center()).y() > self.height() - _FOOT_PX]  # fmt: skip
        rest = [one for one in tabbed if one not in foot]
        if rest and foot:
            last = rest[-1]
            for one in foot:
                QWidget.setTabOrder(last, one)
                last = one
        if before is None or isinstance(before, QAbstractButton):
            field = next(
                (one for one in rest if isinstance(one, _FIELDS) and one.isVisible() and one.isEnabled()), None
            )
            if field is not None:
                field.setFocus(Qt.FocusReason.OtherFocusReason)
            elif (main := next((one for one in buttons if one.isDefault()), None)) is not None:
                main.setFocus(Qt.FocusReason.OtherFocusReason)

    def _tabbed(self) -> list[QWidget]:
        """What Tab goes to, in the order it does."""
        out, at = [], self.nextInFocusChain()
        while at is not None and at is not self:
            if self.isAncestorOf(at) and at.focusPolicy() & Qt.FocusPolicy.TabFocus:
                out.append(at)
            at = at.nextInFocusChain()
        return out

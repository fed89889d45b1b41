"""The question for an engine's key: it goes into the key store, nowhere else, and is never shown."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QInputDialog, QLineEdit, QMessageBox, QWidget

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.preflight import secret_of
from zestpanel.core.secrets.keys import forget_secret, is_kept, keep_secret
from zestpanel.core.texts import tr
from zestpanel.desk.state import DeskState


def ask_for_key(parent: QWidget, state: DeskState, engine: Engine) -> None:
    """One that is kept is replaced or forgotten; one that is not is asked for."""
    secret = secret_of(engine)
    if not secret:
        return

    def looked(kept: bool) -> None:
        if kept:
            _replace_or_forget(parent, state, engine, secret)
        else:
            _ask(parent, state, engine, secret)

    state.background.run(lambda: is_kept(secret), looked, state.complain)


def _replace_or_forget(parent: QWidget, state: DeskState, engine: Engine, secret: str) -> None:
    box = QMessageBox(QMessageBox.Icon.Question, tr("Key for {engine}", engine=engine.engine),
                      tr("The key '{secret}' is kept on this desktop.", secret=secret), parent=parent)  # fmt: skip
    box.setTextFormat(Qt.TextFormat.PlainText)
    other = box.addButton(tr("Another key …"), QMessageBox.ButtonRole.AcceptRole)
    forget = box.addButton(tr("Forget it"), QMessageBox.ButtonRole.DestructiveRole)
    box.setEscapeButton(box.addButton(tr("Cancel"), QMessageBox.ButtonRole.RejectRole))
    box.setDefaultButton(other)

    def forgotten(_: object) -> None:
        state.say(tr("The key '{secret}' is forgotten.", secret=secret))
        state.refresh()

    def done(_: int) -> None:
        if box.clickedButton() is other:
            _ask(parent, state, engine, secret)
        elif box.clickedButton() is forget:
            state.background.run(lambda: forget_secret(secret), forgotten, state.complain)

    box.finished.connect(done)
    box.open()


def _ask(parent: QWidget, state: DeskState, engine: Engine, secret: str) -> None:
    value, given = QInputDialog.getText(
        parent,
        tr("Key for {engine}", engine=engine.engine),
        tr("The key '{secret}' goes into this desktop's key store:", secret=secret),
        QLineEdit.EchoMode.Password,
    )
    if given and value.strip():

        def kept(said: str) -> None:
            state.say(said)
            state.refresh()

        state.background.run(lambda: keep_secret(secret, value.strip()), kept, state.complain)

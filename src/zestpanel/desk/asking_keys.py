"""The question for an engine's key: it goes into the key store, nowhere else, and is never shown."""

from __future__ import annotations

from PyQt6.QtWidgets import QInputDialog, QLineEdit, QWidget

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.preflight import secret_of
from zestpanel.core.secrets.keys import keep_secret
from zestpanel.core.texts import tr
from zestpanel.desk.state import DeskState


def ask_for_key(parent: QWidget, state: DeskState, engine: Engine) -> None:
    secret = secret_of(engine)
    if not secret:
        return
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

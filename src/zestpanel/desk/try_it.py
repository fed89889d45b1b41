"""Try it: one request to an engine, shown as sent (secrets masked), with the reply and what was understood of it."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialog, QHBoxLayout, QPlainTextEdit, QVBoxLayout, QWidget

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.opening import connector_of, open_connector
from zestpanel.core.connectors.programs import console_verdict
from zestpanel.core.connectors.speaking import Reply, SpeakRequest
from zestpanel.core.errors import SynthesisFailure
from zestpanel.desk.agreeing import ask_first
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import button, label, open_at


class TryIt(QDialog):
    def __init__(self, parent: QWidget, state: DeskState, engine: Engine, request: SpeakRequest) -> None:
        super().__init__(parent)
        self._state, self._engine, self._request = state, engine, request
        self.setWindowTitle(f"Try {engine.engine}")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(f"Try {engine.engine}", "name"))
        layout.addWidget(label("The request", "strong"))
        self.asked, self.answer = self._text(), self._text()
        layout.addWidget(self.asked, 3)
        layout.addWidget(label("The reply, and what was understood", "strong"))
        layout.addWidget(self.answer, 2)
        foot = QHBoxLayout()
        self.send = button("Send it", self.go, role="main")
        foot.addWidget(label("Sending counts against the plan's allowance like any other request.", "small"), 1)
        foot.addWidget(button("Close", self.accept))
        foot.addWidget(self.send)
        layout.addLayout(foot)
        open_at(self, 680, 560)
        self._show_request()

    def _text(self) -> QPlainTextEdit:
        edit = QPlainTextEdit()
        edit.setReadOnly(True)
        return edit

    def _show_request(self) -> None:
        connector = connector_of(self._engine)
        try:
            self.asked.setPlainText(connector.describe(self._request))
        except SynthesisFailure as failure:
            self.asked.setPlainText(failure.what)
        finally:
            connector.close()

    def go(self) -> None:
        ask_first(self, [self._engine], self._send)

    def _send(self) -> None:
        self.send.setEnabled(False)
        self.answer.setPlainText("Asking …")

        def work() -> Reply:
            connector = open_connector(self._engine)
            try:
                return connector.speak(self._request)
            finally:
                connector.close()

        def failed(error: Exception) -> None:
            kind = f"{error.kind}: " if isinstance(error, SynthesisFailure) else ""
            self.answer.setPlainText(f"{kind}{error}")
            self.send.setEnabled(True)

        self._state.background.run(work, self._show_reply, failed, topic="try it")

    def _show_reply(self, reply: Reply) -> None:
        lines = [
            f"Sound: {reply.clip.duration_s:.2f} s, {reply.clip.rate_hz} Hz, {reply.clip.channels} channel(s), "
            f"{len(reply.data):,} bytes",
            f"Voice named in the reply: {reply.voice_used or 'none'}",
            f"Characters billed: {'not stated' if reply.characters_billed is None else reply.characters_billed}",
            f"Allowance left: {'not stated' if reply.allowance_left is None else f'{reply.allowance_left:,}'}",
            f"Word times: {len(reply.word_times) or 'none'}",
            "",
        ]
        t = reply.timing
        phases = (
            ()
            if t is None
            else (
                ("connected", t.connected_s),
                ("request sent", t.sent_s),
                ("first byte", t.first_byte_s),
                ("first sound", t.first_sound_s),
                ("last byte", t.last_byte_s),
                ("decoded", t.decoded_s),
                ("loaded", t.load_s),
                ("plays without a stall from", t.stall_free_start_s()),
            )
        )
        lines += [f"{name:<28}{value:8.3f} s" for name, value in phases if value is not None]
        if verdict := console_verdict(reply.console):
            lines += ["", verdict, "", reply.console.strip()]
        self.answer.setPlainText("\n".join(lines))
        self.send.setEnabled(True)

"""Try it: one request to an engine, shown as sent (secrets masked), with the reply and what was understood of it."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QPlainTextEdit, QVBoxLayout, QWidget

from zestpanel.core.connectors.programs import console_verdict
from zestpanel.core.domain.take import Take, Timing
from zestpanel.core.errors import SynthesisFailure, ZestError
from zestpanel.core.playback.mixer import Lane, prepare_lanes
from zestpanel.core.runs.execute.auditioning import Heard, Line, described, hear, kept_answer
from zestpanel.core.texts import tr
from zestpanel.desk.agreeing import ask_first
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.hearing import play_alone
from zestpanel.desk.state import DeskState
from zestpanel.desk.when import day_and_hour
from zestpanel.desk.widgets import button, label, open_at


class TryIt(Dialog):
    def __init__(
        self, parent: QWidget, state: DeskState, line: Line, *, beside: Take | None = None, about: str = ""
    ) -> None:
        """beside: a take that the reply is heard beside, at the same place. about: why it is tried."""
        super().__init__(parent)
        self._state, self._line, self._beside = state, line, beside
        self._heard: Heard | None = None
        self._both: list[Lane] = []
        name = line.engine.engine
        self.setWindowTitle(tr("Try {name}", name=name))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(tr("Try {name}", name=name), "name"))
        if about:
            layout.addWidget(label(about, "quiet", wrap=True))
        layout.addWidget(label(tr("The request"), "strong"))
        self.asked, self.answer = self._text(), self._text()
        layout.addWidget(self.asked, 3)
        layout.addWidget(label(tr("The reply, and what was understood"), "strong"))
        layout.addWidget(self.answer, 2)
        foot = QHBoxLayout()
        self.send = button(tr("Send it"), self.go, role="main")
        foot.addWidget(label(tr("A request like any other: journaled, and counted for plan and caps."), "small"), 1)
        self.both = button(tr("Hear the take"), self.hear_both)
        self.both.hide()
        foot.addWidget(self.both)
        foot.addWidget(button(tr("Close"), self.accept))
        foot.addWidget(self.send)
        layout.addLayout(foot)
        open_at(self, 680, 560)
        self._show_request()
        self._look()

    def _text(self) -> QPlainTextEdit:
        edit = QPlainTextEdit()
        edit.setReadOnly(True)
        return edit

    def _show_request(self) -> None:
        try:
            self.asked.setPlainText(described(self._state.project.own_voices, self._line))
        except ZestError as error:
            self.asked.setPlainText(error.what)

    def _look(self) -> None:
        """What is kept of the very same request is shown; asking again is another request."""
        project, line = self._state.project, self._line

        def arrived(found: Heard | None) -> None:
            if found is not None:
                self._show_reply(found)

        self._state.background.run(
            lambda: kept_answer(project.own_voices, project.takes, project.auditions, line),
            arrived,
            self._state.complain,
            topic="kept reply",
        )

    def go(self) -> None:
        ask_first(self, [self._line.engine], self._send)

    def _send(self) -> None:
        self.send.setEnabled(False)
        self.answer.setPlainText(tr("Asking …"))
        project, line = self._state.project, self._line

        def failed(error: Exception) -> None:
            kind = f"{error.kind}: " if isinstance(error, SynthesisFailure) else ""
            self.answer.setPlainText(f"{kind}{error}")
            self.send.setEnabled(True)

        self._state.background.run(lambda: hear(project, line, again=True), self._show_reply, failed, topic="try it")

    def hear_both(self) -> None:
        """The take, then what was answered, and so on in turn, each going on where the other was."""
        player = self._state.player
        if self._both:
            player.swap(1 - player.mixer.on, by_text=False)
            player.play()
            self._say_turn()
            return
        take, heard, takes = self._beside, self._heard, self._state.project.takes
        if take is None or heard is None:
            return

        def arrived(lanes: list[Lane]) -> None:
            self._both = lanes
            play_alone(self._state, lanes)
            self._say_turn()

        words = len(self._line.job.passage.text.split())
        self._state.background.run(
            lambda: prepare_lanes([(take.id, takes.load(take), (), words), (0, heard.clip, (), words)])[0],
            arrived, self._state.complain, topic="one take",
        )  # fmt: skip

    def _say_turn(self) -> None:
        of_take = self._state.player.mixer.on == 0
        self.both.setText(tr("Hear the answer in its place") if of_take else tr("Hear the take in its place"))

    def done(self, how: int) -> None:
        if self._both:
            self._state.player.pause()
            self._state.tray.load()  # as it was
        super().done(how)

    def _show_reply(self, heard: Heard) -> None:
        self._heard, self._both = heard, []
        self.both.setVisible(self._beside is not None)
        clip, said = heard.clip, heard.reply
        lines = [
            tr("Kept from {day_and_hour}, when the same was asked for.", day_and_hour=day_and_hour(heard.asked_on))
            if heard.asked_on
            else "",
            tr(
                "Sound: {duration_s} s, {rate_hz} Hz, {channels} channel(s)",
                duration_s=f"{clip.duration_s:.2f}",
                rate_hz=clip.rate_hz,
                channels=clip.channels,
            )
            + (tr(", {said} bytes", said=f"{said['bytes']:,}") if "bytes" in said else ""),
            tr("Voice named in the reply: {get}", get=said.get("voice_used") or tr("none")),
            tr("Characters billed: {or_not_stated}", or_not_stated=_or_not_stated(said.get("characters_billed"))),
        ]
        if "allowance_left" in said:
            lines += [
                tr("Allowance left: {or_not_stated}", or_not_stated=_or_not_stated(said["allowance_left"])),
                tr("Word times: the reply has some, in a shape that is not known; they are found in the sound instead")
                if said.get("word_times_unread")
                else tr("Word times: {get}", get=said.get("word_times") or tr("none")),
            ]
        timing = said.get("timing")
        if timing:
            t = Timing(**{**timing, "chunks": tuple(map(tuple, timing["chunks"]))})
            phases = (
                (tr("connected"), t.connected_s),
                (tr("request sent"), t.sent_s),
                (tr("first byte"), t.first_byte_s),
                (tr("first sound"), t.first_sound_s),
                (tr("last byte"), t.last_byte_s),
                (tr("decoded"), t.decoded_s),
                (tr("loaded"), t.load_s),
                (tr("plays without a stall from"), t.stall_free_start_s()),
            )
            lines += ["", *(f"{name:<28}{value:8.3f} s" for name, value in phases if value is not None)]
        console = str(said.get("console") or "")
        if verdict := console_verdict(console):
            lines += ["", verdict, "", console.strip()]
        self.answer.setPlainText("\n".join(lines).lstrip("\n"))
        self.send.setText(tr("Send it again"))
        self.send.setEnabled(True)


def _or_not_stated(value: int | None) -> str:
    return tr("not stated") if value is None else f"{value:,}"

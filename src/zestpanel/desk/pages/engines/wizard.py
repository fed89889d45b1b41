"""From an example to an engine, step by step: paste, look at the file, look into a reply, hear it, add it."""

from __future__ import annotations

import threading
from collections.abc import Callable

from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.key_looks import refuse_keys
from zestpanel.core.catalogue.unsaid import refuse_unsaid
from zestpanel.core.connectors.wizard.draft import Draft
from zestpanel.core.connectors.wizard.example import read_example
from zestpanel.core.connectors.wizard.trying import Looked
from zestpanel.core.errors import ZestError
from zestpanel.core.playback.mixer import prepare_lanes
from zestpanel.core.runs.execute.auditioning import Heard, first_line, hear, looked_into
from zestpanel.core.secrets.keys import keep_secret
from zestpanel.core.texts import tr
from zestpanel.desk.agreeing import ask_first
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import button, label, open_at

STEPS = (
    (
        tr("Paste an example"),
        tr(
            "A call or some lines of code as the documentation shows them, a saved list of requests, or the command "
            "line of a program. Its own text, voice and key are found and replaced by places; nothing of it is run."
        ),
    ),
    (
        tr("Look at the file"),
        tr(
            "This is the connector file. Change what was understood wrongly. Give the key here: it goes "
            "to the key store, never into the file."
        ),
    ),
    (
        tr("Look into a reply"),
        tr(
            "The request is sent once, with the line below. What comes back says where the sound is; a "
            "job is followed to its end."
        ),
    ),
    (tr("Hear it and add it"), tr("The engine is asked through the file as any other will be.")),
)


class WizardDialog(Dialog):
    """add: takes the finished file's text; called once, when the person adds the engine."""

    def __init__(self, parent: QWidget, state: DeskState, line: str, add: Callable[[str], None]) -> None:
        super().__init__(parent)
        self._state, self._add = state, add
        self._draft: Draft | None = None
        self.setWindowTitle(tr("An engine from an example"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        self.title, self.about = label("", "name"), label("", "quiet", wrap=True)
        layout.addWidget(self.title)
        layout.addWidget(self.about)
        self.stack = QStackedWidget()
        layout.addWidget(self.stack, 1)
        self.pasted = QPlainTextEdit()
        self.pasted.setPlaceholderText(tr("curl -X POST https://… -H 'X-Key: …' -d '{\"text\": \"…\"}'\n\nor\n\n"
                                       "synth --voice anna --out hello.wav \"Hello there\""))  # fmt: skip
        self.name = QLineEdit()
        self.name.setPlaceholderText(tr("name of the engine"))
        self.language = QLineEdit()
        self.language.setPlaceholderText(
            tr("language that its voice speaks, such as fr-FR; empty: as the example says")
        )
        self.file, self.key = QPlainTextEdit(), QLineEdit()
        for code in (self.file, self.pasted):
            code.setProperty("role", "code")
        self.key.setEchoMode(QLineEdit.EchoMode.Password)
        self.understood = label("", "small", wrap=True)
        self.line = QLineEdit(line or tr("One plain line to hear."))
        self.found = QPlainTextEdit()
        self.found.setReadOnly(True)
        self.heard = QPlainTextEdit()
        self.heard.setReadOnly(True)
        self.send = button(tr("Send it once"), self.look)
        self.hear_button = button(tr("Hear it"), self.hear)
        self.stack.addWidget(_column(self.pasted, self.name, self.language))
        self.stack.addWidget(_column(self.understood, self.file, label(tr("Key"), "strong"), self.key))
        self.stack.addWidget(_column(self.line, self.send, self.found))
        self.stack.addWidget(_column(self.hear_button, self.heard))
        self.wrong = label("", "bad", wrap=True)
        layout.addWidget(self.wrong)
        foot = QHBoxLayout()
        foot.addWidget(button(tr("Cancel"), self.reject))
        foot.addStretch(1)
        self.back, self.next = button(tr("Back"), self.go_back), button(tr("Next"), self.go_on, role="main")
        foot.addWidget(self.back)
        foot.addWidget(self.next)
        layout.addLayout(foot)
        open_at(self, 700, 560)
        self._show(0)

    # -- steps

    @property
    def step(self) -> int:
        return self.stack.currentIndex()

    def _show(self, step: int) -> None:
        self.stack.setCurrentIndex(step)
        title, about = STEPS[step]
        self.title.setText(tr("{step} of {steps} · {title}", step=step + 1, steps=len(STEPS), title=title))
        self.about.setText(about)
        self.back.setEnabled(step > 0)
        self.next.setText(tr("Add the engine") if step == len(STEPS) - 1 else tr("Next"))
        self.wrong.setText("")

    def go_back(self) -> None:
        skips_reply = self.step == 3 and not self._over_http()
        self._show(max(0, self.step - (2 if skips_reply else 1)))

    def go_on(self) -> None:
        """Take the next step; what stands against it is said here."""
        try:
            if self.step == 0:
                self._read()
            elif self.step == 1:
                self._engine()
                if self.key.text() and self._draft and self._draft.secret:
                    self._keep_key()
            elif self.step == len(STEPS) - 1:
                self._engine()
                self.accept()
                self._add(self.file.toPlainText())
                return
        except ZestError as error:
            self.wrong.setText(str(error))
            return
        skips_reply = self.step == 1 and not self._over_http()
        self._show(self.step + (2 if skips_reply else 1))

    def _read(self) -> None:
        self._draft = draft = read_example(
            self.pasted.toPlainText(), engine=self.name.text().strip(), language=self.language.text().strip(),
            languages=self._state.project.brief.languages,
        )  # fmt: skip
        self.file.setPlainText(draft.as_file())
        self.key.setText(draft.key)
        self.key.setEnabled(bool(draft.secret))
        self.key.setPlaceholderText(
            tr("no key was found in the example") if not draft.secret else tr("the key's value")
        )
        self.understood.setText(
            "\n".join(draft.understood) or tr("Nothing was recognised: put the places in yourself.")
        )

    def _engine(self) -> Engine:
        engine = parse_connector(self.file.toPlainText(), name=tr("the file"))
        refuse_keys(engine, name=tr("the file"))
        refuse_unsaid(engine, name=tr("the file"))
        return engine

    def _over_http(self) -> bool:
        try:
            return self._engine().speak.kind == "http"
        except ZestError:
            return False

    def _keep_key(self) -> None:
        assert self._draft is not None
        secret, value = self._draft.secret, self.key.text()
        self._state.background.run(lambda: keep_secret(secret, value), self._state.say, self._failed)

    def _failed(self, error: Exception) -> None:
        self.send.setEnabled(True)
        self.hear_button.setEnabled(True)
        self.wrong.setText(str(error))

    # -- sending

    def look(self) -> None:
        source = self.file.toPlainText()
        self._asked_first(source, lambda: self._look(source))

    def _look(self, source: str) -> None:
        line, key = self.line.text(), self.key.text()
        self.send.setEnabled(False)
        self.wrong.setText("")
        self.found.setPlainText(tr("Asking …"))

        gone, project = threading.Event(), self._state.project
        self.finished.connect(gone.set)

        def arrived(looked: Looked) -> None:
            self.send.setEnabled(True)
            self.file.setPlainText(looked.source)
            self.found.setPlainText("\n".join(looked.said))

        self._state.background.run(
            lambda: looked_into(project, source, line, key=key, cancelled=gone.is_set), arrived, self._look_failed,
            topic="wizard",
        )  # fmt: skip

    def _look_failed(self, error: Exception) -> None:
        self.found.setPlainText("")
        self._failed(error)

    def _asked_first(self, source: str, then: Callable[[], None]) -> None:
        """Nothing of a draft is run or reached before the person has seen what it is."""
        try:
            engine = parse_connector(source, name=tr("the file"))
        except ZestError as error:
            self._failed(error)
            return
        ask_first(self, [engine], then)

    def hear(self) -> None:
        source = self.file.toPlainText()
        self._asked_first(source, lambda: self._hear(source))

    def _hear(self, source: str) -> None:
        line = self.line.text()
        self.hear_button.setEnabled(False)
        self.wrong.setText("")
        self.heard.setPlainText(tr("Asking …"))

        project = self._state.project

        def work() -> tuple[Heard, object]:
            engine = parse_connector(source, name=tr("the file"))
            heard = hear(project, first_line(project, engine, line), again=True)
            return heard, prepare_lanes([(0, heard.clip, (), len(line.split()))])[0]

        def arrived(found: tuple[Heard, object]) -> None:
            self.hear_button.setEnabled(True)
            heard, lanes = found
            said, clip = heard.reply, heard.clip
            took = f"{said['timing']['last_byte_s']:.2f} s" if said["timing"] else tr("no time of ours")
            billed = said["characters_billed"]
            self.heard.setPlainText(
                tr(
                    "It speaks: {duration_s} s of sound at {rate_hz} Hz, whole after {took}.\nVoice named in "
                    "the reply: {said}\nCharacters billed: {x}",
                    duration_s=f"{clip.duration_s:.2f}",
                    rate_hz=f"{clip.rate_hz:,}",
                    took=took,
                    said=said["voice_used"] or tr("none"),
                    x=tr("not stated") if billed is None else billed,
                )
            )
            self._state.tray.lanes = []
            self._state.tray.changed.emit()
            self._state.player.load(lanes, on=0)  # type: ignore[arg-type]
            self._state.player.play()

        def failed(error: Exception) -> None:
            self.heard.setPlainText("")
            self._failed(error)

        self._state.background.run(work, arrived, failed, topic="wizard")


def _column(*widgets: QWidget) -> QWidget:
    out = QWidget()
    layout = QVBoxLayout(out)
    layout.setContentsMargins(0, 6, 0, 0)
    for widget in widgets:
        layout.addWidget(widget, 1 if isinstance(widget, QPlainTextEdit) else 0)
    return out

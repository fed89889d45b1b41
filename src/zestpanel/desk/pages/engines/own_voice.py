"""A voice of one's own is made, of recordings or from a description, by a program or at a service; and taken away."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import cast

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.clock import today
from zestpanel.core.connectors.http.voice_making import delete_voice
from zestpanel.core.connectors.templates import DESCRIBED_BY
from zestpanel.core.errors import InputError
from zestpanel.core.runs.execute.making_voices import being_made, give_up, go_on, make, refuse
from zestpanel.core.store.own_voices import OwnVoice, Recording, Visibility
from zestpanel.core.texts import capital, tr, word
from zestpanel.core.typed import typed_number
from zestpanel.desk.agreeing import ask_first
from zestpanel.desk.dialog import Dialog
from zestpanel.desk.flow import flow_row
from zestpanel.desk.pages.engines.notes import FormDialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.ticks import Ticks
from zestpanel.desk.widgets import button, label, open_at
from zestpanel.desk.word_box import add_words, chosen_word

_OPEN = {
    "by link": tr("Anybody who has the address may speak as this person, also after you have deleted it here."),
    "public": tr("Anybody may speak as this person. That is hardly what was agreed to: ask the person first."),
}


class OwnVoiceDialog(FormDialog):
    """A voice for an engine, from a recording or from a description."""

    def __init__(
        self, parent: QWidget, state: DeskState, engines: list[Engine], recording: Recording | None,
        done: Callable[[], None],
    ) -> None:  # fmt: skip
        about = (
            tr("Made from '{name}', {how}.", name=recording.name, how=recording.how) if recording
            else tr("Made by the engine from what is said here.")
        )  # fmt: skip
        super().__init__(parent, tr("A voice of your own"), about, done, tr("Make the voice"))
        self._state, self._recording = state, recording
        self._engines = {engine.engine: engine for engine in engines}
        self.engine, self.name = QComboBox(), QLineEdit(recording.name if recording else "")
        for engine in engines:
            self.engine.addItem(engine.engine)
        default = recording.language if recording else (state.project.brief.languages or ("en-GB",))[0]
        self.language = QLineEdit(default)
        self.form.addRow(tr("Engine"), self.engine)
        self.form.addRow(tr("Name"), self.name)
        self.form.addRow(tr("Language"), self.language)
        self.described: dict[str, QComboBox | QLineEdit] = {}
        if recording is None:
            self._ask_for_description()
        else:
            self._ask_for_service(recording)

    def _ask_for_description(self) -> None:
        gender, age = QComboBox(), QComboBox()
        add_words(gender, ["woman", "man", "child"])
        add_words(age, ["adult", "young", "middle-aged", "old"])
        accent, strength = QLineEdit(), QLineEdit()
        strength.setPlaceholderText(tr("0 to 1"))
        self.described = {"gender": gender, "age": age, "accent": accent, "strength": strength}
        for name, widget in self.described.items():
            self.form.addRow(tr("How strong the accent") if name == "strength" else capital(word(name)), widget)

    def _ask_for_service(self, recording: Recording) -> None:
        """What a service that makes and keeps the voice is to know; hidden for programs that follow a recording."""
        others = {
            r.id: f"{r.name}, {r.how}" for r in self._state.project.own_voices.recordings() if r.id != recording.id
        }
        self.more = Ticks(tr("Recordings beside it"), others, lambda: None, ticked=False)
        self.visibility, self.warning, self.slots = (
            QComboBox(),
            label("", "bad", wrap=True),
            label("", "small", wrap=True),
        )
        self.visibility.setAccessibleName(tr("Who may use it there"))
        self.visibility.currentIndexChanged.connect(lambda _: self._warn())
        self.form.addRow(tr("Who may use it there"), self.visibility)
        self.form.addRow("", self.warning)
        self.form.addRow("", self.more)
        self.form.addRow("", self.slots)
        self.left = label("", wrap=True)
        self.look_again = button(tr("Look again"), self._go_on)
        self.not_there = button(tr("It is not there"), self._give_up)
        self.form.addRow("", self.left)
        self.form.addRow("", flow_row(self.look_again, self.not_there))
        self.engine.currentIndexChanged.connect(lambda _: self._show_service())
        self._show_service()

    def _show_service(self) -> None:
        making = self._chosen().makes_voices
        self.visibility.clear()
        if making is not None:
            for words in making.visibility:  # private first, whatever the file's order
                self.visibility.insertItem(0 if words == "private" else self.visibility.count(), words, words)
            self.visibility.setCurrentIndex(0)
            used = self._state.project.own_voices.slots_used(self.engine.currentText())
            of = (
                tr("{used} of {slots} places for voices of your own are taken.", used=used, slots=making.slots)
                if making.slots
                else ""
            )
            self.slots.setText(
                tr(
                    "{currenttext} is sent the recordings and keeps the voice. {of}",
                    currenttext=self.engine.currentText(),
                    of=of,
                ).rstrip()
            )
            if making.slots is not None and used >= making.slots:
                self.slots.setText(tr("{of} Delete one first.", of=of))
        self.form.setRowVisible(self.visibility, making is not None and bool(making.visibility))
        self.form.setRowVisible(
            self.more, making is not None and making.most_recordings > 1 and bool(self.more.list.count())
        )
        self.form.setRowVisible(self.slots, making is not None)
        left = being_made(self._state.project, self.engine.currentText()) if making is not None else None
        self.left.setText(left.says() if left is not None else "")
        self.form.setRowVisible(self.left, left is not None)
        self.look_again.setVisible(left is not None and bool(left.voice))
        self.not_there.setVisible(left is not None)
        self._warn()

    def _warn(self) -> None:
        warning = _OPEN.get(str(self.visibility.currentData()), "")
        self.warning.setText(warning)
        self.form.setRowVisible(self.warning, bool(warning))

    def _chosen(self) -> Engine:
        return self._engines[self.engine.currentText()]

    def keep(self) -> bool:
        name, language = self.name.text().strip(), self.language.text().strip()
        if not name:
            raise InputError(tr("The voice needs a name."), kept=tr("Nothing was made."))
        if not re.fullmatch(r"[A-Za-z]{2,3}(-[A-Za-z0-9]{2,8})*", language):
            raise InputError(
                tr("'{language}' is no language tag, such as en-GB.", language=language), kept=tr("Nothing was made.")
            )
        if self._recording is not None and self._chosen().makes_voices is not None:
            self._make_at_service(name, language, self._recording)
            return False
        if (strength := self.described.get("strength")) is not None:
            assert isinstance(strength, QLineEdit)
            if strength.text().strip():
                how = typed_number(strength.text(), tr("How strong the accent"), least=0)
                if how > 1:
                    raise InputError(
                        tr("How strong the accent is goes from 0 to 1, not to {how}.", how=how),
                        kept=tr("Nothing was made."),
                    )
        described = {}
        for key in DESCRIBED_BY:
            widget = self.described.get(key)
            if widget is not None:
                described[key] = chosen_word(widget) if isinstance(widget, QComboBox) else widget.text().strip()
        voice_id = "own-" + re.sub(r"\W+", "-", name.casefold()).strip("-")
        return self._add(voice_id, name, language, described=described)

    def _make_at_service(self, name: str, language: str, recording: Recording) -> None:
        """Send the recordings, off the interface thread, and add the voice when it is ready. Raises InputError."""
        engine, project = self._chosen(), self._state.project
        by_id = {r.id: r for r in project.own_voices.recordings()}
        of = [recording, *(by_id[number] for number in self.more.ticked() if number in by_id)]
        refuse(project, engine, of)
        visibility = cast("Visibility", self.visibility.currentData() or "private")
        self._ask_service(
            engine,
            lambda: make(project, engine, name=name, language=language, visibility=visibility, recordings=of),
        )

    def _go_on(self) -> None:
        engine, project = self._chosen(), self._state.project
        if (left := being_made(project, engine.engine)) is not None:
            self._ask_service(engine, lambda: go_on(project, engine, left))

    def _give_up(self) -> None:
        if (left := being_made(self._state.project, self.engine.currentText())) is not None:
            give_up(self._state.project, left)
            self._show_service()

    def _ask_service(self, engine: Engine, work: Callable[[], int]) -> None:
        project = self._state.project

        def made(number: int) -> None:
            def set_removed(removed: bool) -> None:
                project.own_voices.set_voice_removed(number, removed)
                project.shortlist.voices_changed()

            self._state.edit(tr("a voice of one's own"), lambda: set_removed(False), lambda: set_removed(True))
            self._state.say(tr("The voice was made by {engine} and can be put on the shortlist.", engine=engine.engine))
            self.accept()
            self._done()

        def failed(error: Exception) -> None:
            self.keep_button.setEnabled(True)
            self._show_service()
            self.wrong.setText(str(error))

        def send() -> None:
            self.keep_button.setEnabled(False)
            self.wrong.setText("")
            self.slots.setText(tr("The voice is being made …"))
            self._state.background.run(work, made, failed)

        ask_first(self, [engine], send)

    def _add(self, voice_id: str, name: str, language: str, *, described: dict[str, str] | None = None) -> bool:
        project, made = self._state.project, list[int]()

        def do() -> None:
            if made:
                project.own_voices.set_voice_removed(made[0], False)
            else:
                made.append(
                    project.own_voices.add_voice(
                        self.engine.currentText(), voice=voice_id, name=name, language=language,
                        recording_id=self._recording.id if self._recording else None, described=described,
                    )
                )  # fmt: skip
            project.shortlist.voices_changed()

        def undo() -> None:
            project.own_voices.set_voice_removed(made[0], True)
            project.shortlist.voices_changed()

        return self._state.edit(tr("a voice of one's own"), do, undo)


class RemoveVoiceDialog(Dialog):
    """A voice that a service keeps goes here alone, or at the service, too."""

    def __init__(self, parent: QWidget, state: DeskState, mine: OwnVoice, done: Callable[[], None]) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._state, self._mine, self._done = state, mine, done
        self.setWindowTitle(tr("Remove {label}", label=mine.voice.label))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.addWidget(label(tr("Remove {label}?", label=mine.voice.label), "name"))
        layout.addWidget(label(
            tr("{engine} keeps this voice. Taken away here it can be brought back, and takes its place "
"there. Deleted at the service it is gone: no undo brings it back. Takes and ratings "
"stay in both cases.", engine=mine.engine),
            wrap=True,
        ))  # fmt: skip
        self.wrong = label("", "bad", wrap=True)
        layout.addWidget(self.wrong)
        engine = state.bench.engines.get(mine.engine)
        self.there = button(tr("Delete at {engine}", engine=mine.engine), self._delete)
        making = engine.makes_voices if engine is not None else None
        self.there.setEnabled(making is not None and bool(making.delete))
        foot = QHBoxLayout()
        foot.addWidget(self.there)
        foot.addStretch(1)
        foot.addWidget(button(tr("Cancel"), self.reject))
        self.here = button(tr("Take away here"), self._take_away, role="main")
        self.here.setDefault(True)
        foot.addWidget(self.here)
        layout.addLayout(foot)
        open_at(self, 560, 220)

    def _set_removed(self, removed: bool) -> None:
        self._state.project.own_voices.set_voice_removed(self._mine.id, removed)
        self._state.project.shortlist.voices_changed()

    def _take_away(self) -> None:
        self._state.edit(tr("a voice of one's own"), lambda: self._set_removed(True), lambda: self._set_removed(False))
        self.accept()
        self._done()

    def _delete(self) -> None:
        engine, mine = self._state.bench.engines[self._mine.engine], self._mine
        assert mine.at_service is not None
        gone = mine.at_service.model_copy(update={"deleted": today().isoformat()})

        def deleted(_: object) -> None:
            self._state.project.own_voices.put_at_service(mine.id, gone)
            self._set_removed(True)
            self._state.say(tr("{label} was deleted at {engine}.", label=mine.voice.label, engine=mine.engine))
            self._state.refresh()
            self.accept()
            self._done()

        def failed(error: Exception) -> None:
            self.there.setEnabled(True)
            self.wrong.setText(str(error))

        self.there.setEnabled(False)
        self._state.background.run(lambda: delete_voice(engine, mine.voice.id), deleted, failed)

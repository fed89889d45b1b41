"""A remark that is said aloud: one button to begin and to end, then to hear it or throw it away."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from zestpanel.core.audio.clip import Clip
from zestpanel.core.listening.told import Told
from zestpanel.core.texts import LANGUAGE
from zestpanel.desk.playing.microphone import LONGEST_S, Microphone
from zestpanel.desk.widgets import button, label


class SpokenRemark(QWidget):
    """begun: the microphone is on, and nothing should sound. changed: there is a remark, or none any more.

    Invisible where there is no microphone; ``look`` looks for one.
    """

    begun = pyqtSignal()
    changed = pyqtSignal()

    def __init__(self, hear: Callable[[Clip], None] | None = None) -> None:
        """hear: plays what was said; without it there is no such button."""
        super().__init__()
        self.clip: Clip | None = None
        self.told = Told([LANGUAGE])
        self.microphone = Microphone(self)
        self.microphone.ticked.connect(self._show)
        self.microphone.ended.connect(self._stop)
        self.record = button(
            self.told.tr("Say it aloud"),
            self.toggle,
            tip=self.told.tr("Records up to {longest_s} minutes", longest_s=f"{LONGEST_S / 60:.0f}"),
        )
        self._said = label("", "quiet")
        self.hear = button(self.told.tr("Hear it"), lambda: hear(self.clip) if hear is not None and self.clip else None)
        self.hear.setProperty("wanted", hear is not None)
        self.drop = button(self.told.tr("Throw it away"), self.clear)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        for one in (self.record, self.hear, self.drop):
            one.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            one.setAutoDefault(False)
            layout.addWidget(one)
        layout.addWidget(self._said, 1)
        self._show()

    def speak(self, told: Told) -> None:
        """In a listener's language instead of the interface's."""
        self.told = told
        self.record.setToolTip(told.tr("Records up to {longest_s} minutes", longest_s=f"{LONGEST_S / 60:.0f}"))
        self.hear.setText(told.tr("Hear it"))
        self.drop.setText(told.tr("Throw it away"))
        self._show()

    def look(self) -> bool:
        """Whether there is a microphone; without one there is nothing to see here."""
        there = self.microphone.there_is_one()
        self.setVisible(there)
        return there

    def toggle(self) -> None:
        if self.microphone.recording:
            self._stop()
            return
        self.clip = None
        self.begun.emit()
        if not self.microphone.start():
            self._said.setText(
                self.told.tr("The microphone cannot be opened: another program may have it, or may forbid it.")
            )
            return
        self._show()

    def _stop(self) -> None:
        self.clip = self.microphone.stop()
        self._show()
        if self.clip is None:
            self._said.setText(self.told.tr("Nothing came from the microphone."))
        self.changed.emit()

    def finish(self) -> Clip | None:
        """What was said; nothing more is recorded."""
        if self.microphone.recording:
            self._stop()
        return self.clip

    def clear(self) -> None:
        self.finish()
        if self.clip is not None:
            self.clip = None
            self.changed.emit()
        self._show()

    def _show(self) -> None:
        recording = self.microphone.recording
        self.record.setText(
            self.told.tr("Stop recording")
            if recording
            else self.told.tr("Say it anew")
            if self.clip
            else self.told.tr("Say it aloud")
        )
        self.hear.setVisible(bool(self.hear.property("wanted")) and self.clip is not None)
        self.drop.setVisible(self.clip is not None)
        if recording:
            self._said.setText(self.told.tr("Recording, {seconds} s", seconds=f"{self.microphone.seconds:.0f}"))
        else:
            self._said.setText(
                self.told.tr("{duration_s} s said", duration_s=f"{self.clip.duration_s:.1f}")
                if self.clip is not None
                else ""
            )

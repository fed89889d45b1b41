"""The player the whole program shares."""

from __future__ import annotations

import time
from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from zestpanel.core.playback.mixer import Lane, Mixer
from zestpanel.desk.playing.output import Output, open_output

STILL_S = 1.5
WAKING = 3  # times as long for a device that is to begin: headphones without a wire take a moment
FILLED = 3  # a device fills its buffer before it begins


class Player(QObject):
    """Control of the mixer, with signals. moved: playback stands elsewhere (30 a second while playing, and on seeks).
    changed: playing, paused, another lane or other lanes. lost: the sound device went while it played; playing is
    paused, and goes on with whatever device is there then. All on the interface thread."""

    moved = pyqtSignal()
    changed = pyqtSignal()
    lost = pyqtSignal()

    def __init__(
        self, parent: QObject | None = None, *, open_device: Callable[[Mixer, QObject], Output] = open_output,
        still_s: float = STILL_S,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._still_s = still_s
        self.mixer = Mixer()
        self._open_device = open_device
        self._output: Output | None = None
        self._was_playing = False
        self._timer = QTimer(self)
        self._timer.setInterval(33)
        self._timer.timeout.connect(self._tick)
        self._stood_at, self._stood_since = -1.0, 0.0
        self._moves = 0  # how often something was pulled since it began to play, as far as ticks see

    @property
    def output(self) -> Output:
        """The device, opened when first needed: finding one can take a moment."""
        if self._output is None:
            self._output = self._open_device(self.mixer, self)
        return self._output

    @property
    def device_name(self) -> str:
        """Of the device that is heard, '' where there is none or none was needed yet."""
        return str(getattr(self._output, "name", ""))

    def look_for_device(self) -> bool:
        """Whether there is a sound device, looked for anew where there was none."""
        if self._output is not None and not self._output.heard:
            self._output.close()
            self._output = None
            if self.output.heard:
                self.mixer.forget_heard()
        return self.output.heard

    @property
    def heard(self) -> bool:
        """Whether there is a sound device at all (True until one was looked for in vain)."""
        return self._output is None or self._output.heard

    def load(self, lanes: list[Lane], *, on: int, place: float | None = None) -> None:
        self.mixer.load(lanes, on=on, place=place)
        self.changed.emit()
        self.moved.emit()

    def play(self) -> None:
        if not self.mixer.lanes:
            return
        output = self.output
        if not self._timer.isActive():
            output.start()
            self._timer.start()
        self.mixer.play()
        self._was_playing = True
        self._stood_at, self._stood_since = self.mixer.time_s, time.monotonic()
        self._moves = 0
        self.changed.emit()

    def pause(self) -> None:
        self.mixer.pause()
        self.changed.emit()

    def toggle(self) -> None:
        self.pause() if self.mixer.playing else self.play()

    def swap(self, index: int, *, by_text: bool) -> None:
        self.mixer.swap(index, by_text=by_text)
        self.changed.emit()
        self.moved.emit()

    def seek(self, time_s: float) -> None:
        self.mixer.seek(time_s)
        self.moved.emit()

    def seek_place(self, place: float) -> None:
        self.mixer.seek_place(place)
        self.moved.emit()

    def close(self) -> None:
        self.mixer.pause()
        self._timer.stop()
        if self._output is not None:
            self._output.close()

    def _device_is_gone(self) -> bool:
        """Whether nothing has been pulled for so long that nobody hears anything: a device that is unplugged says so
        in its own way, or not at all."""
        if self.mixer.time_s != self._stood_at or not self.mixer.playing:
            self._moves += 1
            self._stood_at, self._stood_since = self.mixer.time_s, time.monotonic()
        return time.monotonic() - self._stood_since > self._still_s * (1 if self._moves > FILLED else WAKING)

    def _tick(self) -> None:
        if self._device_is_gone():
            self.mixer.pause()
            self._was_playing = False
            self._timer.stop()
            if self._output is not None:
                self._output.close()
                self._output = None
            self.changed.emit()
            self.lost.emit()
            return
        self.moved.emit()
        if not self.mixer.playing:
            # the fade-out of a pause is still to be pulled: the device stops one tick later
            if not self._was_playing:
                self._timer.stop()
                if self._output is not None:
                    self._output.stop()
                return
            self._was_playing = False
            self.changed.emit()

"""Where the mixer's sound goes."""

from __future__ import annotations

import time
from typing import Protocol

from PyQt6.QtCore import QIODevice, QObject, QTimer

from zestpanel.core.playback.mixer import RATE_HZ, Mixer

BUFFER_MS = 25  # a swap is heard within one buffer


class Output(Protocol):
    """Pulls from the mixer while it runs."""

    heard: bool

    def start(self) -> None: ...
    def stop(self) -> None: ...


class MixerDevice(QIODevice):
    """The mixer as a readable device: interleaved float32 stereo at 48 kHz, without end."""

    def __init__(self, mixer: Mixer, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._mixer = mixer
        self.open(QIODevice.OpenModeFlag.ReadOnly)

    def readData(self, most: int) -> bytes:
        frames = max(0, most // 8)
        return self._mixer.render(frames).tobytes() if frames else b""

    def writeData(self, data: object) -> int:
        return -1

    def isSequential(self) -> bool:
        return True

    def bytesAvailable(self) -> int:
        return 8 * RATE_HZ + super().bytesAvailable()


class ClockOutput(QObject):
    """No sound device: the mixer is pulled at the pace of the clock, so that everything but hearing works."""

    heard = False

    def __init__(self, mixer: Mixer, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._mixer = mixer
        self._timer = QTimer(self)
        self._timer.setInterval(20)
        self._timer.timeout.connect(self._pull)
        self._last = 0.0

    def start(self) -> None:
        self._last = time.monotonic()
        self._timer.start()

    def stop(self) -> None:
        self._timer.stop()

    def _pull(self) -> None:
        now = time.monotonic()
        frames = int((now - self._last) * RATE_HZ)
        self._last += frames / RATE_HZ
        self._mixer.render(frames)


def open_output(mixer: Mixer, parent: QObject) -> Output:
    """The default sound device, or a clock where there is none."""
    from PyQt6.QtMultimedia import QAudioFormat, QAudioSink, QMediaDevices

    device = QMediaDevices.defaultAudioOutput()
    form = QAudioFormat()
    form.setSampleRate(RATE_HZ)
    form.setChannelCount(2)
    form.setSampleFormat(QAudioFormat.SampleFormat.Float)
    if device.isNull() or not device.isFormatSupported(form):
        return ClockOutput(mixer, parent)

    class SinkOutput(QObject):
        heard = True

        def __init__(self) -> None:
            super().__init__(parent)
            self._source = MixerDevice(mixer, self)
            self._sink = QAudioSink(device, form, self)
            self._sink.setBufferSize(RATE_HZ * 8 * BUFFER_MS // 1000)

        def start(self) -> None:
            self._sink.start(self._source)

        def stop(self) -> None:
            self._sink.stop()

    return SinkOutput()

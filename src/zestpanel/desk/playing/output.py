"""Where the mixer's sound goes."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING, Final, Protocol

from PyQt6.QtCore import QCoreApplication, QIODevice, QObject, QThread, QTimer, pyqtSignal

from zestpanel.core.playback.mixer import RATE_HZ, Mixer

if TYPE_CHECKING:
    from PyQt6.QtMultimedia import QAudioDevice, QAudioFormat, QAudioSink

BUFFER_MS = 32
CLOSING_MS = 2_000
_UNANSWERED: list[QObject] = []


class Output(Protocol):
    """Pulls from the mixer while it runs."""

    heard: bool

    def start(self) -> None: ...
    def stop(self) -> None: ...
    def close(self) -> None:
        """Let the device go, for good."""
        ...


class MixerDevice(QIODevice):
    """The mixer as a readable device: interleaved float32 stereo at 48 kHz, without end. Read without a buffer of Qt's
    own, which would hold 43 ms of what was to be heard before a swap."""

    def __init__(self, mixer: Mixer, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._mixer = mixer
        self.open(QIODevice.OpenModeFlag.ReadOnly | QIODevice.OpenModeFlag.Unbuffered)

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

    def close(self) -> None:
        self.stop()

    def _pull(self) -> None:
        now = time.monotonic()
        frames = int((now - self._last) * RATE_HZ)
        self._last += frames / RATE_HZ
        self._mixer.render(frames)


class SinkOutput(QObject):
    """The sound device, fed by a thread of its own: what the window paints meanwhile makes no gap in the sound."""

    heard = True
    _start, _stop = pyqtSignal(), pyqtSignal()

    def __init__(self, mixer: Mixer, device: QAudioDevice, form: QAudioFormat, parent: QObject) -> None:
        super().__init__(parent)
        self.name = device.description()
        self._thread = QThread(self)
        self._feeder = Feeder(mixer, device, form)
        self._feeder.moveToThread(self._thread)
        self._start.connect(self._feeder.start)
        self._stop.connect(self._feeder.stop)
        self._thread.finished.connect(self._feeder.deleteLater)
        self._thread.start(QThread.Priority.TimeCriticalPriority)
        application = QCoreApplication.instance()
        assert application is not None
        application.aboutToQuit.connect(self.close)

    def start(self) -> None:
        self._start.emit()

    def stop(self) -> None:
        self._stop.emit()

    def close(self) -> None:
        self._stop.emit()
        self._thread.quit()
        if not self._thread.wait(CLOSING_MS):  # a sound system that does not answer: nothing it uses may go before it
            self._thread.setParent(None)
            _UNANSWERED.append(self)


class Feeder(QObject):
    """Pulls from the mixer for the device, in the thread it lives in."""

    def __init__(self, mixer: Mixer, device: QAudioDevice, form: QAudioFormat) -> None:
        super().__init__()
        self._mixer, self._device, self._form = mixer, device, form
        self._sink: QAudioSink | None = None

    def start(self) -> None:
        from PyQt6.QtMultimedia import QAudioSink

        if self._sink is None:
            self._source = MixerDevice(self._mixer, self)
            self._sink = QAudioSink(self._device, self._form, self)
            self._sink.setBufferSize(RATE_HZ * 8 * BUFFER_MS // 1000)
        self._sink.start(self._source)

    def stop(self) -> None:
        if self._sink is not None:
            self._sink.stop()


# what sound servers make up where there is no device, so that programs can go on: nobody hears it
_NO_SINK: Final = b"auto_null"


def open_output(mixer: Mixer, parent: QObject) -> Output:
    """The default sound device, or a clock where there is none."""
    from PyQt6.QtMultimedia import QAudioFormat, QMediaDevices

    device = QMediaDevices.defaultAudioOutput()
    form = QAudioFormat()
    form.setSampleRate(RATE_HZ)
    form.setChannelCount(2)
    form.setSampleFormat(QAudioFormat.SampleFormat.Float)
    if device.isNull() or _NO_SINK in device.id().data() or not device.isFormatSupported(form):
        return ClockOutput(mixer, parent)
    return SinkOutput(mixer, device, form, parent)

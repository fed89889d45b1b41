"""Speech from a microphone, where there is one."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np
from PyQt6.QtCore import QIODevice, QObject, pyqtSignal

from zestpanel.core.audio.clip import Clip, as_samples

if TYPE_CHECKING:
    from PyQt6.QtMultimedia import QAudioSource

RATE_HZ: Final = 48_000
LONGEST_S: Final = 120.0
_BYTES: Final = 2  # of a sample


class Microphone(QObject):
    """ticked: more was heard. ended: it stopped by itself, because the device went or two minutes are over."""

    ticked = pyqtSignal()
    ended = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._source: QAudioSource | None = None
        self._device: QIODevice | None = None
        self._heard = bytearray()
        self._rate_hz = RATE_HZ

    @staticmethod
    def there_is_one() -> bool:
        from PyQt6.QtMultimedia import QMediaDevices  # loading it takes a moment: not before it is needed

        return not QMediaDevices.defaultAudioInput().isNull()

    @property
    def recording(self) -> bool:
        return self._source is not None

    @property
    def seconds(self) -> float:
        return len(self._heard) / _BYTES / self._rate_hz

    def start(self) -> bool:
        """Whether it records now."""
        from PyQt6.QtMultimedia import QAudio, QAudioFormat, QAudioSource, QMediaDevices

        device = QMediaDevices.defaultAudioInput()
        if device.isNull():
            return False
        form = QAudioFormat()
        form.setSampleRate(RATE_HZ)
        form.setChannelCount(1)
        form.setSampleFormat(QAudioFormat.SampleFormat.Int16)
        if not device.isFormatSupported(form):
            form.setSampleRate(device.preferredFormat().sampleRate())
        self._rate_hz = form.sampleRate()
        self._heard.clear()
        source = QAudioSource(device, form, self)
        self._device = source.start()
        if self._device is None or source.error() != QAudio.Error.NoError:
            return False
        self._source = source
        self._device.readyRead.connect(self._take)
        source.stateChanged.connect(lambda state: self._gone() if state == QAudio.State.StoppedState else None)
        return True

    def stop(self) -> Clip | None:
        """What was recorded, None for nothing at all."""
        source, self._source = self._source, None
        if source is None:
            return None
        self._take()
        source.stop()
        source.deleteLater()
        self._device = None
        samples = np.frombuffer(bytes(self._heard), dtype=np.int16)
        return Clip(samples=as_samples(samples), rate_hz=self._rate_hz) if len(samples) else None

    def _take(self) -> None:
        if self._device is None:
            return
        room = int(LONGEST_S * self._rate_hz) * _BYTES - len(self._heard)
        self._heard += self._device.readAll().data()[: max(0, room)]
        self.ticked.emit()
        if self.seconds >= LONGEST_S and self.recording:
            self.ended.emit()

    def _gone(self) -> None:
        if self.recording:
            self.ended.emit()

"""The one form sound has inside the program, and the gate that brings anything into it."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import ArrayLike, NDArray

from zestpanel.core.errors import AudioError
from zestpanel.core.texts import tr

Samples = NDArray[np.float32]


@dataclass(frozen=True, slots=True, kw_only=True)
class Clip:
    """Sound: ``samples`` float32, shape (frames, channels), full scale ±1.0, with its rate beside it."""

    samples: Samples = field(repr=False, compare=False)
    rate_hz: int

    def __post_init__(self) -> None:
        if not 1_000 <= self.rate_hz <= 768_000:
            raise AudioError(tr("A sample rate of {rate_hz} Hz is outside 1 to 768 kHz.", rate_hz=self.rate_hz))
        object.__setattr__(self, "samples", as_samples(self.samples))
        self.samples.setflags(write=False)

    @property
    def frames(self) -> int:
        return int(self.samples.shape[0])

    @property
    def channels(self) -> int:
        return int(self.samples.shape[1])

    @property
    def duration_s(self) -> float:
        return self.frames / self.rate_hz

    def mono(self) -> Samples:
        """Mean of the channels, shape (frames,), float32."""
        out: Samples = self.samples.mean(axis=1, dtype=np.float32)
        return out


def as_samples(values: ArrayLike) -> Samples:
    """Bring samples of any usual type into float32 (frames, channels).

    values: 1-D (frames,) or 2-D (frames, channels); integers are scaled by their type's full scale.
    Raises AudioError for other shapes, for no frames, more than 32 channels, and for NaN or infinity.
    """
    array = np.asarray(values)
    if array.ndim == 1:
        array = array[:, None]
    if array.ndim != 2 or array.shape[1] == 0 or array.shape[1] > 32:
        raise AudioError(tr("Sound of shape {shape} is not (frames, channels).", shape=array.shape))
    if array.shape[0] == 0:
        raise AudioError(tr("The sound is empty: it has no samples."))
    if array.dtype == np.uint8:
        out = (array.astype(np.float32) - 128.0) / 128.0
    elif np.issubdtype(array.dtype, np.signedinteger):
        out = array.astype(np.float32) / np.float32(-float(np.iinfo(array.dtype).min))
    elif np.issubdtype(array.dtype, np.floating):
        out = array.astype(np.float32)
    else:
        raise AudioError(tr("Samples of type {dtype} are not sound.", dtype=array.dtype))
    if not np.isfinite(out).all():
        raise AudioError(tr("The sound contains values that are not numbers."))
    return np.ascontiguousarray(out)

"""Samples that lie in a file: read and written stretch by stretch, so that an hour of sound takes no memory."""

from __future__ import annotations

from pathlib import Path
from typing import Final

import numpy as np
from numpy.typing import NDArray

_BYTES: Final = 4


class LongSamples:
    """Of shape (frames, channels), as 32-bit floats; stretches of frames are taken and put as of an array. One that is
    new is silent."""

    def __init__(self, path: Path, channels: int, frames: int | None = None) -> None:
        """frames: how many there shall be; those of the file unless said."""
        self._path, self.channels = path, channels
        if frames is not None:
            with path.open("wb") as file:
                file.truncate(frames * channels * _BYTES)
        self._frames = path.stat().st_size // (channels * _BYTES)

    def __len__(self) -> int:
        return self._frames

    def __getitem__(self, stretch: slice) -> NDArray[np.float32]:
        begin, end, _ = stretch.indices(self._frames)
        count = max(0, end - begin) * self.channels
        out: NDArray[np.float32] = np.fromfile(self._path, np.float32, count, offset=begin * self.channels * _BYTES)
        return out.reshape(-1, self.channels)

    def __setitem__(self, stretch: slice, values: NDArray[np.float32]) -> None:
        begin, _, _ = stretch.indices(self._frames)
        with self._path.open("r+b") as file:
            file.seek(begin * self.channels * _BYTES)
            file.write(np.ascontiguousarray(values, dtype=np.float32).tobytes())

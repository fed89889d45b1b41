"""Sound out of bytes, here and now, never more of it than a limit. Callers with bytes from elsewhere: ``files``."""

from __future__ import annotations

import io
from collections.abc import Iterator
from typing import Any, Final

import numpy as np
import soundfile

from zestpanel.core.audio.clip import Clip, Samples
from zestpanel.core.audio.kinds import describe_bytes, kind_of_sound, with_true_sizes
from zestpanel.core.errors import AudioError, NotSound
from zestpanel.core.texts import tr

MOST_VALUES: Final = 60_000_000  # samples times channels: 41 minutes at 24 kHz, 240 MB in memory
SLOWEST_HZ, FASTEST_HZ = 2_000, 384_000
_BLOCK: Final = 1 << 16
_NO_LENGTH: Final = 1 << 60


def decode_here(data: bytes) -> Clip:
    """Decode a whole file held in memory. Raises NotSound naming what the bytes are, and AudioError."""
    kind = kind_of_sound(data)
    if kind is None:
        raise NotSound(tr("The reply is {describe_bytes}, not sound.", describe_bytes=describe_bytes(data)))
    if kind in ("m4a", "webm", "aac"):
        return _packed(data)
    return _by_libsndfile(with_true_sizes(data), {})


def sound_job(data: bytes, asked: dict[str, Any]) -> tuple[dict[str, Any], memoryview]:  # noqa: ARG001 what a job of the helper is given
    """What ``files.decode`` asks the other process for: the rate, the channels, and the samples as float32."""
    clip = decode_here(data)
    head = {"rate_hz": clip.rate_hz, "channels": clip.samples.shape[1]}
    return head, memoryview(np.ascontiguousarray(clip.samples, dtype="<f4").tobytes())


_RAW: Final[dict[str, tuple[str, str]]] = {
    "pcm_s16le": ("PCM_16", "LITTLE"),
    "pcm_s16be": ("PCM_16", "BIG"),
    "pcm_s24le": ("PCM_24", "LITTLE"),
    "pcm_f32le": ("FLOAT", "LITTLE"),
    "mulaw": ("ULAW", "FILE"),
    "alaw": ("ALAW", "FILE"),
}


def raw_here(data: bytes, encoding: str, *, rate_hz: int, channels: int) -> Clip:
    """Decode samples without a header, in one of the stated encodings. Raises AudioError when there are none."""
    subtype, endian = _RAW[encoding]
    how = {"format": "RAW", "subtype": subtype, "samplerate": rate_hz, "channels": channels, "endian": endian}
    return _by_libsndfile(data, how)


def _by_libsndfile(data: bytes, how: dict[str, Any]) -> Clip:
    try:
        with soundfile.SoundFile(io.BytesIO(data), **how) as file:
            rate_hz = int(file.samplerate)
            if not SLOWEST_HZ <= rate_hz <= FASTEST_HZ:
                raise AudioError(
                    tr("The sound has {rate_hz} samples a second, which no speech has.", rate_hz=f"{rate_hz:,}")
                )
            if file.frames > _NO_LENGTH:  # as programs write it that cannot go back to its beginning
                return _packed(data)
            samples = _joined(_blocks(file))
    except (soundfile.SoundFileError, RuntimeError, ValueError, OverflowError) as error:
        raise AudioError(tr("The sound cannot be decoded ({rstrip}).", rstrip=str(error).rstrip("."))) from error
    return Clip(samples=samples, rate_hz=rate_hz)


def _blocks(file: soundfile.SoundFile) -> Iterator[Samples]:
    while len(block := file.read(_BLOCK, dtype="float32", always_2d=True)):
        yield block


def _joined(blocks: Iterator[Samples]) -> Samples:
    """All blocks there are: how long a stream is, its header need not know. Raises AudioError."""
    parts, size = [], 0
    for block in blocks:
        size += block.size
        if size > MOST_VALUES:
            raise AudioError(
                tr("The sound is longer than {most_values} million samples.", most_values=MOST_VALUES // 1_000_000)
            )
        parts.append(block)
    if not parts:
        raise AudioError(tr("The sound is empty: it has no samples."))
    return np.concatenate(parts) if len(parts) > 1 else parts[0]


def _packed(data: bytes) -> Clip:
    """The first sound track of an M4A or video file, by FFmpeg's libraries. Raises AudioError."""
    import av  # large, and seldom needed

    rate_hz = 0

    def blocks() -> Iterator[Samples]:
        nonlocal rate_hz
        for frame in container.decode(audio=0):
            rate_hz = rate_hz or frame.sample_rate
            values: Any = np.asarray(frame.to_ndarray())
            scale = float(-int(np.iinfo(str(values.dtype)).min)) if values.dtype.kind == "i" else 1.0
            got = (values / scale).astype(np.float32)
            planar = got.shape[0] == frame.layout.nb_channels and frame.format.is_planar
            yield got.T if planar else got.reshape(-1, frame.layout.nb_channels)

    try:
        with av.open(io.BytesIO(data), mode="r") as container:
            if not container.streams.audio:
                raise AudioError(tr("The file has no sound track."))
            samples = _joined(blocks())
    except (av.error.FFmpegError, ValueError, OSError) as error:
        raise AudioError(tr("The sound cannot be decoded ({error}).", error=error)) from error
    if not SLOWEST_HZ <= rate_hz <= FASTEST_HZ:
        raise AudioError(tr("The sound has {rate_hz} samples a second, which no speech has.", rate_hz=f"{rate_hz:,}"))
    return Clip(samples=samples, rate_hz=rate_hz)

"""Sound files in and out. What a file is, is told from its content, never from its name."""

from __future__ import annotations

import io
from collections.abc import Callable
from pathlib import Path
from typing import Final

import numpy as np
import soundfile
import soxr

from zestpanel.core.audio.clip import Clip, as_samples
from zestpanel.core.audio.decoding import decode_here, raw_here
from zestpanel.core.audio.kinds import describe_bytes, is_plain_wav, kind_of_sound, kind_of_text
from zestpanel.core.contained.asking import ask
from zestpanel.core.errors import AudioError
from zestpanel.core.own_files import read_regular, written_beside
from zestpanel.core.texts import tr

LARGEST_FILE: Final = 1_000_000_000


def decode(data: bytes, cancelled: Callable[[], bool] = lambda: False) -> Clip:
    """Decode a whole file from anywhere. Raises AudioError naming what the bytes are instead of sound; Cancelled.

    A WAV of plain samples is read here; what needs a decoder is decoded in a process that may die with it. A WAV whose
    header promises more than has come (as streams do, or files cut off) decodes to what is there; ``is_cut_off`` tells
    the difference.
    """
    if is_plain_wav(data) or kind_of_sound(data) is None:
        return decode_here(data)
    head, samples = ask("sound", data, tr("The sound"), error=AudioError, kept="", cancelled=cancelled,
                        weight=_UNPACKS_TO * len(data))  # fmt: skip
    values = np.frombuffer(samples, dtype="<f4").reshape(-1, head["channels"])
    return Clip(samples=values, rate_hz=head["rate_hz"])


_UNPACKS_TO: Final = 10


def decode_raw(data: bytes, encoding: str, *, rate_hz: int, channels: int) -> Clip:
    """Decode samples without a header, in one of the stated encodings. Raises AudioError when there are none."""
    if kind_of_sound(data) == "wav" or kind_of_text(data) in ("web page", "JSON"):
        what = tr("a WAV file") if kind_of_sound(data) else describe_bytes(data)
        raise AudioError(tr("The reply is {what}, not raw samples.", what=what))
    return raw_here(data, encoding, rate_hz=rate_hz, channels=channels)


def read(path: Path) -> Clip:
    """Read a sound file from anywhere. Raises AudioError with the file's name."""
    return _of_file(path, decode)


def read_kept(path: Path) -> Clip:
    """Read a clip of the project's own, which is wanted at once. Raises AudioError with the file's name."""
    return _of_file(path, decode_here)


def _of_file(path: Path, decoder: Callable[[bytes], Clip]) -> Clip:
    try:
        data = read_regular(path, LARGEST_FILE)
    except OSError as error:
        raise AudioError(
            tr("{name} cannot be read ({strerror}).", name=path.name, strerror=error.strerror or error)
        ) from error
    if data is None:
        raise AudioError(
            tr("{name} is larger than {largest_file} MB.", name=path.name, largest_file=LARGEST_FILE // 1_000_000)
        )
    try:
        return decoder(data)
    except AudioError as error:
        raise AudioError(f"{path.name}: {error.what}") from error


def encode_flac(clip: Clip) -> bytes:
    """FLAC bytes, 24 bit: the form in which clips are kept."""
    out = io.BytesIO()
    soundfile.write(out, np.clip(clip.samples, -1.0, 1.0), clip.rate_hz, format="FLAC", subtype="PCM_24")
    return out.getvalue()


def write_wav(path: Path, clip: Clip, *, subtype: str = "PCM_16") -> None:
    """Write a WAV beside, then move it into place, so that no half-written file is ever seen."""
    with written_beside(path) as part:
        soundfile.write(part, np.clip(clip.samples, -1.0, 1.0), clip.rate_hz, format="WAV", subtype=subtype)


def resampled(clip: Clip, rate_hz: int) -> Clip:
    """The clip at another sample rate (soxr, high quality)."""
    if clip.rate_hz == rate_hz:
        return clip
    return Clip(samples=as_samples(soxr.resample(clip.samples, clip.rate_hz, rate_hz)), rate_hz=rate_hz)


def peaks(clip: Clip, columns: int) -> bytes:
    """Waveform for drawing: per column the peak magnitude, 0..255 of the clip's own greatest value."""
    magnitude = np.abs(clip.samples).max(axis=1)
    edges = np.linspace(0, len(magnitude), columns + 1).astype(int)[:-1]
    out = np.maximum.reduceat(magnitude, np.minimum(edges, len(magnitude) - 1))
    top = float(out.max())
    return bytes(np.round(out / top * 255).astype(np.uint8)) if top > 0 else bytes(columns)

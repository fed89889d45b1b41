"""Sound files in and out. What a file is, is told from its content, never from its name."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import soundfile
import soxr

from zestpanel.core.audio.clip import Clip, as_samples
from zestpanel.core.errors import AudioError
from zestpanel.core.own_files import written_beside

_SIGNATURES: tuple[tuple[bytes, int, str], ...] = (
    (b"WAVE", 8, "wav"),
    (b"fLaC", 0, "flac"),
    (b"OggS", 0, "ogg"),
    (b"ID3", 0, "mp3"),
    (b"\xff\xfb", 0, "mp3"),
    (b"\xff\xf3", 0, "mp3"),
    (b"\xff\xf2", 0, "mp3"),
    (b"ftyp", 4, "m4a"),
    (b"AIFF", 8, "aiff"),
    (b"\x1a\x45\xdf\xa3", 0, "webm"),
)


def kind_of_sound(data: bytes) -> str | None:
    """File kind by content, None when it is no known sound. 'm4a' and 'webm' stand for video with sound, too."""
    for mark, offset, kind in _SIGNATURES:
        if data[offset : offset + len(mark)] == mark:
            return kind
    return None


def describe_bytes(data: bytes) -> str:
    """A few words on what bytes that are no sound seem to be, for an error sentence."""
    head = data[:512].lstrip().lower()
    if not data:
        return "nothing at all"
    if head.startswith((b"<!doctype html", b"<html")):
        return "a web page"
    if head.startswith((b"{", b"[")):
        return "JSON text"
    if head.startswith(b"<"):
        return "XML text"
    return "something that is no known sound file"


def decode(data: bytes) -> Clip:
    """Decode a whole file held in memory. Raises AudioError naming what the bytes are instead of sound.

    A WAV whose header promises more than has come (as streams do, or files cut off) decodes to what is
    there; ``declared_frames`` tells the difference.
    """
    kind = kind_of_sound(data)
    if kind is None:
        raise AudioError(f"The reply is {describe_bytes(data)}, not sound.")
    if kind in ("m4a", "webm"):
        return _decode_packed(data)
    try:
        samples, rate_hz = soundfile.read(io.BytesIO(data), dtype="float32", always_2d=True)
    except (soundfile.SoundFileError, RuntimeError) as error:
        raise AudioError(f"The sound cannot be decoded ({str(error).rstrip('.')}).") from error
    if len(samples) == 0:
        raise AudioError("The sound is empty: it has no samples.")
    return Clip(samples=samples, rate_hz=int(rate_hz))


_RAW: dict[str, tuple[str, str]] = {
    "pcm_s16le": ("PCM_16", "LITTLE"),
    "pcm_s16be": ("PCM_16", "BIG"),
    "pcm_s24le": ("PCM_24", "LITTLE"),
    "pcm_f32le": ("FLOAT", "LITTLE"),
    "mulaw": ("ULAW", "FILE"),
    "alaw": ("ALAW", "FILE"),
}


def decode_raw(data: bytes, encoding: str, *, rate_hz: int, channels: int) -> Clip:
    """Decode samples without a header, in one of the stated encodings. Raises AudioError when there are none."""
    subtype, endian = _RAW[encoding]
    if kind_of_sound(data) == "wav" or describe_bytes(data) in ("a web page", "JSON text"):
        what = "a WAV file" if kind_of_sound(data) else describe_bytes(data)
        raise AudioError(f"The reply is {what}, not raw samples.")
    try:
        samples, _ = soundfile.read(io.BytesIO(data), dtype="float32", always_2d=True, format="RAW", subtype=subtype,
                                    samplerate=rate_hz, channels=channels, endian=endian)  # fmt: skip
    except (soundfile.SoundFileError, RuntimeError) as error:
        raise AudioError(f"The samples cannot be decoded ({str(error).rstrip('.')}).") from error
    if len(samples) == 0:
        raise AudioError("The reply holds no samples.")
    return Clip(samples=samples, rate_hz=rate_hz)


def _decode_packed(data: bytes) -> Clip:
    """The first sound track of an M4A or video file, by FFmpeg's libraries. Raises AudioError."""
    import av  # large, and seldom needed

    try:
        with av.open(io.BytesIO(data), mode="r") as container:
            if not container.streams.audio:
                raise AudioError("The file has no sound track.")
            parts, rate_hz = [], 0
            for frame in container.decode(audio=0):
                rate_hz = rate_hz or frame.sample_rate
                got = np.asarray(frame.to_ndarray())
                if got.dtype.kind == "i":
                    got = got.astype(np.float32) / float(-int(np.iinfo(str(got.dtype)).min))
                planar = got.shape[0] == frame.layout.nb_channels and frame.format.is_planar
                parts.append(got.T if planar else got.reshape(-1, frame.layout.nb_channels))
    except (av.error.FFmpegError, ValueError, OSError) as error:
        raise AudioError(f"The sound cannot be decoded ({error}).") from error
    if not parts:
        raise AudioError("The sound is empty: it has no samples.")
    return Clip(samples=np.concatenate(parts), rate_hz=rate_hz)


def read(path: Path) -> Clip:
    """Read a sound file. Raises AudioError with the file's name."""
    try:
        return decode(path.read_bytes())
    except AudioError as error:
        raise AudioError(f"{path.name}: {error.what}") from error
    except OSError as error:
        raise AudioError(f"{path.name} cannot be read ({error.strerror}).") from error


def wav_data_bytes(data: bytes) -> tuple[int, int] | None:
    """(where the sample bytes of a WAV begin, how many its header declares), or None before that is known.

    Follows the chunk layout of the Resource Interchange File Format (RIFF, 1991). Streams that do
    not know their length declare 0xFFFFFFFF or 0.
    """
    if len(data) < 12 or data[:4] != b"RIFF" or data[8:12] != b"WAVE":
        return None
    place = 12
    while place + 8 <= len(data):
        name, size = data[place : place + 4], int.from_bytes(data[place + 4 : place + 8], "little")
        if name == b"data":
            return place + 8, size
        place += 8 + size + (size & 1)
    return None


def is_cut_off(data: bytes) -> bool:
    """True when a WAV's header declares more sample bytes than there are (and is not a stream's header)."""
    found = wav_data_bytes(data)
    if found is None:
        return False
    start, declared = found
    return declared not in (0, 0xFFFFFFFF) and declared < 0x7FFFFFFF and len(data) - start < declared


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

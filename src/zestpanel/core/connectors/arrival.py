"""From chunks with arrival times to first sound and the arrival trace. Done after the reply, never during it."""

from __future__ import annotations

import io
from bisect import bisect_right
from collections.abc import Callable, Sequence
from typing import Any

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.decoding import FASTEST_HZ
from zestpanel.core.audio.kinds import kind_of_sound, wav_data_bytes
from zestpanel.core.contained.asking import ask
from zestpanel.core.errors import AudioError
from zestpanel.core.texts import tr


def sound_trace(
    chunks: Sequence[tuple[float, bytes]], clip: Clip, *, raw_bytes_per_s: float | None = None
) -> tuple[float | None, tuple[tuple[float, float], ...]]:
    """(first sound in s, ((arrival_s, seconds of sound before the chunk), ...)), chunks without sound left out.

    First sound is the arrival of the first byte that decodes to audio: for raw samples the first byte, for WAV the
    first byte after its header, for packed files (FLAC, Ogg, MP3) the byte that completes the first frame or page,
    since a decoder fed as bytes come can give no sample of it before.
    """
    chunks = [(at, part) for at, part in chunks if part]
    if not chunks:
        return None, ()
    total = sum(len(part) for _, part in chunks)
    data = b"".join(part for _, part in chunks)
    header = wav_data_bytes(data)
    if raw_bytes_per_s is not None:
        seconds_in = _evenly(0, raw_bytes_per_s)
    elif header is not None:
        seconds_in = _evenly(header[0], (total - header[0]) / clip.duration_s)
    else:
        seconds_in = _by_frames(complete_frames(data) or [(total, clip.duration_s)])
    trace: list[tuple[float, float]] = []
    arrived, before = 0, 0.0
    for at, part in chunks:
        arrived += len(part)
        by_now = min(clip.duration_s, seconds_in(arrived))
        if by_now > before:
            trace.append((at, before))
            before = by_now
    return (trace[0][0] if trace else None), tuple(trace)


def _evenly(header: int, per_s: float) -> Callable[[int], float]:
    return lambda arrived: max(0, arrived - header) / max(1.0, per_s)


def _by_frames(frames: Sequence[tuple[int, float]]) -> Callable[[int], float]:
    ends = [0, *(end for end, _ in frames)]
    seconds = [0.0, *(given for _, given in frames)]
    return lambda arrived: seconds[bisect_right(ends, arrived) - 1]


def complete_frames(data: bytes) -> list[tuple[int, float]]:
    """(bytes that must have come, seconds of sound they give) for each frame or page of a packed file, in order; empty
    where it is none that can be heard before it is whole."""
    kind = kind_of_sound(data)
    if kind == "ogg":
        return _ogg_pages(data)
    if kind not in ("flac", "mp3"):
        return []
    head, _ = ask("frames", data, tr("The sound"), error=AudioError, kept="", kind=kind)
    return [(int(end), float(seconds)) for end, seconds in head["frames"]]


def frames_job(data: bytes, asked: dict[str, Any]) -> tuple[dict[str, Any], bytes]:
    """What ``complete_frames`` asks the process for that takes bytes apart."""
    return {"frames": _packets(data, asked["kind"])}, b""


def _packets(data: bytes, kind: str) -> list[tuple[int, float]]:
    """Frames of FLAC and MP3 by where they end: FFmpeg's demultiplexer knows their places, and leaves out what is no
    sound (tags, pictures, the information frame of an MP3)."""
    import av  # large, and seldom needed

    av.logging.set_level(av.logging.FATAL)  # what is odd about a file is said by whoever decodes it
    out: list[tuple[int, float]] = []
    seconds, end = 0.0, 0
    try:
        with av.open(io.BytesIO(data), mode="r", format=kind) as container:
            stream = container.streams.audio[0]
            for packet in container.demux(stream):
                if packet.size and packet.pos is not None and packet.duration and packet.time_base:
                    seconds += float(packet.duration * packet.time_base)
                    end = max(end, packet.pos + packet.size)
                    out.append((end, seconds))
    except (av.error.FFmpegError, ValueError, IndexError):
        return out
    return out


def _ogg_pages(data: bytes) -> list[tuple[int, float]]:
    """Pages by where they end, with the sound they complete: their granule position (RFC 3533), which counts samples
    at the stream's rate for Vorbis and FLAC, and at 48 kHz after a pre-skip for Opus (RFC 7845)."""
    out: list[tuple[int, float]] = []
    place, rate, skip = 0, 0, 0
    while rate <= FASTEST_HZ and place + 27 <= len(data) and data[place : place + 4] == b"OggS":
        lacing = data[place + 27 : place + 27 + data[place + 26]]
        body = place + 27 + len(lacing)
        end = body + sum(lacing)
        head = data[body : body + 64]
        if head[:8] == b"OpusHead":
            rate, skip = 48_000, int.from_bytes(head[10:12], "little")
        elif head[1:7] == b"vorbis" and head[:1] == b"\x01":
            rate = int.from_bytes(head[12:16], "little")
        elif head[:5] == b"\x7fFLAC":
            rate = int.from_bytes(head[27:30], "big") >> 4
        granule = int.from_bytes(data[place + 6 : place + 14], "little", signed=True)
        if rate and granule > skip and end <= len(data):
            out.append((end, (granule - skip) / rate))
        place = end
    return out

"""From chunks with arrival times to first sound and the arrival trace. Done after the reply, never during it."""

from __future__ import annotations

from collections.abc import Sequence

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import decode, wav_data_bytes
from zestpanel.core.errors import AudioError


def sound_trace(
    chunks: Sequence[tuple[float, bytes]], clip: Clip, *, raw_bytes_per_s: float | None = None
) -> tuple[float | None, tuple[tuple[float, float], ...]]:
    """(first sound in s, ((arrival_s, seconds of sound before the chunk), ...)).

    First sound is the arrival of the first byte that decodes to audio: for raw samples the first byte, for WAV the
    first byte after its header, for other files the first prefix of chunks that a decoder accepts.
    """
    if not chunks:
        return None, ()
    total = sum(len(data) for _, data in chunks)
    if raw_bytes_per_s is not None:
        header, per_s = 0, raw_bytes_per_s
    else:
        data = b"".join(part for _, part in chunks[:64])
        found = wav_data_bytes(data)
        header = found[0] if found else _first_decodable(chunks)
        per_s = max(1.0, (total - header) / clip.duration_s)
    trace: list[tuple[float, float]] = []
    place = 0
    for at, part in chunks:
        place += len(part)
        if place > header and part:
            trace.append((at, max(0, place - len(part) - header) / per_s))
    return (trace[0][0] if trace else None), tuple(trace)


def _first_decodable(chunks: Sequence[tuple[float, bytes]]) -> int:
    """Length of all chunks before the first one with which the reply begins to decode (binary search)."""
    low, high = 0, len(chunks) - 1
    while low < high:
        middle = (low + high) // 2
        try:
            decode(b"".join(part for _, part in chunks[: middle + 1]))
            high = middle
        except AudioError:
            low = middle + 1
    return sum(len(part) for _, part in chunks[:low])

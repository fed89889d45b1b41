"""The ways in which the stand-in service hands over a clip: one for every kind a connector file can declare."""

from __future__ import annotations

import asyncio
import base64
import io
import json
import struct
from collections.abc import AsyncIterator, Callable
from dataclasses import dataclass
from typing import Any, Final

import soundfile
from starlette.responses import JSONResponse, Response, StreamingResponse

from zestpanel.core.audio.clip import Clip
from zestpanel.core.domain.passage import words_with_places

CHUNK_S: Final = 0.25


@dataclass(frozen=True, slots=True, kw_only=True)
class Spoken:
    """A clip that was made, with what the service says about it. events: (character, seconds) per spoken word.

    fault: 'cut off' or 'stall' or ''. pause_s: between chunks. stall_s: how long a stall in the middle lasts.
    """

    clip: Clip
    text: str
    voice: str
    events: list[tuple[int, float]]
    billed: int
    left: int
    fault: str
    pause_s: float
    stall_s: float

    @property
    def headers(self) -> dict[str, str]:
        return {"x-voice": self.voice, "x-characters": str(self.billed), "x-left": str(self.left)}

    @property
    def usage(self) -> dict[str, Any]:
        return {"voice": self.voice, "characters": self.billed, "left": self.left}

    def wav(self) -> bytes:
        out = io.BytesIO()
        soundfile.write(out, self.clip.samples, self.clip.rate_hz, format="WAV", subtype="PCM_16")
        data = out.getvalue()
        return data[: len(data) // 2] if self.fault == "cut off" else data

    def pcm(self) -> bytes:
        return (self.clip.mono() * 32767).astype("<i2").tobytes()

    def words(self) -> list[list[Any]]:
        """[word, start, end] for each word with an event of its own; a word ends where the next one begins."""
        first: dict[int, float] = {}
        for place, at in self.events:
            first.setdefault(place, at)
        found = [(w, first[s]) for w, s, _ in words_with_places(self.text) if s in first]
        ends = [at for _, at in found[1:]] + [self.clip.duration_s]
        return [[word, round(at, 3), round(end, 3)] for (word, at), end in zip(found, ends, strict=True)]


async def pieces(spoken: Spoken) -> AsyncIterator[bytes]:
    """The samples, a quarter second at a time, as if they were still being made."""
    pcm = spoken.pcm()
    step = int(CHUNK_S * spoken.clip.rate_hz) * 2
    stalled = spoken.fault != "stall"
    for place in range(0, len(pcm), step):
        if spoken.fault == "cut off" and place > len(pcm) // 2:
            return
        if not stalled and place > len(pcm) // 2:
            stalled = True
            await asyncio.sleep(spoken.stall_s)
        if place:
            await asyncio.sleep(spoken.pause_s)
        yield pcm[place : place + step]


async def _wav_stream(spoken: Spoken) -> AsyncIterator[bytes]:
    """The header states the true length, so that a cut is seen."""
    size, rate = len(spoken.pcm()), spoken.clip.rate_hz
    yield (
        b"RIFF"
        + struct.pack("<I", 36 + size)
        + b"WAVEfmt "
        + struct.pack("<IHHIIHH", 16, 1, 1, rate, rate * 2, 2, 16)
        + b"data"
        + struct.pack("<I", size)
    )
    async for piece in pieces(spoken):
        yield piece


def as_stream(spoken: Spoken) -> Response:
    return StreamingResponse(_wav_stream(spoken), media_type="audio/wav", headers=spoken.headers)


def as_pcm(spoken: Spoken) -> Response:
    return StreamingResponse(pieces(spoken), media_type="audio/l16", headers=spoken.headers)


def as_json(spoken: Spoken) -> Response:
    return JSONResponse(
        {"sound": base64.b64encode(spoken.wav()).decode(), "words": spoken.words(), **spoken.usage}
    )  # fmt: skip


def as_parts(spoken: Spoken) -> Response:
    """multipart/mixed (RFC 2046): what was used as JSON, and the sound."""
    edge = b"pith-and-peel"
    body = b"".join(
        [
            b"--" + edge + b"\r\nContent-Type: application/json\r\n\r\n" + json.dumps(spoken.usage).encode() + b"\r\n",
            b"--" + edge + b"\r\nContent-Type: audio/wav\r\n\r\n" + spoken.wav() + b"\r\n",
            b"--" + edge + b"--\r\n",
        ]
    )
    return Response(body, media_type="multipart/mixed; boundary=pith-and-peel")


async def _events(spoken: Spoken) -> AsyncIterator[bytes]:
    yield b": sound follows\n\n"
    async for piece in pieces(spoken):
        yield b"event: sound\ndata: " + json.dumps({"sound": base64.b64encode(piece).decode()}).encode() + b"\n\n"
    yield b"event: end\ndata: " + json.dumps(spoken.usage).encode() + b"\n\n"


def as_events(spoken: Spoken) -> Response:
    return StreamingResponse(_events(spoken), media_type="text/event-stream")


async def _lines(spoken: Spoken) -> AsyncIterator[bytes]:
    async for piece in pieces(spoken):
        yield json.dumps({"part": {"sound": base64.b64encode(piece).decode()}}).encode() + b"\n"
    yield json.dumps({"done": True, "words": spoken.words(), **spoken.usage}).encode() + b"\n"


def as_lines(spoken: Spoken) -> Response:
    return StreamingResponse(_lines(spoken), media_type="application/x-ndjson")


def as_link(spoken: Spoken, keep: Callable[[bytes], str]) -> Response:
    """``keep`` stores the sound and returns the path under which it can be fetched."""
    return JSONResponse({"file": {"link": keep(spoken.wav())}, **spoken.usage})


WAYS: Final[dict[str, Callable[[Spoken], Response]]] = {
    "stream": as_stream,
    "pcm": as_pcm,
    "json": as_json,
    "parts": as_parts,
    "events": as_events,
    "lines": as_lines,
}

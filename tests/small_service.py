"""A small service on this machine whose every answer a test writes: over plain sockets, so that it can do anything."""

from __future__ import annotations

import io
import json
import socket
import threading
import wave
import zipfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import parse_qsl, urlsplit

import numpy as np


def zipped(*files: tuple[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files:
            archive.writestr(name, data)
    return out.getvalue()


def wav(seconds: float = 0.4, rate_hz: int = 16_000, hz: float = 220.0) -> bytes:
    """A tone as a WAV file."""
    out = io.BytesIO()
    with wave.open(out, "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(rate_hz)
        file.writeframes(samples(seconds, rate_hz, hz))
    return out.getvalue()


def samples(seconds: float = 0.4, rate_hz: int = 16_000, hz: float = 220.0) -> bytes:
    """The same as 16 bit samples without a head."""
    t = np.arange(round(seconds * rate_hz)) / rate_hz
    return (9000 * np.sin(2 * np.pi * hz * t)).astype("<i2").tobytes()


@dataclass(frozen=True, slots=True)
class Heard:
    """One request as it came."""

    method: str
    path: str
    query: Mapping[str, str]
    headers: Mapping[str, str]
    body: bytes

    @property
    def json(self) -> Any:
        return json.loads(self.body)


@dataclass(frozen=True, slots=True)
class Answer:
    """status 0: the connection is cut without a word. cut_after: bytes of the body after which it is cut."""

    body: bytes = b""
    status: int = 200
    headers: Mapping[str, str] = field(default_factory=dict)
    cut_after: int | None = None


def as_json(tree: object, status: int = 200, **headers: str) -> Answer:
    named = {name.replace("_", "-"): value for name, value in headers.items()}
    return Answer(json.dumps(tree).encode(), status, {"Content-Type": "application/json", **named})


class SmallService:
    """Answers each request by ``answer(request)``; what came is in ``heard``."""

    def __init__(self, answer: Callable[[Heard], Answer]) -> None:
        self.answer = answer
        self.heard: list[Heard] = []
        self._socket = socket.create_server(("127.0.0.1", 0))
        self.address = f"http://127.0.0.1:{self._socket.getsockname()[1]}"
        self._thread = threading.Thread(target=self._serve, daemon=True)

    def __enter__(self) -> SmallService:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._socket.close()

    def _serve(self) -> None:
        while True:
            try:
                connection, _ = self._socket.accept()
            except OSError:
                return
            threading.Thread(target=self._talk, args=(connection,), daemon=True).start()

    def _talk(self, connection: socket.socket) -> None:
        with connection, connection.makefile("rb") as lines:
            try:
                while request := _read(lines):
                    self.heard.append(request)
                    answer = self.answer(request)
                    if not answer.status:
                        return
                    head = {"Content-Length": str(len(answer.body)), **answer.headers}
                    lines_out = [f"HTTP/1.1 {answer.status} Said", *(f"{k}: {v}" for k, v in head.items()), "", ""]
                    connection.sendall("\r\n".join(lines_out).encode() + answer.body[: answer.cut_after])
                    if answer.cut_after is not None:
                        return
            except OSError:
                return


def _read(lines: Any) -> Heard | None:
    first = lines.readline().decode("latin-1").split()
    if len(first) < 2:
        return None
    headers: dict[str, str] = {}
    while (line := lines.readline().decode("latin-1").strip()) and ":" in line:
        name, _, value = line.partition(":")
        headers[name.strip().lower()] = value.strip()
    target = urlsplit(first[1])
    body = lines.read(size := int(headers.get("content-length", 0)))
    if len(body) < size:  # whoever asked is gone
        return None
    return Heard(first[0], target.path, dict(parse_qsl(target.query)), headers, body)

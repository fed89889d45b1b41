"""The shelf of an invented service for voices that its customers make of recordings: two at most, ready in a while."""

from __future__ import annotations

import re
import tempfile
import time
import uuid
from dataclasses import dataclass, field
from email.message import Message
from email.parser import BytesParser
from pathlib import Path

from zestpanel.core.errors import AudioError
from zestpanel.standins.own_voice import from_recording
from zestpanel.standins.timbre import Timbre

SLOTS = 2
READY_AFTER_S = 0.4


@dataclass(frozen=True)
class Kept:
    timbre: Timbre
    ready_at: float
    name: str
    visibility: str
    recordings: int


@dataclass
class Shelf:
    voices: dict[str, Kept] = field(default_factory=dict)

    def make(self, content_type: str, body: bytes) -> tuple[int, dict[str, object]]:
        """(status, answer) to a form of fields and recordings."""
        fields, recordings = taken_apart(content_type, body)
        if len(self.voices) >= SLOTS:
            return 409, {"error": f"all {SLOTS} places for voices of your own are taken"}
        if not recordings or not fields.get("name"):
            return 400, {"error": "a name and a recording are wanted"}
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / f"recording{Path(recordings[0][0]).suffix}"
            path.write_bytes(recordings[0][1])
            try:
                timbre = from_recording(path, fields.get("language", "en"))
            except (AudioError, ValueError) as error:
                return 422, {"error": f"this recording cannot be used: {error}"}
        number = f"own-{uuid.uuid4().hex[:10]}"
        self.voices[number] = Kept(timbre, time.monotonic() + READY_AFTER_S, fields["name"],
                                   fields.get("visible", ""), len(recordings))  # fmt: skip
        return 202, {"voice": {"id": number, "state": "making"}}

    def state(self, number: str) -> dict[str, object] | None:
        kept = self.voices.get(number)
        if kept is None:
            return None
        state = "ready" if time.monotonic() >= kept.ready_at else "making"
        return {"voice": {"id": number, "state": state, "name": kept.name, "visible": kept.visibility,
                          "recordings": kept.recordings}}  # fmt: skip

    def timbre(self, number: str) -> Timbre | None:
        kept = self.voices.get(number)
        return kept.timbre if kept is not None and time.monotonic() >= kept.ready_at else None


def taken_apart(content_type: str, body: bytes) -> tuple[dict[str, str], list[tuple[str, bytes]]]:
    """(fields, files by name) of a form (RFC 7578)."""
    message = BytesParser().parsebytes(b"Content-Type: " + content_type.encode("latin-1") + b"\r\n\r\n" + body)
    fields, files = dict[str, str](), list[tuple[str, bytes]]()
    parts = message.get_payload() if message.is_multipart() else []
    for part in parts if isinstance(parts, list) else []:
        content = part.get_payload(decode=True) if isinstance(part, Message) else None
        if not isinstance(part, Message) or not isinstance(content, bytes):
            continue
        about = re.search(r'name="([^"]*)"', part.get("content-disposition", ""))
        if name := part.get_filename():
            files.append((name, content))
        elif about is not None:
            fields[about[1]] = content.decode("utf-8", errors="replace")
    return fields, files

"""clips/: sound kept as FLAC, named by its content, never rewritten."""

from __future__ import annotations

import hashlib
import os
import uuid
from pathlib import Path

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import encode_flac


class ClipStore:
    def __init__(self, folder: Path) -> None:
        self._clips = folder / "clips"

    def keep(self, clip: Clip) -> str:
        """Store a clip; its file name. On disk whole when this returns, or not at all."""
        data = encode_flac(clip)
        name = hashlib.sha256(data).hexdigest() + ".flac"
        path = self._clips / name
        if not path.exists():
            part = self._clips / f"{name}.{uuid.uuid4().hex}.part"  # two threads may store the same sound at once
            with part.open("wb") as file:
                file.write(data)
                file.flush()
                os.fsync(file.fileno())
            os.replace(part, path)
        return name

    def path(self, name: str) -> Path:
        return self._clips / name

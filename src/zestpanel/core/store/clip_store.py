"""clips/: sound kept as FLAC, named by its content, never rewritten; beside it the packed files that some came as."""

from __future__ import annotations

import hashlib
import os
import re
import uuid
from pathlib import Path
from typing import Final

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import encode_flac
from zestpanel.core.audio.kinds import kind_of_sound
from zestpanel.core.errors import AudioError
from zestpanel.core.own_files import is_own_file
from zestpanel.core.texts import tr

_NAME: Final = re.compile(r"[0-9a-f]{64}\.[a-z0-9]{2,5}")


class ClipStore:
    def __init__(self, folder: Path) -> None:
        self._clips = folder / "clips"

    def keep(self, clip: Clip) -> str:
        """Store a clip; its file name. On disk whole when this returns, or not at all."""
        return self._store(encode_flac(clip), "flac")

    def keep_as_delivered(self, data: bytes) -> str | None:
        """Store a delivered file whose packing loses something (its decoding is a clip of its own); its name.

        None for nothing, and for WAV, FLAC and AIFF: the clip holds the very same samples.
        """
        kind = kind_of_sound(data) if data else None
        return self._store(data, kind) if kind not in (None, "wav", "flac", "aiff") else None

    def _store(self, data: bytes, extension: str | None) -> str:
        name = f"{hashlib.sha256(data).hexdigest()}.{extension}"
        path = self._clips / name
        if not path.exists():
            part = self._clips / f"{name}.{uuid.uuid4().hex}.part"  # two threads may store the same sound at once
            with part.open("wb") as file:
                file.write(data)
                file.flush()
                os.fsync(file.fileno())
            os.replace(part, path)
        return name

    def drop(self, name: str) -> None:
        """Delete a clip for good: the voice of a person who is to be forgotten."""
        self.path(name).unlink(missing_ok=True)

    def path(self, name: str) -> Path:
        """Where a clip is. Raises AudioError for a name that is none of its own, and for what is no file of its own."""
        path = self._clips / name
        if not _NAME.fullmatch(name) or (os.path.lexists(path) and not is_own_file(path)):
            raise AudioError(
                tr("'{name}' is no clip of this project and was not opened.", name=name[:80]),
                kept=tr("Nothing was changed."),
            )
        return path

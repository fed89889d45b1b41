"""The 'folder' kind: clips that somebody rendered elsewhere, found by pattern. They carry no timing of ours."""

from __future__ import annotations

import fnmatch
import re
from pathlib import Path
from typing import Any

from zestpanel.core.audio.files import read
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.reaching import FolderSpeak
from zestpanel.core.connectors.speaking import Reply, SpeakRequest
from zestpanel.core.connectors.templates import fill, values_of
from zestpanel.core.errors import AudioError, SynthesisFailure
from zestpanel.core.secrets.environment import expand_environment
from zestpanel.core.texts import tr
from zestpanel.core.waiting import Cancelled, never_cancelled


def plain(text: str) -> str:
    """A name as file names write it: lower case, one hyphen between words."""
    return re.sub(r"[^\w]+", "-", text.casefold(), flags=re.UNICODE).strip("-_")


class FolderConnector:
    """Answers with the file that the pattern leads to. Names are compared without case, spaces and signs."""

    def __init__(self, engine: Engine) -> None:
        assert isinstance(engine.speak, FolderSpeak)
        self._engine, self._speak = engine, engine.speak

    def close(self) -> None:
        pass

    def _pattern(self, request: SpeakRequest) -> str:
        values = {name: plain(str(value)) for name, value in values_of(request).items()}
        values |= {"passage": plain(request.passage), "number": f"{request.number:02d}", "repeat": str(request.repeat),
                   "engine": plain(self._engine.engine)}  # fmt: skip
        return str(fill(self._speak.pattern, values))

    def describe(self, request: SpeakRequest) -> str:
        return f"the file {expand_environment(self._speak.folder)}/{self._pattern(request)}"

    def speak(self, request: SpeakRequest, cancelled: Cancelled = never_cancelled) -> Reply:
        folder = Path(expand_environment(self._speak.folder)).expanduser()
        if not folder.is_dir():
            raise SynthesisFailure("unreachable", tr("There is no folder {folder}.", folder=folder))
        wanted = self._pattern(request)
        found = sorted(p for p in folder.rglob("*") if p.is_file() and _fits(p.relative_to(folder), wanted))
        if not found:
            raise SynthesisFailure(
                "unreachable", tr("No file fits '{wanted}' in {name}.", wanted=wanted, name=folder.name)
            )
        if len(found) > 1:
            names = ", ".join(p.name for p in found[:3])
            raise SynthesisFailure(
                "wrong content",
                tr(
                    "{found} files fit '{wanted}' ({names}); one is wanted.",
                    found=len(found),
                    wanted=wanted,
                    names=names,
                ),
            )
        try:
            clip = read(found[0])
        except AudioError as error:
            raise SynthesisFailure("broken sound", error.what) from error
        return Reply(data=b"", clip=clip, timing=None, obtained=self._speak.obtained, file_name=found[0].name)


def _fits(path: Path, wanted: str) -> bool:
    """Whether a path fits the pattern: part by part, the last one with or without its extension."""
    parts: list[Any] = wanted.split("/")
    own = path.parts
    if len(own) != len(parts):
        return False
    pairs = list(zip(own, parts, strict=True))
    if not all(fnmatch.fnmatchcase(plain(a), _plain_pattern(b)) for a, b in pairs[:-1]):
        return False
    last, pattern = pairs[-1]
    pattern = _plain_pattern(pattern)
    return any(fnmatch.fnmatchcase(plain(name), pattern) for name in (last, Path(last).stem))


def _plain_pattern(pattern: str) -> str:
    return "*".join(plain(part) for part in pattern.split("*"))

"""Which program a connector file means on this machine: found once, by the file's own environment, and known by its
content, so that the one that was shown is the one that runs."""

from __future__ import annotations

import hashlib
import os
import stat
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Final

from zestpanel.core.catalogue.places import PLACE
from zestpanel.core.catalogue.reaching import CommandSpeak
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.secrets.environment import expand_environment, for_programs
from zestpanel.core.texts import tr

FOLDER: Final = "{output_folder}"
_READ_WHOLE: Final = 64_000_000  # bytes; of a larger file (a model) its ends, size and time tell it
_ENDS: Final = 4_000_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Resolved:
    """arguments: places as they stand, the program as a path where it was found. contents: (file, SHA-256) of the
    program and of each file that an argument names. directory: '' for this program's own."""

    arguments: tuple[str, ...]
    directory: str
    environment: dict[str, str]
    found: bool
    contents: tuple[tuple[str, str], ...]

    @property
    def in_projects(self) -> list[str]:
        """Those of its files and its directory that lie in a project's folder: who gives the project can change it."""
        places = [name for name, _ in self.contents] + ([self.directory] if self.directory else [])
        return [name for name in places if any(part.endswith(".zest") for part in Path(name).parts)]


def resolved(speak: CommandSpeak) -> Resolved:
    """Raises SynthesisFailure for a program that a setting would choose, or that cannot be told."""
    arguments = [expand_environment(part) for part in speak.arguments]
    directory = expand_environment(speak.directory)
    environment = {name: expand_environment(value) for name, value in speak.environment.items()}
    if odd := next((part for part in (*arguments, directory, *environment.values()) if "\0" in part), None):
        raise SynthesisFailure(
            "program", tr("'{odd}' holds a sign that no program can be given.", odd=odd.replace("\0", "[U+0000]"))
        )
    name = arguments[0]
    if PLACE.search(name):
        raise SynthesisFailure(
            "refused",
            tr("'{name}' leaves open which program is run. Write the program's own name first.", name=name),
        )
    if FOLDER in directory and "/" in name and not os.path.isabs(name):
        raise SynthesisFailure(
            "refused", tr("'{name}' lies in a folder that is made for each text. Write its whole path.", name=name)
        )
    base = "" if FOLDER in directory else directory
    path = _found(name, base, for_programs(environment).get("PATH", os.defpath))
    files = [path, *(_path(part, base) for part in arguments[1:] if not PLACE.search(part) and 0 < len(part) < 4096)]
    contents = [(file, known) for file in dict.fromkeys(files) if file and (known := _content(file))]
    return Resolved(
        arguments=(path or name, *arguments[1:]),
        directory=directory,
        environment=environment,
        found=bool(path),
        contents=tuple(contents),
    )


def _path(name: str, base: str) -> str:
    return os.path.normpath(os.path.join(base or os.getcwd(), name))


def _found(name: str, base: str, search: str) -> str:
    """The absolute path of a program, '' where there is none. Links stay: some programs go by the name they have."""
    tried = [_path(name, base)] if "/" in name else [_path(os.path.join(one, name), base) for one in search.split(":")]
    return next((path for path in tried if os.path.isfile(path) and os.access(path, os.X_OK)), "")


def _content(path: str) -> str:
    """'' for what is no regular file, or cannot be read by us."""
    try:
        found = os.stat(path)
        if not stat.S_ISREG(found.st_mode):
            return ""
        return _digest(path, found.st_ino, found.st_size, found.st_mtime_ns)
    except (OSError, ValueError):
        return ""


@lru_cache(maxsize=1024)
def _digest(path: str, _inode: int, size: int, changed_ns: int) -> str:
    with open(path, "rb", opener=lambda name, flags: os.open(name, flags | os.O_NONBLOCK)) as file:
        if size <= _READ_WHOLE:
            return hashlib.file_digest(file, "sha256").hexdigest()
        told = hashlib.sha256(f"{size} {changed_ns}".encode())
        told.update(file.read(_ENDS))
        file.seek(-_ENDS, os.SEEK_END)
        told.update(file.read(_ENDS))
        return told.hexdigest()

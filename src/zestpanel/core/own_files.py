"""Files the program writes and reads: whole or not at all, and never through a link to somewhere else.

A project folder may come from anybody. What lies in it under a name that is about to be written, or read, is not
followed to another place.
"""

from __future__ import annotations

import contextlib
import os
import stat
import uuid
from collections.abc import Iterator
from pathlib import Path

from zestpanel.core.texts import tr


@contextlib.contextmanager
def written_beside(path: Path) -> Iterator[Path]:
    """A fresh name in the same folder, to write to; moved to ``path`` at the end, gone when that fails.

    What is at ``path``, a link too, is replaced and not written into (rename(2)). Raises OSError.
    """
    part = path.with_name(f".{path.name[:100]}.{uuid.uuid4().hex}.part")
    try:
        yield part
        os.replace(part, path)
    finally:
        part.unlink(missing_ok=True)


def write_whole(path: Path, data: bytes, *, mode: int = 0o644) -> None:
    """Raises OSError. mode: less what the person's own mask takes off."""
    with (
        written_beside(path) as part,
        open(part, "xb", opener=lambda name, flags: os.open(name, flags | os.O_CLOEXEC, mode)) as file,
    ):
        file.write(data)


def open_own(path: Path, flags: int, mode: int = 0o644) -> int:
    """A handle to a regular file that lies nowhere else under another name, made where it is missing; to be closed by
    the caller. Raises OSError, for a link of either kind, a device or a pipe in its place too."""
    handle = os.open(path, flags | os.O_CREAT | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC, mode)
    found = os.fstat(handle)
    if not stat.S_ISREG(found.st_mode) or found.st_nlink > 1:
        os.close(handle)
        raise OSError(0, tr("it is no regular file of its own"))
    return handle


def append_to(path: Path, text: str) -> None:
    """Add text to a file of its own. Raises OSError."""
    with os.fdopen(open_own(path, os.O_WRONLY | os.O_APPEND), "a", encoding="utf-8") as file:
        file.write(text)


def read_regular(path: Path, most: int) -> bytes | None:
    """The bytes of a regular file, None when they are more than ``most``; links are followed, devices and pipes, which
    may never end, are not read. Raises OSError."""
    data = first_bytes(path, most + 1)
    return data if len(data) <= most else None


def first_bytes(path: Path, most: int) -> bytes:
    """What a regular file begins with. Raises OSError."""
    handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    with os.fdopen(handle, "rb") as file:
        if not stat.S_ISREG(os.fstat(handle).st_mode):
            raise OSError(tr("it is no regular file"))
        return file.read(most)


def is_own_file(path: Path) -> bool:
    """Whether a regular file lies there, and neither a link nor a device nor a pipe, which may never end."""
    try:
        return stat.S_ISREG(path.lstat().st_mode)
    except (OSError, ValueError):  # a name may be none that a file can have
        return False


def links_in(folder: Path) -> list[str]:
    """Names in a folder that lead elsewhere, or are files that lie elsewhere, too, under another name."""
    with os.scandir(folder) as entries:
        return sorted(entry.name for entry in entries if entry.is_symlink() or _is_shared(entry))


def _is_shared(entry: os.DirEntry[str]) -> bool:
    found = entry.stat(follow_symlinks=False)
    return stat.S_ISREG(found.st_mode) and found.st_nlink > 1

"""Text files in and out, with one sentence when it does not work."""

from __future__ import annotations

from pathlib import Path

from zestpanel.core.errors import InputError
from zestpanel.core.own_files import read_regular, write_whole
from zestpanel.core.texts import tr


def read_text(path: Path, *, most_mb: int, kept: str, error: type[InputError] = InputError) -> str:
    """A UTF-8 file's text. Raises ``error``: not there, too large, or in another encoding."""
    try:
        data = read_regular(path, most_mb * 1_000_000)
    except OSError as odd:
        raise error(
            tr("{name} cannot be read ({strerror}).", name=path.name, strerror=odd.strerror or odd), kept=kept
        ) from odd
    if data is None:
        raise error(tr("{name} is larger than {most_mb} MB.", name=path.name, most_mb=most_mb), kept=kept)
    try:
        return data.decode("utf-8-sig").replace("\r\n", "\n").replace("\r", "\n")
    except UnicodeDecodeError as odd:
        raise error(tr("{name} cannot be read: it is not in UTF-8.", name=path.name), kept=kept) from odd


def write_text(path: Path, text: str, *, kept: str) -> None:
    """Write a file as UTF-8. Raises InputError."""
    try:
        write_whole(path, text.encode("utf-8"))
    except OSError as error:
        raise InputError(
            tr("{name} cannot be written ({strerror}).", name=path.name, strerror=error.strerror),
            kept=kept,
            remedy=tr("Choose another folder."),
        ) from error

"""Text files in and out, with one sentence when it does not work."""

from __future__ import annotations

from pathlib import Path

from zestpanel.core.errors import InputError
from zestpanel.core.own_files import read_regular, write_whole


def read_text(path: Path, *, most_mb: int, kept: str) -> str:
    """A UTF-8 file's text. Raises InputError: not there, too large, or in another encoding."""
    try:
        data = read_regular(path, most_mb * 1_000_000)
        if data is None:
            raise InputError(f"{path.name} is larger than {most_mb} MB.", kept=kept)
        return data.decode("utf-8-sig").replace("\r\n", "\n").replace("\r", "\n")
    except OSError as error:
        raise InputError(f"{path.name} cannot be read ({error.strerror or error}).", kept=kept) from error
    except UnicodeDecodeError as error:
        raise InputError(f"{path.name} cannot be read: it is not in UTF-8.", kept=kept) from error


def write_text(path: Path, text: str, *, kept: str) -> None:
    """Write a file as UTF-8. Raises InputError."""
    try:
        write_whole(path, text.encode("utf-8"))
    except OSError as error:
        raise InputError(f"{path.name} cannot be written ({error.strerror}).", kept=kept,
                         remedy="Choose another folder.") from error  # fmt: skip

"""Packed documents opened with care: nothing is written to disk, nothing unpacks without end, no entity is expanded."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path
from typing import Any, Final

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import ParseError, fromstring

from zestpanel.core.errors import TextError
from zestpanel.core.texts import tr

LARGEST_UNPACKED: Final = 300_000_000
LARGEST_MEMBER: Final = 120_000_000
MOST_MEMBERS: Final = 20_000
_KEPT: Final = tr("Nothing was imported.")


def open_packed(data: bytes, name: str) -> zipfile.ZipFile:
    """The archive, looked through before anything is unpacked. Raises TextError."""
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
        members = archive.infolist()
    except (zipfile.BadZipFile, OSError, ValueError) as error:
        raise TextError(tr("{name} is damaged: it cannot be unpacked.", name=name), kept=_KEPT) from error
    if any(member.flag_bits & 1 for member in members):
        raise TextError(
            tr("{name} is locked with a password.", name=name), kept=_KEPT, remedy=tr("Save it without one first.")
        )
    if len(members) > MOST_MEMBERS or sum(member.file_size for member in members) > LARGEST_UNPACKED:
        raise TextError(
            tr(
                "{name} would unpack to more than {largest_unpacked} MB.",
                name=name,
                largest_unpacked=LARGEST_UNPACKED // 1_000_000,
            ),
            kept=_KEPT,
        )
    if any(Path(member.filename).is_absolute() or ".." in Path(member.filename).parts for member in members):
        raise TextError(tr("{name} holds files that point outside of it.", name=name), kept=_KEPT)
    return archive


def member(archive: zipfile.ZipFile, path: str, name: str) -> bytes:
    """One file of the archive, read with a cap: sizes in its list may lie. Raises TextError."""
    try:
        with archive.open(path) as file:
            data = file.read(LARGEST_MEMBER + 1)
    except (KeyError, zipfile.BadZipFile, OSError, RuntimeError, NotImplementedError, EOFError) as error:
        raise TextError(
            tr("{name} is damaged: '{path}' is missing in it or cannot be unpacked.", name=name, path=path), kept=_KEPT
        ) from error
    if len(data) > LARGEST_MEMBER:
        raise TextError(
            tr(
                "{name} would unpack to more than {largest_member} MB.",
                name=name,
                largest_member=LARGEST_MEMBER // 1_000_000,
            ),
            kept=_KEPT,
        )
    return data


def xml_of(data: bytes, name: str) -> Any:
    """The root element of XML; entities and outside references are refused. Raises TextError."""
    try:
        return fromstring(data, forbid_dtd=False)
    except DefusedXmlException as error:
        raise TextError(tr("{name} holds XML that expands itself and was not read.", name=name), kept=_KEPT) from error
    except (ParseError, ValueError, LookupError, RecursionError) as error:
        raise TextError(tr("{name} is damaged: its XML cannot be read.", name=name), kept=_KEPT) from error

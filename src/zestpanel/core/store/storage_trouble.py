"""What a database says when it cannot go on, in a sentence: locked, full, read-only, damaged."""

from __future__ import annotations

import sqlite3
from typing import Final

from zestpanel.core.errors import ProjectError
from zestpanel.core.texts import tr

_REMEDY_OF_DAMAGE: Final = tr("Run 'zestpanel check' on the project, or File, Check project: it names what is damaged.")


class StorageTrouble(ProjectError):
    """The project's database cannot be read or written now. kind: 'locked', 'full', 'read-only', 'damaged', 'io'."""

    def __init__(self, kind: str, what: str, *, kept: str, remedy: str) -> None:
        self.kind = kind
        super().__init__(what, kept=kept, remedy=remedy)


_OF_CODE: Final = {
    sqlite3.SQLITE_BUSY: "locked",
    sqlite3.SQLITE_LOCKED: "locked",
    sqlite3.SQLITE_FULL: "full",
    sqlite3.SQLITE_READONLY: "read-only",
    sqlite3.SQLITE_CANTOPEN: "io",
    sqlite3.SQLITE_IOERR: "io",
    sqlite3.SQLITE_PERM: "io",
    sqlite3.SQLITE_CORRUPT: "damaged",
    sqlite3.SQLITE_NOTADB: "damaged",
    sqlite3.SQLITE_FORMAT: "damaged",
    sqlite3.SQLITE_TOOBIG: "damaged",
    sqlite3.SQLITE_MISMATCH: "damaged",
}


def kind_of(error: BaseException | None) -> str:
    """Which trouble it is, '' for none of the storage's (a rule of the tables that was broken, a wrong statement)."""
    if isinstance(error, sqlite3.IntegrityError) or not isinstance(error, sqlite3.Error):
        return ""
    code = getattr(error, "sqlite_errorcode", None)
    if code is not None:
        return _OF_CODE.get(code & 0xFF, "damaged" if code & 0xFF == sqlite3.SQLITE_ERROR and _no_table(error) else "")
    return "damaged" if "decode to UTF-8" in str(error) else ""  # raised by Python itself, without a code


def _no_table(error: sqlite3.Error) -> bool:
    return "no such table" in str(error) or "no such column" in str(error) or "malformed" in str(error)


def trouble(kind: str, name: str) -> StorageTrouble:
    """name: the project's, as the sentence calls it."""
    what, kept, remedy = {
        "locked": (
            tr("{name} is locked by another program.", name=name),
            tr("Nothing was changed."),
            tr("Close what holds it (a copy, a backup, a database browser), then try again."),
        ),
        "full": (
            tr("{name} cannot be written to: the disk is full, or your quota is used up.", name=name),
            tr("What was kept before is whole; this change is not kept."),
            tr("Make room, then try again."),
        ),
        "read-only": (
            tr("{name} can be read here, not written to.", name=name),
            tr("Nothing was changed."),
            tr("Copy the folder to a place of your own to work on it."),
        ),
        "damaged": (tr("A part of {name} is damaged.", name=name), tr("Nothing was changed."), _REMEDY_OF_DAMAGE),
        "io": (
            tr("The files of {name} cannot be read or written.", name=name),
            tr("Nothing was changed."),
            tr("See whether the disk is there, full, or failing."),
        ),
    }[kind]
    return StorageTrouble(kind, what, kept=kept, remedy=remedy)

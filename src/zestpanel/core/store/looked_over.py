"""A project that was not last written by this program on this machine is looked over, row by row, when it is opened:
rows that make no sense are set aside, with the database they came in, so that nothing meets them."""

from __future__ import annotations

import contextlib
import json
from pathlib import Path
from typing import Any, Final

import platformdirs

from zestpanel.core.errors import ProjectError
from zestpanel.core.own_files import read_regular, write_whole
from zestpanel.core.store.checking import Repaired, is_odd, repair
from zestpanel.core.store.database import FILE
from zestpanel.core.texts import tr

_MOST_KNOWN: Final = 300
_MOST_BYTES: Final = 1_000_000


def set_aside(folder: Path, *, read_only: bool) -> Repaired | None:
    """What was mended and left out, None where nothing had to be. Nobody else may have the database open meanwhile.

    Raises ProjectError where something makes no sense and nothing can be written.
    """
    now = _state(folder)
    if (now and now == _known().get(_name(folder))) or not is_odd(folder):
        return None
    if read_only:
        raise ProjectError(
            tr("Parts of {name} make no sense, and nothing can be written where it lies.", name=folder.name),
            kept=tr("Nothing was changed."),
            remedy=tr("Copy the folder to a place of your own, then open it there; 'zestpanel check' names them."),
        )
    return repair(folder)


def is_ours(folder: Path) -> None:
    """Note that this program was the last to write to the project. Where that cannot be kept, it is looked over the
    next time."""
    known = _known()
    known.pop(_name(folder), None)
    if state := _state(folder):
        known = {**dict(list(known.items())[-_MOST_KNOWN + 1 :]), _name(folder): state}
    with contextlib.suppress(OSError):
        _file().parent.mkdir(parents=True, exist_ok=True)
        write_whole(_file(), json.dumps(known).encode("utf-8", errors="replace"), mode=0o600)


def _file() -> Path:
    return platformdirs.user_cache_path("zestpanel", appauthor=False) / "looked over.json"


def _known() -> dict[str, Any]:
    try:
        found = json.loads(read_regular(_file(), _MOST_BYTES) or b"{}")
        return found if isinstance(found, dict) else {}
    except (OSError, ValueError, RecursionError):
        return {}


def _name(folder: Path) -> str:
    return str(folder.absolute()).encode("utf-8", errors="backslashreplace").decode()


def _state(folder: Path) -> list[int]:
    """Which file it is and when it was written; [] while its log holds what is not in it yet."""
    try:
        log = folder / f"{FILE}-wal"
        found = (folder / FILE).stat()
        if log.exists() and log.stat().st_size:
            return []
        return [found.st_ino, found.st_size, found.st_mtime_ns]
    except OSError:
        return []

"""Where it is kept what the person at this machine has agreed to: with the person's settings, outside every project."""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import threading
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path
from typing import Any, Final

import platformdirs

from zestpanel.core.errors import InputError
from zestpanel.core.own_files import open_own, read_regular, write_whole
from zestpanel.core.texts import tr

_MOST: Final = 50_000_000
_one_of_us = threading.Lock()  # a lock on a file holds between programs, not between threads


def agreements_file() -> Path:
    return platformdirs.user_config_path("zestpanel", appauthor=False) / "agreed.json"


def read(part: str = "agreed") -> dict[str, Any]:
    """What is kept; nothing where there is no file or none that can be read: then everything is asked for again."""
    kept = _whole().get(part)
    return kept if isinstance(kept, dict) else {}


def _whole() -> dict[str, Any]:
    try:
        data = read_regular(agreements_file(), _MOST)
        found = json.loads(data or b"")
        return found if isinstance(found, dict) else {}
    except (OSError, ValueError, RecursionError):
        return {}


@contextlib.contextmanager
def _alone(folder: Path) -> Iterator[None]:
    """No other program, and no other thread of this one, reads in order to write meanwhile."""
    with _one_of_us:
        handle = open_own(folder / "agreed.lock", os.O_RDWR, 0o600)
        try:
            fcntl.flock(handle, fcntl.LOCK_EX)
            yield
        finally:
            os.close(handle)


def change(entries: Mapping[str, Mapping[str, str]], gone: Iterable[str] = (), *, part: str = "agreed") -> None:
    """Add entries and take others out. Raises InputError where nothing can be written; then nothing is changed."""
    path, left_out = agreements_file(), set(gone)
    try:
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        with _alone(path.parent):
            whole = _whole()
            before = whole.get(part)
            kept = {**(before if isinstance(before, dict) else {}), **entries}
            whole[part] = {name: entry for name, entry in kept.items() if name not in left_out}
            write_whole(path, json.dumps(whole, ensure_ascii=False, indent=1).encode("utf-8", "replace"), mode=0o600)
    except OSError as error:
        raise InputError(
            tr("{path} cannot be written ({strerror}).", path=path, strerror=error.strerror or error),
            kept=tr("What was agreed to before stays as it was."),
            remedy=tr("Make room there, or set XDG_CONFIG_HOME to a folder of your own."),
        ) from error

"""Who sits at a listening session: one window at a time, of whichever program. The lock is the system's own: it is gone
with the program, however that ends."""

from __future__ import annotations

import fcntl
import os
import threading
from pathlib import Path
from typing import Final

from zestpanel.core.errors import InputError
from zestpanel.core.own_files import open_own
from zestpanel.core.texts import tr

_FILE: Final = "listening.lock"
_files: dict[Path, int] = {}  # one handle a folder: closing any of them would end all locks of this program
_taken: set[tuple[Path, int]] = set()
_mutex: Final = threading.Lock()


def sit_down(folder: Path, session_id: int) -> None:
    """Raises InputError where another window has the session. A folder in which nothing can be written has no locks."""
    folder = folder.resolve()
    with _mutex:
        if (folder, session_id) not in _taken and _locks(folder, session_id):
            _taken.add((folder, session_id))
            return
    raise InputError(
        tr("This listener is at this test in another window."),
        kept=tr("All that was answered is kept."),
        remedy=tr("Go on there, or stop there first."),
    )


def get_up(folder: Path, session_id: int) -> None:
    folder = folder.resolve()
    with _mutex:
        if (folder, session_id) in _taken:
            _taken.discard((folder, session_id))
            if folder in _files:
                fcntl.lockf(_files[folder], fcntl.LOCK_UN, 1, session_id)


def _locks(folder: Path, session_id: int) -> bool:
    """A byte of the file for each session (fcntl(2), advisory record locking)."""
    if folder not in _files:
        try:
            _files[folder] = open_own(folder / _FILE, os.O_RDWR)
        except OSError:
            return True
    try:
        fcntl.lockf(_files[folder], fcntl.LOCK_EX | fcntl.LOCK_NB, 1, session_id)
    except (BlockingIOError, PermissionError):  # either, as the system likes (fcntl(2), F_SETLK)
        return False
    except OSError:
        return True
    return True

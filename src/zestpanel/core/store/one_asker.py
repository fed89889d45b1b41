"""One program at a time asks engines for a project, so that nothing is paid for twice and caps hold. Others may look,
listen and rate meanwhile. The lock is the system's own: it is gone with the program, however that ends."""

from __future__ import annotations

import fcntl
import os
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Final

from zestpanel.core.errors import ProjectError
from zestpanel.core.own_files import open_own
from zestpanel.core.texts import tr

_FILE: Final = "asking.lock"
_held: dict[Path, tuple[int, int]] = {}  # folder -> file, how many times held by this program
_mutex: Final = threading.Lock()


class AskedElsewhere(ProjectError):
    """Another program is asking engines for the same project."""


@contextmanager
def asking(folder: Path) -> Iterator[None]:
    """While this lasts no other program asks for the project; parts of this one may. Raises AskedElsewhere."""
    begin_asking(folder)
    try:
        yield
    finally:
        end_asking(folder)


def begin_asking(folder: Path) -> None:
    """Raises AskedElsewhere, ProjectError where no lock can be kept."""
    folder = folder.resolve()
    with _mutex:
        file, times = _held.get(folder, (-1, 0))
        if not times:
            file = _locked(folder)
        _held[folder] = file, times + 1


def end_asking(folder: Path) -> None:
    folder = folder.resolve()
    with _mutex:
        file, times = _held.pop(folder)
        if times > 1:
            _held[folder] = file, times - 1
            return
        os.ftruncate(file, 0)
        os.close(file)


def asked_elsewhere(folder: Path) -> str:
    """Who else is asking, in words; '' for nobody."""
    folder = folder.resolve()
    with _mutex:
        if folder in _held:
            return ""
    try:
        file = os.open(folder / _FILE, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
    except OSError:
        return ""
    try:
        fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
        return ""
    except BlockingIOError:
        return _who(file)
    except OSError:
        return ""
    finally:
        os.close(file)


def _locked(folder: Path) -> int:
    try:
        file = open_own(folder / _FILE, os.O_RDWR)
    except OSError as error:
        raise ProjectError(
            tr(
                "Engines cannot be asked for {name}: nothing can be written there ({strerror}).",
                name=folder.name,
                strerror=error.strerror,
            ),
            kept=tr("Nothing was sent."),
        ) from error
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        os.ftruncate(file, 0)
        os.pwrite(
            file,
            tr(
                "process {getpid}, since {astimezone}",
                getpid=os.getpid(),
                astimezone=f"{datetime.now().astimezone():%H:%M}",
            ).encode(),
            0,
        )
    except BlockingIOError:
        who = _who(file)
        os.close(file)
        raise AskedElsewhere(
            tr("Another program is asking engines for {name} ({who}).", name=folder.name, who=who),
            kept=tr("Nothing was sent: two at once would pay twice."),
            remedy=tr("Wait until it is done, or stop it there."),
        ) from None
    except OSError as error:
        os.close(file)
        raise ProjectError(
            tr(
                "Engines cannot be asked for {name}: its folder cannot be locked ({strerror}), and two "
                "programs at once would pay twice.",
                name=folder.name,
                strerror=error.strerror,
            ),
            kept=tr("Nothing was sent."),
            remedy=tr("Keep the project on a disk of this machine."),
        ) from error
    return file


def _who(file: int) -> str:
    text = os.pread(file, 80, 0).decode("utf-8", "replace")
    return text if text.isprintable() and text else tr("just now")

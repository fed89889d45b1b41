"""Projects as wholes: a copy to begin another channel from, one file to keep or send, and back from it.

A copy is of what is committed, by SQLite's own means, so it may be made while a window or a run works on the project.
"""

from __future__ import annotations

import os
import shutil
import sqlite3
import stat
import uuid
import zipfile
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path, PurePosixPath
from typing import IO, Final

from zestpanel.core.errors import ProjectError
from zestpanel.core.own_files import written_beside
from zestpanel.core.store.database import FILE
from zestpanel.core.store.opening import copy_database
from zestpanel.core.store.project import SUFFIX
from zestpanel.core.texts import tr
from zestpanel.core.waiting import give_way

_FOLDERS: Final = ("clips", "exports", "runs")
_MOST_FILES: Final = 500_000
_SPARE: Final = 100_000_000  # bytes that are left free
# what a copy without takes leaves behind, those that point to others first
_OF_TAKES: Final = (
    "answers", "stimuli", "trials", "sessions", "tests", "measures", "marks", "verdicts", "takes", "requests", "runs",
    "auditions",
)  # fmt: skip
_DOCUMENTS_OF_TAKES: Final = ("decisions", "heard", "schedule", "voices being made")


def duplicate(folder: Path, to: Path, *, with_takes: bool = True) -> None:
    """A project of its own at ``to``. with_takes: without them brief, engines, shortlist, texts, roles and weights are
    taken along; takes, runs, answers and decisions are not. Raises ProjectError."""
    with _made_whole(to) as part, _said(to):
        copy_database(folder / FILE, part / FILE)
        if not with_takes:
            _without_takes(part / FILE)
        for name in _FOLDERS if with_takes else ("clips",):
            _copy_folder(folder / name, part / name, only=None if with_takes else _clips_of(part / FILE))


def _without_takes(database: Path) -> None:
    with closing(sqlite3.connect(database)) as connection:
        connection.execute("pragma foreign_keys = off")
        with connection:
            for table in _OF_TAKES:
                connection.execute(f"delete from {table}")  # noqa: S608 names of our own
            marks = ",".join("?" * len(_DOCUMENTS_OF_TAKES))
            connection.execute(f"delete from documents where name in ({marks})", _DOCUMENTS_OF_TAKES)  # noqa: S608
        if connection.execute("pragma foreign_key_check").fetchone() is not None:
            raise ProjectError(tr("The takes could not be left out."), kept=tr("Nothing was made."))
        connection.execute("vacuum")


def _clips_of(database: Path) -> frozenset[str]:
    """Clips that a copy without takes still needs: recordings and spoken impressions."""
    with closing(sqlite3.connect(database)) as connection:
        rows = connection.execute("select clip from recordings union select spoken from impressions").fetchall()
    return frozenset(row[0] for row in rows if row[0])


def archive(folder: Path, to: Path) -> None:
    """All of a project in one file. Raises ProjectError."""
    with _said(to), written_beside(to) as part:
        scratch = to.with_name(f".{uuid.uuid4().hex}.sqlite")
        try:
            copy_database(folder / FILE, scratch)
            with zipfile.ZipFile(part, "x", allowZip64=True) as packed:
                packed.write(scratch, f"{folder.name}/{FILE}", zipfile.ZIP_DEFLATED)
                for name in _FOLDERS:
                    for path in _files_in(folder / name):
                        give_way()
                        packed.write(path, f"{folder.name}/{name}/{path.name}", zipfile.ZIP_STORED)  # sound is packed
        finally:
            scratch.unlink(missing_ok=True)


def unpack(file: Path, into: Path) -> Path:
    """The project of an archive, in a folder of its own below ``into``; whatever else the file holds is refused. Raises
    ProjectError."""
    try:
        with zipfile.ZipFile(file) as packed:
            entries = packed.infolist()
            names = _expected(entries, file.name)
            to = into / (next(iter(names.values())).split("/")[0] if names else "")
            with _said(to):
                into.mkdir(parents=True, exist_ok=True)
                room = shutil.disk_usage(into).free - _SPARE
            if sum(entry.file_size for entry in entries) > room:
                raise ProjectError(tr("There is no room for {name} in {folder}.", name=file.name, folder=into),
                                   kept=tr("Nothing was made."))  # fmt: skip
            with _made_whole(to) as part, _said(to):
                for entry, name in names.items():
                    give_way()
                    target = part / name.split("/", 1)[1]
                    target.parent.mkdir(exist_ok=True)
                    with packed.open(entry) as source, target.open("xb") as out:
                        _copied(source, out, entry.file_size, file.name)
            return to
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, OSError) as error:
        raise ProjectError(tr("{name} is no archive of a project ({error}).", name=file.name, error=error),
                           kept=tr("Nothing was made.")) from error  # fmt: skip


def _expected(entries: list[zipfile.ZipInfo], name: str) -> dict[zipfile.ZipInfo, str]:
    """Its files by their places: one project, the database and plain files of its folders, and nothing that leads
    elsewhere."""
    out: dict[zipfile.ZipInfo, str] = {}
    roots = set()
    for entry in entries:
        place = PurePosixPath(entry.filename)
        if entry.is_dir():
            continue
        parts = place.parts
        plain = not place.is_absolute() and ".." not in parts and "\\" not in entry.filename
        kind = stat.S_IFMT(entry.external_attr >> 16)
        fits = (len(parts) == 2 and parts[1] == FILE) or (len(parts) == 3 and parts[1] in _FOLDERS)
        if not plain or kind not in (0, stat.S_IFREG) or not fits or len(out) >= _MOST_FILES:
            raise ProjectError(tr("{name} is no archive of a project: it holds {entry}.", name=name,
                                  entry=entry.filename[:80]), kept=tr("Nothing was made."))  # fmt: skip
        roots.add(parts[0])
        out[entry] = "/".join(parts)
    whole = any(place.endswith(f"/{FILE}") for place in out.values())
    if len(roots) != 1 or not next(iter(roots)).endswith(SUFFIX) or not whole:
        raise ProjectError(tr("{name} is no archive of a project.", name=name), kept=tr("Nothing was made."))
    return out


def _copied(source: IO[bytes], out: IO[bytes], size: int, name: str) -> None:
    """No more than was announced: a small file may unpack to a very large one."""
    left = size
    while block := source.read(min(1_000_000, left + 1)):
        left -= len(block)
        if left < 0:
            raise ProjectError(tr("{name} is no archive of a project: it holds more than it says.", name=name),
                               kept=tr("Nothing was made."))  # fmt: skip
        out.write(block)


@contextmanager
def _made_whole(to: Path) -> Iterator[Path]:
    """A folder beside, moved into place at the end, and gone when that fails. Raises ProjectError where something is
    there already."""
    if to.exists() or to.is_symlink():
        raise ProjectError(tr("There is something at {folder} already.", folder=to), kept=tr("Nothing was made."),
                           remedy=tr("Choose another name."))  # fmt: skip
    part = to.with_name(f".{to.name[:80]}.{uuid.uuid4().hex}.part")
    try:
        part.mkdir(parents=True)
        for name in ("clips", "exports"):
            (part / name).mkdir()
        yield part
        os.rename(part, to)
    finally:
        shutil.rmtree(part, ignore_errors=True)


@contextmanager
def _said(to: Path) -> Iterator[None]:
    try:
        yield
    except (OSError, sqlite3.Error) as error:
        raise ProjectError(tr("{name} cannot be made ({error}).", name=to.name, error=error),
                           kept=tr("The project is as it was."),
                           remedy=tr("Choose another folder, or make room.")) from error  # fmt: skip


def _files_in(folder: Path) -> list[Path]:
    """Plain files; a link is none of the project's."""
    if not folder.is_dir() or folder.is_symlink():
        return []
    return sorted(path for path in folder.iterdir() if path.is_file() and not path.is_symlink()
                  and not path.name.startswith("."))  # fmt: skip


def _copy_folder(source: Path, to: Path, *, only: frozenset[str] | None) -> None:
    to.mkdir(exist_ok=True)
    for path in _files_in(source):
        if only is None or path.name in only:
            give_way()
            shutil.copyfile(path, to / path.name)

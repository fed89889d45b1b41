"""Opening and making a project's database. Whatever moment a program is killed at, the next start goes on: making and
migrating are one transaction each, and an older database is copied before it is migrated."""

from __future__ import annotations

import os
import sqlite3
import uuid
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path
from typing import Final

from zestpanel.core.errors import ProjectError
from zestpanel.core.own_files import links_in
from zestpanel.core.store.database import FILE, Database, connecting
from zestpanel.core.store.storage_trouble import kind_of, trouble
from zestpanel.core.texts import tr

# in order; the last is what this program writes
REVISIONS: Final = tuple(f"{number:04d}" for number in range(1, 19))
# what says in a database's head whose it is: "ZEST"
APPLICATION_ID: Final = 0x5A455354
# tables of the first revision, by which a database from before it had that mark is known
_FIRST_TABLES: Final = {"documents", "connectors", "candidates", "passages", "takes", "requests", "listeners"}
_FOLDERS: Final = ("clips", "exports")
_ROOM: Final = 100_000  # bytes that must be free for the database to be worked on


def open_database(folder: Path) -> Database:
    """Open an existing project, migrating an older one after a backup; read-only where nothing can be written.

    Raises ProjectError.
    """
    path = folder / FILE
    refuse_links(folder)
    if not path.is_file() and not (any(folder.iterdir()) and is_unfinished(folder)):
        raise ProjectError(
            tr("{name} is no Zest Panel project: it holds no {file}.", name=folder.name, file=FILE),
            remedy=tr("Choose a folder ending in .zest."),
        )
    read_only = _unwritable(folder)
    revision = _revision(path, folder, read_only=read_only)
    if revision == REVISIONS[-1]:
        return Database(path, read_only=read_only)
    if read_only:
        raise ProjectError(
            tr("{name} is of an older Zest Panel and lies where nothing can be written.", name=folder.name),
            kept=tr("Nothing was changed."),
            remedy=tr("Copy the folder to a place of your own, then open it there."),
        )
    if revision is None:
        return create_database(folder)
    _migrated(path, folder)
    return Database(path)


def refuse_links(folder: Path) -> None:
    """Raises ProjectError for a project whose parts lead elsewhere."""
    if led := links_in(folder):
        raise ProjectError(
            tr(
                "{name} cannot be opened: its '{led}' is a link to another place, or lies there, too; a project holds "
                "its own files.",
                name=folder.name,
                led=led[0],
            ),
            kept=tr("Nothing was changed."),
            remedy=tr("Put the files themselves in its place."),
        )


def create_database(folder: Path) -> Database:
    """Make the folder and its empty database; a making that was cut short is gone on with.

    Raises ProjectError where something else is there already.
    """
    if folder.exists() and not folder.is_dir():
        raise ProjectError(
            tr("{folder} is already there and no folder.", folder=folder),
            kept=tr("Nothing was changed."),
            remedy=tr("Choose another name."),
        )
    if folder.exists() and not is_unfinished(folder):
        raise ProjectError(
            tr("{folder} is already there and not empty.", folder=folder),
            kept=tr("Nothing was changed."),
            remedy=tr("Choose another name."),
        )
    try:
        for name in _FOLDERS:
            (folder / name).mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise ProjectError(
            tr("{folder} cannot be made ({strerror}).", folder=folder, strerror=error.strerror)
        ) from error
    _upgrade(folder / FILE, folder)
    return Database(folder / FILE)


def is_unfinished(folder: Path) -> bool:
    """Whether it is empty, or holds no more than a making that was cut short leaves."""
    for entry in folder.iterdir():
        if entry.name in _FOLDERS:
            if not entry.is_dir() or any(entry.iterdir()):
                return False
        elif entry.name == FILE:
            try:
                if _revision(entry, folder) is not None:
                    return False
            except ProjectError:
                return False
        elif entry.name not in (f"{FILE}-journal", f"{FILE}-wal", f"{FILE}-shm"):
            return False
    return True


def backups_in(folder: Path) -> list[Path]:
    """Copies of the database from before it was migrated, newest first."""
    return sorted(folder.glob("project.before-*.sqlite"), key=lambda p: p.stat().st_mtime, reverse=True)


def backup_offered(folder: Path) -> str:
    """What is said of a backup where the project itself cannot be opened."""
    found = backups_in(folder)
    if not found:
        return tr("Take a copy of the folder from a backup.")
    day = datetime.fromtimestamp(found[0].stat().st_mtime, UTC).date().isoformat()
    return tr(
        "A copy of its database of {day} lies beside it: 'zestpanel check {name} --from-backup' "
        "opens with {name2} and keeps the damaged file.",
        day=day,
        name=folder.name,
        name2=found[0].name,
    )


# -- inside


def _revision(path: Path, folder: Path, *, read_only: str = "") -> str | None:
    """The schema revision of a project's database, None for an empty one or none at all.

    Raises ProjectError for what is damaged, somebody else's, or a newer program's; nothing is written.
    """
    if not path.exists() or path.stat().st_size == 0:
        return None
    try:
        revision, application, tables = _looked_at(path, read_only=read_only)
    except (sqlite3.Error, UnicodeDecodeError) as error:
        if (kind := kind_of(error)) in ("locked", "io", "full"):
            raise trouble(kind, folder.name) from error
        raise ProjectError(
            tr("{name} cannot be opened: its {file} is damaged or no database.", name=folder.name, file=FILE),
            kept=tr("Nothing was changed."),
            remedy=backup_offered(folder),
        ) from error
    if not tables and application in (0, APPLICATION_ID):
        return None
    if application not in (0, APPLICATION_ID) or not tables >= _FIRST_TABLES or revision is None:
        raise ProjectError(
            tr(
                "{name} cannot be opened: its {file} belongs to another program, or parts of it are missing.",
                name=folder.name,
                file=FILE,
            ),
            kept=tr("Nothing was changed."),
            remedy=backup_offered(folder),
        )
    if revision not in REVISIONS:
        raise ProjectError(
            tr("{name} was written by a newer Zest Panel.", name=folder.name),
            kept=tr("Nothing was changed."),
            remedy=tr("Open it with the newer program."),
        )
    return revision


def _unwritable(folder: Path) -> str:
    """Why nothing can be written to a project, as Database takes it."""
    path = folder / FILE
    if not os.access(folder, os.W_OK) or (path.exists() and not os.access(path, os.W_OK)):
        return "read-only"
    part = folder / f".{uuid.uuid4().hex}.part"
    try:
        part.write_bytes(bytes(_ROOM))
    except OSError:
        return "full"
    finally:
        part.unlink(missing_ok=True)
    return ""


def _looked_at(path: Path, *, read_only: str) -> tuple[str | None, int, set[str]]:
    """Its revision, application id and the names of its tables."""
    copy = Database(path, read_only=read_only) if read_only else None
    try:
        with closing(connecting(copy.source if copy else path)()) as connection:
            connection.execute("PRAGMA query_only=ON")
            application = int(connection.execute("PRAGMA application_id").fetchone()[0])
            tables = {str(row[0]) for row in connection.execute("SELECT name FROM sqlite_master WHERE type='table'")}
            row = connection.execute("SELECT version_num FROM alembic_version").fetchone() if (
                "alembic_version" in tables) else None  # fmt: skip
    finally:
        if copy is not None:
            copy.close()
    return (str(row[0]) if row else None), application, tables


def _migrated(path: Path, folder: Path) -> None:
    try:
        _keep_backup(path, folder)
    except OSError as error:
        raise ProjectError(
            tr(
                "{name} is of an older Zest Panel, and no copy of its database could be kept ({strerror}).",
                name=folder.name,
                strerror=error.strerror,
            ),
            kept=tr("Nothing was changed."),
            remedy=tr("Make room, then open it again."),
        ) from error
    except sqlite3.Error as error:
        raise trouble(kind_of(error) or "damaged", folder.name) from error
    _upgrade(path, folder)


def _keep_backup(path: Path, folder: Path) -> None:
    """A copy by SQLite's own means, so that what its log still holds is in it. One of the same content is there once;
    none is ever overwritten. Raises OSError and sqlite3.Error."""
    stem = f"project.before-{REVISIONS[-1]}"
    part = folder / f".{stem}.{uuid.uuid4().hex}.part"
    try:
        copy_database(path, part)
        data = part.read_bytes()
        if not any(p.read_bytes() == data for p in folder.glob(f"{stem}*.sqlite")):
            part.rename(free_name(folder, stem))
    finally:
        part.unlink(missing_ok=True)


def copy_database(path: Path, to: Path) -> None:
    """All that is committed, as one file; on disk when this returns. Raises OSError and sqlite3.Error."""
    with closing(connecting(path)()) as source, closing(connecting(to)()) as copy:
        source.backup(copy)
        copy.execute("PRAGMA journal_mode=DELETE")
    with open(to, "rb") as file:
        os.fsync(file.fileno())


def free_name(folder: Path, stem: str) -> Path:
    """STEM.sqlite, or STEM-2.sqlite and so on where that is there already."""
    number = 1
    while (to := folder / (f"{stem}.sqlite" if number == 1 else f"{stem}-{number}.sqlite")).exists():
        number += 1
    return to


def _upgrade(path: Path, folder: Path) -> None:
    """Bring a database to this program's revision, in one transaction. Raises ProjectError."""
    # imported here: an up-to-date project is opened without it
    from alembic import command
    from alembic.config import Config
    from sqlalchemy.exc import DBAPIError

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations").replace("%", "%%"))
    config.attributes["connect"] = connecting(path)
    try:
        command.upgrade(config, "head")
    except DBAPIError as error:
        if (kind := kind_of(error.orig)) and kind != "damaged":
            raise trouble(kind, folder.name) from error
        raise ProjectError(
            tr(
                "{name} cannot be brought to this Zest Panel: parts of its database are not as its version says.",
                name=folder.name,
            ),
            kept=tr("Nothing was changed."),
            remedy=backup_offered(folder),
        ) from error

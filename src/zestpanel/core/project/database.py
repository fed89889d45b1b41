"""project.sqlite: creating, opening, migrating with a backup first; one lock for all writers."""

from __future__ import annotations

import os
import shutil
import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Final

import sqlalchemy
from sqlalchemy import Connection, create_engine, event

from zestpanel.core.errors import ProjectError
from zestpanel.core.own_files import links_in, written_beside

FILE: Final = "project.sqlite"
REVISIONS: Final = (
    "0001",
    "0002",
    "0003",
    "0004",
    "0005",
    "0006",
    "0007",
)  # in order; the last is what this program writes


def now() -> str:
    """UTC, ISO 8601, to the millisecond: how every date is kept."""
    return datetime.now(UTC).isoformat(timespec="milliseconds")


class Database:
    """One project's database. ``reading`` and ``writing`` give connections; both may be used from any thread.

    One connection writes, under a lock; readers have their own, so that a long read never keeps anybody waiting (WAL
    lets both go on). A read inside a transaction of the same thread uses that transaction's connection.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self._lock = threading.RLock()
        self._mine = threading.local()
        self._engine = create_engine(
            f"sqlite:///{path}", poolclass=sqlalchemy.StaticPool, connect_args={"check_same_thread": False}
        )
        self._readers = create_engine(
            f"sqlite:///{path}", poolclass=sqlalchemy.QueuePool, pool_size=4, max_overflow=12,
            connect_args={"check_same_thread": False},
        )  # fmt: skip
        event.listen(self._engine, "connect", _set_up_connection)
        event.listen(self._readers, "connect", _set_up_reader)

    @contextmanager
    def writing(self) -> Iterator[Connection]:
        """A transaction: all of it is kept, or nothing."""
        with self._lock, self._engine.begin() as connection:
            outer = getattr(self._mine, "connection", None)
            self._mine.connection = connection
            try:
                yield connection
            finally:
                self._mine.connection = outer

    @contextmanager
    def reading(self) -> Iterator[Connection]:
        """All that is committed, as it is now."""
        mine: Connection | None = getattr(self._mine, "connection", None)
        if mine is not None:
            yield mine
            return
        with self._readers.connect() as connection:
            yield connection

    def close(self) -> None:
        with self._lock:
            self._readers.dispose()
            self._engine.dispose()


def _set_up_connection(connection: Any, _: Any) -> None:
    connection.execute("PRAGMA journal_mode=WAL")
    connection.execute("PRAGMA synchronous=FULL")  # a closed journal row must survive a power cut
    connection.execute("PRAGMA foreign_keys=ON")
    connection.execute("PRAGMA busy_timeout=5000")


def _set_up_reader(connection: Any, _: Any) -> None:
    connection.execute("PRAGMA query_only=ON")
    connection.execute("PRAGMA busy_timeout=5000")


def revision_of(path: Path) -> str | None:
    """The schema revision a database file has, None for an empty one. Raises ProjectError for other files."""
    try:
        with sqlite3.connect(f"file:{path}?mode=ro", uri=True) as connection:
            has = connection.execute("SELECT name FROM sqlite_master WHERE name='alembic_version'").fetchone()
            row = connection.execute("SELECT version_num FROM alembic_version").fetchone() if has else None
        connection.close()
    except sqlite3.DatabaseError as error:
        raise ProjectError(
            f"{path.parent.name} cannot be opened: its {FILE} is damaged or no database.",
            kept="Nothing was changed.",
            remedy="Take a copy of the folder from a backup.",
        ) from error
    return str(row[0]) if row else None


def open_database(folder: Path) -> Database:
    """Open an existing project, migrating an older one after a backup. Raises ProjectError."""
    path = folder / FILE
    if led := links_in(folder):
        raise ProjectError(
            f"{folder.name} cannot be opened: its '{led[0]}' is a link to another place, and a project holds its own "
            "files.",
            kept="Nothing was changed.",
            remedy="Put the files themselves in its place.",
        )
    if not path.is_file():
        raise ProjectError(
            f"{folder.name} is no Zest Panel project: it holds no {FILE}.",
            remedy="Choose a folder ending in .zest.",
        )
    revision = revision_of(path)
    if revision is not None and revision not in REVISIONS:
        raise ProjectError(
            f"{folder.name} was written by a newer Zest Panel.",
            kept="Nothing was changed.",
            remedy="Open it with the newer program.",
        )
    if revision != REVISIONS[-1]:
        if revision is not None:
            with written_beside(folder / f"project.before-{REVISIONS[-1]}.sqlite") as part:
                shutil.copy2(path, part)
        _upgrade(path)
    return Database(path)


def create_database(folder: Path) -> Database:
    """Make the folder and its empty database. Raises ProjectError where something is there already."""
    if folder.exists() and any(folder.iterdir()):
        raise ProjectError(
            f"{folder} is already there and not empty.",
            kept="Nothing was changed.",
            remedy="Choose another name.",
        )
    try:
        (folder / "clips").mkdir(parents=True, exist_ok=True)
        (folder / "exports").mkdir(exist_ok=True)
    except OSError as error:
        raise ProjectError(f"{folder} cannot be made ({error.strerror}).") from error
    _upgrade(folder / FILE, fresh=True)
    with open(folder / FILE, "rb") as file:
        os.fsync(file.fileno())
    return Database(folder / FILE)


def _upgrade(path: Path, *, fresh: bool = False) -> None:
    # imported here: an up-to-date project is opened without it
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations").replace("%", "%%"))
    config.set_main_option("sqlalchemy.url", f"sqlite:///{path}".replace("%", "%%"))
    config.attributes["fresh"] = fresh
    command.upgrade(config, "head")

"""project.sqlite while it is open: one lock for all writers, connections of their own for readers."""

from __future__ import annotations

import shutil
import sqlite3
import tempfile
import threading
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Final

import sqlalchemy
from sqlalchemy import Connection, create_engine, event
from sqlalchemy.exc import DBAPIError

from zestpanel.core.store.storage_trouble import kind_of, trouble
from zestpanel.core.waiting import going_on, stand_aside

FILE: Final = "project.sqlite"
_WAIT_S: Final = 5.0  # for another program's transaction


def now() -> str:
    """UTC, ISO 8601, to the millisecond: how every date is kept."""
    return datetime.now(UTC).isoformat(timespec="milliseconds")


class Database:
    """One project's database. ``reading`` and ``writing`` give connections; both may be used from any thread.

    One connection writes, under a lock; readers have their own, so that a long read never keeps anybody waiting (WAL
    lets both go on). A read inside a transaction of the same thread uses that transaction's connection. What the
    storage refuses comes as a StorageTrouble.

    read_only: why nothing can be written ('read-only', 'full'), '' where it can. A copy outside the project is read
    then, since a reader of a database with a write-ahead log has to write beside it.
    """

    def __init__(self, path: Path, *, read_only: str = "") -> None:
        self.path, self.read_only = path, read_only
        self.damage_in: Callable[[Path], str] = lambda _: ""  # asked where something has gone wrong: checking looks
        self._lock = threading.RLock()
        self._mine = threading.local()
        self._copy = tempfile.TemporaryDirectory(prefix="zestpanel-") if read_only else None
        self.source = source = _copied(path, Path(self._copy.name)) if self._copy else path
        self._engine = create_engine("sqlite://", creator=connecting(source), poolclass=sqlalchemy.StaticPool)
        self._readers = create_engine(
            "sqlite://", creator=connecting(source), poolclass=sqlalchemy.QueuePool, pool_size=4, max_overflow=12
        )
        event.listen(self._engine, "connect", _set_up_connection)
        event.listen(self._engine, "begin", _begin)
        event.listen(self._readers, "connect", _set_up_reader)

    @property
    def _name(self) -> str:
        return self.path.parent.name

    @contextmanager
    def writing(self) -> Iterator[Connection]:
        """A transaction: all of it is kept, or nothing. One within another is a part of it. Raises StorageTrouble."""
        if self.read_only:
            raise trouble(self.read_only, self._name)
        outer: Connection | None = getattr(self._mine, "connection", None)
        if outer is not None:  # a part of the transaction that goes on: kept with all of it, or undone alone
            with outer.begin_nested():
                yield outer
            return
        with going_on(), self._lock, self._told(), self._engine.begin() as connection:
            self._mine.connection = connection
            try:
                yield connection
            finally:
                self._mine.connection = None

    @contextmanager
    def reading(self) -> Iterator[Connection]:
        """All that is committed, as it is now. Raises StorageTrouble."""
        mine: Connection | None = getattr(self._mine, "connection", None)
        if mine is not None:
            yield mine
            return
        stand_aside()
        with self._told(), self._readers.connect() as connection:
            yield connection

    @contextmanager
    def _told(self) -> Iterator[None]:
        try:
            yield
        except DBAPIError as error:
            if kind := kind_of(error.orig):
                raise trouble(kind, self._name) from error
            raise
        except (ValueError, TypeError, LookupError) as error:
            if self.is_damaged():
                raise trouble("damaged", self._name) from error
            raise

    def is_damaged(self) -> bool:
        """Whether a row holds what its table cannot: looked at only where something has gone wrong."""
        return bool(self.damage_in(self.path.parent))

    def changes(self) -> int:
        """A number that differs once another program has written. Raises StorageTrouble."""
        with self._lock, self._told(), closing(self._engine.raw_connection().cursor()) as cursor:
            return int(cursor.execute("PRAGMA data_version").fetchone()[0])

    def close(self) -> None:
        with self._lock:
            self._readers.dispose()
            self._engine.dispose()
            if self._copy is not None:
                self._copy.cleanup()


def connecting(path: Path) -> Callable[[], sqlite3.Connection]:
    """Opens the file by its very name: in an address, '?', '#' and '%' would mean something else."""
    return lambda: sqlite3.connect(path, timeout=_WAIT_S, check_same_thread=False)


def _copied(path: Path, to: Path) -> Path:
    for ending in ("", "-wal"):
        source = path.with_name(path.name + ending)
        if source.is_file():
            shutil.copyfile(source, to / source.name)
    return to / path.name


def _set_up_connection(connection: Any, _: Any) -> None:
    connection.isolation_level = None  # transactions are begun by us (``_begin``): the driver begins them too late
    connection.execute("PRAGMA journal_mode=WAL")
    connection.execute("PRAGMA synchronous=FULL")  # a closed journal row must survive a power cut
    connection.execute("PRAGMA foreign_keys=ON")


def _begin(connection: Connection) -> None:
    connection.exec_driver_sql("BEGIN IMMEDIATE")


def _set_up_reader(connection: Any, _: Any) -> None:
    connection.execute("PRAGMA query_only=ON")

"""Checking a project's database row by row, and putting right what can be: a new database of all that can be read."""

from __future__ import annotations

import shutil
import sqlite3
import uuid
from collections.abc import Iterator
from contextlib import closing, suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Final

from sqlalchemy import Column, LargeBinary, Table

from zestpanel.core.errors import ProjectError
from zestpanel.core.own_files import is_own_file
from zestpanel.core.store.database import FILE, connecting
from zestpanel.core.store.opening import (
    APPLICATION_ID,
    REVISIONS,
    backups_in,
    create_database,
    free_name,
    open_database,
)
from zestpanel.core.store.schema import metadata
from zestpanel.core.store.shapes import NEVER, check_of
from zestpanel.core.texts import tr, trn

_MOST_NAMED: Final = 1_000
_MOST_SAID: Final = 3
_CLIPS: Final = {
    "takes": "SELECT id, clip FROM takes WHERE removed IS NULL",
    "answers": "SELECT id, spoken FROM answers WHERE spoken IS NOT NULL",
    "tests": "SELECT id, json_extract(settings, '$.bed') FROM tests "
    "WHERE json_valid(settings) AND json_extract(settings, '$.bed') != ''",
    "impressions": "SELECT id, spoken FROM impressions WHERE removed IS NULL AND spoken != ''",
}
_BAD: Final = (sqlite3.Error, UnicodeDecodeError)  # the second where even the error's words are damaged
_PLACES: Final = frozenset({"position", "starred", "favourite"})  # where something stands, which a person can mend
_NOTHING: Final = object()


@dataclass(frozen=True, slots=True)
class Damage:
    """What is wrong: the table, the row's number or name ('' for the table itself), and what with it."""

    table: str
    row: str
    what: str

    def __str__(self) -> str:
        row = self.row if len(self.row) <= 40 else f"{self.row[:39]}…"  # a name may be what was damaged
        what = self.what if len(self.what) <= 160 else f"{self.what[:159]}…"
        where = self.table[:40] + (tr(", row {row}", row=row) if row else "")
        return f"{where}: {what}"


def damage_in(folder: Path) -> list[Damage]:
    """All that is found wrong, at most 1,000 places; nothing is written. Raises ProjectError: no database at all."""
    path = folder / FILE
    found: list[Damage] = []
    try:
        with closing(_reading(path)) as connection:
            found += _structure(connection)
            for table in metadata.sorted_tables:
                for damage, _ in _rows(connection, table):
                    if damage is not None:
                        found.append(damage)
                    if len(found) >= _MOST_NAMED:
                        return found
            found += _loose_ends(connection)
            found += _missing_clips(connection, folder)
    except _BAD as error:
        found.append(Damage(FILE, "", tr("it cannot be read as a database ({error})", error=error)))
    return found


def first_damage(folder: Path) -> str:
    """The first of them in words, '' for none."""
    return next((str(one) for one in damage_in(folder)), "")


@dataclass(frozen=True, slots=True)
class Repaired:
    kept: int
    mended: tuple[Damage, ...]
    left_out: tuple[Damage, ...]
    aside: Path

    def says(self, name: str) -> str:
        """One sentence for whoever opens the project."""
        places = (*self.mended, *self.left_out)
        shown = "; ".join(map(str, places[:_MOST_SAID]))
        more = tr(" and {n} more", n=len(places) - _MOST_SAID) if len(places) > _MOST_SAID else ""
        return trn(
            "{name} held {n} place that made no sense: {shown}{more}. The rest is opened; the database it came in is "
            "kept as {aside}.",
            "{name} held {n} places that made no sense: {shown}{more}. The rest is opened; the database it came in is "
            "kept as {aside}.",
            len(places), name=name, n=len(places), shown=shown, more=more, aside=self.aside.name,
        )  # fmt: skip


def repair(folder: Path) -> Repaired:
    """Put a database in the damaged one's place that holds all that can be read; the damaged one is kept beside it.

    A value that cannot be read is emptied where its row is of use without it; else the row is left out, and so is what
    depends on it. Raises ProjectError where not even a table can be read; nothing is changed then.
    """
    path, work = folder / FILE, folder / f".repair.{uuid.uuid4().hex}.zest"
    mended: list[Damage] = []
    left_out: list[Damage] = []
    kept = 0
    try:
        create_database(work).close()
        with closing(_reading(path)) as old, closing(connecting(work / FILE)()) as new:
            if not _names_of(old):
                raise ProjectError(
                    tr("Nothing in {name} can be read any more.", name=folder.name), kept=tr("Nothing was changed."),
                    remedy=tr("Take a copy of the folder from a backup, or try --from-backup."),
                )  # fmt: skip
            new.execute("PRAGMA foreign_keys=OFF")
            for table in metadata.sorted_tables:
                columns = [column.name for column in table.columns]
                slots = ", ".join("?" for _ in columns)
                names = ", ".join(f'"{name}"' for name in columns)
                for damage, row in _rows(old, table):
                    if damage is not None:
                        (left_out if row is None else mended).append(damage)
                    if row is None:
                        continue
                    try:
                        new.execute(f'INSERT INTO "{table.name}" ({names}) VALUES ({slots})', row)
                        kept += 1
                    except _BAD as error:
                        left_out.append(
                            Damage(table.name, str(row[0]), tr("it does not fit the others ({error})", error=error))
                        )
            left_out += _without_loose_ends(new)
            new.commit()
            new.execute("PRAGMA journal_mode=DELETE")
        aside = free_name(folder, f"project.damaged-{datetime.now(UTC):%Y-%m-%d}")
        _put_in_place(work / FILE, path, aside)
    except _BAD as error:
        raise ProjectError(
            tr(
                "{name} cannot be put right: its {file} cannot be read as a database ({error}).",
                name=folder.name,
                file=FILE,
                error=error,
            ),
            kept=tr("Nothing was changed."),
            remedy=tr("Try --from-backup, or take a copy of the folder from a backup."),
        ) from error
    finally:
        shutil.rmtree(work, ignore_errors=True)
    return Repaired(kept, tuple(mended), tuple(left_out), aside)


def from_backup(folder: Path) -> tuple[Path, Path]:
    """Put the newest copy from before a migration in the database's place; (the copy, where the present one went).

    Raises ProjectError where there is none.
    """
    copies = backups_in(folder)
    if not copies:
        raise ProjectError(
            tr("{name} holds no copy of its database.", name=folder.name), kept=tr("Nothing was changed.")
        )
    part = folder / f".{uuid.uuid4().hex}.part"
    shutil.copyfile(copies[0], part)
    aside = free_name(folder, f"project.damaged-{datetime.now(UTC):%Y-%m-%d}")
    _put_in_place(part, folder / FILE, aside)
    open_database(folder).close()
    return copies[0], aside


def _put_in_place(new: Path, path: Path, aside: Path) -> None:
    """The log belongs to the file it was written for, and goes aside with it."""
    for ending in ("-wal", "-shm"):
        with suppress(FileNotFoundError):
            path.with_name(path.name + ending).rename(aside.with_name(aside.name + ending))
    if path.exists():
        path.rename(aside)
    new.rename(path)


def is_odd(folder: Path) -> bool:
    """Whether a row holds what its table cannot, as quickly as that can be told."""
    with closing(_reading(folder / FILE)) as connection, suppress(*_BAD):  # what cannot be read at all says so itself
        if _text(connection.execute("PRAGMA quick_check(1)").fetchone()[0]) != "ok":
            return False
        for table in metadata.sorted_tables:
            checks = [(at, check_of(column)) for at, column in enumerate(table.columns)]
            names = ", ".join(f'"{column.name}"' for column in table.columns)
            for row in connection.execute(f'SELECT {names} FROM "{table.name}"'):
                if not all(check(row[at]) for at, check in checks):
                    return True
        return connection.execute("PRAGMA foreign_key_check").fetchone() is not None
    return False


# -- inside


def _reading(path: Path) -> sqlite3.Connection:
    connection = connecting(path)()
    connection.execute("PRAGMA query_only=ON")
    connection.text_factory = bytes  # so that a text that is no UTF-8 is met where it stands
    return connection


def _names_of(connection: sqlite3.Connection) -> set[str]:
    with suppress(*_BAD):
        return {_text(row[0]) for row in connection.execute("SELECT name FROM sqlite_master WHERE type='table'")}
    return set()


def _text(value: Any) -> str:
    return value.decode("utf-8", "replace") if isinstance(value, bytes) else str(value)


def _structure(connection: sqlite3.Connection) -> Iterator[Damage]:
    application = connection.execute("PRAGMA application_id").fetchone()[0]
    if application != APPLICATION_ID:
        yield Damage(FILE, "", tr("it is not marked as a project of this program"))
    for row in connection.execute("PRAGMA integrity_check(20)"):
        if _text(row[0]) != "ok":
            yield Damage(FILE, "", _text(row[0]).replace("*", "").strip()[:200])
    tables = _names_of(connection)
    for table in metadata.sorted_tables:
        if table.name not in tables:
            yield Damage(table.name, "", tr("the table is missing"))
    version = connection.execute("SELECT version_num FROM alembic_version").fetchone()
    if version is None or _text(version[0]) != REVISIONS[-1]:
        yield Damage(FILE, "", tr("its version is not stated"))


def _rows(connection: sqlite3.Connection, table: Table) -> Iterator[tuple[Damage | None, tuple[Any, ...] | None]]:
    """Each row as it can be kept (None: it cannot), with what is wrong about it. Rows are read one by one, so that a
    page that is gone costs its own rows only."""
    names = ", ".join(f'"{column.name}"' for column in table.columns)
    try:
        numbers = [row[0] for row in connection.execute(f'SELECT rowid FROM "{table.name}"')]
    except _BAD:
        numbers = list(_numbers_one_by_one(connection, table.name))
    for number in numbers:
        try:
            row = connection.execute(f'SELECT {names} FROM "{table.name}" WHERE rowid = ?', (number,)).fetchone()
        except _BAD as error:
            yield Damage(table.name, str(number), tr("it cannot be read ({error})", error=error)), None
            continue
        if row is not None:
            yield _checked(table, str(number), row)


def _numbers_one_by_one(connection: sqlite3.Connection, table: str) -> Iterator[int]:
    last, misses = 0, 0
    while misses < 2_000:
        last += 1
        try:
            found = connection.execute(f'SELECT 1 FROM "{table}" WHERE rowid = ?', (last,)).fetchone()
        except _BAD:
            found = (1,)
            misses += 1
        if found:
            yield last
        else:
            misses += 1


def _checked(table: Table, number: str, row: tuple[Any, ...]) -> tuple[Damage | None, tuple[Any, ...] | None]:
    values: list[Any] = []
    damage: Damage | None = None
    for column, value in zip(table.columns, row, strict=True):
        read = value
        if not check_of(column)(value):
            said = tr("the {name} cannot be read", name=column.name)
            damage = damage or Damage(table.name, number, said)
            read = _instead(column, value)
            if read is _NOTHING:
                return Damage(table.name, number, said), None
        values.append(read.decode("utf-8") if isinstance(read, bytes) and not _is_binary(column) else read)
    return damage, tuple(values)


def _is_binary(column: Column[Any]) -> bool:
    return isinstance(column.type, LargeBinary)


def _instead(column: Column[Any], value: Any) -> Any:
    """What stands for a value that makes no sense, where the row is of use without it: nothing, an empty document, what
    can be read of a text, no moment. A figure is never made up: ``_NOTHING``, the row is left out."""
    if column.primary_key or column.foreign_keys:
        return _NOTHING
    if column.nullable:
        return None
    if column.name in _PLACES:
        return 0
    plain = [b"{}", b"[]", NEVER.encode(), b""]
    if isinstance(value, bytes):
        plain.append(value.decode("utf-8", "replace").encode())
    check = check_of(column)
    return next((one for one in plain if check(one)), _NOTHING)


def _loose_ends(connection: sqlite3.Connection) -> list[Damage]:
    found = []
    for table, row, parent, _ in connection.execute("PRAGMA foreign_key_check"):
        found.append(
            Damage(_text(table), str(row), tr("what it belongs to in {words} is missing", words=_text(parent)))
        )
        if len(found) >= _MOST_NAMED:
            break
    return found


def _without_loose_ends(connection: sqlite3.Connection) -> list[Damage]:
    """Rows whose owner is gone are left out, and what belonged to them in turn."""
    out: list[Damage] = []
    while found := _loose_ends(connection):
        for one in found:
            connection.execute(f'DELETE FROM "{one.table}" WHERE rowid = ?', (int(one.row),))
        out += found
    return out


def _missing_clips(connection: sqlite3.Connection, folder: Path) -> Iterator[Damage]:
    for table, query in _CLIPS.items():
        for number, clip in connection.execute(query):
            if not is_own_file(folder / "clips" / Path(_text(clip)).name):
                yield Damage(table, str(number), tr("its clip {words} is missing", words=_text(clip)[:20]))

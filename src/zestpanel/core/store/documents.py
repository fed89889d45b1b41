"""Small documents kept whole: the brief, the weights, the decision, the look of the desk."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any, Final

from sqlalchemy import bindparam, select, update
from sqlalchemy.dialects.sqlite import insert

from zestpanel.core.store.database import Database
from zestpanel.core.store.schema import documents

_VALUE: Final = select(documents.c.value).where(documents.c.name == bindparam("of"))  # put together once: read often


class Documents:
    def __init__(self, database: Database) -> None:
        self._database = database

    def get(self, name: str) -> Any:
        """The document's JSON value, None when it was never written."""
        with self._database.reading() as connection:
            return connection.execute(_VALUE, {"of": name}).scalar()

    def put(self, name: str, value: Any) -> None:
        with self._database.writing() as connection:
            row = insert(documents).values(name=name, value=value)
            connection.execute(row.on_conflict_do_update(index_elements=["name"], set_={"value": value}))

    @contextmanager
    def alone(self) -> Iterator[None]:
        """What is read and written in this block is one change: no other thread writes between, and all of it is kept
        or nothing."""
        with self._database.writing():
            yield

    def put_if(self, name: str, value: Any, *, was: Any) -> bool:
        """Write it only where it still is what it was; False where somebody, or another process, was quicker."""
        with self._database.writing() as connection:
            row = update(documents).where(documents.c.name == name, documents.c.value == was).values(value=value)
            return connection.execute(row).rowcount == 1

"""Sessions that were written into a file of their own: which there are, and whether their answers are taken in."""

from __future__ import annotations

import secrets
from typing import Any

from sqlalchemy import select, update

from zestpanel.core.domain.listening import Pack
from zestpanel.core.store.database import Database, now
from zestpanel.core.store.schema import packs, sessions

_CODE_BYTES, _SECRET_BYTES = 12, 32


def new_pack(session_id: int, clips: str) -> Pack:
    """One with a code and a secret of its own, that no project knows yet."""
    return Pack(id=0, session_id=session_id, code=secrets.token_hex(_CODE_BYTES),
                secret=secrets.token_hex(_SECRET_BYTES), clips=clips, created=now())  # fmt: skip


class Packs:
    def __init__(self, database: Database) -> None:
        self._database = database

    def issue(self, pack: Pack) -> None:
        """Know a new one for a session; those from before are withdrawn with it."""
        with self._database.writing() as connection:
            connection.execute(
                update(packs).where(packs.c.session_id == pack.session_id, packs.c.ended.is_(None)).values(ended=now())
            )
            connection.execute(
                packs.insert().values(session_id=pack.session_id, code=pack.code, secret=pack.secret, clips=pack.clips,
                                      created=pack.created)
            )  # fmt: skip

    def of_test(self, test_id: int) -> list[Pack]:
        """In the order in which they were made."""
        query = select(packs).join(sessions, sessions.c.id == packs.c.session_id).where(sessions.c.test_id == test_id)
        with self._database.reading() as connection:
            return [_pack(row) for row in connection.execute(query.order_by(packs.c.id))]

    def with_code(self, code: str) -> tuple[Pack, int] | None:
        """The pack of that code and the number of its test; None where there is none here."""
        query = (
            select(packs, sessions.c.test_id).join(sessions, sessions.c.id == packs.c.session_id)
            .where(packs.c.code == code)
        )  # fmt: skip
        with self._database.reading() as connection:
            row = connection.execute(query).one_or_none()
        return None if row is None else (_pack(row), int(row.test_id))

    def withdraw(self, pack_id: int, *, withdrawn: bool = True) -> None:
        """Its answers are not taken in from now on, or are again."""
        with self._database.writing() as connection:
            connection.execute(
                update(packs).where(packs.c.id == pack_id).values(ended=now() if withdrawn else None)
            )  # fmt: skip

    def answers_came(self, pack_id: int) -> None:
        with self._database.writing() as connection:
            connection.execute(update(packs).where(packs.c.id == pack_id).values(came=now()))


def _pack(row: Any) -> Pack:
    return Pack(id=row.id, session_id=row.session_id, code=row.code, secret=row.secret, clips=row.clips,
                created=row.created, ended=row.ended or "", came=row.came or "")  # fmt: skip

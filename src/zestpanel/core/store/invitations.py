"""Sessions that are answered elsewhere, from a file or by a link: which there are, and whether their answers are taken
in."""

from __future__ import annotations

import secrets
from typing import Any

from sqlalchemy import select, update

from zestpanel.core.domain.listening import Invitation
from zestpanel.core.store.database import Database, now
from zestpanel.core.store.schema import invitations, sessions

_CODE_BYTES, _SECRET_BYTES = 12, 32


def new_invitation(session_id: int, clips: str) -> Invitation:
    """One with a code and a secret of its own, that no project knows yet."""
    return Invitation(id=0, session_id=session_id, code=secrets.token_hex(_CODE_BYTES),
                secret=secrets.token_hex(_SECRET_BYTES), clips=clips, created=now())  # fmt: skip


class Invitations:
    def __init__(self, database: Database) -> None:
        self._database = database

    def issue(self, pack: Invitation) -> None:
        """Know a new one for a session; those from before are withdrawn with it."""
        with self._database.writing() as connection:
            connection.execute(
                update(invitations)
                .where(invitations.c.session_id == pack.session_id, invitations.c.ended.is_(None))
                .values(ended=now())
            )
            connection.execute(
                invitations.insert().values(
                    session_id=pack.session_id,
                    code=pack.code,
                    secret=pack.secret,
                    clips=pack.clips,
                    created=pack.created,
                )
            )

    def of_test(self, test_id: int) -> list[Invitation]:
        """In the order in which they were made."""
        query = (
            select(invitations)
            .join(sessions, sessions.c.id == invitations.c.session_id)
            .where(sessions.c.test_id == test_id)
        )
        with self._database.reading() as connection:
            return [_invitation(row) for row in connection.execute(query.order_by(invitations.c.id))]

    def of_session(self, session_id: int) -> list[Invitation]:
        """In the order in which they were made."""
        query = select(invitations).where(invitations.c.session_id == session_id).order_by(invitations.c.id)
        with self._database.reading() as connection:
            return [_invitation(row) for row in connection.execute(query)]

    def with_code(self, code: str) -> tuple[Invitation, int] | None:
        """The pack of that code and the number of its test; None where there is none here."""
        query = (
            select(invitations, sessions.c.test_id).join(sessions, sessions.c.id == invitations.c.session_id)
            .where(invitations.c.code == code)
        )  # fmt: skip
        with self._database.reading() as connection:
            row = connection.execute(query).one_or_none()
        return None if row is None else (_invitation(row), int(row.test_id))

    def withdraw(self, pack_id: int, *, withdrawn: bool = True) -> None:
        """Its answers are not taken in from now on, or are again."""
        with self._database.writing() as connection:
            connection.execute(
                update(invitations).where(invitations.c.id == pack_id).values(ended=now() if withdrawn else None)
            )  # fmt: skip

    def answers_came(self, pack_id: int) -> None:
        with self._database.writing() as connection:
            connection.execute(update(invitations).where(invitations.c.id == pack_id).values(came=now()))


def _invitation(row: Any) -> Invitation:
    return Invitation(id=row.id, session_id=row.session_id, code=row.code, secret=row.secret, clips=row.clips,
                created=row.created, ended=row.ended or "", came=row.came or "")  # fmt: skip

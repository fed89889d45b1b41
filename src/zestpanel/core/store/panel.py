"""Listeners, listening tests and sessions."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import select, update

from zestpanel.core.domain.listening import Listener, ListeningTest, PlannedTrial, Session
from zestpanel.core.store.answers import add_trials, read_trials
from zestpanel.core.store.database import Database, now
from zestpanel.core.store.schema import listeners, sessions, tests


class Panel:
    def __init__(self, database: Database) -> None:
        self._database = database

    def add_listener(
        self,
        alias: str,
        *,
        languages: Sequence[str] = (),
        hearing: str = "not stated",
        kit: str = "not stated",
        simulated: bool = False,
    ) -> Listener:
        """The listener of that alias, made when new. What is stated now is kept: languages given for a known alias
        stand instead of earlier ones; none given leave them."""
        with self._database.writing() as connection:
            row = connection.execute(select(listeners).where(listeners.c.alias == alias)).one_or_none()
            if row is None:
                row = connection.execute(
                    listeners.insert()
                    .values(
                        alias=alias,
                        languages=list(languages),
                        hearing=hearing,
                        kit=kit,
                        simulated=simulated,
                        created=now(),
                    )
                    .returning(listeners)
                ).one()
            elif stated := {
                **({"languages": list(languages)} if languages and list(languages) != row.languages else {}),
                **({"kit": kit} if kit not in ("not stated", row.kit) else {}),
                **({"hearing": hearing} if hearing not in ("not stated", row.hearing) else {}),
            }:
                change = update(listeners).where(listeners.c.id == row.id).values(stated)
                row = connection.execute(change.returning(listeners)).one()
        return _listener(row)

    def put_languages(self, listener_id: int, languages: Sequence[str]) -> None:
        """State which languages a listener speaks; ratings of others are kept apart."""
        with self._database.writing() as connection:
            connection.execute(update(listeners).where(listeners.c.id == listener_id).values(languages=list(languages)))

    def listeners(self) -> list[Listener]:
        with self._database.reading() as connection:
            return [_listener(row) for row in connection.execute(select(listeners).order_by(listeners.c.id))]

    # -- tests and sessions

    def add_test(self, kind: str, settings: Mapping[str, Any], *, closed: bool = False) -> int:
        values = {"kind": kind, "settings": dict(settings), "created": now(), "closed": now() if closed else None}
        with self._database.writing() as connection:
            return int(connection.execute(tests.insert().values(values).returning(tests.c.id)).scalar_one())

    def tests(self) -> list[ListeningTest]:
        with self._database.reading() as connection:
            return [_test(row) for row in connection.execute(select(tests).order_by(tests.c.id))]

    def open_test(self) -> ListeningTest | None:
        """The newest test that is not closed."""
        return next((test for test in reversed(self.tests()) if not test.closed), None)

    def close_test(self, test_id: int) -> None:
        with self._database.writing() as connection:
            connection.execute(update(tests).where(tests.c.id == test_id).values(closed=now()))

    def add_session(self, test_id: int, listener_id: int, planned: Sequence[PlannedTrial]) -> Session:
        """A listener's way through a test, with all its trials."""
        with self._database.writing() as connection:
            values = {"test_id": test_id, "listener_id": listener_id, "created": now()}
            session_id = int(connection.execute(sessions.insert().values(values).returning(sessions.c.id)).scalar_one())
            add_trials(connection, session_id, planned)
        return next(s for s in self.sessions(test_id) if s.id == session_id)

    def sessions(self, test_id: int) -> list[Session]:
        with self._database.reading() as connection:
            rows = connection.execute(
                select(sessions).where(sessions.c.test_id == test_id).order_by(sessions.c.id)
            ).all()
            found = read_trials(connection, sessions.c.test_id == test_id)
        return [
            Session(id=row.id, test_id=row.test_id, listener_id=row.listener_id, finished=row.finished is not None,
                    trials=tuple(t for t in found.values() if t.session_id == row.id))
            for row in rows
        ]  # fmt: skip

    def finish_session(self, session_id: int) -> None:
        with self._database.writing() as connection:
            connection.execute(update(sessions).where(sessions.c.id == session_id).values(finished=now()))


def _listener(row: Any) -> Listener:
    return Listener(
        id=row.id,
        alias=row.alias,
        languages=tuple(row.languages),
        hearing=row.hearing,
        kit=row.kit,
        simulated=row.simulated,
    )


def _test(row: Any) -> ListeningTest:
    return ListeningTest(
        id=row.id, kind=row.kind, settings=row.settings, created=row.created, closed=row.closed or ""
    )  # fmt: skip

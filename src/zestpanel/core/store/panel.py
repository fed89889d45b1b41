"""Listeners, tests, sessions and ratings. Ratings are append-only."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import func, select, update

from zestpanel.core.domain.listening import Listener, Rating, Session
from zestpanel.core.store.database import Database, now
from zestpanel.core.store.schema import listeners, ratings, sessions, takes, tests


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

    def add_test(self, kind: str, settings: dict[str, Any]) -> int:
        with self._database.writing() as connection:
            return int(
                connection.execute(
                    tests.insert().values(kind=kind, settings=settings, created=now()).returning(tests.c.id)
                ).scalar_one()
            )

    def open_test(self) -> tuple[int, dict[str, Any]] | None:
        """(id, settings) of the newest test that is not closed."""
        query = select(tests).where(tests.c.closed.is_(None)).order_by(tests.c.id.desc()).limit(1)
        with self._database.reading() as connection:
            row = connection.execute(query).one_or_none()
        return (row.id, row.settings) if row else None

    def close_test(self, test_id: int) -> None:
        with self._database.writing() as connection:
            connection.execute(update(tests).where(tests.c.id == test_id).values(closed=now()))

    def add_session(self, test_id: int, listener_id: int, trials: Sequence[tuple[int, int, int, bool]]) -> Session:
        with self._database.writing() as connection:
            row = connection.execute(
                sessions.insert()
                .values(test_id=test_id, listener_id=listener_id, trials=[list(t) for t in trials], created=now())
                .returning(sessions)
            ).one()
        return _session(row)

    def sessions(self, test_id: int) -> list[Session]:
        with self._database.reading() as connection:
            rows = connection.execute(select(sessions).where(sessions.c.test_id == test_id).order_by(sessions.c.id))
            return [_session(row) for row in rows]

    def finish_session(self, session_id: int) -> None:
        with self._database.writing() as connection:
            connection.execute(update(sessions).where(sessions.c.id == session_id).values(finished=now()))

    def add_ratings(self, rows: Sequence[dict[str, Any]]) -> None:
        """Append ratings, all or none; see schema.ratings for the fields, the optional ones may be left out.

        A rating of a take counts for the candidate that the take is of now.
        """
        blank: dict[str, Any] = {
            "session_id": None,
            "take_id": None,
            "trial": None,
            "scale": "ACR",
            "training": False,
            "heard_share": None,
            "plays": None,
            "took_s": None,
            "withdrawn": False,
        }
        if rows:
            heard = {row["take_id"] for row in rows if row.get("take_id") is not None}
            with self._database.writing() as connection:
                # a listening session may have begun before its candidate was split: the take knows whose it is
                whose = dict(
                    connection.execute(select(takes.c.id, takes.c.candidate_id).where(takes.c.id.in_(heard))).all()
                )
                connection.execute(
                    ratings.insert(),
                    [
                        {**blank, "created": now(), **row,
                         "candidate_id": whose.get(row.get("take_id"), row["candidate_id"])}
                        for row in rows
                    ],
                )  # fmt: skip

    def ratings(self, *, training: bool = False) -> list[Rating]:
        """The ratings that stand: per listener, candidate, passage and trial the last one, unless withdrawn. Ratings of
        a take that was removed do not; they are back when it is."""
        newest = func.max(ratings.c.id).label("id")
        group = (
            ratings.c.listener_id,
            ratings.c.candidate_id,
            ratings.c.passage_version_id,
            ratings.c.scale,
            func.coalesce(ratings.c.session_id, 0),
            func.coalesce(ratings.c.trial, -1),
        )
        last = select(newest).group_by(*group).subquery()
        query = (
            select(ratings)
            .join(last, last.c.id == ratings.c.id)
            .outerjoin(takes, takes.c.id == ratings.c.take_id)
            .where(ratings.c.withdrawn.is_(False), takes.c.removed.is_(None))
        )
        if not training:
            query = query.where(ratings.c.training.is_(False))
        with self._database.reading() as connection:
            return [
                Rating(
                    id=r.id,
                    listener_id=r.listener_id,
                    candidate_id=r.candidate_id,
                    passage_version_id=r.passage_version_id,
                    score=r.score,
                    scale=r.scale,
                    training=r.training,
                    origin=r.origin,
                    trial=r.trial,
                    session_id=r.session_id,
                )
                for r in connection.execute(query.order_by(ratings.c.id))
            ]

    def count_raters(self) -> int:
        """Listeners who have given a scored rating."""
        query = select(func.count(func.distinct(ratings.c.listener_id))).where(ratings.c.training.is_(False))
        with self._database.reading() as connection:
            return int(connection.execute(query).scalar_one())

    def rated_trials(self, session_id: int) -> dict[int, float]:
        """Score by trial index, for resuming a session."""
        query = (
            select(ratings.c.trial, ratings.c.score).where(ratings.c.session_id == session_id).order_by(ratings.c.id)
        )
        with self._database.reading() as connection:
            return {trial: score for trial, score in connection.execute(query)}


def _listener(row: Any) -> Listener:
    return Listener(
        id=row.id,
        alias=row.alias,
        languages=tuple(row.languages),
        hearing=row.hearing,
        kit=row.kit,
        simulated=row.simulated,
    )


def _session(row: Any) -> Session:
    return Session(
        id=row.id,
        test_id=row.test_id,
        listener_id=row.listener_id,
        trials=tuple((c, p, t, bool(g)) for c, p, t, g in row.trials),
        finished=row.finished is not None,
    )

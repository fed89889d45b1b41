"""Listeners, listening tests and sessions."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import asdict, replace
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, func, select, update

from zestpanel.core import clock
from zestpanel.core.domain.listening import (
    Conduct,
    Listener,
    ListeningTest,
    PlannedTrial,
    Progress,
    Session,
    Sitting,
    Trial,
)
from zestpanel.core.errors import AudioError, InputError
from zestpanel.core.store.answers import add_trials, read_trials
from zestpanel.core.store.apart import OF_TEST as _OF_TEST
from zestpanel.core.store.apart import Apart, apart_of, progress_of, read_tests
from zestpanel.core.store.apart import as_test as _test
from zestpanel.core.store.clip_store import ClipStore
from zestpanel.core.store.database import Database, now
from zestpanel.core.store.schema import answers, listeners, sessions, tests, trials
from zestpanel.core.texts import tr


class FixedTakes(NamedTuple):
    """in_order: whether they stand in the order of the test's passages."""

    ids: tuple[int, ...]
    in_order: bool


class Panel:
    def __init__(self, database: Database, store: ClipStore) -> None:
        self._database, self._store = database, store

    def add_listener(
        self,
        alias: str,
        *,
        languages: Sequence[str] = (),
        hearing: str = "not stated",
        kit: str = "not stated",
        simulated: bool = False,
    ) -> Listener:
        """The listener of that alias, made when new; letters' case and spaces make no other person. What is stated now
        is kept: languages given for a known alias stand instead of earlier ones; none given leave them."""
        alias = " ".join(alias.split())
        with self._database.writing() as connection:
            every = connection.execute(select(listeners).order_by(listeners.c.id)).all()
            row = next((one for one in every if one.alias == alias), None)
            row = row or next((one for one in every if _same(one.alias, alias)), None)
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

    def called(self, alias: str) -> Listener | None:
        """Who is meant by a name, whatever its case and spaces."""
        people = self.listeners()
        return next((one for one in people if one.alias == alias), None) or next(
            (one for one in people if _same(one.alias, alias)), None
        )

    def sessions_to_merge(self, listener_id: int, into: int) -> list[int]:
        """A listener's sessions, to be given to another. Raises InputError where both have one of the same test."""
        own = select(sessions.c.id, sessions.c.test_id).where(sessions.c.listener_id == listener_id)
        with self._database.reading() as connection:
            rows = connection.execute(own).all()
            theirs = select(sessions.c.test_id).where(sessions.c.listener_id == into)
            both = {row.test_id for row in rows} & set(connection.execute(theirs).scalars())
        if both:
            raise InputError(
                tr("Both have answered test {both}: two orders cannot be one.", both=min(both)),
                kept=tr("Nothing was changed."), remedy=tr("Leave one of them out of that test's result instead."),
            )  # fmt: skip
        return [row.id for row in rows]

    def give_sessions(self, session_ids: Sequence[int], listener_id: int) -> None:
        """These sessions are this listener's."""
        with self._database.writing() as connection:
            change = update(sessions).where(sessions.c.id.in_(list(session_ids))).values(listener_id=listener_id)
            connection.execute(change)

    def put_languages(self, listener_id: int, languages: Sequence[str]) -> None:
        """State which languages a listener speaks; ratings of others are kept apart."""
        with self._database.writing() as connection:
            connection.execute(update(listeners).where(listeners.c.id == listener_id).values(languages=list(languages)))

    def put_listener(self, listener: Listener) -> None:
        """What is known of a listener, mended. Raises InputError for an alias that another has."""
        with self._database.writing() as connection:
            taken = connection.execute(
                select(listeners.c.id).where(listeners.c.alias == listener.alias, listeners.c.id != listener.id)
            ).first()
            if taken is not None or not listener.alias.strip():
                raise InputError(
                    tr("Another listener is called {alias}.", alias=listener.alias)
                    if taken
                    else tr("A listener needs a name or an alias."),
                    kept=tr("Nothing was changed."),
                )
            connection.execute(
                update(listeners).where(listeners.c.id == listener.id).values(
                    alias=listener.alias, languages=list(listener.languages), hearing=listener.hearing,
                    kit=listener.kit, about=_about(listener),
                )
            )  # fmt: skip

    def forget(self, listener_id: int) -> Listener:
        """Leave nothing of a person but a number, and the languages, without which the answers mean nothing. The
        answers stay, without what was said aloud beside them. What was known is not kept anywhere."""
        person = next(one for one in self.listeners() if one.id == listener_id)
        bare = Listener(id=person.id, alias=f"Listener {person.id}", languages=person.languages, hearing="not stated",
                        kit=person.kit, simulated=person.simulated, fluency=person.fluency,
                        forgotten=True)  # fmt: skip
        self.put_listener(bare)
        of_listener = select(trials.c.id).join(sessions, sessions.c.id == trials.c.session_id).where(
            sessions.c.listener_id == listener_id
        )  # fmt: skip
        whose = answers.c.trial_id.in_(of_listener) & answers.c.spoken.is_not(None)
        with self._database.writing() as connection:
            said = list(connection.execute(select(answers.c.spoken).where(whose)).scalars())
            connection.execute(update(answers).where(whose).values(spoken=None))
        for name in said:
            with suppress(AudioError):  # no clip of this project, so nothing to delete
                self._store.drop(name)
        return bare

    def listener(self, listener_id: int) -> Listener:
        """One alone, of however many. Raises KeyError."""
        with self._database.reading() as connection:
            row = connection.execute(select(listeners).where(listeners.c.id == listener_id)).one_or_none()
        if row is None:
            raise KeyError(listener_id)
        return _listener(row)

    def listeners(self) -> list[Listener]:
        with self._database.reading() as connection:
            return [_listener(row) for row in connection.execute(select(listeners).order_by(listeners.c.id))]

    # -- tests and sessions

    def add_test(self, kind: str, settings: Mapping[str, Any], *, created: str = "", closed: str = "") -> int:
        """created: the moment, now where nothing is said; closed: likewise, '' for one that is open."""
        values = {"kind": kind, "settings": dict(settings), "created": created or now(), "closed": closed or None}
        with self._database.writing() as connection:
            return int(connection.execute(tests.insert().values(values).returning(tests.c.id)).scalar_one())

    def tests(self) -> list[ListeningTest]:
        with self._database.reading() as connection:
            return read_tests(connection)

    def test(self, test_id: int) -> ListeningTest:
        with self._database.reading() as connection:
            return _test(connection.execute(select(*_OF_TEST).where(tests.c.id == test_id)).one())

    def put_conduct(self, test_id: int, conduct: Conduct) -> None:
        with self._database.writing() as connection:
            connection.execute(update(tests).where(tests.c.id == test_id).values(conduct=conduct.as_document()))

    def fix(self, test_id: int, take_ids: Sequence[int], level_lufs: float) -> None:
        """The takes that a test may play, in the order of its passages, and at which loudness: fixed once, when its
        first listener begins."""
        with self._database.writing() as connection:
            row = connection.execute(select(*_OF_TEST, tests.c.pool).where(tests.c.id == test_id)).one()
            if row.pool is None:
                conduct = replace(_test(row).conduct, level_lufs=level_lufs)
                values = {"pool": {"in_order": list(take_ids)}, "conduct": conduct.as_document()}
                connection.execute(update(tests).where(tests.c.id == test_id).values(values))

    def put_takes(self, test_id: int, take_ids: Sequence[int]) -> None:
        """As ``fix``, for a test that began elsewhere; its level is in its conduct."""
        with self._database.writing() as connection:
            values = {"pool": {"in_order": list(take_ids)}}
            connection.execute(update(tests).where(tests.c.id == test_id).values(values))

    def fixed_takes(self, test_id: int) -> FixedTakes | None:
        """The takes that a test may play; None before its first listener."""
        with self._database.reading() as connection:
            pool = connection.execute(select(tests.c.pool).where(tests.c.id == test_id)).scalar_one()
        if pool is None:
            return None
        in_order = isinstance(pool, dict)  # those of an earlier program were kept by their numbers
        return FixedTakes(tuple(pool["in_order"] if in_order else pool), in_order)

    def open_test(self) -> ListeningTest | None:
        """The newest test that is not closed."""
        return next((test for test in reversed(self.tests()) if not test.closed and not test.conduct.removed), None)

    def close_test(self, test_id: int, *, closed: bool = True) -> None:
        """Nobody begins it or goes on with it any more; or, with closed off, they may again. A test that is closed
        before all planned listeners have finished shows its result, which is a look at it."""
        with self._database.writing() as connection:
            test = _test(connection.execute(select(*_OF_TEST).where(tests.c.id == test_id)).one())
            found = progress_of(connection).get(test_id, Progress())
            values: dict[str, Any] = {"closed": now() if closed else None}
            if closed and test.covered(found):
                values["conduct"] = looked(test.conduct, found.answered).as_document()
            connection.execute(update(tests).where(tests.c.id == test_id).values(values))

    def progress(self) -> dict[int, Progress]:
        with self._database.reading() as connection:
            return progress_of(connection)

    def apart(self) -> dict[int, Apart]:
        """Tests that have no say in the figures of the choice, and why."""
        with self._database.reading() as connection:
            return apart_of(read_tests(connection), progress_of(connection))

    @contextmanager
    def alone(self) -> Iterator[None]:
        """What is read and written in this block is one change: nobody writes between, in this program or another."""
        with self._database.writing():
            yield

    def add_session(
        self, test_id: int, listener_id: int, planned: Sequence[PlannedTrial], *, created: str = "", finished: str = "",
        checks: Mapping[str, Any] | None = None, sittings: Sequence[Sitting] = (),
    ) -> Session:  # fmt: skip
        """A listener's way through a test, with all its trials; with its moments, where it was begun elsewhere."""
        with self._database.writing() as connection:
            values = {"test_id": test_id, "listener_id": listener_id, "created": created or now(),
                      "finished": finished or None, "checks": dict(checks) if checks else None,
                      "sittings": [asdict(one) for one in sittings] or None}  # fmt: skip
            session_id = int(connection.execute(sessions.insert().values(values).returning(sessions.c.id)).scalar_one())
            add_trials(connection, session_id, planned)
        return self.session(session_id)

    def sessions(self, test_id: int, *, with_trials: bool = True) -> list[Session]:
        """with_trials: else their trials are left out, of which there may be many thousands."""
        return self._sessions(sessions.c.test_id == test_id, with_trials=with_trials)

    def session_of(self, test_id: int, listener_id: int) -> Session | None:
        """A listener's way through a test, None where they have not begun it."""
        mine = (sessions.c.test_id == test_id) & (sessions.c.listener_id == listener_id)
        return next(iter(self._sessions(mine)), None)

    def session(self, session_id: int) -> Session:
        """One alone, of however many. Raises KeyError."""
        found = self._sessions(sessions.c.id == session_id)
        if not found:
            raise KeyError(session_id)
        return found[0]

    def _sessions(self, where: ColumnElement[bool], *, with_trials: bool = True) -> list[Session]:
        with self._database.reading() as connection:
            rows = connection.execute(select(sessions).where(where).order_by(sessions.c.id)).all()
            found = read_trials(connection, where) if with_trials else {}
        of: dict[int, list[Trial]] = defaultdict(list)
        for trial in found.values():
            of[trial.session_id].append(trial)
        return [
            Session(id=row.id, test_id=row.test_id, listener_id=row.listener_id, finished=row.finished is not None,
                    trials=tuple(of[row.id]), checks=row.checks or {},
                    sittings=tuple(Sitting(**{k: str(v) for k, v in one.items() if k in Sitting.__slots__})
                                   for one in row.sittings or ()),
                    created=row.created, finished_on=row.finished or "")
            for row in rows
        ]  # fmt: skip

    def put_checks(self, session_id: int, checks: Mapping[str, Any]) -> None:
        """What was found before stays unless it is found anew."""
        with self._database.writing() as connection:
            one = sessions.c.id == session_id
            known = connection.execute(select(sessions.c.checks).where(one)).scalar_one() or {}
            connection.execute(update(sessions).where(one).values(checks={**known, **checks}))

    def turned_away(self, test_id: int) -> dict[int, tuple[int, str]]:
        """By session of those who do not take part: the listener, and why."""
        why = func.json_extract(sessions.c.checks, "$.turned_away")
        query = select(sessions.c.id, sessions.c.listener_id, why.label("why"))
        with self._database.reading() as connection:
            rows = connection.execute(query.where(sessions.c.test_id == test_id, why.is_not(None)))
            return {row.id: (row.listener_id, row.why) for row in rows}

    def put_away(self, session_id: int, entry: Sequence[int] | None, why: str) -> None:
        """What was answered before the test, and why that keeps the listener out; None and '' to have it asked anew."""
        with self._database.writing() as connection:
            one = sessions.c.id == session_id
            known = dict(connection.execute(select(sessions.c.checks).where(one)).scalar_one() or {})
            for name, value in (("entry", list(entry or ())), ("turned_away", why)):
                known.pop(name, None)
                if value:
                    known[name] = value
            connection.execute(update(sessions).where(one).values(checks=known))

    def skip(self, session_id: int, place: int, why: str) -> None:
        """A trial that could not be heard, and why."""
        with self._database.writing() as connection:
            one = sessions.c.id == session_id
            known = connection.execute(select(sessions.c.checks).where(one)).scalar_one() or {}
            known = {**known, "skipped": {**known.get("skipped", {}), str(place): why}}
            connection.execute(update(sessions).where(one).values(checks=known))

    def checks(self, test_id: int) -> list[Mapping[str, Any]]:
        """What the checks of a test's sessions found."""
        with self._database.reading() as connection:
            rows = connection.execute(select(sessions.c.checks).where(sessions.c.test_id == test_id)).scalars()
            return [checks or {} for checks in rows]

    def all_skipped(self, test_id: int) -> list[str]:
        """Why trials of a test could not be heard, one for each."""
        return [str(why) for checks in self.checks(test_id) for why in checks.get("skipped", {}).values()]

    def skipped(self, session_id: int) -> set[int]:
        """Places of the trials that could not be heard."""
        with self._database.reading() as connection:
            checks = connection.execute(select(sessions.c.checks).where(sessions.c.id == session_id)).scalar_one()
        return {int(place) for place in (checks or {}).get("skipped", {})}

    def finish_session(self, session_id: int, *, finished: bool = True) -> None:
        """finished: off where its last answer is given anew."""
        values = {"finished": now() if finished else None}
        with self._database.writing() as connection:
            connection.execute(update(sessions).where(sessions.c.id == session_id).values(values))

    def put_session(self, session_id: int, *, finished: str, sittings: Sequence[Sitting]) -> None:
        """What is known of a session that went on elsewhere."""
        values = {"finished": finished or None, "sittings": [asdict(one) for one in sittings] or None}
        with self._database.writing() as connection:
            connection.execute(update(sessions).where(sessions.c.id == session_id).values(values))

    def kits(self) -> dict[int, str]:
        """By session, on what it was heard last, where that was stated."""
        with self._database.reading() as connection:
            rows = connection.execute(
                select(sessions.c.id, sessions.c.sittings).where(sessions.c.sittings.is_not(None))
            )
            kept = {row.id: [one.get("kit") for one in row.sittings or () if one.get("kit")] for row in rows}
        return {session: kits[-1] for session, kits in kept.items() if kits}

    def sat_down(self, session_id: int, sitting: Sitting) -> None:
        """A sitting begins now."""
        with self._database.writing() as connection:
            one = sessions.c.id == session_id
            kept = connection.execute(select(sessions.c.sittings).where(one)).scalar_one() or []
            kept = [*kept, asdict(replace(sitting, begun=now()))]
            connection.execute(update(sessions).where(one).values(sittings=kept))

    def got_up(self, session_id: int, device: str = "") -> None:
        """The last sitting ends now; device: on which it was heard, where that is known."""
        with self._database.writing() as connection:
            one = sessions.c.id == session_id
            kept = connection.execute(select(sessions.c.sittings).where(one)).scalar_one()
            if kept and not kept[-1].get("ended"):
                kept = [*kept[:-1], {**kept[-1], "ended": now(), **({"device": device} if device else {})}]
                connection.execute(update(sessions).where(one).values(sittings=kept))


def _same(alias: str, other: str) -> bool:
    return " ".join(alias.split()).casefold() == " ".join(other.split()).casefold()


def looked(conduct: Conduct, listeners: int) -> Conduct:
    """With a look of today at the result, by so many listeners."""
    return replace(conduct, looks=(*conduct.looks, (clock.today().isoformat(), listeners)))


def _listener(row: Any) -> Listener:
    about = row.about or {}
    return Listener(
        id=row.id,
        alias=row.alias,
        languages=tuple(row.languages),
        hearing=row.hearing,
        kit=row.kit,
        simulated=row.simulated,
        accent=about.get("accent", ""),
        audience=about.get("audience", ""),
        age=about.get("age", ""),
        own_voice=about.get("own_voice", ""),
        fluency=about.get("fluency", {}),
        forgotten=bool(about.get("forgotten", False)),
    )


def _about(listener: Listener) -> dict[str, Any]:
    return {"accent": listener.accent, "audience": listener.audience, "age": listener.age,
            "own_voice": listener.own_voice, "fluency": dict(listener.fluency),
            "forgotten": listener.forgotten}  # fmt: skip

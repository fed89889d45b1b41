"""Which listening tests have no say in the figures of the choice, and why."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final, Literal

from sqlalchemy import Connection, func, select

from zestpanel.core.domain.listening import RATING, Conduct, ListeningTest, Progress
from zestpanel.core.store.schema import answers, sessions, tests, trials

Apart = Literal["removed", "covered", "by choice", "over a bed", "between neighbours", "older version"]
_ASKED: Final = ("scale", "question", "steps")  # settings in which tests of one question are the same


# all but the pool, which may be long
OF_TEST: Final = (tests.c.id, tests.c.kind, tests.c.settings, tests.c.created, tests.c.closed, tests.c.conduct)


def as_test(row: Any) -> ListeningTest:
    return ListeningTest(
        id=row.id, kind=row.kind, settings=row.settings, created=row.created, closed=row.closed or "",
        conduct=Conduct.from_document(row.conduct or {}),
    )  # fmt: skip


def read_tests(connection: Connection) -> list[ListeningTest]:
    return [as_test(row) for row in connection.execute(select(*OF_TEST).order_by(tests.c.id))]


def progress_of(connection: Connection) -> dict[int, Progress]:
    """By test; none for one that nobody has begun."""
    begun = {
        row.test_id: (row.begun, row.finished)
        for row in connection.execute(
            select(sessions.c.test_id, func.count().label("begun"), func.count(sessions.c.finished).label("finished"))
            .where(func.json_extract(sessions.c.checks, "$.turned_away").is_(None)).group_by(sessions.c.test_id)
        )
    }  # fmt: skip
    gave = (
        select(sessions.c.test_id, func.count(func.distinct(sessions.c.listener_id)))
        .select_from(answers).join(trials, trials.c.id == answers.c.trial_id)
        .join(sessions, sessions.c.id == trials.c.session_id)
        .where(trials.c.training.is_(False), answers.c.withdrawn.is_(False)).group_by(sessions.c.test_id)
    )  # fmt: skip
    answered = {int(test): int(count) for test, count in connection.execute(gave)}
    return {test: Progress(begun=one, finished=of, answered=answered.get(test, 0)) for test, (one, of) in begun.items()}


def apart_of(every: list[ListeningTest], progress: Mapping[int, Progress]) -> dict[int, Apart]:
    """By test, why its answers stand by themselves; nothing for those that count."""
    out: dict[int, Apart] = {}
    for test in every:
        if test.conduct.removed:
            out[test.id] = "removed"
        elif test.covered(progress.get(test.id, Progress())):
            out[test.id] = "covered"
        elif test.conduct.mixed is False:
            out[test.id] = "by choice"
        elif test.conduct.mixed is None and test.settings.get("bed"):
            out[test.id] = "over a bed"
        elif test.conduct.mixed is None and test.settings.get("context", "dry") != "dry":
            out[test.id] = "between neighbours"
    by_id = {test.id: test for test in every}
    for test in every:  # a newer version that has its say replaces the older ones, unless the lead puts them together
        if test.id in out or not progress.get(test.id, Progress()).answered:
            continue
        older, seen = test, {test.id}
        while (found := by_id.get(int(older.settings.get("version_of") or 0))) is not None and found.id not in seen:
            older = found
            seen.add(older.id)
            if older.conduct.mixed is None and older.id not in out and _same(test, older):
                out[older.id] = "older version"
    return out


def _same(test: ListeningTest, other: ListeningTest) -> bool:
    def asked(one: ListeningTest) -> list[object]:
        return [one.settings.get(name) for name in _ASKED]

    return test.kind == other.kind and (test.kind != RATING or asked(test) == asked(other))

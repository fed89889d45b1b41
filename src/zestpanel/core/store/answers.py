"""Trials and what was answered to them. Answers are append-only: the last one to a trial stands, unless withdrawn."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence, Set
from dataclasses import dataclass
from typing import Any, Final, Literal

from sqlalchemy import ColumnElement, Connection, case, func, select

from zestpanel.core.domain.listening import (
    QUALITY,
    RATING,
    Answer,
    Answered,
    PlannedTrial,
    Rating,
    Stimulus,
    Trial,
)
from zestpanel.core.store.apart import apart_of, progress_of, read_tests
from zestpanel.core.store.database import Database, now
from zestpanel.core.store.schema import answers, sessions, stimuli, takes, tests, trials
from zestpanel.core.waiting import in_turns, let_go

_LISTENERS: Final = (
    select(func.count(func.distinct(sessions.c.listener_id)))
    .select_from(answers)
    .join(trials, trials.c.id == answers.c.trial_id)
    .join(sessions, sessions.c.id == trials.c.session_id)
    .where(trials.c.training.is_(False))
)


@dataclass(frozen=True, slots=True)
class StoredAnswer:
    """A row as it was written, whether it stands or not."""

    trial_id: int
    answer: Answer
    withdrawn: bool


class Answers:
    def __init__(self, database: Database) -> None:
        self._database = database

    def add(self, trial_id: int, answer: Answer, *, withdrawn: bool = False) -> int:
        """The moment is now, unless the answer has one."""
        values = _row(StoredAnswer(trial_id, answer, withdrawn))
        with self._database.writing() as connection:
            return int(connection.execute(answers.insert().values(values).returning(answers.c.id)).scalar_one())

    def take(self, trial_id: int, answer: Answer) -> Literal["new", "known", "older"]:
        """An answer that comes from elsewhere, with its client and sequence: the same one again changes nothing, and
        one that was given before the one that stands never stands instead of it."""
        with self._database.writing() as connection:
            same = (
                (answers.c.trial_id == trial_id) & (answers.c.client == answer.client)
                & (answers.c.sequence == answer.sequence)
            )  # fmt: skip
            if connection.execute(select(answers.c.id).where(same)).first() is not None:
                return "known"
            last = connection.execute(
                select(answers).where(answers.c.trial_id == trial_id).order_by(answers.c.id.desc()).limit(1)
            ).one_or_none()
            if last is not None and _is_before(answer, last):
                return "older"
            connection.execute(answers.insert().values(_row(StoredAnswer(trial_id, answer, False))))
            return "new"

    def add_many(self, given: Sequence[StoredAnswer]) -> None:
        """In this order, all or none."""
        if given:
            with self._database.writing() as connection:
                connection.execute(answers.insert(), [_row(one) for one in given])

    def last_of(self, trial_id: int) -> Answer | None:
        """The answer to a trial that stands, None where there is none or it was taken back."""
        query = select(answers).where(answers.c.trial_id == trial_id).order_by(answers.c.id.desc()).limit(1)
        with self._database.reading() as connection:
            row = connection.execute(query).one_or_none()
        return None if row is None or row.withdrawn else _answer(row)

    def every_of(self, test_id: int) -> list[StoredAnswer]:
        """Everything that was ever answered to a test, in the order it was given."""
        query = (
            select(answers).join(trials, trials.c.id == answers.c.trial_id)
            .join(sessions, sessions.c.id == trials.c.session_id).where(sessions.c.test_id == test_id)
            .order_by(answers.c.id)
        )  # fmt: skip
        with self._database.reading() as connection:
            return [StoredAnswer(row.trial_id, _answer(row), row.withdrawn) for row in connection.execute(query)]

    def answered_places(self, session_id: int) -> set[int]:
        """Places of a session's trials that were answered, for going on with it."""
        query = select(trials.c.place).join(answers, answers.c.trial_id == trials.c.id)
        with self._database.reading() as connection:
            return set(connection.execute(query.where(trials.c.session_id == session_id)).scalars())

    def places_of_test(self, test_id: int) -> dict[int, set[int]]:
        """By session of a test, the places of the trials that were answered."""
        query = select(trials.c.session_id, trials.c.place).join(answers, answers.c.trial_id == trials.c.id)
        query = query.join(sessions, sessions.c.id == trials.c.session_id).where(sessions.c.test_id == test_id)
        out: dict[int, set[int]] = {}
        with self._database.reading() as connection:
            for session, place in connection.execute(query.distinct()):
                out.setdefault(session, set()).add(place)
        return out

    def answered_sessions(self, test_id: int) -> set[int]:
        """The sessions of a test in which anything was answered."""
        query = select(trials.c.session_id).join(answers, answers.c.trial_id == trials.c.id)
        query = query.join(sessions, sessions.c.id == trials.c.session_id).where(sessions.c.test_id == test_id)
        with self._database.reading() as connection:
            return set(connection.execute(query.distinct()).scalars())

    def count_listeners(self) -> int:
        """Listeners who have given an answer that counts."""
        with self._database.reading() as connection:
            return int(connection.execute(_LISTENERS).scalar_one())

    def counts_by_listener(self) -> dict[int, int]:
        """How many answers that count each has given, of all kinds of tests."""
        query = (
            select(sessions.c.listener_id, func.count(func.distinct(trials.c.id)))
            .select_from(answers).join(trials, trials.c.id == answers.c.trial_id)
            .join(sessions, sessions.c.id == trials.c.session_id)
            .where(answers.c.id.in_(_last()), answers.c.withdrawn.is_(False), trials.c.training.is_(False))
            .group_by(sessions.c.listener_id)
        )  # fmt: skip
        with self._database.reading() as connection:
            return {int(listener): int(count) for listener, count in connection.execute(query)}

    def of_test(self, test_id: int, *, training: bool = False) -> list[Answered]:
        """The answers to a test that stand, in the order they were given; without those to clips that were removed."""
        with self._database.reading() as connection:
            found = read_trials(connection, sessions.c.test_id == test_id)
            found_rows = connection.execute(
                select(answers, sessions.c.listener_id)
                .join(trials, trials.c.id == answers.c.trial_id)
                .join(sessions, sessions.c.id == trials.c.session_id)
                .where(sessions.c.test_id == test_id, answers.c.id.in_(_last()), answers.c.withdrawn.is_(False))
                .order_by(answers.c.id)
            )
            rows = list(in_turns(found_rows))
            gone = set(connection.execute(select(takes.c.id).where(takes.c.removed.is_not(None))).scalars())
        stand = [
            Answered(answer=_answer(row), trial=found[row.trial_id], test_id=test_id, listener_id=row.listener_id)
            for row in rows
            if (training or not found[row.trial_id].training)
            and not any(s.take_id in gone for s in found[row.trial_id].stimuli)
        ]
        let_go(rows)
        return stand

    # -- single scores of single clips

    def revision(self) -> tuple[object, ...]:
        """Differs once any rating that stands may be another one: an answer came or was taken back, a take was removed
        or is back, or a listener was left out of a test or put back."""
        gone = func.coalesce(func.sum(case((answers.c.withdrawn.is_(True), answers.c.id))), 0)
        away = func.coalesce(func.sum(case((takes.c.removed.is_not(None), takes.c.id))), 0)
        with self._database.reading() as connection:
            of_answers = connection.execute(select(func.count(), func.max(answers.c.id), gone)).one()
            of_takes = connection.execute(select(func.count(), away).select_from(takes)).one()
            of_tests = connection.execute(select(tests.c.id, tests.c.settings, tests.c.conduct, tests.c.closed)).all()
            finished = connection.execute(select(func.count(sessions.c.finished))).scalar_one()
        return (*of_answers, *of_takes, finished, repr(of_tests))

    def ratings(self, *, training: bool = False, apart: bool = False) -> list[Rating]:
        """The ratings that stand and count, of all tests that ask for a score of one clip. Ratings of a take that was
        removed do not, they are back when it is; nor do those of listeners that the lead has left out of the test, nor
        those of tests that stand apart: covered until all planned listeners have answered, heard over something, older
        versions. apart: these, too."""
        score = func.json_extract(answers.c.given, "$.score")
        query = (
            select(
                answers.c.id, sessions.c.listener_id, stimuli.c.candidate_id, stimuli.c.passage_version_id,
                score.label("score"), sessions.c.test_id, trials.c.training, answers.c.origin, trials.c.place,
                trials.c.session_id,
            )
            .select_from(answers)
            .join(trials, trials.c.id == answers.c.trial_id)
            .join(stimuli, stimuli.c.trial_id == trials.c.id)
            .join(sessions, sessions.c.id == trials.c.session_id)
            .join(tests, tests.c.id == sessions.c.test_id)
            .outerjoin(takes, takes.c.id == stimuli.c.take_id)
            .where(
                answers.c.id.in_(_last()), answers.c.withdrawn.is_(False), takes.c.removed.is_(None),
                tests.c.kind == RATING, func.json_type(answers.c.given, "$.score").in_(("integer", "real")),
                stimuli.c.role == "judged",
            )
            .order_by(answers.c.id)
        )  # fmt: skip
        if not training:
            query = query.where(trials.c.training.is_(False))
        found: dict[object, Rating] = {}
        with self._database.reading() as connection:
            asked = read_tests(connection)
            away = {} if apart else apart_of(asked, progress_of(connection))
            by_table = {one.id for one in asked if "origin" in one.settings}
            scales = {one.id: one.settings.get("scale", QUALITY) for one in asked}
            left_out = {one.id: one.conduct.left_out for one in asked}
            rows = connection.execute(query)
            for number, listener, candidate, version, given, test, trained, origin, place, session in in_turns(rows):
                if test in away or listener in left_out[test]:
                    continue
                # of ratings from tables the last one of a listener for a clip's candidate and text stands
                key = (session, candidate, version) if test in by_table else (session, place)
                found.pop(key, None)
                found[key] = Rating(
                    id=number, listener_id=listener, candidate_id=candidate, passage_version_id=version,
                    score=float(given), scale=scales[test], training=trained, origin=origin, trial=place,
                    session_id=session, test_id=test,
                )  # fmt: skip
        return list(found.values())

    def add_ratings(self, rows: Sequence[Mapping[str, Any]]) -> None:
        """Ratings that come in a table or from a simulated panel, all or none: listener_id, candidate_id,
        passage_version_id, score, origin; take_id where it is known, withdrawn for one that is taken back.

        scale where it is not the quality of listening. Each origin has a test of its own for each scale, each listener
        a session of it, each clip a trial: a later rating of the same clip by the same listener stands instead of the
        earlier one.
        """
        with self._database.writing() as connection:
            for origin, scale in dict.fromkeys((row["origin"], row.get("scale", QUALITY)) for row in rows):
                of = [row for row in rows if (row["origin"], row.get("scale", QUALITY)) == (origin, scale)]
                self._add_ratings(connection, self._table_test(connection, origin, scale), of)

    def _table_test(self, connection: Connection, origin: str, scale: str) -> int:
        """The test that stands for ratings of one origin, on one scale, that no booth asked for."""
        settings = {"origin": origin} if scale == QUALITY else {"origin": origin, "scale": scale}
        for row in connection.execute(select(tests).where(tests.c.kind == RATING, tests.c.closed.is_not(None))):
            if row.settings == settings:
                return int(row.id)
        values = {"kind": RATING, "settings": settings, "created": now(), "closed": now()}
        return int(connection.execute(tests.insert().values(values).returning(tests.c.id)).scalar_one())

    def _add_ratings(self, connection: Connection, test_id: int, rows: Sequence[Mapping[str, Any]]) -> None:
        known = {
            row.listener_id: int(row.id)
            for row in connection.execute(select(sessions).where(sessions.c.test_id == test_id))
        }
        for listener in dict.fromkeys(row["listener_id"] for row in rows):
            if listener not in known:
                values = {"test_id": test_id, "listener_id": listener, "created": now(), "finished": now()}
                added = connection.execute(sessions.insert().values(values).returning(sessions.c.id))
                known[listener] = int(added.scalar_one())
        there = {_clip_of(t.session_id, t.stimuli[0]): t.id
                 for t in read_trials(connection, sessions.c.test_id == test_id).values()}  # fmt: skip
        whose = _whose(connection, {row.get("take_id") for row in rows})
        clips = [
            Stimulus(candidate_id=whose.get(row.get("take_id"), row["candidate_id"]),
                     passage_version_id=row["passage_version_id"], take_id=row.get("take_id"))
            for row in rows
        ]  # fmt: skip
        for session in dict.fromkeys(known.values()):
            new = dict.fromkeys(
                clip for row, clip in zip(rows, clips, strict=True)
                if known[row["listener_id"]] == session and _clip_of(session, clip) not in there
            )  # fmt: skip
            planned = [PlannedTrial(stimuli=(clip,)) for clip in new]
            numbers = add_trials(connection, session, planned)
            there |= {_clip_of(session, clip): number for clip, number in zip(new, numbers, strict=True)}
        if rows:
            connection.execute(
                answers.insert(),
                [
                    {"trial_id": there[_clip_of(known[row["listener_id"]], clip)], "given": {"score": row["score"]},
                     "heard_share": row.get("heard_share"), "plays": None, "took_s": None, "note": "",
                     "origin": row["origin"], "created": now(), "withdrawn": bool(row.get("withdrawn", False))}
                    for row, clip in zip(rows, clips, strict=True)
                ],
            )  # fmt: skip


def add_trials(connection: Connection, session_id: int, planned: Iterable[PlannedTrial]) -> list[int]:
    """Trials behind those a session has; their numbers. A clip counts for the candidate that its take is of now."""
    before = connection.execute(
        select(func.coalesce(func.max(trials.c.place), -1)).where(trials.c.session_id == session_id)
    ).scalar_one()
    first = int(connection.execute(select(func.coalesce(func.max(trials.c.id), 0))).scalar_one()) + 1
    new = list(planned)
    if not new:
        return []
    whose = _whose(connection, {s.take_id for trial in new for s in trial.stimuli})
    connection.execute(
        trials.insert(),
        [{"id": first + k, "session_id": session_id, "place": before + 1 + k, "training": one.training,
          "detail": dict(one.detail)} for k, one in enumerate(new)],
    )  # fmt: skip
    connection.execute(
        stimuli.insert(),
        [{"trial_id": first + k, "role": s.role, "candidate_id": whose.get(s.take_id, s.candidate_id),
          "passage_version_id": s.passage_version_id, "take_id": s.take_id}
         for k, one in enumerate(new) for s in one.stimuli],
    )  # fmt: skip
    return list(range(first, first + len(new)))


def _whose(connection: Connection, of: Set[int | None]) -> dict[int | None, int]:
    """The candidate that each of these takes is of now: it may have been split since it was planned."""
    rows = connection.execute(select(takes.c.id, takes.c.candidate_id))
    return {row.id: row.candidate_id for row in rows if row.id in of}


def read_trials(connection: Connection, where: ColumnElement[bool]) -> dict[int, Trial]:
    """Trials by number, in the order of their sessions; where: a condition on sessions."""
    clips: dict[int, list[Stimulus]] = {}
    in_question = select(trials.c.id).join(sessions, sessions.c.id == trials.c.session_id).where(where)
    for row in connection.execute(select(stimuli).where(stimuli.c.trial_id.in_(in_question)).order_by(stimuli.c.id)):
        clips.setdefault(row.trial_id, []).append(
            Stimulus(candidate_id=row.candidate_id, passage_version_id=row.passage_version_id, take_id=row.take_id,
                     role=row.role)
        )  # fmt: skip
    rows = connection.execute(
        select(trials).where(trials.c.id.in_(in_question)).order_by(trials.c.session_id, trials.c.place)
    )
    return {
        row.id: Trial(id=row.id, session_id=row.session_id, place=row.place, training=row.training, detail=row.detail,
                      stimuli=tuple(clips.pop(row.id, ())))  # freed one by one: see ``let_go``
        for row in rows
    }  # fmt: skip


def _last() -> Any:
    """Numbers of the last answer to each trial."""
    return select(func.max(answers.c.id)).group_by(answers.c.trial_id)


def _clip_of(session_id: int, clip: Stimulus) -> tuple[int, int, int, int | None]:
    return session_id, clip.candidate_id, clip.passage_version_id, clip.take_id


def _is_before(answer: Answer, last: Any) -> bool:
    """Whether it was given before what was answered last: by its sequence where both are of one client, else by the
    clocks there."""
    if answer.client == last.client:
        return bool(answer.sequence < (last.sequence or 0))
    return bool((answer.client_clock or now()) < (last.client_clock or last.created))


def _row(one: StoredAnswer) -> dict[str, Any]:
    answer = one.answer
    return {
        "trial_id": one.trial_id, "given": dict(answer.given), "heard_share": answer.heard_share,
        "plays": answer.plays, "took_s": answer.took_s, "note": answer.note, "origin": answer.origin,
        "created": answer.created or now(), "withdrawn": one.withdrawn, "spoken": answer.spoken or None,
        "heard": [list(part) for part in answer.heard] or None, "client": answer.client or None,
        "sequence": answer.sequence or None, "client_clock": answer.client_clock or None,
    }  # fmt: skip


def _answer(row: Any) -> Answer:
    return Answer(
        id=row.id, given=row.given, origin=row.origin, heard_share=row.heard_share, plays=row.plays,
        took_s=row.took_s, note=row.note, created=row.created, spoken=row.spoken or "",
        heard=tuple((float(share), int(plays)) for share, plays in row.heard or ()), client=row.client or "",
        sequence=row.sequence or 0, client_clock=row.client_clock or "",
    )  # fmt: skip

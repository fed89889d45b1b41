"""The journal: runs, and a row for each request, written open before it is sent and closed after it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import select, update

from zestpanel.core.domain.run import Answered, JournalRow, RunRow
from zestpanel.core.store.database import Database, now
from zestpanel.core.store.schema import requests, runs
from zestpanel.core.texts import tr


class Journal:
    def __init__(self, database: Database) -> None:
        self._database = database

    # -- runs

    def begin_run(
        self,
        *,
        repeats: int,
        seed: int,
        machine: str,
        network: str = "",
        kind: str = "bench",
        conditions: Mapping[str, Any] | None = None,
        of_run: int | None = None,
    ) -> int:
        values = {
            "created": now(),
            "repeats": repeats,
            "seed": seed,
            "machine": machine,
            "network": network,
            "kind": kind,
            "conditions": dict(conditions or {}),
            "of_run": of_run,
        }
        with self._database.writing() as connection:
            return int(connection.execute(runs.insert().values(values).returning(runs.c.id)).scalar_one())

    def end_run(self, run_id: int) -> None:
        with self._database.writing() as connection:
            connection.execute(update(runs).where(runs.c.id == run_id).values(ended=now()))

    def runs(self) -> dict[int, RunRow]:
        """All runs by id, oldest first."""
        with self._database.reading() as connection:
            return {
                r.id: RunRow(
                    id=r.id,
                    created=r.created,
                    ended=r.ended or "",
                    repeats=r.repeats,
                    seed=r.seed,
                    machine=r.machine,
                    kind=r.kind or "bench",
                    network=r.network or "",
                    conditions=r.conditions or {},
                    of_run=r.of_run,
                )
                for r in connection.execute(select(runs).order_by(runs.c.id))
            }

    # -- requests

    def open_request(
        self,
        *,
        run_id: int,
        candidate_id: int,
        passage_version_id: int,
        repeat: int,
        attempt: int,
        plan: str,
        characters: int,
        beside: int | None = None,
    ) -> int:
        """Journal a request before it is sent; on disk when this returns. beside: others then under way there."""
        values = {
            "run_id": run_id,
            "candidate_id": candidate_id,
            "passage_version_id": passage_version_id,
            "repeat": repeat,
            "attempt": attempt,
            "plan": plan,
            "characters": characters,
            "beside": beside,
            "state": "open",
            "opened": now(),
        }
        with self._database.writing() as connection:
            return int(connection.execute(requests.insert().values(values).returning(requests.c.id)).scalar_one())

    def close_failed(self, request_id: int, kind: str, text: str, *, state: str = "failed") -> None:
        self._close(request_id, state=state, failure_kind=kind, failure_text=text)

    def close_unused(self, answered: Answered, text: str) -> None:
        """A request that was answered and paid, and whose sound is of no use."""
        values = {"state": "unused", "failure_kind": "incomplete", "failure_text": text, **answered.as_values()}
        self._close(answered.request_id, **values)

    def _close(self, request_id: int, **values: Any) -> None:
        with self._database.writing() as connection:
            connection.execute(update(requests).where(requests.c.id == request_id).values(closed=now(), **values))

    def let_be_asked_again(self, request_ids: Sequence[int]) -> None:
        """A person says so, of requests that may have been paid: those still open are given up, and all may be made
        anew. They go on to count against caps."""
        with self._database.writing() as connection:
            for request_id in request_ids:
                one = update(requests).where(requests.c.id == request_id)
                connection.execute(one.where(requests.c.state == "open").values(
                    state="abandoned", failure_kind="abandoned", failure_text=tr("Left open when the program ended."),
                    closed=now()))  # fmt: skip
                connection.execute(one.values(decided=now()))

    def rows(self, *, state: str | None = None, run_id: int | None = None) -> list[JournalRow]:
        query = select(requests).order_by(requests.c.id)
        if state:
            query = query.where(requests.c.state == state)
        if run_id is not None:
            query = query.where(requests.c.run_id == run_id)
        with self._database.reading() as connection:
            return [
                JournalRow(
                    id=r.id,
                    run_id=r.run_id,
                    candidate_id=r.candidate_id,
                    passage_version_id=r.passage_version_id,
                    repeat=r.repeat,
                    attempt=r.attempt,
                    plan=r.plan,
                    state=r.state,
                    opened=r.opened,
                    closed=r.closed or "",
                    characters=r.characters,
                    failure_kind=r.failure_kind or "",
                    failure_text=r.failure_text or "",
                    beside=r.beside,
                    sound_s=r.sound_s,
                    decided=r.decided or "",
                )
                for r in connection.execute(query)
            ]

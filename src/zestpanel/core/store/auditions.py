"""Requests made to hear a line in a voice, or to try an engine: journaled before they are sent, like those of runs,
and kept, so that the same line is never paid for twice."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select, update

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import read_kept
from zestpanel.core.store.clip_store import ClipStore
from zestpanel.core.store.database import Database, now
from zestpanel.core.store.schema import auditions


@dataclass(frozen=True, slots=True, kw_only=True)
class Audition:
    """One line asked for. state: 'open', 'done', 'failed', 'unused' (a part of it came) or 'cancelled'.

    asked: the digest of what was asked. requests: how many the line took; characters: as billed; reply: what the reply
    said about itself.
    """

    id: int
    engine: str
    model: str
    plan: str
    voice: str
    text: str
    asked: str
    state: str
    opened: str
    requests: int
    characters: int
    sound_s: float | None
    failure_kind: str
    failure_text: str
    clip: str
    reply: Mapping[str, Any]


class Auditions:
    def __init__(self, database: Database, store: ClipStore) -> None:
        self._database, self._store = database, store

    def open(
        self, *, engine: str, model: str, plan: str, voice: str, text: str, asked: str, requests: int, characters: int
    ) -> int:
        """Journal what is about to be asked; on disk when this returns. Its number."""
        values = {
            "engine": engine, "model": model, "plan": plan, "voice": voice, "text": text, "asked": asked,
            "requests": requests, "characters": characters, "state": "open", "opened": now(),
        }  # fmt: skip
        with self._database.writing() as connection:
            return int(connection.execute(auditions.insert().values(values).returning(auditions.c.id)).scalar_one())

    def close_done(self, audition_id: int, clip: Clip, *, characters: int, reply: Mapping[str, Any]) -> None:
        """The line came: its sound is kept before its row says so."""
        name = self._store.keep(clip)
        self._close(audition_id, state="done", clip=name, characters=characters, sound_s=clip.duration_s,
                    reply=dict(reply))  # fmt: skip

    def close_failed(self, audition_id: int, kind: str, text: str, *, state: str = "failed", **used: int) -> None:
        """used: the requests and characters that may have been billed, where they are not all that were meant."""
        self._close(audition_id, state=state, failure_kind=kind, failure_text=text, **used)

    def _close(self, audition_id: int, **values: Any) -> None:
        with self._database.writing() as connection:
            connection.execute(update(auditions).where(auditions.c.id == audition_id).values(closed=now(), **values))

    def rows(self) -> list[Audition]:
        """All there are, oldest first."""
        with self._database.reading() as connection:
            return [_audition(row) for row in connection.execute(select(auditions).order_by(auditions.c.id))]

    def stored(self, asked: str) -> Audition | None:
        """The last answer to the very same request."""
        query = select(auditions).where((auditions.c.asked == asked) & (auditions.c.state == "done"))
        with self._database.reading() as connection:
            row = connection.execute(query.order_by(auditions.c.id.desc()).limit(1)).one_or_none()
        return _audition(row) if row is not None else None

    def load(self, audition: Audition) -> Clip:
        """Raises AudioError."""
        return read_kept(self._store.path(audition.clip))


def _audition(row: Any) -> Audition:
    return Audition(
        id=row.id, engine=row.engine, model=row.model, plan=row.plan, voice=row.voice, text=row.text, asked=row.asked,
        state=row.state, opened=row.opened, requests=row.requests, characters=row.characters, sound_s=row.sound_s,
        failure_kind=row.failure_kind or "", failure_text=row.failure_text or "", clip=row.clip or "",
        reply=row.reply or {},
    )  # fmt: skip

"""What the user adds to the catalogue: statements of facts, notes on voices, favourites, the set-up log."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Any, Final

from sqlalchemy import select, update
from sqlalchemy.dialects.sqlite import insert

from zestpanel.core.catalogue.fact_list import BY_NAME, About, Statement, read_facts
from zestpanel.core.catalogue.ledger import OwnStatement
from zestpanel.core.errors import InputError
from zestpanel.core.store.database import Database, now
from zestpanel.core.store.schema import setup_log, statements, voice_notes
from zestpanel.core.texts import tr, word

SETTING_UP: Final = "setting up"
# what a person's time goes into; clicks and waiting are a cost of their own
TIME_SPENT_ON: Final = (SETTING_UP, "making a voice", "trying again", "bringing clips in", "putting takes right")


@dataclass(frozen=True, slots=True, kw_only=True)
class VoiceNote:
    """A favourite mark, free tags and a short note on one voice."""

    engine: str
    voice: str
    favourite: bool = False
    tags: tuple[str, ...] = ()
    words: str = ""

    @property
    def empty(self) -> bool:
        return not (self.favourite or self.tags or self.words)


@dataclass(frozen=True, slots=True, kw_only=True)
class SetupEntry:
    id: int
    engine: str
    at: str
    minutes: float
    words: str
    kind: str = SETTING_UP


class CatalogueNotes:
    def __init__(self, database: Database) -> None:
        self._database = database

    # -- statements

    def state(
        self,
        engine: str,
        about: About,
        item: str,
        fact: str,
        value: Any,
        *,
        source: str = "",
        dated: date | None = None,
        settles: bool = False,
    ) -> int:
        """Add a statement; its number. Raises InputError when the value does not fit the fact."""
        try:
            read = read_facts(about, {fact: {"value": value, "source": source, "dated": dated}})[fact][0]
        except ValueError as error:
            raise InputError(f"{error}.", kept=tr("Nothing was changed.")) from error
        with self._database.writing() as connection:
            return int(
                connection.execute(
                    statements.insert()
                    .values(
                        engine=engine,
                        about=about,
                        item=item,
                        fact=fact,
                        value=read["value"],
                        source=source,
                        dated=dated.isoformat() if dated else None,
                        settles=settles,
                        added=now(),
                    )
                    .returning(statements.c.id)
                ).scalar_one()
            )

    def set_statement_removed(self, statement_id: int, removed: bool) -> None:
        with self._database.writing() as connection:
            values = {"removed": now() if removed else None}
            connection.execute(update(statements).where(statements.c.id == statement_id).values(values))

    def statements(self) -> dict[str, list[OwnStatement]]:
        """Statements in force, by engine."""
        query = select(statements).where(statements.c.removed.is_(None)).order_by(statements.c.id)
        out: dict[str, list[OwnStatement]] = defaultdict(list)
        with self._database.reading() as connection:
            for row in connection.execute(query):
                if (row.about, row.fact) not in BY_NAME:
                    continue  # written by a program that knew more facts: kept, not shown
                value = tuple(row.value) if isinstance(row.value, list) else row.value
                dated = date.fromisoformat(row.dated) if row.dated else None
                out[row.engine].append(
                    OwnStatement(
                        id=row.id,
                        about=row.about,
                        item=row.item,
                        fact=row.fact,
                        statement=Statement(value=value, source=row.source, dated=dated),
                        settles=row.settles,
                    )
                )
        return dict(out)

    # -- notes on voices

    def voices(self) -> dict[tuple[str, str], VoiceNote]:
        with self._database.reading() as connection:
            return {
                (row.engine, row.voice): VoiceNote(
                    engine=row.engine,
                    voice=row.voice,
                    favourite=row.favourite,
                    tags=tuple(row.tags),
                    words=row.words,
                )
                for row in connection.execute(select(voice_notes))
            }

    def put_voices(self, notes: Sequence[VoiceNote]) -> None:
        with self._database.writing() as connection:
            for note in notes:
                values = {
                    "engine": note.engine,
                    "voice": note.voice,
                    "favourite": note.favourite,
                    "tags": list(note.tags),
                    "words": note.words,
                    "changed": now(),
                }
                row = insert(voice_notes).values(**values)
                connection.execute(row.on_conflict_do_update(index_elements=["engine", "voice"], set_=values))

    def set_favourite(self, voices: Sequence[tuple[str, str]], favourite: bool) -> None:
        known = self.voices()
        self.put_voices(
            [replace(known.get((e, v), VoiceNote(engine=e, voice=v)), favourite=favourite) for e, v in voices]
        )

    # -- the set-up log

    def log_setup(self, engine: str, minutes: float, words: str, *, at: str = "", kind: str = SETTING_UP) -> int:
        """kind: one of TIME_SPENT_ON. Raises InputError for a time that is none."""
        if kind not in TIME_SPENT_ON:
            raise InputError(
                tr("Time is spent on one of {kinds}.", kinds=", ".join(map(word, TIME_SPENT_ON))),
                kept=tr("Nothing was changed."),
            )
        if not 0 <= minutes <= 60 * 24 * 30:
            raise InputError(tr("The minutes spent are a number from 0 to 43,200."), kept=tr("Nothing was changed."))
        with self._database.writing() as connection:
            values = {"engine": engine, "at": at or now(), "minutes": minutes, "words": words, "kind": kind}
            row = connection.execute(setup_log.insert().values(values).returning(setup_log.c.id))
            return int(row.scalar_one())

    def set_setup_removed(self, entry_id: int, removed: bool) -> None:
        with self._database.writing() as connection:
            values = {"removed": now() if removed else None}
            connection.execute(update(setup_log).where(setup_log.c.id == entry_id).values(values))

    def setup(self, engine: str = "") -> list[SetupEntry]:
        query = select(setup_log).where(setup_log.c.removed.is_(None)).order_by(setup_log.c.id)
        if engine:
            query = query.where(setup_log.c.engine == engine)
        with self._database.reading() as connection:
            return [
                SetupEntry(
                    id=r.id, engine=r.engine, at=r.at, minutes=r.minutes, words=r.words, kind=r.kind or SETTING_UP
                )
                for r in connection.execute(query)
            ]

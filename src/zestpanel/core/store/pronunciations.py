"""The project's pronunciation list, kept by row so that a change can be taken back."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import select, update

from zestpanel.core.store.database import Database, now
from zestpanel.core.store.schema import pronunciations
from zestpanel.core.store.worked_out import WorkedOut
from zestpanel.core.text.lexicon.lexicon import Entry, checked


class Pronunciations:
    def __init__(self, database: Database) -> None:
        self._database = database
        self._all = WorkedOut(self._read)

    def all(self) -> tuple[Entry, ...]:
        """All entries by word, the ones for all engines first."""
        return self._all.get()

    def _read(self) -> tuple[Entry, ...]:
        query = select(pronunciations).where(pronunciations.c.removed.is_(None))
        with self._database.reading() as connection:
            found = [
                Entry(
                    id=r.id,
                    word=r.word,
                    language=r.language,
                    engine=r.engine,
                    ipa=r.ipa,
                    respelling=r.respelling,
                    note=r.note,
                )
                for r in connection.execute(query)
            ]
        return tuple(sorted(found, key=lambda e: (e.word.lower(), e.language, e.engine)))

    def look_again(self) -> None:
        """Another program may have changed the list."""
        self._all.forget()

    def put(self, entries: Sequence[Entry]) -> tuple[list[int], list[int]]:
        """Add entries; one for the same word, language and engine takes the other's place.

        Returns (ids added, ids replaced) for taking it back. All or none. Raises InputError.
        """
        tidy = [checked(entry) for entry in entries]
        keys = {(e.word, e.language, e.engine) for e in tidy}
        replaced = [e.id for e in self.all() if (e.word, e.language, e.engine) in keys]
        added: list[int] = []
        with self._database.writing() as connection:
            if replaced:
                connection.execute(
                    update(pronunciations).where(pronunciations.c.id.in_(replaced)).values(removed=now())
                )  # fmt: skip
            latest = {(e.word, e.language, e.engine): e for e in tidy}
            for e in latest.values():
                row = pronunciations.insert().values(
                    word=e.word,
                    language=e.language,
                    engine=e.engine,
                    ipa=e.ipa,
                    respelling=e.respelling,
                    note=e.note,
                    changed=now(),
                )
                added.append(connection.execute(row.returning(pronunciations.c.id)).scalar_one())
        self._all.forget()
        return added, replaced

    def set_removed(self, ids: Sequence[int], removed: bool) -> None:
        with self._database.writing() as connection:
            connection.execute(
                update(pronunciations)
                .where(pronunciations.c.id.in_(list(ids)))
                .values(removed=now() if removed else None)
            )
        self._all.forget()

    def swap(self, back: Sequence[int], away: Sequence[int]) -> None:
        """Bring some entries back and take others away: an edit taken back, or done again."""
        self.set_removed(away, True)
        self.set_removed(back, False)

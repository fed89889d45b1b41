"""The project's passages, versioned: editing a text adds a version, takes stay with the one they read."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import Select, func, select, update

from zestpanel.core.errors import InputError
from zestpanel.core.passages.passage import Passage, clean_text, text_hash, title_from
from zestpanel.core.project.database import Database, now
from zestpanel.core.project.schema import passage_versions, passages


class Texts:
    def __init__(self, database: Database) -> None:
        self._database = database

    def add(self, texts: Sequence[str], *, language: str, titles: Sequence[str] = ()) -> list[Passage]:
        """Add passages at the end, all or none. Raises InputError for a text without words."""
        cleaned = [clean_text(text) for text in texts]
        for number, text in enumerate(cleaned, 1):
            if not any(c.isalnum() for c in text):
                raise InputError(f"Passage {number} of {len(cleaned)} holds no words.", kept="Nothing was added.")
        ids = []
        with self._database.writing() as connection:
            place = connection.execute(select(func.max(passages.c.position))).scalar() or 0
            for index, text in enumerate(cleaned):
                title = titles[index] if index < len(titles) else title_from(text)
                passage_id = connection.execute(
                    passages.insert()
                    .values(position=place + index + 1, title=title, language=language, created=now())
                    .returning(passages.c.id)
                ).scalar_one()
                _insert_version(connection, passage_id, 1, text)
                ids.append(passage_id)
        return [p for p in self.all() if p.id in set(ids)]

    def all(self) -> list[Passage]:
        """The passages in order, each at its newest version."""
        with self._database.reading() as connection:
            return [_passage(row) for row in connection.execute(_current())]

    def get(self, passage_id: int) -> Passage:
        with self._database.reading() as connection:
            row = connection.execute(_current(removed=True).where(passages.c.id == passage_id)).one_or_none()
        if row is None:
            raise InputError(f"There is no passage {passage_id}.")
        return _passage(row)

    def version_text(self, version_id: int) -> tuple[str, str]:
        """(text, language) of any version."""
        query = (
            select(passage_versions.c.text, passages.c.language)
            .join(passages, passages.c.id == passage_versions.c.passage_id)
            .where(passage_versions.c.id == version_id)
        )
        with self._database.reading() as connection:
            text, language = connection.execute(query).one()
        return text, language

    def passage_of_version(self) -> dict[int, int]:
        """Passage id by version id, for all versions."""
        with self._database.reading() as connection:
            rows = connection.execute(select(passage_versions.c.id, passage_versions.c.passage_id)).all()
        return {version: passage for version, passage in rows}

    def edit(self, passage_id: int, text: str) -> Passage:
        """Give a passage another text: a new version, or the older one again when that had the very same text."""
        text = clean_text(text)
        if not any(c.isalnum() for c in text):
            raise InputError("A passage needs words.", kept="The passage keeps its text.")
        present = self.get(passage_id)
        if text != present.text:
            with self._database.writing() as connection:
                newest = connection.execute(
                    select(func.max(passage_versions.c.number)).where(passage_versions.c.passage_id == passage_id)
                ).scalar_one()
                same = connection.execute(
                    select(passage_versions.c.id).where(
                        passage_versions.c.passage_id == passage_id,
                        passage_versions.c.sha256 == text_hash(text),
                    )
                ).scalar()
                if same is not None:
                    # back to an earlier text: its takes are good again
                    connection.execute(
                        update(passage_versions).where(passage_versions.c.id == same).values(number=newest + 1)
                    )
                else:
                    _insert_version(connection, passage_id, newest + 1, text)
        return self.get(passage_id)

    def describe(self, passage_id: int, *, title: str | None = None, language: str | None = None) -> None:
        values = {k: v for k, v in (("title", title), ("language", language)) if v}
        if values:
            with self._database.writing() as connection:
                connection.execute(update(passages).where(passages.c.id == passage_id).values(**values))

    def set_removed(self, passage_ids: list[int], removed: bool) -> None:
        with self._database.writing() as connection:
            connection.execute(
                update(passages).where(passages.c.id.in_(passage_ids)).values(removed=now() if removed else None)
            )

    def reorder(self, passage_ids: Sequence[int]) -> None:
        """Put the passages into the given order."""
        with self._database.writing() as connection:
            for place, passage_id in enumerate(passage_ids, 1):
                connection.execute(update(passages).where(passages.c.id == passage_id).values(position=place))


def _insert_version(connection: Any, passage_id: int, number: int, text: str) -> None:
    connection.execute(
        passage_versions.insert().values(
            passage_id=passage_id, number=number, text=text, sha256=text_hash(text), created=now()
        )
    )


def _current(*, removed: bool = False) -> Select[Any]:
    newest = (
        select(passage_versions.c.passage_id, func.max(passage_versions.c.number).label("number"))
        .group_by(passage_versions.c.passage_id)
        .subquery()
    )
    query = (
        select(
            passages.c.id,
            passages.c.title,
            passages.c.language,
            passage_versions.c.id.label("version_id"),
            passage_versions.c.number,
            passage_versions.c.text,
        )
        .join(passage_versions, passage_versions.c.passage_id == passages.c.id)
        .join(newest, (newest.c.passage_id == passages.c.id) & (newest.c.number == passage_versions.c.number))
        .order_by(passages.c.position, passages.c.id)
    )
    return query if removed else query.where(passages.c.removed.is_(None))


def _passage(row: Any) -> Passage:
    return Passage(
        id=row.id,
        version_id=row.version_id,
        number=row.number,
        title=row.title,
        language=row.language,
        text=row.text,
    )

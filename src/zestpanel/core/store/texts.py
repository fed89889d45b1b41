"""The project's passages, versioned: editing a text or its marks adds a version, takes stay with the one they read."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass
from functools import cache
from typing import Any

from sqlalchemy import Select, func, select, update

from zestpanel.core.domain.mark import DeliveryMark, clipped, from_json, in_order, problems
from zestpanel.core.domain.passage import LONGEST_PASSAGE, RIGHTS, Passage, Review, clean_text, text_hash, title_from
from zestpanel.core.errors import InputError
from zestpanel.core.store.database import Database, now
from zestpanel.core.store.schema import passage_versions, passages
from zestpanel.core.texts import tr


@dataclass(frozen=True, slots=True, kw_only=True)
class NewText:
    """A passage to be. Its text is cleaned when it is kept; marks are by index in the text as given."""

    text: str
    title: str = ""
    marks: tuple[DeliveryMark, ...] = ()
    tags: tuple[str, ...] = ()
    rights: str = ""
    source: str = ""
    translation_of: int | None = None
    dialogue: str = ""
    speaker: str = ""
    gap_s: float | None = None
    language: str = ""


_TOO_LONG = tr(
    "more than {longest_passage} characters: a passage is what is heard in one go.",
    longest_passage=f"{LONGEST_PASSAGE:,}",
)


class Texts:
    def __init__(self, database: Database) -> None:
        self._database = database

    def add(
        self,
        texts: Sequence[str | NewText],
        *,
        language: str,
        titles: Sequence[str] = (),
        rights: str = "",
        source: str = "",
    ) -> list[Passage]:
        """Add passages at the end, all or none. Raises InputError for a text without words or with marks that cross."""
        given = [one if isinstance(one, NewText) else NewText(text=one, rights=rights, source=source) for one in texts]
        cleaned = [_cleaned(one.text, one.marks) for one in given]
        for number, (text, marks) in enumerate(cleaned, 1):
            if not any(c.isalnum() for c in text):
                raise InputError(
                    tr("Passage {number} of {cleaned} holds no words.", number=number, cleaned=len(cleaned)),
                    kept=tr("Nothing was added."),
                )
            if len(text) > LONGEST_PASSAGE:
                raise InputError(
                    tr(
                        "Passage {number} of {cleaned} has {too_long}",
                        number=number,
                        cleaned=len(cleaned),
                        too_long=_TOO_LONG,
                    ),
                    kept=tr("Nothing was added."),
                )
            if found := problems(text, marks):
                raise InputError(
                    tr("Passage {number} of {cleaned}: {found}.", number=number, cleaned=len(cleaned), found=found[0]),
                    kept=tr("Nothing was added."),
                )
        ids = []
        with self._database.writing() as connection:
            place = connection.execute(select(func.max(passages.c.position))).scalar() or 0
            for index, (one, (text, marks)) in enumerate(zip(given, cleaned, strict=True)):
                title = one.title or (titles[index] if index < len(titles) else title_from(text))
                values = {
                    "position": place + index + 1,
                    "title": title,
                    "language": one.language or language,
                    "created": now(),
                    "tags": list(one.tags),
                    "rights": one.rights,
                    "source": one.source,
                    "translation_of": one.translation_of,
                    "dialogue": one.dialogue,
                    "speaker": one.speaker,
                    "gap_s": one.gap_s,
                }
                passage_id = connection.execute(
                    passages.insert().values(**values).returning(passages.c.id)
                ).scalar_one()
                _insert_version(connection, passage_id, 1, text, marks)
                ids.append(passage_id)
        wanted = set(ids)
        return [p for p in self._read(_current()) if p.id in wanted]

    def all(self) -> list[Passage]:
        """The passages of the set in order, each at its newest version; turns of dialogues are not among them."""
        return [p for p in self._read(_current()) if not p.dialogue]

    def turns(self, dialogue: str) -> list[Passage]:
        """The turns of a dialogue in order."""
        return [p for p in self._read(_current()) if p.dialogue == dialogue]

    def dialogues(self) -> list[str]:
        return list(dict.fromkeys(p.dialogue for p in self._read(_current()) if p.dialogue))

    def get(self, passage_id: int) -> Passage:
        found = self._read(_current(removed=True).where(passages.c.id == passage_id))
        if not found:
            raise InputError(tr("There is no passage {passage_id}.", passage_id=passage_id))
        return found[0]

    def size(self) -> tuple[int, int]:
        """(passages, turns of dialogues included; characters of all their versions), by a quick look."""
        query = select(func.count(passages.c.id.distinct()), func.sum(func.length(passage_versions.c.text)))
        query = query.select_from(passages.join(passage_versions)).where(passages.c.removed.is_(None))
        with self._database.reading() as connection:
            count, characters = connection.execute(query).one()
        return int(count), int(characters or 0)

    def _read(self, query: Select[Any]) -> list[Passage]:
        with self._database.reading() as connection:
            return [_passage(row) for row in connection.execute(query)]

    def version_text(self, version_id: int) -> tuple[str, str]:
        """(text, language) of any version."""
        query = (
            select(passage_versions.c.text, func.coalesce(passage_versions.c.language, passages.c.language))
            .join(passages, passages.c.id == passage_versions.c.passage_id)
            .where(passage_versions.c.id == version_id)
        )
        with self._database.reading() as connection:
            text, language = connection.execute(query).one()
        return text, language

    def every_text(self) -> dict[int, tuple[str, str]]:
        """(text, language) of every version there is."""
        query = select(
            passage_versions.c.id, passage_versions.c.text,
            func.coalesce(passage_versions.c.language, passages.c.language).label("language"),
        ).join(passages, passages.c.id == passage_versions.c.passage_id)  # fmt: skip
        with self._database.reading() as connection:
            return {row.id: (row.text, row.language) for row in connection.execute(query)}

    def add_former(self, passage_id: int, text: str, language: str) -> int:
        """Words that a passage had elsewhere, as a version behind which the present one stays; its number."""
        of = passage_versions.c
        with self._database.writing() as connection:
            newest = connection.execute(select(of.id, of.number).where(of.passage_id == passage_id)
                                        .order_by(of.number.desc()).limit(1)).one()  # fmt: skip
            connection.execute(update(passage_versions).where(of.id == newest.id).values(number=newest.number + 1))
            _insert_version(connection, passage_id, newest.number, text, ())
            mine = (of.passage_id == passage_id) & (of.number == newest.number)
            connection.execute(update(passage_versions).where(mine).values(language=language))
            return int(connection.execute(select(of.id).where(mine)).scalar_one())

    def titles(self) -> dict[int, str]:
        """By passage, of those that were removed, too."""
        with self._database.reading() as connection:
            return {row.id: row.title for row in connection.execute(select(passages.c.id, passages.c.title))}

    def passage_of_version(self) -> dict[int, int]:
        """Passage id by version id, for all versions."""
        with self._database.reading() as connection:
            rows = connection.execute(select(passage_versions.c.id, passage_versions.c.passage_id)).all()
        return {version: passage for version, passage in rows}

    def edit(self, passage_id: int, text: str, marks: Sequence[DeliveryMark] = ()) -> Passage:
        """Give a passage another text or other marks: a new version, or the older one again that had the very same.

        Raises InputError for a text without words or marks that cannot be sent.
        """
        text, marks = _cleaned(text, marks)
        if not any(c.isalnum() for c in text):
            raise InputError(tr("A passage needs words."), kept=tr("The passage keeps its text."))
        if found := problems(text, marks):
            raise InputError(f"{found[0][0].upper()}{found[0][1:]}.", kept=tr("The passage keeps its text."))
        present = self.get(passage_id)
        if len(text) > max(LONGEST_PASSAGE, len(present.text)):
            raise InputError(tr("The text has {too_long}", too_long=_TOO_LONG), kept=tr("The passage keeps its text."))
        if (text, marks) != (present.text, present.marks):
            with self._database.writing() as connection:
                newest = connection.execute(
                    select(func.max(passage_versions.c.number)).where(passage_versions.c.passage_id == passage_id)
                ).scalar_one()
                same = connection.execute(
                    select(passage_versions.c.id).where(
                        passage_versions.c.passage_id == passage_id,
                        passage_versions.c.sha256 == text_hash(text, marks),
                        func.coalesce(passage_versions.c.language, present.language) == present.language,
                    )
                ).scalar()
                if same is not None:
                    # back to an earlier text: its takes are good again
                    connection.execute(
                        update(passage_versions).where(passage_versions.c.id == same).values(number=newest + 1)
                    )
                else:
                    _insert_version(connection, passage_id, newest + 1, text, marks)
        return self.get(passage_id)

    def describe(self, passage_id: int, **values: Any) -> None:
        """Set title, language, tags, rights, source, translation_of, reviewed, speaker or gap_s. Raises InputError."""
        if "rights" in values and values["rights"] not in RIGHTS:
            raise InputError(
                tr("Rights are one of {filter}.", filter=", ".join(filter(None, RIGHTS))),
                kept=tr("The passage is as it was."),
            )
        if odd := set(values) - _DESCRIBED:
            raise InputError(tr("A passage has no '{odd}'.", odd=sorted(odd)[0]), kept=tr("The passage is as it was."))
        if isinstance(values.get("reviewed"), Review):
            values["reviewed"] = asdict(values["reviewed"])
        if "tags" in values:
            values["tags"] = list(dict.fromkeys(tag.strip() for tag in values["tags"] if tag.strip()))
        kept = {name: value for name, value in values.items() if value or name not in ("title", "language")}
        if kept:
            with self._database.writing() as connection:
                if "language" in kept:
                    _version_in(connection, self.get(passage_id), kept["language"])
                connection.execute(update(passages).where(passages.c.id == passage_id).values(**kept))

    def set_removed(self, passage_ids: Iterable[int], removed: bool) -> None:
        with self._database.writing() as connection:
            connection.execute(
                update(passages).where(passages.c.id.in_(list(passage_ids))).values(removed=now() if removed else None)
            )

    def reorder(self, passage_ids: Sequence[int]) -> None:
        """Put the passages into the given order."""
        with self._database.writing() as connection:
            for place, passage_id in enumerate(passage_ids, 1):
                connection.execute(update(passages).where(passages.c.id == passage_id).values(position=place))


_DESCRIBED = {"title", "language", "tags", "rights", "source", "translation_of", "reviewed", "speaker", "gap_s"}


def copy_of(passage: Passage, **changes: Any) -> NewText:
    """A new text like a passage, with some of it changed."""
    values: Mapping[str, Any] = {
        "text": passage.text,
        "title": passage.title,
        "marks": passage.marks,
        "tags": passage.tags,
        "rights": passage.rights,
        "source": passage.source,
        "translation_of": passage.translation_of,
        "dialogue": passage.dialogue,
        "speaker": passage.speaker,
        "gap_s": passage.gap_s,
        "language": passage.language,
    }
    return NewText(**{**values, **changes})


def parts_of(passage: Passage, spans: Sequence[tuple[int, int]]) -> list[NewText]:
    """New texts for pieces of a passage, each with the marks that lie over it."""
    return [
        copy_of(
            passage,
            text=passage.text[start:end],
            marks=tuple(clipped(passage.marks, start, end)),
            title=title_from(passage.text[start:end]),
        )
        for start, end in spans
    ]


def merged(several: Sequence[Passage]) -> NewText:
    """One new text of several passages, a paragraph each, with all their marks and tags."""
    text, marks = "", list[DeliveryMark]()
    for passage in several:
        at = len(text) + 2 if text else 0
        text = f"{text}\n\n{passage.text}" if text else passage.text
        marks += [DeliveryMark(m.start + at, m.end + at, m.kind, m.value) for m in passage.marks]
    first = several[0]
    tags = tuple(dict.fromkeys(tag for passage in several for tag in passage.tags))
    # the narrowest right holds for the whole
    order = ("testing only", "", "licensed", "ours", "public domain")
    rights = min((p.rights for p in several), key=order.index)
    return copy_of(first, text=text, marks=tuple(marks), tags=tags, rights=rights)


def _cleaned(text: str, marks: Sequence[DeliveryMark]) -> tuple[str, tuple[DeliveryMark, ...]]:
    """Text as it is kept, its marks moved along with it; a mark whose words are gone is gone too."""
    clean = clean_text(text)
    if not marks or clean == text:
        return clean, tuple(in_order(marks))
    moved = {place: _moved(text, clean, place) for m in marks for place in (m.start, m.end)}
    out = [DeliveryMark(moved[m.start], moved[m.end], m.kind, m.value) for m in marks]
    out = [m for m, was in zip(out, marks, strict=True) if was.start == was.end or m.end > m.start]
    return clean, tuple(in_order(out))


def _moved(text: str, clean: str, place: int) -> int:
    """Where a place of the text is once the text is cleaned."""
    before = text[:place]
    if not text[place:].lstrip(" \t") or text[place:].lstrip(" \t").startswith("\n"):
        before = before.rstrip(" \t")  # the end of a line goes with its last word
    return min(len(clean), len(clean_text(f"{before}x")) - 1)


def _version_in(connection: Any, passage: Passage, language: str) -> None:
    """The passage's text in another language: a version of its own, whose takes are asked for in it, or the older one
    again that was in it. Those before stay in the language that they were in."""
    if language == passage.language:
        return
    of, versions = passage_versions.c, passage_versions
    mine = of.passage_id == passage.id
    connection.execute(update(versions).where(mine, of.language.is_(None)).values(language=passage.language))
    newest = connection.execute(select(func.max(of.number)).where(mine)).scalar_one()
    same = connection.execute(
        select(of.id).where(mine, of.sha256 == text_hash(passage.text, passage.marks), of.language == language)
    ).scalar()
    if same is None:
        _insert_version(connection, passage.id, newest + 1, passage.text, passage.marks)
    else:
        connection.execute(update(versions).where(of.id == same).values(number=newest + 1, language=language))


def _insert_version(connection: Any, passage_id: int, number: int, text: str, marks: Sequence[DeliveryMark]) -> None:
    connection.execute(
        passage_versions.insert().values(
            passage_id=passage_id,
            number=number,
            text=text,
            sha256=text_hash(text, marks),
            created=now(),
            marks=[[m.start, m.end, m.kind, m.value] for m in marks] or None,
        )
    )


@cache
def _current(*, removed: bool = False) -> Select[Any]:
    newest = (
        select(passage_versions.c.passage_id, func.max(passage_versions.c.number).label("number"))
        .group_by(passage_versions.c.passage_id)
        .subquery()
    )
    query = (
        select(
            passages,
            passage_versions.c.id.label("version_id"),
            passage_versions.c.number,
            passage_versions.c.text,
            passage_versions.c.marks,
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
        marks=from_json(row.marks or ()),
        tags=tuple(row.tags or ()),
        rights=row.rights or "",
        source=row.source or "",
        translation_of=row.translation_of,
        reviewed=Review(**row.reviewed) if row.reviewed else None,
        dialogue=row.dialogue or "",
        speaker=row.speaker or "",
        gap_s=row.gap_s,
    )

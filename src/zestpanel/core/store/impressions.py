"""What somebody thought of a voice, day by day: the first impression stays beside the later ones."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from typing import Final

from sqlalchemy import func, select, update

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import read_kept
from zestpanel.core.errors import InputError
from zestpanel.core.store.clip_store import ClipStore
from zestpanel.core.store.database import Database, now
from zestpanel.core.store.schema import impressions
from zestpanel.core.texts import tr

LONGEST: Final = 2_000  # characters


@dataclass(frozen=True, slots=True, kw_only=True)
class Impression:
    """words, or the clip of a spoken one, or both. blind: the voice's name was hidden when it was given."""

    id: int
    engine: str
    voice: str
    words: str
    spoken: str
    blind: bool
    created: str


class Impressions:
    def __init__(self, database: Database, store: ClipStore) -> None:
        self._database, self._store = database, store

    def add(self, engine: str, voice: str, words: str, *, spoken: Clip | None = None, blind: bool = False) -> int:
        """Its number. Raises InputError where there is neither a word nor a clip, or too many words."""
        said = " ".join(words.split())
        if not said and spoken is None:
            raise InputError(tr("An impression needs a few words, written or spoken."), kept=tr("Nothing was added."))
        if len(said) > LONGEST:
            raise InputError(
                tr(
                    "An impression has {longest} characters at most, not {said}.",
                    longest=f"{LONGEST:,}",
                    said=f"{len(said):,}",
                ),
                kept=tr("Nothing was added."),
            )
        values = {
            "engine": engine, "voice": voice, "words": said, "blind": blind, "created": now(),
            "spoken": self._store.keep(spoken) if spoken is not None else "",
        }  # fmt: skip
        with self._database.writing() as connection:
            row = connection.execute(impressions.insert().values(values).returning(impressions.c.id))
            return int(row.scalar_one())

    def set_removed(self, impression_id: int, removed: bool) -> None:
        with self._database.writing() as connection:
            values = {"removed": now() if removed else None}
            connection.execute(update(impressions).where(impressions.c.id == impression_id).values(values))

    def all(self) -> dict[tuple[str, str], list[Impression]]:
        """By (engine, voice), the first one first."""
        query = select(impressions).where(impressions.c.removed.is_(None)).order_by(impressions.c.id)
        out: dict[tuple[str, str], list[Impression]] = defaultdict(list)
        with self._database.reading() as connection:
            for row in connection.execute(query):
                out[row.engine, row.voice].append(
                    Impression(id=row.id, engine=row.engine, voice=row.voice, words=row.words, spoken=row.spoken,
                               blind=row.blind, created=row.created)
                )  # fmt: skip
        return dict(out)

    def number(self) -> int:
        """How many there are."""
        query = select(func.count()).select_from(impressions).where(impressions.c.removed.is_(None))
        with self._database.reading() as connection:
            return int(connection.execute(query).scalar_one())

    def load(self, impression: Impression) -> Clip:
        """The spoken one. Raises AudioError."""
        return read_kept(self._store.path(impression.spoken))


def which(place: int) -> str:
    """'first impression' for the first of a voice, 'later' for those after it."""
    return tr("first impression") if place == 0 else tr("later")

"""Takes: the clips that were delivered, what was measured of them, and what ears marked."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import asdict
from functools import cache
from pathlib import Path
from typing import Any, Final

from sqlalchemy import ColumnElement, Row, Select, case, func, null, or_, select, update
from sqlalchemy.dialects.sqlite import insert

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import peaks, read_kept
from zestpanel.core.domain.run import Answered
from zestpanel.core.domain.take import NEVER_SCORED, Curve, Mark, Measured, Segment, Take, Timing, Verdict
from zestpanel.core.measures.tracks import from_rows, packed, unpacked
from zestpanel.core.store.clip_store import ClipStore
from zestpanel.core.store.database import Database, now
from zestpanel.core.store.schema import marks, measures, passage_versions, requests, takes, verdicts
from zestpanel.core.waiting import in_turns

PEAK_COLUMNS = 240


class Takes:
    def __init__(self, database: Database, store: ClipStore) -> None:
        self._database, self._store = database, store
        self._segments: dict[Callable[[Segment], bool], dict[int, tuple[Segment, ...]]] = {}

    # -- takes

    def keep(
        self,
        clip: Clip,
        *,
        candidate_id: int,
        passage_version_id: int,
        repeat: int,
        answered: Sequence[Answered] = (),
        timing: Timing | None = None,
        voice_used: str = "",
        model_used: str = "",
        characters_billed: int | None = None,
        obtained: str = "run",
        brought: dict[str, Any] | None = None,
        sent: Sequence[str] | None = None,
        run_id: int | None = None,
        seed: int | None = None,
        asked: str = "",
        doubts: Sequence[str] = (),
        delivered: bytes = b"",
    ) -> Take:
        """Store a clip and its take, and close its requests, in that order: a take is there whole or not at all.

        answered: its requests, in order, none for a clip that nobody asked for here. sent: the texts of its requests.
        delivered: the file as it came, kept beside the clip where the clip is a decoding of it.
        """
        name = self._store.keep(clip)
        values = {
            "request_id": answered[0].request_id if answered else None,
            "run_id": run_id,
            "candidate_id": candidate_id,
            "passage_version_id": passage_version_id,
            "repeat": repeat,
            "seed": seed,
            "asked": asked or None,
            "obtained": obtained,
            "clip": name,
            "delivered": self._store.keep_as_delivered(delivered),
            "duration_s": clip.duration_s,
            "rate_hz": clip.rate_hz,
            "channels": clip.channels,
            "peaks": peaks(clip, PEAK_COLUMNS),
            "timing": asdict(timing) if timing else None,
            "voice_used": voice_used,
            "model_used": model_used,
            "characters_billed": characters_billed,
            "created": now(),
            "starred": False,
            "brought": brought,
            "sent": list(sent) if sent is not None else None,
            "doubts": list(doubts) or None,
        }
        with self._database.writing() as connection:
            row = connection.execute(takes.insert().values(**values).returning(*_COLUMNS)).one()
            for one in answered:
                connection.execute(
                    update(requests)
                    .where(requests.c.id == one.request_id)
                    .values(state="done", closed=now(), **one.as_values())
                )
        return _take(row)

    def serve(
        self, source: Take, *, candidate_id: int, passage_version_id: int, repeat: int, run_id: int | None = None
    ) -> Take:
        """A take of another cell from an identical request made before: the same clip, no request and no new wait."""
        with self._database.writing() as connection:
            found = connection.execute(select(takes).where(takes.c.id == source.id)).one()
            values = dict(found._mapping)  # noqa: SLF001 SQLAlchemy's public name for it
            del values["id"]
            values |= {
                "candidate_id": candidate_id,
                "passage_version_id": passage_version_id,
                "repeat": repeat,
                "run_id": run_id,
                "request_id": None,
                "copied_from": source.copied_from or source.id,
                "timing": None,  # nobody waited: the wait stays with the take that it was measured for
                "created": now(),
                "starred": False,
                "note": None,
            }
            row = connection.execute(takes.insert().values(**values).returning(*_COLUMNS)).one()
            measured = connection.execute(select(measures).where(measures.c.take_id == source.id)).one_or_none()
            if measured is not None:
                connection.execute(measures.insert().values(**{**measured._mapping, "take_id": row.id}))  # noqa: SLF001 SQLAlchemy's public name for it
        return _take(row)

    def clip_path(self, take: Take) -> Path:
        return self._store.path(take.clip)

    def delivered_path(self, take: Take) -> Path:
        """The file as it was delivered, where it was kept; else the clip."""
        return self._store.path(take.delivered or take.clip)

    def load(self, take: Take) -> Clip:
        return read_kept(self.clip_path(take))

    def all(self, *, candidate_id: int | None = None, with_timing: bool = True, removed: bool = False) -> list[Take]:
        """All takes, oldest first; without their timing (``timing`` None) reading is several times quicker."""
        query = _every(with_timing=with_timing, removed=removed)
        if candidate_id is not None:
            query = query.where(takes.c.candidate_id == candidate_id)
        with self._database.reading() as connection:
            return [_take(row) for row in in_turns(connection.execute(query))]

    def seconds_per_character(self) -> dict[int, tuple[float, int]]:
        """By candidate id: (waits for whole clips over the characters billed for them, on how many takes): of warm
        requests, and of cold ones only where there was no other. A text counts once, with the mean of its takes."""
        wait = func.json_extract(takes.c.timing, "$.last_byte_s")
        cold = func.json_extract(takes.c.timing, "$.cold")
        typed = func.coalesce(func.json_extract(takes.c.timing, "$.typed"), 0)
        texts = (
            select(takes.c.candidate_id, cold.label("cold"), func.avg(wait).label("wait"), func.count().label("takes"),
                   func.avg(takes.c.characters_billed).label("billed"))
            .where(takes.c.characters_billed > 0, wait > 0, typed == 0)
            .group_by(takes.c.candidate_id, takes.c.passage_version_id, cold)
            .subquery()
        )  # fmt: skip
        query = (
            select(texts.c.candidate_id, func.sum(texts.c.wait) / func.sum(texts.c.billed), func.sum(texts.c.takes))
            .group_by(texts.c.candidate_id, texts.c.cold)
            .order_by(texts.c.cold.desc())  # warm ones come last and stand
        )
        with self._database.reading() as connection:
            return {candidate: (float(rate), int(n)) for candidate, rate, n in connection.execute(query)}

    def paces(self) -> dict[int, tuple[int, float, int]]:
        """By candidate id, over the takes that count: (characters of their texts, seconds of sound, takes). A text
        counts once, with the mean of its takes."""
        texts = (
            select(takes.c.candidate_id, func.length(passage_versions.c.text).label("characters"),
                   func.avg(takes.c.duration_s).label("sound"), func.count().label("takes"))
            .join(passage_versions, passage_versions.c.id == takes.c.passage_version_id)
            .where(
                takes.c.removed.is_(None),
                takes.c.obtained.not_in(NEVER_SCORED),
                (func.coalesce(func.json_array_length(takes.c.doubts), 0) == 0) | takes.c.accepted.is_(True),
            )
            .group_by(takes.c.candidate_id, takes.c.passage_version_id)
            .subquery()
        )  # fmt: skip
        columns = texts.c
        query = select(columns.candidate_id, func.sum(columns.characters), func.sum(columns.sound),
                       func.sum(columns.takes)).group_by(columns.candidate_id)  # fmt: skip
        with self._database.reading() as connection:
            return {c: (int(chars), float(seconds), int(n)) for c, chars, seconds, n in connection.execute(query)}

    def same_requests(self, run_id: int) -> list[tuple[int, int, str]]:
        """(candidate id, run id, digest of the request) of every take that was asked for in a run as one of this run's
        was, these included."""
        counts = takes.c.removed.is_(None) & takes.c.copied_from.is_(None) & takes.c.run_id.is_not(None)
        here = select(takes.c.asked).where(takes.c.run_id == run_id, takes.c.asked != "", counts)
        query = select(takes.c.candidate_id, takes.c.run_id, takes.c.asked).where(takes.c.asked.in_(here), counts)
        with self._database.reading() as connection:
            return [(row.candidate_id, row.run_id, row.asked) for row in connection.execute(query)]

    def star(self, take_id: int, starred: bool) -> None:
        self._set(take_id, starred=starred)

    def put_note(self, take_id: int, note: str) -> None:
        self._set(take_id, note=note)

    def accept(self, take_id: int, accepted: bool) -> None:
        """Let a take count although it was found odd on arrival, or no longer."""
        self._set(take_id, accepted=accepted)

    def set_removed(self, take_id: int, removed: bool) -> None:
        """Take it out of everything, or bring it back; its clip and its request stay."""
        self._set(take_id, removed=now() if removed else None)

    def _set(self, take_id: int, **values: Any) -> None:
        with self._database.writing() as connection:
            connection.execute(update(takes).where(takes.c.id == take_id).values(**values))

    # -- what was measured, and what ears marked

    def put_measured(self, take_id: int, measured: Measured) -> None:
        values = {
            "take_id": take_id,
            "version": min(measured.versions.values(), default=0),
            "families": dict(measured.versions),
            "values": measured.values,
            "words": [list(word) for word in measured.words],
            "words_by": measured.words_by,
            "segments": [list(one) for one in measured.segments] or None,
            "curves": packed(measured.curves) or None,
        }
        with self._database.writing() as connection:
            row = insert(measures).values(**values)
            connection.execute(row.on_conflict_do_update(index_elements=["take_id"], set_=values))
        for kept in self._segments.values():
            kept.pop(take_id, None)

    def measured(self, take_ids: Sequence[int] | None = None, *, tracks: bool = False) -> dict[int, Measured]:
        """By take, all for None. tracks: with what was found along the clips, which is left out unless asked for."""
        query = select(*(measures.c if tracks else _UNTRACKED))
        if take_ids is not None:
            query = query.where(measures.c.take_id.in_(take_ids))
        with self._database.reading() as connection:
            return {
                row.take_id: Measured(
                    values=row._mapping["values"],  # noqa: SLF001 SQLAlchemy's public name for it
                    words=tuple((w, s, e, g) for w, s, e, g in row.words),
                    words_by=row.words_by,
                    versions=row.families or {"": row.version},
                    segments=from_rows(row.segments or ()) if tracks else (),
                    curves=_curves(row.curves) if tracks else {},
                )
                for row in connection.execute(query)
            }

    def segments(self, keep: Callable[[Segment], bool]) -> dict[int, tuple[Segment, ...]]:
        """By take, all that are kept of those that were measured; read once for each take and way of keeping."""
        kept = self._segments.setdefault(keep, {})
        with self._database.reading() as connection:
            every = set(connection.execute(select(measures.c.take_id)).scalars())
            missing = sorted(every - kept.keys())
            for k in range(0, len(missing), _AT_ONCE):
                some = missing[k : k + _AT_ONCE]
                query = select(measures.c.take_id, measures.c.segments).where(measures.c.take_id.in_(some))
                for take, rows in in_turns(connection.execute(query)):
                    kept[take] = tuple(one for one in from_rows(rows or ()) if keep(one))
        return dict(kept)

    def ways_of_word_times(self) -> dict[str, int]:
        """How many takes have their word times by which way."""
        query = select(measures.c.words_by, func.count()).group_by(measures.c.words_by).order_by(measures.c.words_by)
        with self._database.reading() as connection:
            return {way: count for way, count in connection.execute(query) if way}

    def recognisers(self) -> list[str]:
        """Which recognisers, with their versions, wrote down what they heard."""
        by = func.json_extract(measures.c["values"], "$.heard_by")
        with self._database.reading() as connection:
            return [name for (name,) in connection.execute(select(by).distinct().order_by(by)) if name]

    def levels(self, take_ids: Iterable[int]) -> dict[int, tuple[float, float, int]]:
        """(integrated LUFS, true peak dBTP, channels) by take id, of those that were measured and are not silent."""
        figures = measures.c["values"]
        lufs, peak = (func.json_extract(figures, f"$.{name}") for name in ("loudness_lufs", "true_peak_dbtp"))
        query = (
            select(takes.c.id, lufs, peak, takes.c.channels)
            .join(measures, measures.c.take_id == takes.c.id)
            .where(takes.c.id.in_(list(take_ids)), lufs.is_not(None), peak.is_not(None))
        )
        with self._database.reading() as connection:
            return {i: (float(a), float(b), int(n)) for i, a, b, n in connection.execute(query)}

    def unmeasured(self, versions: Mapping[str, int]) -> list[Take]:
        """Takes that lack figures of a family of measures, or have them of an earlier version of it."""
        query = (
            select(*_COLUMNS)
            .outerjoin(measures, measures.c.take_id == takes.c.id)
            .where(_outdated(versions), takes.c.removed.is_(None))
            .order_by(takes.c.id)
        )
        with self._database.reading() as connection:
            return [_take(row) for row in connection.execute(query)]

    def count_unmeasured(self, versions: Mapping[str, int]) -> int:
        with self._database.reading() as connection:
            return int(connection.execute(_how_many_outdated(tuple(versions.items()))).scalar_one())

    def add_mark(self, take_id: int, at_s: float, kind: str, note: str = "") -> int:
        with self._database.writing() as connection:
            return int(
                connection.execute(
                    marks.insert()
                    .values(take_id=take_id, at_s=at_s, kind=kind, note=note, created=now())
                    .returning(marks.c.id)
                ).scalar_one()
            )

    def set_mark_removed(self, mark_id: int, removed: bool) -> None:
        with self._database.writing() as connection:
            connection.execute(update(marks).where(marks.c.id == mark_id).values(removed=now() if removed else None))

    def put_mark_note(self, mark_id: int, note: str) -> None:
        with self._database.writing() as connection:
            connection.execute(update(marks).where(marks.c.id == mark_id).values(note=note))

    def add_verdict(self, take_id: int, of: Segment, *, real: bool) -> int:
        """What a person says of a stretch that was found; the last word on it stands."""
        values = {"take_id": take_id, "kind": of.kind, "start_s": of.start_s, "end_s": of.end_s, "real": real,
                  "created": now()}  # fmt: skip
        with self._database.writing() as connection:
            return int(connection.execute(verdicts.insert().values(values).returning(verdicts.c.id)).scalar_one())

    def set_verdict_removed(self, verdict_id: int, removed: bool) -> None:
        with self._database.writing() as connection:
            change = update(verdicts).where(verdicts.c.id == verdict_id).values(removed=now() if removed else None)
            connection.execute(change)

    def verdicts(self) -> list[Verdict]:
        with self._database.reading() as connection:
            rows = connection.execute(_VERDICTS)
            return [Verdict(id=r.id, take_id=r.take_id, kind=r.kind, start_s=r.start_s, end_s=r.end_s, real=r.real,
                            created=r.created) for r in rows]  # fmt: skip

    def marks(self) -> list[Mark]:
        with self._database.reading() as connection:
            rows = connection.execute(_MARKS)
            return [Mark(id=r.id, take_id=r.take_id, at_s=r.at_s, kind=r.kind, note=r.note, created=r.created)
                    for r in rows]  # fmt: skip


_AT_ONCE: Final = 500
_VERDICTS: Final = select(verdicts).where(verdicts.c.removed.is_(None)).order_by(verdicts.c.id)
_UNTRACKED: Final = tuple(c for c in measures.c if c.name not in ("segments", "curves"))


def _curves(data: bytes | None) -> dict[str, Curve]:
    try:
        return unpacked(data or b"")
    except ValueError:  # of a project from anybody: its figures stand, the curves are measured anew one day
        return {}


_MARKS: Final = select(marks).where(marks.c.removed.is_(None)).order_by(marks.c.id)


# what is read after every edit is put together once


@cache
def _every(*, with_timing: bool, removed: bool) -> Select[Any]:
    query = select(*(_COLUMNS if with_timing else _UNTIMED)).order_by(takes.c.id)
    return query if removed else query.where(takes.c.removed.is_(None))


@cache
def _how_many_outdated(versions: tuple[tuple[str, int], ...]) -> Select[Any]:
    all_of_them = takes.outerjoin(measures, measures.c.take_id == takes.c.id)
    return select(func.count()).select_from(all_of_them).where(_outdated(dict(versions)), takes.c.removed.is_(None))


def _outdated(versions: Mapping[str, int]) -> ColumnElement[bool]:
    """The version of a family as the row says it; a row from before there were families has one for all."""
    of = [func.coalesce(func.json_extract(measures.c.families, f'$."{name}"'), 0) for name in versions]
    own = [case((measures.c.families.is_(None), func.coalesce(measures.c.version, 0)), else_=said) < version
           for said, version in zip(of, versions.values(), strict=True)]  # fmt: skip
    return or_(*own)


_AT: Final = {name: place for place, name in enumerate(Take._fields)}
_COLUMNS: Final = tuple(takes.c[name] for name in Take._fields)
_UNTIMED: Final = tuple(null().label("timing") if c.name == "timing" else c for c in _COLUMNS)
_TEXTS: Final = tuple(_AT[name] for name in ("asked", "delivered", "note", "removed"))


def _take(row: Row[Any]) -> Take:
    """A take from a row of _COLUMNS."""
    values: list[Any] = list(row)
    if timing := values[_AT["timing"]]:
        chunks = tuple((a, b) for a, b in timing.get("chunks", ()))
        joins = tuple(timing.get("joins_s", ()))
        values[_AT["timing"]] = Timing(**{**timing, "chunks": chunks, "joins_s": joins})
    if (sent := values[_AT["sent"]]) is not None:
        values[_AT["sent"]] = tuple(sent)
    values[_AT["doubts"]] = tuple(values[_AT["doubts"]] or ())
    values[_AT["accepted"]] = bool(values[_AT["accepted"]])
    for place in _TEXTS:
        values[place] = values[place] or ""
    return Take._make(values)

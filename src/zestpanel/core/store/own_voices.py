"""Recordings, their consent, and the voices of one's own made from them or from a description."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, ValidationError
from sqlalchemy import Row, select, update

from zestpanel.core import clock
from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import read
from zestpanel.core.catalogue.facts import Voice
from zestpanel.core.errors import AudioError, InputError, SynthesisFailure
from zestpanel.core.store.clip_store import ClipStore
from zestpanel.core.store.database import Database, now
from zestpanel.core.store.schema import own_voices, recordings
from zestpanel.core.texts import tr

Visibility = Literal["private", "by link", "public"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Consent:
    """Who agreed to what, when, until when (None: no end). evidence: the name of a file or a note of where it is."""

    who: str
    given: date
    use: str
    until: date | None = None
    evidence: str = ""

    def missing(self, today: date) -> str:
        """'' while the consent holds, else why it does not."""
        if self.until is not None and self.until < today:
            return tr("the consent of {who} ended on {until}", who=self.who, until=self.until)
        return ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Recording:
    """One version of a recording. from_id: the one it was made from; how: 'as given', 'best stretch', 'cleaned'."""

    id: int
    name: str
    clip: str
    duration_s: float
    rate_hz: int
    language: str
    words: str
    checks: tuple[Mapping[str, Any], ...] = field(repr=False)
    consent: Consent | None
    from_id: int | None
    how: str
    created: str


class AtService(BaseModel):
    """A voice that a service made and keeps. visibility: who may use it there. recordings: what it was made of, by
    number. deleted: the day it was deleted at the service, '' while it takes a slot."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    visibility: Visibility = "private"
    recordings: tuple[int, ...]
    deleted: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnVoice:
    id: int
    engine: str
    voice: Voice
    recording_id: int | None
    described: Mapping[str, str]
    at_service: AtService | None = None


class OwnVoices:
    def __init__(self, database: Database, store: ClipStore) -> None:
        self._database, self._store = database, store

    # -- recordings

    def add_recording(
        self,
        clip: Clip,
        *,
        name: str,
        language: str,
        checks: list[dict[str, Any]],
        words: str = "",
        how: str = "as given",
        from_id: int | None = None,
        consent: Consent | None = None,
    ) -> Recording:
        """Keep a recording (or a version of one). The sound is stored first, so that a row always has its clip."""
        values = {
            "name": name,
            "clip": self._store.keep(clip),
            "duration_s": clip.duration_s,
            "rate_hz": clip.rate_hz,
            "language": language,
            "words": words,
            "checks": checks,
            "consent": _written(consent),
            "from_id": from_id,
            "how": how,
            "created": now(),
        }
        with self._database.writing() as connection:
            return _recording(connection.execute(recordings.insert().values(values).returning(recordings)).one())

    def recordings(self) -> list[Recording]:
        query = select(recordings).where(recordings.c.removed.is_(None)).order_by(recordings.c.id)
        with self._database.reading() as connection:
            return [_recording(row) for row in connection.execute(query)]

    def set_recording_removed(self, recording_id: int, removed: bool) -> None:
        with self._database.writing() as connection:
            values = {"removed": now() if removed else None}
            connection.execute(update(recordings).where(recordings.c.id == recording_id).values(values))

    def set_consent(self, recording_id: int, consent: Consent | None) -> None:
        """Raises InputError for a consent that does not say who agreed to what."""
        if consent is not None and not (consent.who.strip() and consent.use.strip()):
            raise InputError(tr("A consent says who agreed, and to what use."), kept=tr("Nothing was changed."))
        if consent is not None and consent.given > clock.today():
            raise InputError(
                tr("A consent is not of a day to come ({given}).", given=consent.given), kept=tr("Nothing was changed.")
            )
        if consent is not None and consent.until is not None and consent.until < consent.given:
            raise InputError(tr("A consent cannot end before it was given."), kept=tr("Nothing was changed."))
        with self._database.writing() as connection:
            query = update(recordings).where(recordings.c.id == recording_id)
            connection.execute(query.values(consent=_written(consent)))

    def path(self, recording: Recording) -> Path:
        return self._store.path(recording.clip)

    def load(self, recording: Recording) -> Clip:
        return read(self.path(recording))

    # -- voices

    def add_voice(
        self,
        engine: str,
        *,
        voice: str,
        name: str,
        language: str,
        recording_id: int | None = None,
        described: Mapping[str, str] | None = None,
        at_service: AtService | None = None,
    ) -> int:
        """A voice of one's own for an engine; its number. Raises InputError when the engine has one of that id."""
        if any(v.engine == engine and v.voice.id == voice for v in self.voices()):
            raise InputError(
                tr("{engine} has a voice '{name}' of your own already.", engine=engine, name=name),
                kept=tr("Nothing was changed."),
            )
        values = {
            "engine": engine,
            "voice": voice,
            "name": name,
            "language": language,
            "made": "recorded" if recording_id is not None else "described",
            "recording_id": recording_id,
            "described": dict(described or {}),
            "created": now(),
            "removed": None,
            "at_service": at_service.model_dump(mode="json") if at_service is not None else None,
        }
        with self._database.writing() as connection:
            gone = connection.execute(
                select(own_voices.c.id).where(own_voices.c.engine == engine, own_voices.c.voice == voice)
            ).scalar()
            if gone is not None:  # one that was removed comes back with its new facts
                connection.execute(update(own_voices).where(own_voices.c.id == gone).values(values))
                return int(gone)
            return int(connection.execute(own_voices.insert().values(values).returning(own_voices.c.id)).scalar_one())

    def set_voice_removed(self, voice_id: int, removed: bool) -> None:
        with self._database.writing() as connection:
            values = {"removed": now() if removed else None}
            connection.execute(update(own_voices).where(own_voices.c.id == voice_id).values(values))

    def slots_used(self, engine: str) -> int:
        """Voices that the service of an engine keeps, those taken away here and not there included."""
        of_engine = [one for one in self.voices(removed=True) if one.engine == engine]
        return sum(one.at_service is not None and not one.at_service.deleted for one in of_engine)

    def put_at_service(self, voice_id: int, at_service: AtService) -> None:
        with self._database.writing() as connection:
            query = update(own_voices).where(own_voices.c.id == voice_id)
            connection.execute(query.values(at_service=at_service.model_dump(mode="json")))

    def voices(self, *, removed: bool = False) -> list[OwnVoice]:
        """removed: those that were taken away, too."""
        query = select(own_voices).order_by(own_voices.c.id)
        if not removed:
            query = query.where(own_voices.c.removed.is_(None))
        with self._database.reading() as connection:
            return [
                OwnVoice(
                    id=row.id,
                    engine=row.engine,
                    recording_id=row.recording_id,
                    described=row.described,
                    at_service=_at_service(row.at_service),
                    voice=Voice(
                        id=row.voice,
                        name=row.name,
                        languages=(row.language,),
                        gender=row.described.get("gender") or "unknown",
                        age=row.described.get("age") or "unknown",
                        made=row.made,
                    ),
                )
                for row in connection.execute(query)
            ]

    def consent_missing(self, engine: str, voice: str, *, today: date | None = None) -> str:
        """Why a voice of one's own may not speak, '' when it may: its recording needs a consent that holds."""
        return next((why for one in self._made_of(engine, voice) if (why := self.recording_missing(one, today=today))),
                    "")  # fmt: skip

    def _made_of(self, engine: str, voice: str) -> tuple[int, ...]:
        """Numbers of the recordings that a voice of one's own was made of; none for listed voices."""
        found = next((v for v in self.voices() if (v.engine, v.voice.id) == (engine, voice)), None)
        if found is None or found.recording_id is None:
            return ()
        beside = found.at_service.recordings if found.at_service is not None else ()
        return tuple(dict.fromkeys((found.recording_id, *beside)))

    def made_of(self, engine: str, voice: str) -> list[Recording]:
        """The recordings that a voice of one's own was made of, as far as they are there."""
        numbers = self._made_of(engine, voice)
        return [one for one in self.recordings() if one.id in numbers]

    def recording_missing(self, recording_id: int, *, today: date | None = None) -> str:
        """Why a recording may not be used, '' when it may."""
        recording = next((r for r in self.recordings() if r.id == recording_id), None)
        if recording is None:
            return tr("the recording this voice is made from was taken away")
        if recording.consent is None:
            return tr("nobody's consent is recorded for '{name}'", name=recording.name)
        return recording.consent.missing(today or clock.today())

    def source_of(self, engine: str, voice: str) -> tuple[str, Mapping[str, str]]:
        """(path of the recording, description) of a voice, for a request; empty for listed voices.

        Every request that carries a recording has it from here. Raises SynthesisFailure('refused') while the consent
        of the person recorded is missing or over.
        """
        if why := self.consent_missing(engine, voice):
            raise SynthesisFailure("refused", tr("The recording was not sent: {why}.", why=why))
        try:
            return self.identity_of(engine, voice)
        except AudioError as error:
            raise SynthesisFailure("refused", tr("The recording was not sent: {what}", what=error.what)) from error

    def identity_of(self, engine: str, voice: str) -> tuple[str, Mapping[str, str]]:
        """The same whatever the consent: to tell requests apart, never to send one."""
        found = next((v for v in self.voices() if (v.engine, v.voice.id) == (engine, voice)), None)
        if found is None:
            return "", {}
        recording = next((r for r in self.recordings() if r.id == found.recording_id), None)
        return (str(self.path(recording)) if recording else ""), found.described


def _at_service(value: Any) -> AtService | None:
    """What cannot be read, from a stranger's project, is none."""
    if value is None:
        return None
    try:
        return AtService.model_validate(value)
    except ValidationError:
        return None


def _written(consent: Consent | None) -> dict[str, Any] | None:
    if consent is None:
        return None
    return {
        "who": consent.who,
        "given": consent.given.isoformat(),
        "use": consent.use,
        "until": consent.until.isoformat() if consent.until else None,
        "evidence": consent.evidence,
    }


def _recording(row: Row[Any]) -> Recording:
    consent = None
    if row.consent:
        until = row.consent.get("until")
        consent = Consent(
            who=row.consent["who"],
            given=date.fromisoformat(row.consent["given"]),
            use=row.consent["use"],
            until=date.fromisoformat(until) if until else None,
            evidence=row.consent.get("evidence", ""),
        )
    return Recording(
        id=row.id,
        name=row.name,
        clip=row.clip,
        duration_s=row.duration_s,
        rate_hz=row.rate_hz,
        language=row.language,
        words=row.words,
        checks=tuple(row.checks),
        consent=consent,
        from_id=row.from_id,
        how=row.how,
        created=row.created,
    )

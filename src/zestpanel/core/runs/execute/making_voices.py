"""Voices that a service makes: noted before they are asked for, so that one which was asked for and never came back is
looked for by a person, and never made a second time unasked."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final, Protocol

from pydantic import BaseModel, ConfigDict

from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.connectors.http.voice_making import make_voice, wait_for_voice
from zestpanel.core.errors import InputError, SynthesisFailure
from zestpanel.core.store.database import now
from zestpanel.core.store.own_voices import AtService, Recording, Visibility
from zestpanel.core.store.parts import HasDocuments, HasOwnVoices
from zestpanel.core.store.stored import Stored
from zestpanel.core.texts import tr
from zestpanel.core.waiting import Cancelled, never_cancelled


class BeingMade(BaseModel):
    """A voice that was asked for and whose end is not known. voice: its id at the service, '' while it named none."""

    model_config = ConfigDict(frozen=True)
    engine: str
    name: str
    language: str
    visibility: Visibility
    recordings: tuple[int, ...]
    asked: str
    voice: str = ""

    def says(self) -> str:
        """In one sentence: what is known of it."""
        day = self.asked[:10]
        if self.voice:
            return tr("'{name}' was begun at {engine} on {day} as '{voice}'; whether it is ready was not told.",
                      name=self.name, engine=self.engine, day=day, voice=self.voice)  # fmt: skip
        return tr("'{name}' was asked for at {engine} on {day}, and no answer came: look at the service whether it is "
                  "there.", name=self.name, engine=self.engine, day=day)  # fmt: skip


BEING_MADE: Final[Stored[tuple[BeingMade, ...]]] = Stored("voices being made", tuple[BeingMade, ...], ())


class VoiceParts(HasDocuments, HasOwnVoices, Protocol):
    """Where recordings and voices of one's own are kept."""


def being_made(project: VoiceParts, engine: str) -> BeingMade | None:
    """The voice that was asked for at an engine and whose end is not known."""
    return next((one for one in BEING_MADE.read(project.documents) if one.engine == engine), None)


def refuse(project: VoiceParts, engine: Engine, recordings: Sequence[Recording]) -> None:
    """Raises InputError where a voice may not be made: no consent, no place for it, or one is still open."""
    own = project.own_voices
    for one in recordings:
        if why := own.recording_missing(one.id):
            raise InputError(
                tr("The recording '{name}' was not sent: {why}.", name=one.name, why=why), kept=tr("Nothing was made.")
            )
    slots = engine.makes_voices.slots if engine.makes_voices is not None else None
    if slots is not None and own.slots_used(engine.engine) >= slots:
        raise InputError(
            tr(
                "All {slots} places that {engine} has for voices of your own are taken.",
                slots=slots,
                engine=engine.engine,
            ),
            kept=tr("Nothing was sent."),
            remedy=tr("Delete one that is not needed any more."),
        )
    if (left := being_made(project, engine.engine)) is not None:
        raise InputError(
            left.says(), kept=tr("Nothing was sent: it may have been paid."), remedy=tr("Say first what became of it.")
        )


def make(
    project: VoiceParts, engine: Engine, *, name: str, language: str, visibility: Visibility,
    recordings: Sequence[Recording], cancelled: Cancelled = never_cancelled,
) -> int:  # fmt: skip
    """Have a service make a voice of recordings; its number among the voices of one's own.

    Raises InputError as ``refuse``, SynthesisFailure, Cancelled.
    """
    refuse(project, engine, recordings)
    own = project.own_voices
    asked = BeingMade(
        engine=engine.engine, name=name, language=language, visibility=visibility,
        recordings=tuple(one.id for one in recordings), asked=now(),
    )  # fmt: skip
    _put(project, asked)
    try:
        voice = make_voice(
            engine, name=name, language=language, visibility=visibility, recordings=[own.path(r) for r in recordings],
            cancelled=cancelled, known=lambda number: _put(project, asked.model_copy(update={"voice": number})),
        )  # fmt: skip
    except InputError:  # it was not asked for
        give_up(project, asked)
        raise
    except SynthesisFailure as failure:
        if not failure.may_be_billed:
            give_up(project, asked)
        raise
    return _kept(project, asked, voice)


def go_on(project: VoiceParts, engine: Engine, asked: BeingMade, cancelled: Cancelled = never_cancelled) -> int:
    """Wait for a voice that was begun; nothing is sent anew. Raises as ``make``."""
    if not asked.voice:
        raise InputError(asked.says(), kept=tr("Nothing was sent."), remedy=tr("Give it up here if it is not there."))
    wait_for_voice(engine, asked.voice, cancelled)
    return _kept(project, asked, asked.voice)


def give_up(project: VoiceParts, asked: BeingMade) -> None:
    """It is not there, or not wanted: another may be asked for."""
    _put(project, asked, gone=True)


def _kept(project: VoiceParts, asked: BeingMade, voice: str) -> int:
    number = project.own_voices.add_voice(
        asked.engine, voice=voice, name=asked.name, language=asked.language, recording_id=asked.recordings[0],
        at_service=AtService(visibility=asked.visibility, recordings=asked.recordings),
    )  # fmt: skip
    give_up(project, asked)
    return number


def _put(project: VoiceParts, asked: BeingMade, *, gone: bool = False) -> None:
    with project.documents.alone():
        others = [one for one in BEING_MADE.read(project.documents) if one.asked != asked.asked]
        BEING_MADE.write(project.documents, (*others, *(() if gone else (asked,))))

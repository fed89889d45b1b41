"""The drafted file's request sent once, so that its reply can be looked into and put into the file."""

from __future__ import annotations

import time
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import yaml

from zestpanel.core.audio.kinds import kind_of_sound
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.reaching import HttpSpeak
from zestpanel.core.connectors.agreed import require_agreement
from zestpanel.core.connectors.http.asking import fetch, filled, make_client, send
from zestpanel.core.connectors.http.connector import raise_for_failure
from zestpanel.core.connectors.http.receiving import Received
from zestpanel.core.connectors.speaking import SpeakRequest
from zestpanel.core.connectors.templates import values_of
from zestpanel.core.connectors.wizard.job import follow_job, job_in
from zestpanel.core.connectors.wizard.reply import look_into
from zestpanel.core.errors import InputError, SynthesisFailure
from zestpanel.core.secrets.masking import note_key, without_keys
from zestpanel.core.texts import tr
from zestpanel.core.waiting import Cancelled, never_cancelled


def first_request(engine: Engine, text: str) -> SpeakRequest:
    """A request in the file's first voice and model, at factory settings."""
    voice = engine.voices[0]
    return SpeakRequest(
        text=text,
        language=voice.languages[0],
        voice=voice.id,
        model=engine.models[0].id,
        settings=engine.factory_settings(),
    )


def send_once(source: str, text: str, *, key: str, cancelled: Cancelled = never_cancelled) -> Received:
    """The reply to the drafted file's request; the key is given here, not taken from any store.

    Raises ConnectorError (the draft makes no file), InputError (it is no http file) or SynthesisFailure.
    """
    engine = parse_connector(source, name=tr("the file"))
    if not isinstance(engine.speak, HttpSpeak):
        raise InputError(tr("Only a request over HTTP has a reply to look into."))
    require_agreement(engine)
    note_key(key)
    client = make_client(engine.speak, connections=1)
    try:
        asked = filled(engine.speak, values_of(first_request(engine, text)), key)
        received = send(client, engine.speak, asked, key, time.monotonic(), cancelled)
        raise_for_failure(engine.speak, received)
        return received
    except SynthesisFailure as failure:
        raise failure.in_words(without_keys(failure.what)) from None
    finally:
        client.close()


@dataclass(frozen=True, slots=True)
class Looked:
    """source: the file with what was seen put in. said: what was understood, the first line what came."""

    source: str
    said: tuple[str, ...]


def look_once(source: str, text: str, *, key: str, cancelled: Cancelled = never_cancelled) -> Looked:
    """Send the drafted file's request once and put what its reply shows into the file; a job is followed to its end.

    Raises what ``send_once`` does.
    """
    received = send_once(source, text, key=key, cancelled=cancelled)
    size = sum(len(part) for _, part in received.chunks)
    came = tr(
        "{size} bytes in {chunks} pieces, {last_byte_s} s",
        size=f"{size:,}",
        chunks=len(received.chunks),
        last_byte_s=f"{received.last_byte_s:.2f}",
    )
    reply, said = look_into(received)
    engine = parse_connector(source, name=tr("the file"))
    speak = engine.speak
    assert isinstance(speak, HttpSpeak)
    stated = speak.job.model_dump(exclude_defaults=True) if speak.job else None
    job = stated or (None if "audio" in reply else job_in(received, speak.address))
    if job is None or kind_of_sound(received.data):
        return Looked(with_reply(source, reply), (came, "", *said))
    client = make_client(speak, connections=1)
    try:
        asked = filled(speak, values_of(first_request(engine, text)), key)
        seen = follow_job(
            job, received, lambda link: fetch(client, speak, asked, link, time.monotonic(), cancelled, key),
            cancelled,
        )  # fmt: skip
    except SynthesisFailure as failure:
        raise failure.in_words(without_keys(failure.what)) from None
    finally:
        client.close()
    words = tr("The service answers with a job; what was seen of it stands in the file under job.")
    return Looked(with_reply(source, seen.reply, seen.job), (came, "", words, *map(without_keys, seen.said)))


def with_reply(source: str, reply: Mapping[str, Any], job: Mapping[str, Any] | None = None) -> str:
    """The file with what was found in the reply put in; what the file said of the reply before is replaced."""
    data = yaml.safe_load(source)
    data["speak"]["reply"] = dict(reply)
    if job:
        data["speak"]["job"] = dict(job)
    if not reply:
        del data["speak"]["reply"]
    if str(reply.get("audio", "body")).split()[0] in ("events", "lines"):
        data["speak"]["stream"] = True
    text: str = yaml.dump(data, Dumper=yaml.CSafeDumper, allow_unicode=True, sort_keys=False, width=110)
    return text

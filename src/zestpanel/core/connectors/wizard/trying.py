"""The drafted file's request sent once, so that its reply can be looked into and put into the file."""

from __future__ import annotations

import time
from collections.abc import Mapping
from typing import Any

import yaml

from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.catalogue.reaching import HttpSpeak
from zestpanel.core.connectors.agreed import require_agreement
from zestpanel.core.connectors.http.asking import filled, make_client, send
from zestpanel.core.connectors.http.connector import raise_for_failure
from zestpanel.core.connectors.http.receiving import Received
from zestpanel.core.connectors.masking import note_key, without_keys
from zestpanel.core.connectors.speaking import Cancelled, SpeakRequest, never_cancelled
from zestpanel.core.connectors.templates import values_of
from zestpanel.core.errors import InputError, SynthesisFailure


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
    engine = parse_connector(source, name="the file")
    if not isinstance(engine.speak, HttpSpeak):
        raise InputError("Only a request over HTTP has a reply to look into.")
    require_agreement(engine)
    note_key(key)
    client = make_client(engine.speak, connections=1)
    try:
        asked = filled(engine.speak, values_of(first_request(engine, text)), key)
        received = send(client, engine.speak, asked, key, time.monotonic(), cancelled)
        raise_for_failure(engine.speak, received)
        return received
    except SynthesisFailure as failure:
        raise SynthesisFailure(failure.kind, without_keys(failure.what)) from None
    finally:
        client.close()


def with_reply(source: str, reply: Mapping[str, Any]) -> str:
    """The file with what was found in the reply put in; what the file said of the reply before is replaced."""
    data = yaml.safe_load(source)
    data["speak"]["reply"] = dict(reply)
    if not reply:
        del data["speak"]["reply"]
    if str(reply.get("audio", "body")).split()[0] in ("events", "lines"):
        data["speak"]["stream"] = True
    text: str = yaml.dump(data, Dumper=yaml.CSafeDumper, allow_unicode=True, sort_keys=False, width=110)
    return text

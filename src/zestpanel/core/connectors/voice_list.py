"""A service's own list of voices: fetched page by page and put into our words, as the connector file maps it."""

from __future__ import annotations

import json
import re
import time
from dataclasses import replace
from typing import Any, Final

import httpx
from pydantic import ValidationError

from zestpanel.core.catalogue.facts import Engine, Voice
from zestpanel.core.catalogue.reaching import HttpSpeak, Reached, VoiceList
from zestpanel.core.catalogue.voice_names import VoiceNames
from zestpanel.core.connectors.agreed import require_agreement
from zestpanel.core.connectors.http.asking import HttpRequest, fetch, key_values, make_client, send
from zestpanel.core.connectors.http.connector import raise_for_failure
from zestpanel.core.connectors.http.finding import at_path
from zestpanel.core.connectors.http.receiving import Received
from zestpanel.core.connectors.http.token import Tokens
from zestpanel.core.connectors.templates import fill
from zestpanel.core.errors import InputError, SynthesisFailure
from zestpanel.core.secrets.environment import expand_environment
from zestpanel.core.secrets.keys import find_secret
from zestpanel.core.secrets.masking import without_keys
from zestpanel.core.texts import tr
from zestpanel.core.waiting import Cancelled, never_cancelled

MOST_PAGES: Final = 200
MOST_VOICES: Final = 100_000
_LISTS: Final = ("languages", "styles", "character", "models")


def fetch_voices(engine: Engine, cancelled: Cancelled = never_cancelled) -> list[Voice]:
    """The voices the service lists now. Raises SynthesisFailure, InputError (an entry makes no sense) or Cancelled."""
    where, speak = engine.voices_from, engine.speak
    if where is None or not isinstance(speak, Reached):
        raise InputError(
            tr("{engine}'s connector file does not say where its voices are listed.", engine=engine.engine)
        )
    require_agreement(engine)
    secret = find_secret(speak.secret) if speak.secret else ""
    headers = where.headers or speak.headers
    client = make_client(speak, connections=2)
    began = time.monotonic()
    voices: list[Voice] = []
    try:
        values = key_values(secret)
        if isinstance(speak, HttpSpeak):
            values["token"] = Tokens(speak, raise_for_failure).get(client, secret, cancelled)
        asked = HttpRequest(
            method="GET",
            address=str(fill(expand_environment(where.address), values)),
            headers={name: str(fill(expand_environment(value), values)) for name, value in headers.items()},
        )
        if where.page_query:
            asked = replace(asked, address=_with(asked.address, where.page_query, str(where.first_page)))
        received = send(client, speak, asked, secret, began, cancelled)
        for number in range(MOST_PAGES):
            raise_for_failure(speak, received)
            try:
                page = json.loads(received.data)
            except (ValueError, RecursionError) as error:
                raise SynthesisFailure("wrong content", tr("The list of voices is not JSON.")) from error
            found = read_page(where, page, engine.engine, empty=bool(voices), names=engine.voice_names)
            voices += found
            following = _following(where, asked.address, received, page, number, any_more=bool(found))
            if not following or len(voices) > MOST_VOICES:
                break
            received = fetch(client, speak, asked, following, began, cancelled, secret)
    except SynthesisFailure as failure:
        raise failure.in_words(without_keys(failure.what)) from None
    finally:
        client.close()
    if not voices:
        raise InputError(
            tr("{engine} lists no voices at '{list}'.", engine=engine.engine, list=where.list),
            kept=tr("The voices known stay."),
        )
    return list({v.id: v for v in voices}.values())


_NEXT: Final = re.compile(r"<([^<>]*)>\s*(?:;[^,]*)?;\s*rel=\"?next\"?", re.IGNORECASE)


def _following(
    where: VoiceList, address: str, received: Received, page: Any, number: int, *, any_more: bool
) -> str:  # fmt: skip
    """The address of the next page, '' after the last one: linked, named by a token, or counted."""
    if where.page_query:
        return _with(address, where.page_query, str(where.first_page + number + 1)) if any_more else ""
    if where.next == "link header":  # RFC 8288
        found = _NEXT.search(received.headers.get("link", ""))
        return found[1] if found else ""
    token = at_path(page, where.next.partition(" ")[2]) if where.next else None
    if not isinstance(token, str | int) or isinstance(token, bool) or not str(token):
        return ""
    return _with(address, where.next_query, str(token)) if where.next_query else str(token)


def _with(address: str, name: str, value: str) -> str:
    return str(httpx.URL(address).copy_set_param(name, value))


def read_page(
    where: VoiceList, page: Any, engine: str, *, empty: bool = False, names: VoiceNames | None = None
) -> list[Voice]:
    """Voices of one page: a list, a map by id, or bare words. Raises InputError naming the entry that makes no sense.

    empty: a page without a list is the end of it, and no error.
    """
    entries = at_path(page, where.list.partition(" ")[2])
    if isinstance(entries, dict):  # by id, described or only named
        entries = [{**(entry if isinstance(entry, dict) else {"_value": entry}), "_key": key}
                   for key, entry in entries.items()]  # fmt: skip
    if entries is None and empty:
        return []
    if isinstance(entries, list):
        entries = [{"_value": one} if isinstance(one, str) else one for one in entries]
    if not isinstance(entries, list):
        raise InputError(
            tr("{engine} lists no voices at '{list}'.", engine=engine, list=where.list),
            kept=tr("The voices known stay."),
        )
    out = []
    for number, entry in enumerate(entries, 1):
        stated: dict[str, Any] = {}
        for field, path in where.each.items():
            value = at_path(entry, path)
            if value is None or value == "":
                continue  # what stands under ``otherwise`` is put in below
            words = where.values.get(field, {})
            if field in _LISTS:
                value = [words.get(str(v), str(v)) for v in (value if isinstance(value, list) else [value])]
            else:
                value = words.get(str(value), str(value))
            stated[field] = value
        if names is not None:
            stated = names.completed(stated)
        for field, value in where.otherwise.items():
            stated.setdefault(field, [value] if field in _LISTS else value)
        stated["languages"] = [tag.replace("_", "-") for tag in stated.get("languages", [])]
        if stated.get("tier") == "all":
            stated["tier"] = ""
        try:
            out.append(Voice.model_validate(stated))
        except ValidationError as error:
            first = error.errors()[0]
            field = ".".join(str(part) for part in first["loc"])
            raise InputError(
                tr(
                    "Entry {number} of {engine}'s list of voices makes no sense: {field}: {first}.",
                    number=number,
                    engine=engine,
                    field=field,
                    first=first["msg"].lower(),
                ),
                kept=tr("The voices known stay."),
                remedy=tr("Correct voices_from.each in the connector file."),
            ) from error
    return out

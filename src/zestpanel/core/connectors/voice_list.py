"""A service's own list of voices: fetched page by page and put into our words, as the connector file maps it."""

from __future__ import annotations

import json
import time
from typing import Any, Final

from pydantic import ValidationError

from zestpanel.core.catalogue.facts import Engine, Voice
from zestpanel.core.catalogue.reaching import Reached, VoiceList
from zestpanel.core.connectors.agreed import require_agreement
from zestpanel.core.connectors.environment import expand_environment
from zestpanel.core.connectors.http.asking import Asked, fetch, make_client, send
from zestpanel.core.connectors.http.connector import raise_for_failure
from zestpanel.core.connectors.http.finding import at_path
from zestpanel.core.connectors.masking import without_keys
from zestpanel.core.connectors.secrets import find_secret
from zestpanel.core.connectors.speaking import Cancelled, never_cancelled
from zestpanel.core.connectors.templates import fill
from zestpanel.core.errors import InputError, SynthesisFailure

MOST_PAGES: Final = 200
MOST_VOICES: Final = 100_000
_LISTS: Final = ("languages", "styles", "character", "models")


def fetch_voices(engine: Engine, cancelled: Cancelled = never_cancelled) -> list[Voice]:
    """The voices the service lists now. Raises SynthesisFailure, InputError (an entry makes no sense) or Cancelled."""
    where, speak = engine.voices_from, engine.speak
    if where is None or not isinstance(speak, Reached):
        raise InputError(f"{engine.engine}'s connector file does not say where its voices are listed.")
    require_agreement(engine)
    secret = find_secret(speak.secret) if speak.secret else ""
    headers = where.headers or speak.headers
    asked = Asked(
        method="GET",
        address=str(fill(expand_environment(where.address), {"secret": secret})),
        headers={name: str(fill(expand_environment(value), {"secret": secret})) for name, value in headers.items()},
    )
    client = make_client(speak, connections=2)
    began = time.monotonic()
    voices: list[Voice] = []
    try:
        received = send(client, speak, asked, secret, began, cancelled)
        for _ in range(MOST_PAGES):
            raise_for_failure(speak, received)
            try:
                page = json.loads(received.data)
            except (ValueError, RecursionError) as error:
                raise SynthesisFailure("wrong content", "The list of voices is not JSON.") from error
            voices += read_page(where, page, engine.engine)
            following = at_path(page, where.next.partition(" ")[2]) if where.next else None
            if not isinstance(following, str) or not following or len(voices) > MOST_VOICES:
                break
            received = fetch(client, speak, asked, following, began, cancelled, secret)
    except SynthesisFailure as failure:
        raise SynthesisFailure(failure.kind, without_keys(failure.what)) from None
    finally:
        client.close()
    if not voices:
        raise InputError(f"{engine.engine} lists no voices at '{where.list}'.", kept="The voices known stay.")
    return list({v.id: v for v in voices}.values())


def read_page(where: VoiceList, page: Any, engine: str) -> list[Voice]:
    """Voices of one page. Raises InputError naming the entry that makes no sense."""
    entries = at_path(page, where.list.partition(" ")[2])
    if isinstance(entries, dict):  # a list by id
        entries = [{**entry, "_key": key} for key, entry in entries.items() if isinstance(entry, dict)]
    if not isinstance(entries, list):
        raise InputError(f"{engine} lists no voices at '{where.list}'.", kept="The voices known stay.")
    out = []
    for number, entry in enumerate(entries, 1):
        stated: dict[str, Any] = {}
        for field, path in where.each.items():
            value = at_path(entry, path)
            if value is None or value == "":
                continue
            words = where.values.get(field, {})
            if field in _LISTS:
                value = [words.get(str(v), str(v)) for v in (value if isinstance(value, list) else [value])]
            else:
                value = words.get(str(value), str(value))
            stated[field] = value
        stated["languages"] = [tag.replace("_", "-") for tag in stated.get("languages", [])]
        if stated.get("tier") == "all":
            stated["tier"] = ""
        try:
            out.append(Voice.model_validate(stated))
        except ValidationError as error:
            first = error.errors()[0]
            field = ".".join(str(part) for part in first["loc"])
            raise InputError(
                f"Entry {number} of {engine}'s list of voices makes no sense: {field}: {first['msg'].lower()}.",
                kept="The voices known stay.",
                remedy="Correct voices_from.each in the connector file.",
            ) from error
    return out

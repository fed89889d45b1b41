"""What was pasted: a call in any notation, a raw request, an address or a program's command line."""

from __future__ import annotations

import re
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import replace
from typing import Final

from zestpanel.core.connectors.wizard.call import read_call, read_items, read_raw_request, with_places
from zestpanel.core.connectors.wizard.draft import Draft
from zestpanel.core.connectors.wizard.program import read_program
from zestpanel.core.connectors.wizard.snippets import snippet
from zestpanel.core.connectors.wizard.wrapped import unwrapped
from zestpanel.core.errors import InputError
from zestpanel.core.texts import tr
from zestpanel.core.typed import typed_language

LONGEST: Final = 100_000  # a call of the documentation has some hundreds


def read_example(text: str, *, engine: str = "", language: str = "", languages: Sequence[str] = ("en-GB",)) -> Draft:
    """A draft from a pasted example: a command-line HTTP call, a snippet of code with one, requests kept as JSON, a raw
    HTTP request, or a program's command line.

    language: of its voice; where it is not stated, what the call or the voice's name says, or else the first of
    languages. Raises InputError when it is none of them.
    """
    draft = _read(text)
    draft = replace(draft, engine=engine) if engine else draft
    return _in_a_language(draft, typed_language(language) if language else "", languages)


def _in_a_language(draft: Draft, stated: str, languages: Sequence[str]) -> Draft:
    if stated:
        return replace(draft, language=stated)
    if draft.language:
        with suppress(InputError):
            return replace(draft, language=typed_language(draft.language))
    for said in _LANGUAGE.findall(draft.voice):
        with suppress(InputError):
            tag = typed_language(said)
            line = tr("language: {tag}, as the voice's name says", tag=tag)
            return replace(draft, language=tag, understood=(*draft.understood, line))
    line = tr(
        "No language is in the example: {tag} is taken, as in the brief. Go back and say it where the voice speaks "
        "another.",
        tag=languages[0],
    )
    return replace(draft, language=languages[0], understood=(*draft.understood, line))


_LANGUAGE: Final = re.compile(r"(?<![A-Za-z0-9])[A-Za-z]{2,3}[-_][A-Za-z]{2}(?![A-Za-z0-9])")  # en-GB, fr_FR


def _read(text: str) -> Draft:
    text = text.strip()
    if len(text) > LONGEST:
        raise InputError(
            tr("What was pasted is longer than {longest} characters.", longest=f"{LONGEST:,}"),
            remedy=tr("Paste one call, with a short text in it to be spoken."),
        )
    if not text:
        raise InputError(
            tr("Nothing was pasted."), remedy=tr("Paste a call or a command line as the documentation shows it.")
        )
    found = snippet(text)
    if found is not None:
        return with_places(found)
    text = unwrapped(text)
    if not text:
        raise InputError(
            tr("Nothing was pasted."), remedy=tr("Paste a call or a command line as the documentation shows it.")
        )
    first = text.split(None, 1)[0]
    if re.match(r"^(GET|POST|PUT)[ \t]+\S+", text):
        return read_raw_request(text)
    if first.rsplit("/", 1)[-1] in ("http", "https", "xh"):
        return read_items(text)
    if first.rsplit("/", 1)[-1] in ("curl", "wget"):
        return read_call(text)
    if re.match(r"^https?://\S+$", text):
        return with_places(Draft(kind="http", method="GET", address=text))
    return read_program(text)

"""What was pasted: a call in any notation, a raw request, an address or a program's command line."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Final

from zestpanel.core.connectors.wizard.call import read_call, read_items, read_raw_request, with_places
from zestpanel.core.connectors.wizard.draft import Draft
from zestpanel.core.connectors.wizard.program import read_program
from zestpanel.core.connectors.wizard.snippets import snippet
from zestpanel.core.connectors.wizard.wrapped import unwrapped
from zestpanel.core.errors import InputError
from zestpanel.core.texts import tr

LONGEST: Final = 100_000  # a call of the documentation has some hundreds


def read_example(text: str, *, engine: str = "") -> Draft:
    """A draft from a pasted example: a command-line HTTP call, a snippet of code with one, requests kept as JSON, a raw
    HTTP request, or a program's command line.

    Raises InputError when it is none of them.
    """
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
        draft = with_places(found)
        return replace(draft, engine=engine) if engine else draft
    text = unwrapped(text)
    if not text:
        raise InputError(
            tr("Nothing was pasted."), remedy=tr("Paste a call or a command line as the documentation shows it.")
        )
    first = text.split(None, 1)[0]
    if re.match(r"^(GET|POST|PUT)[ \t]+\S+", text):
        draft = read_raw_request(text)
    elif first.rsplit("/", 1)[-1] in ("http", "https", "xh"):
        draft = read_items(text)
    elif first.rsplit("/", 1)[-1] in ("curl", "wget"):
        draft = read_call(text)
    elif re.match(r"^https?://\S+$", text):
        draft = with_places(Draft(kind="http", method="GET", address=text))
    else:
        draft = read_program(text)
    return replace(draft, engine=engine) if engine else draft

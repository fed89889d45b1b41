"""What stand-ins do with delivery marks: Tangor takes SSML, Citrange a notation of its own, the others read tags out.

Citrange: {rest 250} waits, {lift|word} stresses, {as other|word} says other words in the place of a word.
"""

from __future__ import annotations

import re
from typing import Final
from xml.sax.saxutils import escape

from zestpanel.core.errors import InputError
from zestpanel.core.text.lexicon.ipa import to_builtin

_PHONEME = re.compile(r"<phoneme\b[^>]*\bph=(?:\"([^\"]*)\"|'([^']*)')[^>]*>(.*?)</phoneme>", re.DOTALL)
_TAG = re.compile(r"<\s*/?\s*(?:speak|break|emphasis|prosody|say-as|sub|phoneme|lang|voice)\b[^>]*>")
_OWN: Final = re.compile(r"\{rest (\d{1,5})\}|\{lift\|([^{}|]+)\}|\{as ([^{}|]+)\|([^{}|]+)\}")


def for_built_in(engine: str, text: str, language: str) -> tuple[str, bool]:
    """(what the built-in voice is given, whether it is markup): what the engine makes of a text it was sent."""
    if engine == "tangor" and _TAG.search(text):
        body = text if text.lstrip().startswith("<speak") else f"<speak>{text}</speak>"
        return _PHONEME.sub(lambda m: _sounds(m, language), body), True
    if engine == "citrange" and _OWN.search(text):
        return f"<speak>{_own_to_markup(text)}</speak>", True
    return read_out(text), False


def read_out(text: str) -> str:
    """A text as an engine reads it that knows no marks: every tag is spoken."""
    return re.sub(r"<\s*/?\s*([^>]*?)\s*/?>", lambda m: f" {m.group(1)} ", text)


def _sounds(match: re.Match[str], language: str) -> str:
    """Sounds as the built-in voice takes them, or the word itself where it has no such sound."""
    try:
        return to_builtin(match[1] or match[2] or "", language)
    except InputError:
        return match[3]


def _own_to_markup(text: str) -> str:
    out, at = "", 0
    for match in _OWN.finditer(text):
        out += escape(text[at : match.start()])
        if match[1]:
            out += f'<break time="{match[1]}ms"/>'
        elif match[2]:
            out += f'<emphasis level="strong">{escape(match[2])}</emphasis>'
        else:
            out += escape(match[3])
        at = match.end()
    return out + escape(text[at:])

"""Keys taken out of whatever is shown, written down or handed on, in every writing they may have come in."""

from __future__ import annotations

import base64
import html
import json
import os
import re
from functools import lru_cache
from typing import Final
from urllib.parse import quote, quote_plus

MASK: Final = "••••"
_PREFIX: Final = "ZEST_SECRET_"
_SHORT: Final = 6
_SHORTEST_PIECE: Final = 8  # of base64: shorter ones are found in any text
_seen: set[str] = set()  # keys this process has come across


def environment_name(secret: str) -> str:
    """'limonaia key' -> 'ZEST_SECRET_LIMONAIA_KEY'."""
    return _PREFIX + re.sub(r"[^A-Za-z0-9]+", "_", secret).upper()


def note_key(value: str) -> None:
    """From now on the key is masked at every exit."""
    if value.strip():
        _seen.add(value)


def known_keys() -> tuple[str, ...]:
    """Every key that was asked for or given since the start, and those of the environment."""
    given = {value for name, value in os.environ.items() if name.startswith(_PREFIX) and value.strip()}
    return tuple(sorted(_seen | given, key=len, reverse=True))


@lru_cache(maxsize=256)
def writings(key: str) -> tuple[str, ...]:
    """A key as it may stand in an address, a body, a page or a header: raw, percent-encoded (RFC 3986, twice too) or as
    a form, escaped for JSON, HTML or Python, in hexadecimal and in base64 at any place of it (RFC 4648). Longest first.
    """
    once = [quote(key, safe=""), quote(key), quote_plus(key)]
    found = {key, key.strip(), *once, *(quote(one, safe="") for one in once)}
    found |= {re.sub("%[0-9A-F]{2}", lambda m: m.group().lower(), one) for one in once}
    found |= {json.dumps(key)[1:-1], json.dumps(key, ensure_ascii=False)[1:-1], repr(key)[1:-1]}
    found |= {html.escape(key), html.escape(key, quote=False)}
    data = key.encode("utf-8", errors="replace")
    if len(data) >= _SHORTEST_PIECE:
        found |= {data.hex(), data.hex().upper(), *_in_base64(data)}
    return tuple(sorted((one for one in found if one), key=len, reverse=True))


def _in_base64(data: bytes) -> list[str]:
    """The signs that are the key's alone, whichever of the three places of a group it begins at."""
    out = []
    for before in range(3):
        written = base64.b64encode(b"\0" * before + data).decode().rstrip("=")
        whole = (before + len(data)) * 8 // 6
        piece = written[-(-before * 8 // 6) : whole]
        if len(piece) >= _SHORTEST_PIECE:
            out += [piece, piece.replace("+", "-").replace("/", "_")]
    return out


def holds_key(text: str, key: str) -> bool:
    """Whether a key stands in a text, in any writing."""
    return bool(key) and (
        any(one in text for one in writings(key)) if len(key) >= _SHORT else _word(key).search(text) is not None
    )


@lru_cache(maxsize=256)
def _word(key: str) -> re.Pattern[str]:
    """A short key as a word of its own: as a piece of one it would be found everywhere."""
    return re.compile(rf"(?<![A-Za-z0-9]){re.escape(key)}(?![A-Za-z0-9])")


def masked(text: str, keys: tuple[str, ...]) -> str:
    """The text with every writing of the keys masked."""
    for key in keys:
        if 0 < len(key) < _SHORT:
            text = _word(key).sub(MASK, text)
            continue
        for one in writings(key) if key else ():
            text = text.replace(one, MASK)
    return text


def without_keys(text: str, most: int | None = None) -> str:
    """What somebody else said, to be shown or kept: every known key masked, then cut, so that no piece of one stays."""
    # half of a pair of surrogates, which JSON may hold, is no character and can be kept nowhere
    text = masked(text.encode("utf-8", errors="replace").decode("utf-8"), known_keys())
    return text if most is None else text[:most]

"""Keys taken out of whatever is shown, written down or handed on, in every writing they may have come in."""

from __future__ import annotations

import base64
import os
import re
from functools import lru_cache
from html.entities import html5
from typing import Final

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


@lru_cache(maxsize=64)
def _written(key: str) -> re.Pattern[str]:
    """A key as it may stand in an address, a body, a page, a header or a log: as it is, percent-encoded (RFC 3986,
    again and again), as a form, escaped for JSON in any of its ways (RFC 8259, section 7; JSON within JSON too), for a
    page (WHATWG HTML: names, decimal, hexadecimal), for Python, in hexadecimal, and in base64 at any place of it (RFC
    4648); over several lines, as mail and terminals break them.
    """
    found = [_BREAK.join(_any_way(sign) for sign in key)]
    data = key.encode("utf-8", errors="replace")
    if len(data) >= _SHORTEST_PIECE:
        found.append("(?i:" + _BREAK.join(f"{byte:02x}" for byte in data) + ")")
        found += [_BREAK.join(map(_base64_sign, piece)) for piece in _in_base64(data)]
    return re.compile("|".join(found))


_BREAK: Final = r"(?:[=\\]?\s{1,40}|(?:\\+r)?\\+n)?"  # an end of a line, escaped or not, and what is indented after it


def _any_way(sign: str) -> str:
    """One sign in all its writings, as a regular expression."""
    number = ord(sign)
    ways = [re.escape(sign), rf"\\+{re.escape(sign)}", "".join(rf"%(?:25)*(?i:{byte:02x})" for byte in _utf8(sign))]
    units = sign.encode("utf-16-be", "surrogatepass")
    ways.append("".join(rf"\\+u(?i:{units[at : at + 2].hex()})" for at in range(0, len(units), 2)))
    ways += [rf"\\+U(?i:{number:08x})", rf"\\+x(?i:{number:02x})"]
    ways.append(rf"&(?:amp;)*#0*(?:{number}|[xX]0*(?i:{number:x}));?")
    ways += [rf"&(?:amp;)*{re.escape(name.rstrip(';'))};?" for name in _entities().get(sign, ())]
    ways += [r"\+"] if sign == " " else []
    return f"(?:{'|'.join(ways)})"


def _utf8(text: str) -> bytes:
    return text.encode("utf-8", errors="replace")


@lru_cache(maxsize=1)
def _entities() -> dict[str, list[str]]:
    names: dict[str, list[str]] = {}
    for name, sign in html5.items():
        names.setdefault(sign, []).append(name)
    return names


def _base64_sign(sign: str) -> str:
    return {"+": r"(?:[+-]|%(?:25)*2[bB])", "/": r"(?:\\*[/_]|%(?:25)*2[fF])"}.get(sign, sign)


def _in_base64(data: bytes) -> list[str]:
    """The signs that are the key's alone, whichever of the three places of a group it begins at."""
    out = []
    for before in range(3):
        written = base64.b64encode(b"\0" * before + data).decode().rstrip("=")
        whole = (before + len(data)) * 8 // 6
        piece = written[-(-before * 8 // 6) : whole]
        if len(piece) >= _SHORTEST_PIECE:
            out.append(piece)
    return out


def _pieces(text: str, key: str) -> list[tuple[int, int]]:
    """Where a half of the key or more stands, as it is: of a key that came in two parts, the longer one does."""
    size = max(_SHORTEST_PIECE, (len(key) + 1) // 2)
    found: list[tuple[int, int]] = []
    for begin in range(len(key) - size + 1):
        at = text.find(key[begin : begin + size])
        while at >= 0:
            found.append((at, at + size))
            at = text.find(key[begin : begin + size], at + 1)
    return found


def holds_key(text: str, key: str) -> bool:
    """Whether a key stands in a text, in any writing, or half of it."""
    if not key:
        return False
    if len(key) < _SHORT:
        return _word(key).search(text) is not None
    return _written(key).search(text) is not None or bool(_pieces(text, key))


@lru_cache(maxsize=256)
def _word(key: str) -> re.Pattern[str]:
    """A short key as a word of its own: as a piece of one it would be found everywhere."""
    return re.compile(rf"(?<![A-Za-z0-9]){re.escape(key)}(?![A-Za-z0-9])")


def masked(text: str, keys: tuple[str, ...]) -> str:
    """The text with every writing of the keys masked."""
    for key in keys:
        if 0 < len(key) < _SHORT:
            text = _word(key).sub(MASK, text)
        elif key:
            text = _written(key).sub(MASK, text)
            for start, end in reversed(_joined(_pieces(text, key))):
                text = text[:start] + MASK + text[end:]
    return text


def _joined(spans: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """Overlapping stretches as one, in order."""
    out: list[tuple[int, int]] = []
    for start, end in sorted(spans):
        if out and start <= out[-1][1]:
            out[-1] = (out[-1][0], max(end, out[-1][1]))
        else:
            out.append((start, end))
    return out


def without_keys(text: str, most: int | None = None) -> str:
    """What somebody else said, to be shown or kept: every known key masked, then cut, so that no piece of one stays."""
    # half of a pair of surrogates, which JSON may hold, is no character and can be kept nowhere
    text = masked(text.encode("utf-8", errors="replace").decode("utf-8"), known_keys())
    return text if most is None else text[:most]

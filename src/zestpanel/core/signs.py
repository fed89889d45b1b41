"""Signs that cannot be seen, or that change how others are seen: named where somebody else's text is shown."""

from __future__ import annotations

import re
import unicodedata
from typing import Final

# default-ignorable or blank although their category says letter, mark or symbol (Unicode, DerivedCoreProperties)
_BLANK: Final = re.compile(
    "[\u034f\u115f\u1160\u17b4\u17b5\u180b-\u180f\u2800\u3164\ufe00-\ufe0f\uffa0\U000e0100-\U000e01ef]"
)
_UNSEEN: Final = frozenset({"Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp", "Zs"})
# what a terminal obeys, or turns round: C0 and C1 but for tab and line feed (ECMA-48), bidirectional formatting
# (UAX 9), line and paragraph separators, halves of pairs, tags
_OBEYED: Final = re.compile(
    "[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069\ud800-\udfff\ufeff\U000e0000-\U000e007f]"
)


def by_number(sign: str) -> str:
    """'[U+202E]' of one sign."""
    return f"[U+{ord(sign):04X}]"


def visible(text: str) -> str:
    """In one line, every sign to be seen: '⏎' for an end of a line, what cannot be seen by its number."""
    if text.isprintable() and not _BLANK.search(text):
        return text
    return "".join(_seen(sign) for sign in text)


def _seen(sign: str) -> str:
    if sign == "\n":
        return "⏎"
    unseen = sign != " " and (unicodedata.category(sign) in _UNSEEN or _BLANK.match(sign))
    return by_number(sign) if unseen else sign


def harmless(text: str) -> str:
    """For a terminal, a page or a drawing: as it stands, but what moves, hides or turns round other text by its
    number."""
    return _OBEYED.sub(lambda found: by_number(found.group()), text)


def harmless_json(text: str) -> str:
    """JSON with the same signs escaped (RFC 8259, section 7): they stand in its strings alone."""
    return _OBEYED.sub(
        lambda found: f"\\u{ord(found.group()):04x}" if found.group() < "\U00010000" else _pair(found.group()), text
    )


def _pair(sign: str) -> str:
    high, low = divmod(ord(sign) - 0x10000, 0x400)
    return f"\\u{0xD800 + high:04x}\\u{0xDC00 + low:04x}"

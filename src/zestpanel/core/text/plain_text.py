"""A text without anything that a voice may stumble over or pause at for the typesetting alone: what stays is words and
the plainest stops. The same voice with the same settings on it tells whether text or setting makes a gap."""

from __future__ import annotations

import re
import unicodedata
from typing import Final

_STEPS: Final[tuple[tuple[str, str], ...]] = (
    (r"[\u00ad\u200b-\u200f\u2060\ufeff]", ""),  # soft hyphens, joiners and marks of width nothing
    (r"[*_#~`|<>\[\]{}\\]+", " "),
    (r"[\"“”„‟«»‹›‚‘]|(?<!\w)['’]|['’](?!\w)", ""),  # quotation marks, but no apostrophe within a word
    (r"[()]", ", "),
    (r"\.{2,}|…", ". "),
    (r"\s+[-–—]+\s+|[–—]+(?!\d)|\s*[;:](?=\s)", ", "),
    (r"([!?])[!?]+", r"\1"),
    (r"\s+", " "),
    (r"\s+([,.!?])", r"\1"),
    (r"(?:,\s*)+([.!?])", r"\1"),
    (r"(?:,\s*){2,}", ", "),
    (r"([.!?]\s*)(?:,\s*)+", r"\1"),
    (r"^[\s,]+|[\s,]+$", ""),
)  # fmt: skip


def in_plain_signs(text: str) -> str:
    """The words as they are, between commas, full stops, question and exclamation marks; pictures and other symbols
    that are no words fall away."""
    text = "".join(c for c in text if unicodedata.category(c) not in ("So", "Sk", "Co", "Cs"))
    before = None
    while text != before:  # what falls away may leave two signs side by side
        before = text
        for pattern, by in _STEPS:
            text = re.sub(pattern, by, text)
    return text

"""A passage and its versions: a comma is a parameter, so every text has a hash and a number."""

from __future__ import annotations

import hashlib
import re
import unicodedata
from dataclasses import dataclass

_WORD = re.compile(r"[^\W_]+(?:['’.,:\-/][^\W_]+)*", re.UNICODE)


@dataclass(frozen=True, slots=True, kw_only=True)
class Passage:
    """A passage at its present version. ``number`` counts versions from 1."""

    id: int
    version_id: int
    number: int
    title: str
    language: str
    text: str

    @property
    def sha256(self) -> str:
        return text_hash(self.text)

    @property
    def characters(self) -> int:
        return len(self.text)


def clean_text(text: str) -> str:
    """Text as it is kept: NFC, one kind of line end, no control characters, no space at line ends."""
    text = unicodedata.normalize("NFC", text).replace("\r\n", "\n").replace("\r", "\n")
    text = "".join(c for c in text if c in "\n\t" or unicodedata.category(c) != "Cc")
    return "\n".join(line.rstrip() for line in text.split("\n")).strip()


def text_hash(text: str) -> str:
    return hashlib.sha256(text.encode("utf-8")).hexdigest()


def words_with_places(text: str) -> list[tuple[str, int, int]]:
    """(word, start, end) by character index: runs of letters and digits, joined inside by ' . , : - /."""
    return [(m.group(), m.start(), m.end()) for m in _WORD.finditer(text)]


def title_from(text: str) -> str:
    """A short title from the first words."""
    words = text.split()
    title = " ".join(words[:4])
    return title.rstrip(".,;:!?") if len(title) <= 32 else title[:30].rstrip() + "…"

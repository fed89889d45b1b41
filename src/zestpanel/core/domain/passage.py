"""A passage and its versions: a comma is a parameter, so every text has a hash and a number."""

from __future__ import annotations

import hashlib
import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import lru_cache
from typing import Final

from zestpanel.core.domain.mark import DeliveryMark, as_json
from zestpanel.core.long_texts import lines, stretches
from zestpanel.core.texts import tr

_WORD = re.compile(r"[^\W_]+(?:['’.,:\-/][^\W_]+)*", re.UNICODE)


# whose text it is; '' is not known yet
RIGHTS: dict[str, str] = {
    "": tr("not said"),
    "ours": tr("ours"),
    "licensed": tr("licensed"),
    "public domain": tr("public domain"),
    "testing only": tr("for testing only"),
}


ASSUMED_CHARACTERS_PER_MINUTE: Final = Decimal(1000)  # common practice, no source; marked as assumed wherever used
# a passage is what is heard in one go: some twenty minutes at most
LONGEST_PASSAGE: Final = 20_000


@dataclass(frozen=True, slots=True)
class Review:
    """Who looked at a translation and when (ISO date): its words must be right before a voice is judged on them."""

    by: str
    on: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Passage:
    """A passage at its present version. ``number`` counts versions from 1.

    dialogue, speaker and gap_s: set for a turn of a dialogue; gap_s None takes the dialogue's own gap.
    """

    id: int
    version_id: int
    number: int
    title: str
    language: str
    text: str
    marks: tuple[DeliveryMark, ...] = ()
    tags: tuple[str, ...] = ()
    rights: str = ""
    source: str = ""
    translation_of: int | None = None
    reviewed: Review | None = None
    dialogue: str = ""
    speaker: str = ""
    gap_s: float | None = None

    @property
    def sha256(self) -> str:
        return text_hash(self.text, self.marks)

    @property
    def characters(self) -> int:
        return len(self.text)


# control characters (Unicode's Cc) but for line end and tab, and halves of pairs (Cs)
_NOT_KEPT = re.compile(r"[\x00-\x08\x0b-\x1f\x7f-\x9f\ud800-\udfff]")


def clean_text(text: str) -> str:
    """Text as it is kept: NFC, one kind of line end, no control characters, no halves of pairs, no space at ends."""
    clean = "".join(_NOT_KEPT.sub("", _one_form(piece)) for piece in stretches(text))
    return "\n".join(line.rstrip() for line in lines(clean)).strip()


def _one_form(text: str) -> str:
    return unicodedata.normalize("NFC", text).replace("\r\n", "\n").replace("\r", "\n")


def text_hash(text: str, marks: Sequence[DeliveryMark] = ()) -> str:
    """A comma is a parameter, and so is a pause."""
    whole = f"{text}\u241e{as_json(marks)}" if marks else text
    return hashlib.sha256(whole.encode("utf-8")).hexdigest()


def words_with_places(text: str) -> list[tuple[str, int, int]]:
    """(word, start, end) by character index: runs of letters and digits, joined inside by ' . , : - /."""
    return list(_words(text))


@lru_cache(maxsize=16)  # the same few texts are asked about again and again while they are shown
def _words(text: str) -> tuple[tuple[str, int, int], ...]:
    return tuple((m.group(), m.start(), m.end()) for m in _WORD.finditer(text))


def title_from(text: str) -> str:
    """A short title from the first words."""
    words = text.split()
    title = " ".join(words[:4])
    return title.rstrip(".,;:!?") if len(title) <= 32 else title[:30].rstrip() + "…"

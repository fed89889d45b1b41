"""Long texts, gone through a stretch at a time.

No other thread runs while compiled code works on a text, such as a regular expression that looks for what is not there:
the interface would stand still for as long. What is looked for here is looked for in stretches, between which others
have their turn.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterator
from typing import Final

STRETCH: Final = 20_000  # characters
_SPACES: Final = re.compile(r"\s+")


def lines(text: str) -> Iterator[str]:
    """As ``text.split("\\n")`` gives them."""
    at = 0
    while (end := text.find("\n", at)) >= 0:
        yield text[at:end]
        at = end + 1
    yield text[at:]


def gaps(text: str, start: int, end: int) -> Iterator[tuple[int, int]]:
    """(start, end) of each run of white space."""
    at = start
    while at < end:
        found = _SPACES.search(text, at, min(end, at + STRETCH))
        if found is None:
            at += STRETCH
        elif whole := _SPACES.match(text, found.start(), end):  # it may go on behind the stretch
            yield whole.span()
            at = whole.end()


def folded(text: str) -> str:
    """The words with single spaces between them."""
    if len(text) <= STRETCH:
        return " ".join(text.split())
    words, at = [], 0
    for start, end in gaps(text, 0, len(text)):
        words.append(text[at:start])
        at = end
    return " ".join([*words, text[at:]]).strip()


def stretches(text: str) -> Iterator[str]:
    """The text in pieces that can be put into a normal form (Unicode Standard Annex #15) one by one: none begins with
    what may combine with the character before it, nor between the two characters of a line end."""
    at = 0
    while len(text) - at > STRETCH:
        cut = at + STRETCH
        while cut < len(text) and not _may_part(text, cut):
            cut += 1
        yield text[at:cut]
        at = cut
    yield text[at:]


def _may_part(text: str, at: int) -> bool:
    after = text[at : at + 1]
    if after.isascii():
        return after != "\n"
    # vowels and ends of a Hangul syllable are letters, and combine all the same
    return unicodedata.category(after)[0] != "M" and not "\u1160" <= after <= "\u11ff"

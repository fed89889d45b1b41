"""Names of signs and of tags, as they are heard where an engine reads them aloud."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

from zestpanel.core.measures.readings.words import LANGUAGES, Reading, alike, primary, spoken, ways


def names_in(text: str, language: str) -> tuple[Reading, ...]:
    """What the signs that stand in a text are called."""
    table = spoken(primary(language)).get("named", {})
    found = [way for sign, names in table.items() if sign in text for way in ways(names)]
    return tuple(dict.fromkeys(alike(way, language) for way in found))


@lru_cache(maxsize=len(LANGUAGES))
def of_tags(language: str) -> tuple[Reading, ...]:
    """What is heard of tags that are read aloud."""
    return tuple(alike(way, language) for way in ways(spoken(primary(language)).get("of_tags", "")))


def tags_read(language: str) -> tuple[Reading, ...]:
    """Tags as they are heard one word after another: how one begins, and its likely continuations."""
    table = spoken(primary(language)).get("tags_read", "")
    return tuple(alike(way, language) for way in ways(table) if way)


def are_signs(heard: Sequence[str], text: str, language: str) -> bool:
    """Whether what was heard is nothing but names of signs in the text; or begins with two words of tags, and half of
    it is such: one is a word like others, and values stand in tags."""
    signs = names_in(text, language)
    parts, words = _begun(heard, (*signs, *of_tags(language)))
    return _begun(heard, signs)[1] == len(heard) > 0 or (parts > 1 and 2 * words >= len(heard))


def _begun(heard: Sequence[str], names: Sequence[Reading]) -> tuple[int, int]:
    """How many names these words begin with, the longest first, and how many words those are."""
    at = parts = 0
    by_length = sorted(filter(None, names), key=len, reverse=True)
    while at < len(heard):
        found = next((name for name in by_length if tuple(heard[at : at + len(name)]) == name), None)
        if found is None:
            break
        at, parts = at + len(found), parts + 1
    return parts, at

"""Words that no dictionary has: names, jargon, old spellings; the first candidates for the pronunciation list."""

from __future__ import annotations

import gzip
import heapq
import json
from collections import Counter
from collections.abc import Iterable, Mapping
from functools import lru_cache
from importlib import resources
from typing import Final

from zestpanel.core.domain.passage import words_with_places
from zestpanel.core.waiting import stand_aside

LANGUAGES = ("en", "fr", "es", "de", "it", "pt")
_LINES_AT_ONCE: Final = 2_000


@lru_cache(maxsize=len(LANGUAGES))
def _dictionary(primary: str) -> Mapping[str, int]:
    """How often each word of a language is met, from the lists of pyspellchecker: JSON with a word on each line, read
    some lines at a time, since all at once keep every other thread waiting for a tenth of a second."""
    counts: Counter[str] = Counter()
    packed = (resources.files("spellchecker") / "resources" / f"{primary}.json.gz").read_bytes()
    lines = gzip.decompress(packed).decode().strip().strip("{}").splitlines()
    for start in range(0, len(lines), _LINES_AT_ONCE):
        stand_aside()
        some = "".join(lines[start : start + _LINES_AT_ONCE]).rstrip(",")
        for word, count in json.loads("{" + some + "}").items():
            counts[word.lower()] += count
    return counts


def unknown_words(texts: Iterable[str], language: str, *, known: Iterable[str] = ()) -> list[tuple[str, int]]:
    """(word, how often), most frequent first, of words with no entry in the dictionary of the language.

    known: words that are in the pronunciation list already. Figures, single letters and addresses are left out.
    Empty for a language without a dictionary.
    """
    primary = language.split("-")[0].lower()
    if primary not in LANGUAGES:
        return []
    counted: Counter[str] = Counter()
    for text in texts:
        for word, _, _ in words_with_places(text):
            bare = word.removesuffix("'s").removesuffix("’s")
            if len(bare) > 1 and bare.replace("-", "").replace("’", "").replace("'", "").isalpha():
                counted[bare] += 1
    dictionary = _dictionary(primary)
    there = {word.lower() for word in known}
    out = []
    for word, count in counted.items():
        parts = [p for piece in word.replace("’", "'").split("-") for p in piece.split("'") if len(p) > 1]
        if word.lower() not in there and any(p.lower() not in dictionary for p in parts):
            out.append((word, count))
    return sorted(out, key=lambda pair: (-pair[1], pair[0].lower()))


def common_words(language: str, most: int) -> list[str]:
    """The most frequent words of a language, at least two letters long; [] for one without a dictionary."""
    primary = language.split("-")[0].lower()
    if primary not in LANGUAGES:
        return []
    counts = _dictionary(primary)
    words = (word for word in counts if len(word) > 1 and word.isalpha())
    return heapq.nsmallest(most, words, key=lambda word: (-counts[word], word))

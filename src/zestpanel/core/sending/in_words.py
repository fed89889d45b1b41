"""Figures, signs and short forms of a text in words, where only one reading can be meant; the rest is named and stays.

Two ways hold each other: what the rules here would put must also be a reading that the measure of words wrong counts as
right (core/measures/readings); what only one of them knows stays as it is written. Rules: grammars and style guides of
each language (common practice, no source); names of numbers by num2words, of months and units by CLDR (Babel).
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

from zestpanel.core.measures.readings.words import primary
from zestpanel.core.measures.word_errors import word_errors
from zestpanel.core.sending.written_forms import BESIDE, MAY_END_A_SENTENCE, Text, rules
from zestpanel.core.text.difficulty import GIANT
from zestpanel.core.text.marks.spelling_out import SPOKEN_LANGUAGES
from zestpanel.core.waiting import stand_aside

_OTHER_FIGURES: Final = re.compile(r"\S*\d\S*")  # beside a place: each is read by itself
_ENDS: Final = re.compile(r"[\"”’»)]*(?:\s*$|\s+[\"“«]?[A-ZÀ-Þ])")  # the stop ends the sentence as well


@dataclass(frozen=True, slots=True, kw_only=True)
class Written:
    """A place that is not written as it is said; words is None where it cannot be put in words with certainty."""

    start: int
    end: int
    kind: str
    words: str | None


def in_words(text: str, language: str) -> list[Written]:
    """All places of a text that are not written as they are said, by place, with their words where they are certain."""
    if primary(language) not in SPOKEN_LANGUAGES:
        return []
    return list(_places(Text(GIANT.sub(lambda giant: " " * len(giant[0]), text), language)))


def _places(t: Text) -> Iterator[Written]:
    table, at = rules(t.language), 0
    following = [rule.search(t.text) for _, rule, _ in table]
    while True:
        stand_aside()
        for k, found in enumerate(following):
            if found is not None and found.start() < at:
                following[k] = table[k][1].search(t.text, at)
        best = min(((found.start(), k) for k, found in enumerate(following) if found is not None), default=None)
        if best is None:
            return
        start, k = best
        kind, _, put = table[k]
        found = following[k]
        assert found is not None
        words = put(t, found) if put is not None else None
        if words is not None and not _held(t, start, found.end(), words):
            words = None
        if words and put in MAY_END_A_SENTENCE and found[0].endswith(".") and _ENDS.match(t.text, found.end()):
            words += "" if "name" in found.groupdict() and found["name"] is not None else "."
        yield Written(start=start, end=found.end(), kind=kind, words=words)
        at = max(found.end(), start + 1)


def _held(t: Text, start: int, end: int, words: str) -> bool:
    """Whether a listener who hears the words has heard what is written, by the measure of words wrong."""
    if end - start > 10 * BESIDE:
        return False
    before = _OTHER_FIGURES.split(t.text[max(0, start - BESIDE) : start])[-1]
    after = _OTHER_FIGURES.split(t.text[end : end + BESIDE])[0]
    return _heard_as(f"{before}{t.text[start:end]}{after}", f"{before}{words}{after}", t.language)


@lru_cache(maxsize=4096)
def _heard_as(written: str, heard: str, language: str) -> bool:
    return word_errors(written, heard, language).rate == 0

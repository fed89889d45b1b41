"""Sentences that are right in grammar and without sense, so that words are heard and not guessed.

Benoît, Grice & Hazan 1996, "The SUS test", Speech Communication 18: five structures, short common words drawn at
random. The word lists are our own.
"""

from __future__ import annotations

import random
from functools import lru_cache
from importlib import resources
from typing import Any, Final

import yaml

from zestpanel.core.errors import InputError
from zestpanel.core.texts import tr

STRUCTURES: Final = ("intransitive", "transitive", "imperative", "interrogative", "relative")
LANGUAGES: Final = ("en", "fr", "es", "de")


@lru_cache(maxsize=1)
def _lists() -> dict[str, Any]:
    text = (resources.files("zestpanel.core.text.picking") / "unpredictable_words.yaml").read_text("utf-8")
    found: dict[str, Any] = yaml.safe_load(text)
    return found


def unpredictable_sentences(language: str, count: int, *, seed: int = 0) -> list[str]:
    """So many sentences, the five structures in turn. A word comes back only when its list is used up.

    Raises InputError for a language without word lists.
    """
    primary = language.split("-")[0].lower()
    if primary not in LANGUAGES:
        raise InputError(
            tr("There are no word lists for unpredictable sentences in '{language}'.", language=language),
            kept=tr("Nothing was added."),
            remedy=tr("There are some for {languages}.", languages=", ".join(LANGUAGES)),
        )
    words = _Words(_lists()[primary], random.Random(f"{primary} {seed}"))
    make = {"en": _english, "fr": _romance, "es": _romance, "de": _german}[primary]
    return [_sentence(make(words, STRUCTURES[i % len(STRUCTURES)], primary)) for i in range(count)]


def _sentence(text: str) -> str:
    return text[0].upper() + text[1:]


class _Words:
    """Draws from shuffled lists, each to its end before it is shuffled again."""

    def __init__(self, lists: dict[str, Any], chance: random.Random) -> None:
        self._lists, self.chance = lists, chance
        self._left: dict[str, list[Any]] = {}

    def draw(self, name: str) -> Any:
        if not self._left.get(name):
            source = self._lists[name]
            items = [(w, g) for g, ws in source.items() for w in ws] if isinstance(source, dict) else list(source)
            self.chance.shuffle(items)
            self._left[name] = items
        return self._left[name].pop()


def _english(words: _Words, structure: str, _: str) -> str:
    def noun() -> str:
        return f"the {words.draw('nouns')}"

    def full() -> str:
        return f"the {words.draw('adjectives')} {words.draw('nouns')}"

    match structure:
        case "intransitive":
            return f"{noun()} {words.draw('intransitive')} {words.draw('prepositions')} {full()}."
        case "transitive":
            return f"{full()} {words.draw('transitive')} {noun()}."
        case "imperative":
            return f"{words.draw('imperative')} {noun()} and {noun()}."
        case "interrogative":
            question = words.chance.choice(["how", "when", "where", "why"])
            return f"{question} does {noun()} {words.draw('bare')} {full()}?"
    return f"{noun()} {words.draw('transitive')} {noun()} that {words.draw('intransitive')}."


_ROMANCE: Final[dict[str, dict[str, Any]]] = {
    "fr": {
        "m": "le",
        "f": "la",
        "and": "et",
        "that": "qui",
        "ask": ["comment", "quand", "où"],
        "open": "",
        "close": " ?",
    },
    "es": {
        "m": "el",
        "f": "la",
        "and": "y",
        "that": "que",
        "ask": ["cómo", "cuándo", "dónde"],
        "open": "¿",
        "close": "?",
    },
}


def _romance(words: _Words, structure: str, primary: str) -> str:
    own = _ROMANCE[primary]

    def noun() -> str:
        word, gender = words.draw("nouns")
        return f"{own[gender]} {word}"

    def full() -> str:
        word, gender = words.draw("nouns")
        adjective = words.draw("adjectives")[0 if gender == "m" else 1]
        return f"{own[gender]} {word} {adjective}"

    match structure:
        case "intransitive":
            return f"{noun()} {words.draw('intransitive')} {words.draw('prepositions')} {full()}."
        case "transitive":
            return f"{full()} {words.draw('transitive')} {noun()}."
        case "imperative":
            return f"{words.draw('imperative')} {noun()} {own['and']} {noun()}."
        case "interrogative":
            asked = words.chance.choice(own["ask"])
            if primary == "fr":
                return f"{asked} est-ce que {noun()} {words.draw('transitive')} {full()}{own['close']}"
            return f"¿{asked.capitalize()} {words.draw('transitive')} {noun()} {full()}?"
    return f"{noun()} {words.draw('transitive')} {noun()} {own['that']} {words.draw('intransitive')}."


_ARTICLES: Final = {
    "nominative": {"m": "der", "f": "die", "n": "das"},
    "accusative": {"m": "den", "f": "die", "n": "das"},
    "dative": {"m": "dem", "f": "der", "n": "dem"},
}


def _german(words: _Words, structure: str, _: str) -> str:
    def noun(case: str) -> str:
        word, gender = words.draw("nouns")
        return f"{_ARTICLES[case][gender]} {word}"

    def full(case: str) -> str:
        word, gender = words.draw("nouns")
        weak = "en" if case == "dative" or (case == "accusative" and gender == "m") else "e"
        return f"{_ARTICLES[case][gender]} {words.draw('adjectives')}{weak} {word}"

    match structure:
        case "intransitive":
            return f"{noun('nominative')} {words.draw('intransitive')} {words.draw('prepositions')} {full('dative')}."
        case "transitive":
            return f"{full('nominative')} {words.draw('transitive')} {noun('accusative')}."
        case "imperative":
            return f"{words.draw('imperative')} {noun('accusative')} und {noun('accusative')}."
        case "interrogative":
            asked = words.chance.choice(["wie", "wann", "wo", "warum"])
            return f"{asked} {words.draw('transitive')} {noun('nominative')} {full('accusative')}?"
    word, gender = words.draw("nouns")
    who = _ARTICLES["accusative"][gender]
    relative = _ARTICLES["nominative"][gender]
    subject = noun("nominative")
    return f"{subject} {words.draw('transitive')} {who} {word}, {relative} {words.draw('intransitive')}."

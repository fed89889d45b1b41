"""The sounds of a text and of a language, as the built-in voice says them."""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import lru_cache
from typing import Final

from zestpanel.core.speech import builtin_voice
from zestpanel.core.text.lexicon.unknown_words import LANGUAGES, common_words

_STRESS: Final = re.compile(r"[ˈˌ'ˑ]")
_OTHER_LANGUAGE: Final = re.compile(r"\((\w[\w-]*)\)")
_WORDS_ASKED: Final = 4_000
RAREST: Final = 0.0002  # a sound rarer than this share of all sounds belongs to borrowed words


@lru_cache(maxsize=20_000)
def sounds_in(text: str, language: str) -> frozenset[str]:
    """The different sounds of a text, without stress; words the voice takes for another language are left out."""
    return frozenset(_counted(text, language))


def _counted(text: str, language: str) -> list[str]:
    spoken = builtin_voice.phonemes(text, voice=builtin_voice.voice_for_language(language), separator="_")
    spoken = re.sub(r"\((?!{0})\w[\w-]*\).*?(?:\((?:{0})[\w-]*\)|$)".format(language.split("-")[0]), " ", spoken)
    out = []
    for token in re.split(r"[_\s]+", _OTHER_LANGUAGE.sub(" ", spoken)):
        sound = _STRESS.sub("", token).strip("-|;")
        if sound and any(c.isalpha() for c in sound):
            out.append(sound)
    return out


@lru_cache(maxsize=len(LANGUAGES))
def sounds_of_language(language: str) -> tuple[str, ...]:
    """The sounds that the commonest words of a language are made of, most frequent first; () where none is known."""
    words = common_words(language, _WORDS_ASKED)
    counts: dict[str, int] = {}
    for start in range(0, len(words), 200):
        for sound in _counted(". ".join(words[start : start + 200]), language):
            counts[sound] = counts.get(sound, 0) + 1
    least = RAREST * sum(counts.values())
    return tuple(sorted((s for s, n in counts.items() if n >= least), key=lambda s: (-counts[s], s)))


def sounds_of_texts(texts: Iterable[str], language: str) -> frozenset[str]:
    return frozenset().union(*(sounds_in(text, language) for text in texts))

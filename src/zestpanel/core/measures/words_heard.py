"""What a recogniser hears in a clip, held against the text: words missing, added and replaced.

The recogniser expects the text: its language model is the text's own word sequence (trigrams) with common English
words beside it, so that it writes the text down where the text is spoken, and other words or none where it is not.
Recognition with a model made from the transcript: Moreno, Joerg, Van Thong & Glickman 1998, "A recursive algorithm for
the forced alignment of very long audio segments" (from memory). Figures and signs may be read in any usual way (see
``readings``); the word error rate is (missing + added + replaced) over the words of the text (see ``word_errors``).

A voice that the recogniser knows badly has words wrong that people understand: the figure compares takes of one
candidate, as in a sweep or before and after a change, better than it compares candidates.
"""

from __future__ import annotations

import math
import tempfile
from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from pathlib import Path
from typing import Any, Final

from zestpanel.core.audio.clip import Clip
from zestpanel.core.measures.readings.sign_names import names_in, tags_read
from zestpanel.core.measures.readings.text import Place, places
from zestpanel.core.measures.readings.words import Reading, alike, primary
from zestpanel.core.measures.recogniser import (
    LOCK,
    RATE_HZ,
    dictionary,
    known_name,
    pcm_for,
    recogniser_name,
    ways_of_saying,
)
from zestpanel.core.measures.word_errors import Pair, aligned, errors_of
from zestpanel.core.text.lexicon.unknown_words import common_words
from zestpanel.core.texts import tr

# How firmly the text is expected: share of the probability on what follows two words, one word, and on the text's own
# words at all. Found by trial on the stand-ins' voices: words cut out of clips raise the rate by what was cut.
_AFTER_TWO: Final = 0.98
_AFTER_ONE: Final = 0.95
_OF_THE_TEXT: Final = 0.9
_COMMON_WORDS: Final = 100
_ALOUD: Final = 0.06  # of signs and tags that are read aloud, beside the text as it is
_MOST_EXPECTED: Final = 8  # readings of one place
_WEIGHT: Final = 10.0  # of the language model against the sound
# Few words can be searched flat, without the tree that a large dictionary needs, and in narrower beams than the
# usual 1e-64 and 7e-29: on 67 clips of the demo a tenth fewer words were taken for wrong, in five sixths of the time.
_SEARCH: Final = {"fwdtree": False, "fwdflatbeam": 1e-48, "fwdflatwbeam": 1e-20}
ENGLISH_ONLY: Final = tr("the built-in recogniser hears English only")


@dataclass(frozen=True, slots=True, kw_only=True)
class WordsHeard:
    """words: the text's, in the reading that was followed. heard: what was written down, words of the text in its
    spelling. by: which recogniser. right: by place of the text, whether it was heard as it may be read. pairs: by
    place, what was heard there."""

    words: int
    missing: int
    added: int
    replaced: int
    heard: str
    by: str
    right: tuple[bool, ...] = ()
    pairs: tuple[Pair, ...] = ()

    @property
    def wrong_percent(self) -> float:
        """Word error rate in percent; over 100 when more was added than there is."""
        return 100 * (self.missing + self.added + self.replaced) / self.words


def words_heard(clip: Clip, text: str, language: str) -> WordsHeard | str:
    """What is heard of a text, or why that cannot be told."""
    if primary(language) != "en":
        return ENGLISH_ONLY
    script = places(text, language)
    if not script:
        return tr("the text has no words")
    pcm = pcm_for(clip)
    with LOCK:
        names = {word: known_name(word) for place in script for reading in _expected(place) for word in reading}
        found = _listen(pcm, script, names, list(_signs_read(text, script))) if pcm else []
    return compared(script, names, found, by=recogniser_name())


def _signs_read(text: str, script: Sequence[Place]) -> Iterator[Reading]:
    """Stretches that are heard where signs between the words, or tags, are read aloud."""
    at = 0
    for before, after in zip(script, [*script[1:], None], strict=True):
        found = text.find(before.written, at)
        at = found + len(before.written) if found >= 0 else at
        end = text.find(after.written, at) if after is not None else len(text)
        for name in names_in(text[at : max(at, end)], "en"):
            yield (*before.readings[0][-2:], *name, *(after.readings[0][:2] if after is not None else ()))
    yield from tags_read("en")


def _expected(place: Place) -> list[Reading]:
    """The readings the recogniser is told to expect; a nought may be said as the letter."""
    readings = list(place.readings[:_MOST_EXPECTED])
    return readings + [tuple("oh" if word == "zero" else word for word in r) for r in readings if "zero" in r]


def compared(script: Sequence[Place], names: Mapping[str, str], found: Sequence[str], *, by: str) -> WordsHeard:
    """Counts of a recognition. names: the dictionary's entry for each word that was expected; found: the entries that
    were heard."""
    word_of = {name: word for word, name in reversed(list(names.items()))}
    heard = [word_of.get(name, name) for name in found]
    errors = errors_of(script, [Place(word, (alike([word], "en"),)) for word in heard])
    spelt = {place.readings[0][0]: place.written for place in script if place.written.isalpha()}
    return WordsHeard(
        words=errors.words,
        missing=errors.missing,
        added=errors.added,
        replaced=errors.replaced,
        heard=" ".join(spelt.get(word, word) for word in heard),
        by=by,
        right=errors.right,
        pairs=aligned(script, [part for word in heard for part in alike([word], "en")]),
    )


def written_down(text: str, language: str, answer: str, *, by: str) -> WordsHeard | str:
    """What another recogniser wrote down, against the text; or why it cannot be told."""
    script, heard = places(text, language), places(answer, language)
    if not script:
        return tr("the text has no words")
    errors = errors_of(script, heard)
    return WordsHeard(
        words=errors.words, missing=errors.missing, added=errors.added, replaced=errors.replaced,
        heard=" ".join(answer.split()), by=by, right=errors.right,
        pairs=aligned(script, [word for place in heard for word in _fitting(place, script)]),
    )  # fmt: skip


def _fitting(heard: Place, script: Sequence[Place]) -> Reading:
    """Of a figure that was written down as one, a reading that the script has; else the first."""
    known = {reading for place in script for reading in place.readings}
    return next(
        (reading for reading in heard.readings if reading in known), heard.readings[0] if heard.readings else ()
    )


def _listen(pcm: bytes, script: Sequence[Place], names: Mapping[str, str], aloud: Sequence[Reading]) -> list[str]:
    """The dictionary entries that are heard. A recogniser of its own a text: with few words it is quick."""
    from pocketsphinx import Decoder

    others = _others()
    names = {**names, **{word: word for way in aloud for word in way if word not in names}}
    aloud = [way for way in aloud if all(dictionary().lookup_word(names[word]) is not None for word in way)]
    known = [names[word] for place in script for reading in _expected(place) for word in reading]
    known += [names[word] for way in aloud for word in way]
    entries = [entry for name in dict.fromkeys([*known, *others]) for entry in ways_of_saying(name)]
    usual = [names[word] for place in script for word in place.readings[0]]
    ways = [([names[word] for word in way], 1.0) for way in _other_ways(script)]
    ways += [([names[word] for word in way], _ALOUD) for way in aloud]
    with tempfile.TemporaryDirectory(prefix="zest-") as folder:
        words, model = Path(folder) / "words.dict", Path(folder) / "text.lm"
        words.write_text("".join(f"{entry} {phones}\n" for entry, phones in entries), encoding="utf-8")
        model.write_text(transcript_model(usual, others, ways), encoding="utf-8")
        decoder: Any = Decoder(
            samprate=RATE_HZ, loglevel="FATAL", cmn="batch", dict=str(words), lm=str(model), lw=_WEIGHT, **_SEARCH
        )
    decoder.start_utt()
    decoder.process_raw(pcm, full_utt=True)
    decoder.end_utt()
    heard = decoder.hyp()
    return [entry.split("(")[0] for entry in heard.hypstr.split()] if heard else []


@lru_cache(maxsize=1)
def _others() -> tuple[str, ...]:
    return tuple(word for word in common_words("en", _COMMON_WORDS) if dictionary().lookup_word(word) is not None)


def _other_ways(script: Sequence[Place]) -> Iterator[Reading]:
    """Each other reading of a place, between the two words before and after it."""
    for index, place in enumerate(script):
        others = [way for way in _expected(place) if way != place.readings[0]]
        if not others:
            continue
        before = [word for p in script[max(0, index - 2) : index] for word in p.readings[0]][-2:]
        after = [word for p in script[index + 1 : index + 3] for word in p.readings[0]][:2]
        for way in others:
            yield (*before, *way, *after)


def transcript_model(
    words: Sequence[str], others: Sequence[str], ways: Sequence[tuple[Sequence[str], float]] = ()
) -> str:
    """A back-off trigram model of a text in the ARPA format: each level mixes the text's counts with the level below,
    so that the probabilities after any history add up to one. others: words that may come anywhere. ways: stretches of
    the text as they may also be read, each with how likely it is beside the text as it is."""
    texts = [(("<s>", *words, "</s>"), 1.0), *ways]
    singles: dict[str, float] = dict(Counter(texts[0][0][1:]))
    for way, share in ways:
        singles |= {word: share for word in way if word not in singles}
    beside = [word for word in dict.fromkeys(others) if word not in singles]
    share = _OF_THE_TEXT if beside else 1.0
    every = sum(singles.values())
    single = {word: share * n / every for word, n in singles.items()}
    single |= {word: (1 - share) / len(beside) for word in beside}
    after_one: dict[str, dict[str, float]] = defaultdict(lambda: defaultdict(float))
    after_two: dict[tuple[str, str], dict[str, float]] = defaultdict(lambda: defaultdict(float))
    for tokens, likely in texts:
        for a, b in pairwise(tokens):
            after_one[a][b] += likely
        for a, b, c in zip(tokens, tokens[1:], tokens[2:], strict=False):
            after_two[a, b][c] += likely

    def pair(a: str, b: str) -> float:
        return _AFTER_ONE * after_one[a][b] / sum(after_one[a].values()) + (1 - _AFTER_ONE) * single[b]

    def log(probability: float) -> str:
        return f"{math.log10(probability):.6f}"

    def back(known: bool, share: float) -> str:
        return f" {log(1 - share)}" if known else ""

    ones = [f"-99 <s>{back(True, _AFTER_ONE)}"]
    ones += [f"{log(p)} {word}{back(word in after_one, _AFTER_ONE)}" for word, p in single.items()]
    twos = [
        f"{log(pair(a, b))} {a} {b}{back((a, b) in after_two, _AFTER_TWO)}" for a, of in after_one.items() for b in of
    ]
    threes = [
        f"{log(_AFTER_TWO * n / sum(of.values()) + (1 - _AFTER_TWO) * pair(b, c))} {a} {b} {c}"
        for (a, b), of in after_two.items()
        for c, n in of.items()
    ]
    counts = "".join(f"ngram {n}={len(rows)}\n" for n, rows in enumerate((ones, twos, threes), 1))
    body = "".join(f"\n\\{n}-grams:\n" + "\n".join(rows) + "\n" for n, rows in enumerate((ones, twos, threes), 1))
    return f"\\data\\\n{counts}{body}\n\\end\\\n"

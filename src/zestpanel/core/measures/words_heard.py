"""What a recogniser hears in a clip, held against the text: words missing, added and replaced.

The recogniser expects the text: its language model is the text's own word sequence (trigrams) with common English
words beside it, so that it writes the text down where the text is spoken, and other words or none where it is not.
Recognition with a model made from the transcript: Moreno, Joerg, Van Thong & Glickman 1998, "A recursive algorithm for
the forced alignment of very long audio segments" (from memory). The word error rate is jiwer's: (missing + added +
replaced) over the words of the text.

A voice that the recogniser knows badly has words wrong that people understand: the figure compares takes of one
candidate, as in a sweep or before and after a change, better than it compares candidates.
"""

from __future__ import annotations

import math
import tempfile
from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from pathlib import Path
from typing import Any, Final

from zestpanel.core.audio.clip import Clip
from zestpanel.core.measures.recogniser import (
    LOCK,
    RATE_HZ,
    dictionary,
    known_name,
    pcm_for,
    recogniser_name,
    ways_of_saying,
)
from zestpanel.core.passages.lexicon.unknown_words import common_words
from zestpanel.core.passages.passage import words_with_places

# How firmly the text is expected: share of the probability on what follows two words, one word, and on the text's own
# words at all. Found by trial on the stand-ins' voices: words cut out of clips raise the rate by what was cut.
_AFTER_TWO: Final = 0.98
_AFTER_ONE: Final = 0.95
_OF_THE_TEXT: Final = 0.9
_COMMON_WORDS: Final = 100
_WEIGHT: Final = 10.0  # of the language model against the sound
# Few words can be searched flat, without the tree that a large dictionary needs, and in narrower beams than the
# usual 1e-64 and 7e-29: on 67 clips of the demo a tenth fewer words were taken for wrong, in five sixths of the time.
_SEARCH: Final = {"fwdtree": False, "fwdflatbeam": 1e-48, "fwdflatwbeam": 1e-20}
ENGLISH_ONLY: Final = "the built-in recogniser hears English only"


@dataclass(frozen=True, slots=True, kw_only=True)
class WordsHeard:
    """words: the text's. heard: what was written down, words of the text in its spelling. by: which recogniser."""

    words: int
    missing: int
    added: int
    replaced: int
    heard: str
    by: str

    @property
    def wrong_percent(self) -> float:
        """Word error rate in percent; over 100 when more was added than there is."""
        return 100 * (self.missing + self.added + self.replaced) / self.words


def words_heard(clip: Clip, text: str, language: str) -> WordsHeard | str:
    """What is heard of a text, or why that cannot be told."""
    if language.split("-")[0].lower() != "en":
        return ENGLISH_ONLY
    words = [word for word, _, _ in words_with_places(text)]
    if not words:
        return "the text has no words"
    pcm = pcm_for(clip)
    with LOCK:
        names = [known_name(word) for word in words]
        found = _listen(pcm, names) if pcm else []
    return compared(words, names, found, by=recogniser_name())


def compared(words: Sequence[str], names: Sequence[str], found: Sequence[str], *, by: str) -> WordsHeard:
    """Counts of a recognition: names are the dictionary's entries for the words, found the entries that were heard."""
    from jiwer import process_words  # loaded with the first clip that is listened to

    errors = process_words(" ".join(names), " ".join(found))
    spelt = dict(zip(names, words, strict=True))
    return WordsHeard(
        words=len(words),
        missing=errors.deletions,
        added=errors.insertions,
        replaced=errors.substitutions,
        heard=" ".join(spelt.get(name, name) for name in found),
        by=by,
    )


def _listen(pcm: bytes, names: Sequence[str]) -> list[str]:
    """The dictionary entries that are heard. A recogniser of its own a text: with few words it is quick."""
    from pocketsphinx import Decoder

    others = _others()
    entries = [entry for name in dict.fromkeys([*names, *others]) for entry in ways_of_saying(name)]
    with tempfile.TemporaryDirectory(prefix="zest-") as folder:
        words, model = Path(folder) / "words.dict", Path(folder) / "text.lm"
        words.write_text("".join(f"{entry} {phones}\n" for entry, phones in entries), encoding="utf-8")
        model.write_text(transcript_model(names, others), encoding="utf-8")
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


def transcript_model(words: Sequence[str], others: Sequence[str]) -> str:
    """A back-off trigram model of a text in the ARPA format: each level mixes the text's counts with the level below,
    so that the probabilities after any history add up to one. others: words that may come anywhere."""
    tokens = ["<s>", *words, "</s>"]
    singles = Counter(tokens[1:])
    beside = [word for word in dict.fromkeys(others) if word not in singles]
    share = _OF_THE_TEXT if beside else 1.0
    single = {word: share * n / singles.total() for word, n in singles.items()}
    single |= {word: (1 - share) / len(beside) for word in beside}
    after_one: dict[str, Counter[str]] = defaultdict(Counter)
    after_two: dict[tuple[str, str], Counter[str]] = defaultdict(Counter)
    for a, b in pairwise(tokens):
        after_one[a][b] += 1
    for a, b, c in zip(tokens, tokens[1:], tokens[2:], strict=False):
        after_two[a, b][c] += 1

    def pair(a: str, b: str) -> float:
        return _AFTER_ONE * after_one[a][b] / after_one[a].total() + (1 - _AFTER_ONE) * single[b]

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
        f"{log(_AFTER_TWO * n / of.total() + (1 - _AFTER_TWO) * pair(b, c))} {a} {b} {c}"
        for (a, b), of in after_two.items()
        for c, n in of.items()
    ]
    counts = "".join(f"ngram {n}={len(rows)}\n" for n, rows in enumerate((ones, twos, threes), 1))
    body = "".join(f"\n\\{n}-grams:\n" + "\n".join(rows) + "\n" for n, rows in enumerate((ones, twos, threes), 1))
    return f"\\data\\\n{counts}{body}\n\\end\\\n"

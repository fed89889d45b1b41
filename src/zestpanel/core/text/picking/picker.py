"""The fewest sentences of a long script that cover what the whole script covers: hard parts, sounds, lengths.

Greedy set cover: each step takes the sentence that adds most that is new. It needs at most H(n) times as many as the
best choice there is (Chvátal 1979, "A greedy heuristic for the set-covering problem").
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Final

from zestpanel.core.text.difficulty import find_difficulties
from zestpanel.core.text.picking.sounds import sounds_in

LENGTHS: Final = (("short", 8), ("middling", 20), ("long", 10_000))  # words up to which: common practice, no source
# what a new thing counts: a kind of hard part tells engines apart more often than a sound (common practice, no source)
_WEIGHTS: Final = {"hard": 4.0, "length": 2.0, "sound": 1.0}
_LONGEST: Final = 400  # characters: a passage is heard many times over


@dataclass(frozen=True, slots=True, order=True)
class Feature:
    """One thing a text can cover. what: 'hard', 'sound' or 'length'; name: which one."""

    what: str
    name: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Picked:
    """A chosen sentence: its index, its text, and what it adds to those before it."""

    index: int
    text: str
    adds: tuple[Feature, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Cover:
    """What was chosen, in order, all there was to cover, and how many sentences were looked at."""

    picked: tuple[Picked, ...]
    all: frozenset[Feature]
    looked_at: int

    @property
    def missing(self) -> frozenset[Feature]:
        return self.all - {f for one in self.picked for f in one.adds}


def length_of(text: str) -> str:
    words = len(text.split())
    return next(name for name, most in LENGTHS if words <= most)


def features_of(text: str, language: str, *, sounds: bool = True) -> frozenset[Feature]:
    """Everything a text covers."""
    found = {Feature("hard", d.kind) for d in find_difficulties(text, language)}
    found.add(Feature("length", length_of(text)))
    if sounds:
        found |= {Feature("sound", sound) for sound in sounds_in(text, language)}
    return frozenset(found)


def pick(
    sentences: Sequence[str],
    language: str,
    *,
    most: int = 12,
    sounds: bool = True,
    have: Sequence[str] = (),
    cancelled: Callable[[], bool] = lambda: False,
) -> Cover:
    """Choose up to ``most`` sentences. have: texts that are in the set already; what they cover is not looked for.

    When all is covered and there is room left, the sentences that cover the rarest things once more are added.
    Sentences over 400 characters are left aside.
    """
    usable = [i for i, s in enumerate(sentences) if 0 < len(s) <= _LONGEST and any(c.isalpha() for c in s)]
    features: dict[int, frozenset[Feature]] = {}
    for i in usable:
        if cancelled():
            return Cover(picked=(), all=frozenset(), looked_at=0)
        features[i] = features_of(sentences[i], language, sounds=sounds)
    every = frozenset().union(*features.values()) if features else frozenset()
    often = Counter(f for found in features.values() for f in found)
    covered = Counter(f for text in have for f in features_of(text, language, sounds=sounds))
    picked: list[Picked] = []
    left = set(usable)
    rounds = 1
    while left and len(picked) < most:
        best = max(left, key=lambda i: (_gain(features[i], covered, rounds, often), -len(sentences[i]), -i))
        if _gain(features[best], covered, rounds, often) <= 0:
            if rounds >= 3 or all(covered[f] >= min(rounds + 1, often[f]) for f in every):
                break
            rounds += 1
            continue
        new = tuple(sorted(f for f in features[best] if not covered[f]))
        picked.append(Picked(index=best, text=sentences[best], adds=new))
        covered.update(features[best])
        left.discard(best)
    return Cover(picked=tuple(picked), all=every, looked_at=len(usable))


def _gain(found: frozenset[Feature], covered: Counter[Feature], rounds: int, often: Counter[Feature]) -> float:
    """What a sentence adds: things not yet covered so many times; in later rounds rare things count for more."""
    gained = [f for f in found if covered[f] < rounds]
    if rounds == 1:
        return sum(_WEIGHTS[f.what] for f in gained)
    return sum(_WEIGHTS[f.what] / often[f] for f in gained)

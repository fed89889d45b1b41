"""Words missing, added and replaced between a script and what was heard, whatever way figures and signs were read.

Both sides are brought into plain words by one rule (``readings``). Where the script has several right readings any of
them counts: the fewest errors are found over all of them at once, by dynamic programming over the script's places
(Wagner & Fischer 1974, along a lattice). The word error rate is (missing + added + replaced) over the words of the
script in the reading that was followed.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.errors import InputError
from zestpanel.core.measures.readings.text import Place, places
from zestpanel.core.measures.readings.words import Reading
from zestpanel.core.texts import tr

# one number holds all counts, so that comparing numbers compares errors first; of equal ones the fewest replaced words,
# which leaves the most words right
_BITS: Final = 15
_ERROR: Final = 1 << 3 * _BITS
_REPLACED: Final = 1 << 2 * _BITS
_MISSING: Final = 1 << _BITS
MOST_WORDS: Final = (1 << _BITS) - 1
_MOST_CELLS: Final = 4_000_000  # places times words for which it is told which of them were right
# readings of what was heard that are tried where several are possible, as long as the texts are short
_TRIES: Final = 400
_BEHIND: Final = 30  # words that may be added behind one place and still be told where
_TRIED_CELLS: Final = 50_000_000


@dataclass(frozen=True, slots=True, kw_only=True)
class WordErrors:
    """words: the script's, in the reading that was followed."""

    words: int
    missing: int
    added: int
    replaced: int
    right: tuple[bool, ...] = ()  # by place of the script: heard as it may be read

    @property
    def rate(self) -> float:
        """Word error rate; over 1 when more was added than there is."""
        return (self.missing + self.added + self.replaced) / self.words


def word_errors(script: str, heard: str, language: str) -> WordErrors:
    """Errors of a text that was written down by ear against the script. Raises InputError for a script without words,
    which has no rate, and for more words than can be counted."""
    return errors_of(places(script, language), places(heard, language))


def errors_of(script: Sequence[Place], heard: Sequence[Place]) -> WordErrors:
    """As ``word_errors``, of places. Of figures that were heard as figures the reading that fits best is taken."""
    if not any(any(place.readings) for place in script):
        raise InputError(tr("The script has no words, so nothing can be wrong in it."))
    chosen = [place.readings[0] for place in heard]
    best = _distance(script, chosen)
    size = max(1, len(script) * sum(map(len, chosen)))
    tries, most = 0, min(_TRIES, _TRIED_CELLS // size)
    for index, place in enumerate(heard):
        for reading in place.readings[1:] if best >= _ERROR else ():
            tries += 1
            if tries > most:
                break
            other = [*chosen[:index], reading, *chosen[index + 1 :]]
            if (found := _distance(script, other)) < best:
                best, chosen = found, other
    return replace(_counts(best), right=_right_places(script, chosen, best))


def character_errors(pairs: Sequence[Pair]) -> float | None:
    """Character error rate of what was heard against the reading that was followed, letters and figures alone, both
    without the spaces between words; None where there is none."""
    said = "".join(word for pair in pairs for word in pair.said)
    heard = "".join(word for pair in pairs for word in pair.heard)
    if not said or max(len(said), len(heard)) > MOST_WORDS:
        return None
    return _counts(_distance([Place("", (tuple(said),))], [tuple(heard)])).rate


def _right_places(script: Sequence[Place], heard: Sequence[Reading], best: int) -> tuple[bool, ...]:
    """Which places are without an error on a path with the fewest errors: from both ends towards each of them."""
    words = [word for reading in heard for word in reading]
    if best < _ERROR:
        return (True,) * len(script)
    if len(script) * len(words) > _MOST_CELLS:
        return ()
    before = _states(script, words)
    turned = [Place(p.written, tuple(r[::-1] for r in p.readings)) for p in reversed(script)]
    after = [state[::-1] for state in _states(turned, words[::-1])][::-1]
    out = []
    for index, place in enumerate(script):
        found = False
        for reading in place.readings:
            n = len(reading)
            starts = [k for k in range(len(words) - n + 1) if tuple(words[k : k + n]) == reading]
            costs = [int(before[index][k] + after[index + 1][k + n]) + n for k in starts]
            found = found or min(costs, default=best + _ERROR) >> 3 * _BITS <= best >> 3 * _BITS
        out.append(found)
    return tuple(out)


@dataclass(frozen=True, slots=True)
class Pair:
    """A place of the script beside what was heard there. place: its index; said: what it was taken to be read as;
    heard: the words there, with those that were added behind it."""

    place: int
    said: Reading
    heard: Reading


def aligned(script: Sequence[Place], heard: Sequence[str]) -> tuple[Pair, ...]:
    """What was heard at each place, on a path with the fewest errors; what was added before the first stands with it.
    Empty where the two are too long to be told apart in detail."""
    if not script or len(script) * len(heard) > _MOST_CELLS:
        return ()
    states, end, out = _states(script, heard), len(heard), []
    for index in range(len(script) - 1, -1, -1):
        found: tuple[int, int, Reading] | None = None
        for reading in script[index].readings:
            # from the end of the place backwards, over so many words as it can be worth
            first = max(0, end - 2 * len(reading) - _BEHIND)
            part = heard[first:end]
            ids, known, inserted = _numbered(part[::-1])
            back = _along(inserted.copy(), reading[::-1], ids, known, inserted)[::-1]
            costs = states[index][first : end + 1] + back
            at = int(np.argmin(costs))
            if found is None or int(costs[at]) < found[0]:
                found = int(costs[at]), first + at, reading
        assert found is not None
        _, start, reading = found
        out.append(Pair(index, reading, tuple(heard[start:end])))
        end = start
    if end and out:
        out[-1] = replace(out[-1], heard=(*heard[:end], *out[-1].heard))
    return tuple(reversed(out))


def _states(script: Sequence[Place], words: Sequence[str]) -> list[NDArray[np.int64]]:
    """The costs before each place and after the last, for each number of words heard."""
    ids, known, inserted = _numbered(words)
    out = [inserted.copy()]
    for place in script:
        outcomes = [_along(out[-1], reading, ids, known, inserted) for reading in place.readings]
        out.append(np.minimum.reduce(outcomes))
    return out


def _numbered(words: Sequence[str]) -> tuple[NDArray[np.int64], dict[str, int], NDArray[np.int64]]:
    known: dict[str, int] = {}
    ids = np.array([known.setdefault(word, len(known)) for word in words], dtype=np.int64)
    return ids, known, np.arange(len(words) + 1, dtype=np.int64) * _ERROR


def _counts(packed: int) -> WordErrors:
    errors, replaced = packed >> 3 * _BITS, (packed >> 2 * _BITS) & MOST_WORDS
    missing, words = (packed >> _BITS) & MOST_WORDS, packed & MOST_WORDS
    return WordErrors(words=words, missing=missing, added=errors - replaced - missing, replaced=replaced)


def _distance(script: Sequence[Place], heard: Sequence[Reading]) -> int:
    """The fewest errors, packed with their kinds and the script's words, over all readings of the script."""
    words = [word for reading in heard for word in reading]
    if len(words) > MOST_WORDS or sum(max(map(len, p.readings)) for p in script) > MOST_WORDS:
        raise InputError(
            tr("A text of more than {most_words} words cannot be compared at once.", most_words=f"{MOST_WORDS:,}")
        )
    ids, known, inserted = _numbered(words)
    state = inserted.copy()
    for place in script:
        outcomes = [_along(state, reading, ids, known, inserted) for reading in place.readings]
        state = outcomes[0] if len(outcomes) == 1 else np.minimum.reduce(outcomes)
    return int(state[-1])


def _along(
    state: NDArray[np.int64],
    reading: Reading,
    ids: NDArray[np.int64],
    known: dict[str, int],
    inserted: NDArray[np.int64],
) -> NDArray[np.int64]:
    """The costs after one more reading of the script, for each number of words heard so far."""
    for word in reading:
        wrong = np.where(ids == known.get(word, -1), 0, _ERROR + _REPLACED)
        after = state + (_ERROR + _MISSING + 1)
        np.minimum(after[1:], state[:-1] + wrong + 1, out=after[1:])
        state = np.minimum.accumulate(after - inserted) + inserted  # words that were added come at a price each
    return state

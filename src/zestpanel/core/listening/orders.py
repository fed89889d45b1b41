"""Balanced orders in which clips are heard, and a count of how balanced they are.

References: Williams, E. J. (1949), Experimental designs balanced for the estimation of residual effects of
treatments; conduct after ITU-T P.800.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator, Sequence
from copy import deepcopy
from dataclasses import dataclass
from functools import cache, lru_cache
from itertools import islice, pairwise
from typing import Final

import numpy as np
from numpy.typing import NDArray

Cell = tuple[int, int]  # candidate, passage version
_MOST_WEIGHED: Final = 3_000  # cells, up to which all that may come next is weighed
_TRIES: Final = 12  # at a plan, of which the best is taken
_MOST_COUNTED: Final = 12  # candidates or passages, up to which balance is counted while somebody waits


def williams_square(n: int) -> list[list[int]]:
    """Orders of n conditions: each once in each position, each ordered pair of neighbours equally often.

    n rows for an even n, two squares (2n rows) for an odd one.
    """
    first, low, high = [0], 1, n - 1
    while low <= high:
        first.append(low)
        if low < high:
            first.append(high)
        low, high = low + 1, high - 1
    # 0, 1, n-1, 2, n-2 ... visits every difference once
    square = [[(c + shift) % n for c in first] for shift in range(n)]
    return square if n % 2 == 0 else square + [row[::-1] for row in square]


def ordered(cells: Collection[Cell], *, listener: int, blocks: bool = False, most: int = 0) -> list[Cell]:
    """One listener's order of all cells, or of the first few. listener: a running number.

    Each group of as many listeners as there are candidates has one plan, in which the candidates change places from
    listener to listener: so each is heard equally often as the first, second ... of every passage, and what follows
    what is the same for all. Plans are made so that every candidate follows every other one equally often, over
    passages too, and none itself where that can be had. Passages are interleaved: each is heard once before any is
    heard again. blocks: instead, a passage at a time, its candidates in a row of a Williams square.
    """
    there = tuple(dict.fromkeys(cells))
    candidates, passages = tuple(dict.fromkeys(c for c, _ in there)), tuple(dict.fromkeys(p for _, p in there))
    count = len(candidates)
    if not count:
        return []
    # where a listener hears a few passages only, others get other ones before candidates change places
    kinds = -(-len(passages) // most) if 0 < most < len(passages) else 1
    group, within = divmod(listener, count * kinds)
    step, kind = divmod(within, kinds)
    known = set(there)
    whole = len(known) == count * len(passages)  # else what is missing would be counted among the few
    plan = _plans(count, len(passages), blocks, most if whole else 0).of(group * kinds + kind)
    made = [cell for c, p in plan if (cell := (candidates[(c + step) % count], passages[p])) in known]
    return made[:most] if most else made


Plan = list[tuple[int, int]]  # candidate and passage, by number


class _Plans:
    """Plans so far: each looks at what followed what in those before."""

    def __init__(self, make: Iterator[Plan]) -> None:
        self._next, self._known = make, list[Plan]()

    def of(self, group: int) -> Plan:
        self._known += islice(self._next, max(0, group + 1 - len(self._known)))
        return self._known[group]


@lru_cache(maxsize=4)
def _plans(candidates: int, passages: int, blocks: bool, most: int) -> _Plans:
    return _Plans(
        _in_blocks(candidates, passages) if blocks or passages == 1 else _interleaved(candidates, passages, most)
    )


@dataclass(slots=True)
class _SoFar:
    """followed: how often the next candidate was so far from the one before (by number, round and round); within: the
    same within a passage; stood: how often a passage was the first, second ... of its round."""

    followed: NDArray[np.float64]
    within: NDArray[np.float64]
    stood: NDArray[np.float64]


def _interleaved(candidates: int, passages: int, most: int) -> Iterator[Plan]:
    """In each of as many rounds as there are candidates every passage once."""
    known = _SoFar(np.zeros(candidates), np.zeros(candidates), np.zeros((passages, passages)))
    group = 0
    while True:
        tries = []
        for k in range(_TRIES if candidates * passages <= _MOST_COUNTED**2 else 1):
            after = deepcopy(known)
            made = _rounds(after, most, np.random.default_rng([candidates, passages, group, k]))
            tries.append(
                (after.followed[0], float(np.ptp(after.followed[1:])) if candidates > 1 else 0.0, k, made, after)
            )
            if tries[-1][0] == known.followed[0] and tries[-1][1] <= 1:
                break
        *_, made, known = min(tries, key=lambda one: one[:3])
        yield made
        group += 1


def _rounds(known: _SoFar, most: int, rng: np.random.Generator) -> Plan:
    """What comes next is what has followed least often; before that: no candidate behind itself, no passage behind
    itself, in a round all candidates alike."""
    candidates, passages = len(known.followed), len(known.stood)
    many = passages if candidates * passages <= _MOST_WEIGHED else 4  # that are looked at for one place
    every = np.arange(candidates)
    left, before = np.ones((passages, candidates), dtype=bool), np.full(passages, -1)
    made: Plan = []
    for _ in range(candidates):
        waiting, in_round = list(range(passages)), np.zeros(candidates)
        for place in range(passages if not most else min(passages, most - len(made))):
            here = np.array(waiting)
            if len(here) > many:
                here = here[np.argsort(known.stood[here, place], kind="stable")[:many]]
            ago = (every - before[here][:, None]) % candidates
            cost = np.where(left[here], 0.0, np.inf) + 1e4 * in_round + 0.01 * rng.random((len(here), candidates))
            cost += 1e-3 * known.within[ago] * (before[here] >= 0)[:, None] + 1e-6 * known.stood[here, place][:, None]
            if most and most < passages:  # before any is heard again by others, every passage is
                cost += 1e5 * known.stood[here].sum(axis=1)[:, None]
            if made:
                apart = (every - made[-1][0]) % candidates
                cost += known.followed[apart] + 1e9 * (apart == 0) + 1e7 * (here == made[-1][1])[:, None]
            at, c = (int(one) for one in np.unravel_index(int(np.argmin(cost)), cost.shape))
            p = int(here[at])
            if made:
                known.followed[apart[c]] += 1
            if before[p] >= 0:
                known.within[ago[at, c]] += 1
            known.stood[p, place] += 1
            in_round[c] += 1
            left[p, c], before[p] = False, c
            waiting.remove(p)
            made.append((c, p))
    return made


def _in_blocks(candidates: int, passages: int) -> Iterator[Plan]:
    """A row of a Williams square for each passage, begun where what follows across the border has followed least."""
    rows = williams_square(candidates)
    rows = [rows[0], rows[-1]] if candidates % 2 else [rows[0]]
    steps = np.array([np.bincount(np.diff(row) % candidates, minlength=candidates) for row in rows])
    followed = np.zeros(candidates)
    orders = williams_square(passages)
    group = 0
    while True:
        made: Plan = []
        for p in orders[group % len(orders)]:
            which, first = min(
                ((k, shift) for k in range(len(rows)) for shift in range(candidates)),
                key=lambda one: _after(followed, steps[one[0]], made, rows[one[0]][0] + one[1]),
            )
            if made:
                followed[(rows[which][0] + first - made[-1][0]) % candidates] += 1
            followed += steps[which]
            made += [((c + first) % candidates, p) for c in rows[which]]
        yield made
        group += 1


def _after(followed: NDArray[np.float64], steps: NDArray[np.int64], made: Plan, first: int) -> tuple[bool, float]:
    """How uneven it is what follows what, with another row behind those that are made."""
    apart = (first - made[-1][0]) % len(followed) if made else -1
    would = followed + steps
    if apart >= 0:
        would[apart] += 1
    return apart == 0, float(np.ptp(would[1:])) if len(would) > 1 else 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Balance:
    """How often a candidate was the first, second ... heard of a passage (fewest, most of all such cells), and how
    often right behind another one (fewest, most of all ordered pairs); itself: how often behind itself."""

    places: tuple[int, int]
    behind: tuple[int, int]
    itself: int


def balance_of(orders: Sequence[Sequence[Cell]]) -> Balance:
    """Counted, not reasoned."""
    candidates = sorted({c for order in orders for c, _ in order})
    passages = sorted({p for order in orders for _, p in order})
    places: Counter[tuple[int, int, int]] = Counter()
    behind: Counter[tuple[int, int]] = Counter()
    for order in orders:
        heard: Counter[int] = Counter()
        for candidate, passage in order:
            places[candidate, passage, heard[passage]] += 1
            heard[passage] += 1
        behind.update((a, b) for (a, _), (b, _) in pairwise(order))
    of_places = [places[c, p, k] for c in candidates for p in passages for k in range(len(candidates))]
    of_pairs = [behind[a, b] for a in candidates for b in candidates if a != b] or [0]
    return Balance(places=(min(of_places), max(of_places)), behind=(min(of_pairs), max(of_pairs)),
                   itself=sum(behind[c, c] for c in candidates))  # fmt: skip


@cache
def balanced_from(candidates: int, passages: int, *, blocks: bool = False) -> int | None:
    """The number of listeners from which on every candidate was equally often in every place of every passage; None
    where there are so many that it is not counted."""
    if max(candidates, passages) > _MOST_COUNTED or not candidates or not passages:
        return None
    cells = [(c, p) for p in range(passages) for c in range(candidates)]
    for listeners in range(1, 4 * candidates + 1):
        found = balance_of([ordered(cells, listener=k, blocks=blocks) for k in range(listeners)])
        if found.places[0] == found.places[1]:
            return listeners
    return None

"""What would move the winner: the single weight, bound or figure, and how far it has to move, all else as it is."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.choice.ranking import Criterion, Evidence

_STEPS: Final = 60  # of a bound between which a change is looked for, on either side
_HALVINGS: Final = 40
_SAME: Final = 1e-9


@dataclass(frozen=True, slots=True, kw_only=True)
class Tipping:
    """what: the weight, the ends of the criterion, or the winner's own figure. at: from where on ``who`` is first.
    share: of all weights, there, for a weight. far: how far away that is, in shares of all weights or of the
    criterion's span."""

    criterion: str
    what: Literal["weight", "worst", "best", "value"]
    now: float
    at: float
    who: int
    far: float
    share: float = 0.0


def tipping_points(criteria: Sequence[Criterion], evidence: Sequence[Evidence]) -> list[Tipping]:
    """The nearest of each criterion and kind, the nearest first; none where fewer than two can be ranked. Weights and
    the winner's own figures exactly; bounds by search."""
    weighed = [c for c in criteria if c.weight > 0]
    able = [e for e in evidence if e.passes and all(e.values.get(c.name) is not None for c in weighed)]
    if len(able) < 2 or not weighed:
        return []
    values = np.array([[e.values[c.name] for c in weighed] for e in able], dtype=float)
    weights = np.array([c.weight for c in weighed], dtype=float)
    utilities = np.stack([_utility(values[:, k], c.worst, c.best) for k, c in enumerate(weighed)], axis=1)
    totals = utilities @ weights
    first = int(np.argmax(totals))
    if (np.sum(totals >= totals[first] - _SAME)) > 1:
        return []  # a shared first place has no winner to move
    ids = [e.candidate_id for e in able]
    out: list[Tipping] = []
    for k, criterion in enumerate(weighed):
        out += _by_weight(k, criterion, weights, utilities, first, ids)
        out += _by_value(k, criterion, weights, utilities, totals, first, ids, float(values[first, k]))
        out += _by_bound(k, criterion, weights, values, utilities, first, ids)
    return sorted(out, key=lambda one: one.far)


def _utility(values: NDArray[np.float64], worst: float, best: float) -> NDArray[np.float64]:
    if worst == best:
        return np.asarray(values == best, dtype=np.float64)
    out: NDArray[np.float64] = np.clip((values - worst) / (best - worst), 0, 1)
    return out


def _by_weight(
    k: int, criterion: Criterion, weights: NDArray[np.float64], utilities: NDArray[np.float64], first: int,
    ids: Sequence[int],
) -> Iterator[Tipping]:  # fmt: skip
    """S_first + w u_first = S_other + w u_other, for the others' sums S without the criterion and its weight w."""
    rest = utilities @ weights - weights[k] * utilities[:, k]
    others = float(weights.sum() - weights[k])
    now = float(weights[k])
    for higher in (False, True):
        found: list[tuple[float, int]] = []
        for j in range(len(ids)):
            slope = float(utilities[first, k] - utilities[j, k])
            if j != first and abs(slope) > _SAME:
                at = float(rest[j] - rest[first]) / slope
                if (at > now) == higher and at >= 0 and abs(at - now) > _SAME:
                    found.append((at, j))
        if not found:
            continue
        at, who = (min if higher else max)(found)
        share = at / (others + at) if others + at > 0 else 1.0
        before = now / (others + now)
        yield Tipping(criterion=criterion.name, what="weight", now=now, at=at, who=ids[who], far=abs(share - before),
                      share=share)  # fmt: skip


def _by_value(
    k: int, criterion: Criterion, weights: NDArray[np.float64], utilities: NDArray[np.float64],
    totals: NDArray[np.float64], first: int, ids: Sequence[int], now: float,
) -> Iterator[Tipping]:  # fmt: skip
    """How bad the winner's own figure may get before the second comes first."""
    order = np.argsort(-totals)
    second = int(order[1])
    wanted = float(utilities[first, k]) - float(totals[first] - totals[second]) / float(weights[k])
    if wanted <= _SAME or criterion.worst == criterion.best:
        return
    at = criterion.worst + wanted * (criterion.best - criterion.worst)
    far = abs(at - now) / abs(criterion.best - criterion.worst)
    yield Tipping(criterion=criterion.name, what="value", now=now, at=at, who=ids[second], far=far)


def _by_bound(
    k: int, criterion: Criterion, weights: NDArray[np.float64], values: NDArray[np.float64],
    utilities: NDArray[np.float64], first: int, ids: Sequence[int],
) -> Iterator[Tipping]:  # fmt: skip
    rest = utilities @ weights - weights[k] * utilities[:, k]
    span = criterion.best - criterion.worst
    if not span:
        return

    def winner(worst: float, best: float) -> int:
        return int(np.argmax(rest + weights[k] * _utility(values[:, k], worst, best)))

    ends: tuple[tuple[Literal["worst", "best"], float], ...] = (("worst", criterion.worst), ("best", criterion.best))
    for what, now in ends:

        def at_end(end: float, what: str = what) -> int:
            return winner(end, criterion.best) if what == "worst" else winner(criterion.worst, end)

        nearest: tuple[float, float, int] | None = None
        for way in (1, -1):
            room = span * (0.98 if (way == 1) == (what == "worst") else -1.0) * (1 if what == "worst" else -1)
            before = now
            for step in range(1, _STEPS + 1):
                end = now + room * step / _STEPS
                if (who := at_end(end)) != first:
                    low, high = before, end
                    for _ in range(_HALVINGS):
                        middle = (low + high) / 2
                        low, high = (middle, high) if at_end(middle) == first else (low, middle)
                    far = abs(high - now) / abs(span)
                    if nearest is None or far < nearest[0]:
                        nearest = far, high, who
                    break
                before = end
        if nearest is not None:
            yield Tipping(criterion=criterion.name, what=what, now=now, at=nearest[1], who=ids[nearest[2]],
                          far=nearest[0])  # fmt: skip

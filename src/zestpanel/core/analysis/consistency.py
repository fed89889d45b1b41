"""Whether a voice is the same twice: how far its takes of one text lie apart, and its texts from each other.

Apart is the standard deviation, pooled over texts (of repeats) or over the means of texts, with its 95 % interval by
the chi-squared law. Pace is told in percent against what the text has of its own: a text of figures takes every voice
longer a character, so what the other candidates take for it is taken off (by medians, as for odd lengths).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from zestpanel.core.analysis.statistics.tails import special
from zestpanel.core.domain.take import Measured, Take

Over = Literal["takes", "texts"]
FEWEST_OTHERS: Final = 2  # candidates, to say what a text has of its own
FEWEST: Final = 2  # degrees of freedom


@dataclass(frozen=True, slots=True, kw_only=True)
class Apart:
    """sd: in the trait's unit. n: takes, or texts, that it rests on; df: its degrees of freedom."""

    sd: float
    low: float
    high: float
    n: int
    df: int


@dataclass(frozen=True, slots=True)
class Trait:
    """What is looked at, from a take and its measures, in a unit in which equal steps are heard alike; None where it is
    not known. own_text: whether the text has a part in it that is taken off."""

    name: str
    value: Callable[[Take, Measured, int], float | None]
    own_text: bool = False


def _of(name: str, change: Callable[[float], float] = float) -> Callable[[Take, Measured, int], float | None]:
    def value(_: Take, measured: Measured, __: int) -> float | None:
        found = measured.values.get(name)
        return change(float(found)) if isinstance(found, int | float) and np.isfinite(found) else None

    return value


TRAITS: Final = (
    Trait("pace", lambda take, _, n: 100 * float(np.log(take.duration_s / n)) if n > 0 else None, own_text=True),
    Trait("pitch", _of("pitch_hz", lambda hz: 12 * float(np.log2(hz)))),
    Trait("loudness", _of("loudness_lufs")),
    Trait("timbre", _of("balance_db")),
)


def consistency(
    takes: Mapping[int, Sequence[Take]], measured: Mapping[int, Measured], characters: Mapping[int, int]
) -> dict[int, dict[tuple[Over, str], Apart]]:
    """By candidate id, then by (over what, trait). takes: by candidate; those that are not scored are left out.
    characters: of each passage version."""
    out: dict[int, dict[tuple[Over, str], Apart]] = defaultdict(dict)
    for trait in TRAITS:
        values: dict[int, dict[int, list[float]]] = defaultdict(lambda: defaultdict(list))  # candidate, version
        for candidate, of in takes.items():
            for take in of:
                if take.scored and take.copied_from is None and take.id in measured:
                    version = take.passage_version_id
                    value = trait.value(take, measured[take.id], characters.get(version, 0))
                    if value is not None:
                        values[candidate][version].append(value)
        own = _of_texts(values) if trait.own_text else None
        for candidate, by in values.items():
            if (found := _pooled(list(by.values()))) is not None:
                out[candidate]["takes", trait.name] = found
            means = {version: float(np.mean(of)) for version, of in by.items()}
            if own is not None:
                means = {version: mean - own(candidate, version) for version, mean in means.items()}
            if (found := _pooled([list(means.values())])) is not None:
                out[candidate]["texts", trait.name] = found
    return out


def _of_texts(values: Mapping[int, Mapping[int, Sequence[float]]]) -> Callable[[int, int], float]:
    """(candidate, version) -> what the other candidates have of it beyond their own middle; nan where they are few."""
    middles = {who: float(np.median([v for of in by.values() for v in of])) for who, by in values.items() if by}
    over: dict[int, dict[int, float]] = defaultdict(dict)
    for who, by in values.items():
        for version, of in by.items():
            over[version][who] = float(np.median(of)) - middles[who]

    def own(candidate: int, version: int) -> float:
        others = [by for who, by in over[version].items() if who != candidate]
        return float(np.median(others)) if len(others) >= FEWEST_OTHERS else float("nan")

    return own


def _pooled(groups: Sequence[Sequence[float]]) -> Apart | None:
    """Standard deviation within groups; values that are none are left out."""
    known = [np.array([v for v in of if np.isfinite(v)]) for of in groups]
    known = [of for of in known if len(of) > 1]
    df = sum(len(of) - 1 for of in known)
    if df < FEWEST:
        return None
    square = sum(float(((of - of.mean()) ** 2).sum()) for of in known)
    sd = float(np.sqrt(square / df))
    # sd² df / σ² follows the chi-squared law with df degrees of freedom
    low, high = (float(np.sqrt(square / special().chdtri(df, tail))) for tail in (0.025, 0.975))
    return Apart(sd=sd, low=low, high=high, n=sum(len(of) for of in known), df=df)

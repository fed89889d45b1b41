"""What a figure is: declared once, and all that pages, choice, record, tables and docs need to show and use it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Final, Literal, NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.analysis.channel import ChannelTakes
from zestpanel.core.analysis.statistics.tails import t_quantile
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.passage import Passage
from zestpanel.core.domain.take import Take
from zestpanel.core.evidence.known import Known
from zestpanel.core.listening.scores import LanguageScores
from zestpanel.core.store.parts import HasAnswers
from zestpanel.core.texts import tr, word

Group = Literal["listeners", "wrong", "pace", "voice", "sound", "same", "rest"]
GROUPS: Final[Mapping[Group, str]] = {
    "listeners": tr("From listeners"), "wrong": tr("What is wrong"), "pace": tr("Pace and pauses"),
    "voice": tr("Pitch and voice"), "sound": tr("The sound"), "same": tr("The same twice"),
    "rest": tr("Waits and money"),
}  # fmt: skip


class Reading(NamedTuple):
    """What is known of a candidate by a figure: None where evidence is missing. low and high: its 95 % interval, and
    error: its standard error, where one is known. draws: drawn together for all candidates of the language, instead of
    a normal law around the value. n: how many observations it rests on."""

    value: float | None
    low: float | None = None
    high: float | None = None
    error: float | None = None
    draws: NDArray[np.float64] | None = None
    n: int = 0


def of_median(median: float, low: float, high: float, n: int) -> Reading:
    """A median with its middle half: its standard error is 1.253 of that of a mean (normal law), whose spread is the
    middle half over 1.349."""
    error = 1.2533 * (high - low) / 1.349 / np.sqrt(n) if n > 1 else None
    if error is None:
        return Reading(median, n=n)
    half = t_quantile(0.975, n - 1) * error
    return Reading(median, median - half, median + half, error, n=n)


class CellParts(ChannelTakes, HasAnswers, Protocol):
    """What figures of single cells are read from."""


Place = tuple[int, int]  # candidate, passage
Cells = Mapping[Place, Take]


class Start(NamedTuple):
    """How a figure is weighed until somebody says otherwise: worst is 'not acceptable', best 'good enough'. weight 0:
    it is weighed by those who set a weight."""

    worst: float
    best: float
    weight: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Figure:
    """One figure of a candidate.

    name: under which weights and choices are stored; it never changes. words: in a sentence; label: as a column's head,
    with its unit. column: in exports, English, '' where it is not exported. unit: behind a value, with the brief's
    currency for money; factor: what a value is multiplied by where it is shown (100 for per cent).

    read: of a candidate within a language. told: in a cell, where a plain value does not do. of_cells: of each cell of
    the grid, where the figure has a meaning there. start: where it may be weighed. claimed: what a vendor's claim calls
    it. place: where it stands in lists; group: with which others it is shown. first: shown in rankings whether it is
    weighed or not.
    """

    name: str
    words: str
    label: str
    column: str = ""
    unit: Callable[[Brief], str] = lambda _: ""
    factor: int = 1
    decimals: int = 1
    better: Literal["higher", "lower", ""] = ""
    place: int = 50
    group: Group = "rest"
    first: bool = False
    read: Callable[[Known, LanguageScores | None], Reading]
    told: Callable[[Known, LanguageScores | None, Brief], str] | None = None
    of_cells: Callable[[CellParts, Cells, Mapping[int, Passage]], Mapping[Place, float]] | None = None
    start: Callable[[Brief], Start] | None = None
    claimed: str = ""
    best_of: Literal["higher", "lower"] = "lower"

    def in_words(self, value: float | None, brief: Brief) -> str:
        """'4.20', '12 %'; 'missing' where there is none."""
        if value is None:
            return word("missing")
        return f"{value * self.factor:,.{self.decimals}f}{self.unit(brief)}".replace("-", "−")

    def cell(self, of: Known, language: LanguageScores | None, brief: Brief) -> str:
        """As it stands in a ranking."""
        return self.told(of, language, brief) if self.told else self.in_words(self.read(of, language).value, brief)

    def exported(self, of: Known, language: LanguageScores | None) -> str:
        """As it stands in files: a plain number, '' where it is missing."""
        value = self.read(of, language).value
        if value is None:
            return ""
        return "gave up" if np.isinf(value) else f"{value * self.factor:.{self.decimals}f}"

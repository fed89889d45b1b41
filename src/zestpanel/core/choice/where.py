"""Where a figure is what it is: cell by cell of candidates and passages, with the cells that neither their voice nor
their text explains."""

from __future__ import annotations

import warnings
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Final, Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.analysis.faults import fault_kinds
from zestpanel.core.analysis.statistics.tails import special
from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.passage import Passage
from zestpanel.core.evidence.declared import CellParts, Figure, Place
from zestpanel.core.evidence.figures.predicted import known_in
from zestpanel.core.evidence.registry import figures
from zestpanel.core.store.parts import HasHardParts
from zestpanel.core.texts import capital, tr, word

FEWEST: Final = 4  # candidates, and passages, to tell a cell that is odd
SUSPECT: Final = 2.0  # times what three quarters of the cells keep within, to be suspected
MOST_ODD: Final = 0.15  # of all cells: more of them is the rule, and not odd
ALPHA: Final = 0.035  # at which 1 in 20 tables without an odd cell name one, as simulated
MOST_NAMED: Final = 3
_SWEEPS: Final = 20
_FOUND: Final = "found "  # before the kind of a finding


@dataclass(frozen=True, slots=True, kw_only=True)
class Limit:
    """The lead's own, of a figure: a must-have. at: in the figure's own unit."""

    at: float
    kind: Literal["most", "least"]

    def broken_by(self, value: float) -> bool:
        return value > self.at if self.kind == "most" else value < self.at


def limits(found: Evaluation) -> dict[str, Limit]:
    """By the name of a figure; of several roles' the first."""
    out: dict[str, Limit] = {}
    for one in (c for standing in found.standings for c in standing.criteria if c.bars):
        out.setdefault(one.name, Limit(at=one.worst, kind="most" if one.worst > one.best else "least"))
    return out


@dataclass(frozen=True, slots=True)
class Odd:
    """A cell far from what its candidate and its passage have in the middle together."""

    place: Place
    value: float
    expected: float


def shade(ranked: NDArray[np.float64], value: float, *, high_is_pale: bool) -> float:
    """0 to 1, by the rank among all, so that one odd value hides no other: what is good is pale. ranked: all values,
    from low to high."""
    if len(ranked) < 2 or ranked[0] == ranked[-1]:
        return 0.0
    rank = (np.searchsorted(ranked, value, "left") + np.searchsorted(ranked, value, "right") - 1) / 2
    share = float(rank) / (len(ranked) - 1)
    return 1 - share if high_is_pale else share


@dataclass(frozen=True, kw_only=True)
class Where:
    """values, limit: as they are shown. columns: passages, or kinds of text; the second part of a place says which.
    languages: of candidates, in their order."""

    name: str
    title: str
    unit: str
    decimals: int
    better: Literal["higher", "lower", ""]
    values: Mapping[Place, float]
    columns: tuple[tuple[int, str], ...]
    limit: Limit | None = None
    of_passages: bool = True
    languages: Mapping[int, str] = field(default_factory=dict)

    def words(self, value: float) -> str:
        return f"{value:,.{self.decimals}f}".replace("-", "−")

    @cached_property
    def sorted(self) -> NDArray[np.float64]:
        return np.sort(np.array(list(self.values.values()), dtype=np.float64))

    def share(self, value: float) -> float:
        """How strongly a cell is shaded, 0 to 1."""
        return shade(self.sorted, value, high_is_pale=self.better == "higher")

    def middle(self, *, candidate: int | None = None, column: int | None = None) -> float | None:
        """The median of a row or a column."""
        of = [v for (c, p), v in self.values.items() if candidate in (None, c) and column in (None, p)]
        return float(np.median(of)) if of else None

    def order(self, candidates: Sequence[int]) -> list[int]:
        """Language by language; the best first, where one end is better; else from high to low; those without a value
        last."""
        middles = {one: self.middle(candidate=one) for one in candidates}
        sign, order = 1.0 if self.better == "lower" else -1.0, list(dict.fromkeys(self.languages.values()))
        return sorted(candidates, key=lambda one: (
            order.index(self.languages[one]) if one in self.languages else len(order), middles[one] is None,
            sign * (middles[one] or 0.0),
        ))  # fmt: skip

    @cached_property
    def odd(self) -> tuple[Odd, ...]:
        return odd_places(self.values)

    def says(self, names: Mapping[int, str]) -> str:
        """Which cells are odd, and how many break the limit, in a sentence or two; '' where nothing can be said."""
        titles = dict(self.columns)
        out = []
        if self.limit is not None:
            broken = [place for place, value in self.values.items() if self.limit.broken_by(value)]
            limit = f"{self.words(self.limit.at)}{self.unit}"
            words = {"n": len(broken), "all": len(self.values), "limit": limit}
            out.append(tr("{n} of {all} cells are over your limit of {limit}.", **words)
                       if self.limit.kind == "most" else
                       tr("{n} of {all} cells are under your limit of {limit}.", **words))  # fmt: skip
        if len({c for c, _ in self.values}) < FEWEST or len({p for _, p in self.values}) < FEWEST:
            out.append(tr("Too few candidates or texts to tell which cells are odd."))
        elif not self.odd:
            out.append(tr("No cell is far from what its voice and its text would have it."))
        else:
            named = ", ".join(
                tr("{name} in '{title}' ({value} instead of {expected})",
                   name=names.get(one.place[0], "?"), title=titles.get(one.place[1], "?"),
                   value=self.words(one.value) + self.unit, expected=self.words(one.expected))
                for one in self.odd[:MOST_NAMED]
            )  # fmt: skip
            more = len(self.odd) - MOST_NAMED
            out.append(tr("Odd for voice and text: {named}", named=named)
                       + (tr(" and {n} more.", n=more) if more > 0 else "."))  # fmt: skip
        return " ".join(out)


def odd_places(values: Mapping[Place, float]) -> tuple[Odd, ...]:
    """The farthest first. What a median polish (Tukey 1977, Exploratory Data Analysis) leaves far from the parts of its
    row and its column is suspected, and put against a least-squares fit of the cells that are not: by Student's t with
    its error of prediction, for all cells of the table together (Bonferroni)."""
    rows, columns = sorted({c for c, _ in values}), sorted({p for _, p in values})
    if len(rows) < FEWEST or len(columns) < FEWEST:
        return ()
    at_row, at_column = {c: k for k, c in enumerate(rows)}, {p: k for k, p in enumerate(columns)}
    table = np.full((len(rows), len(columns)), np.nan)
    for (candidate, column), value in values.items():
        table[at_row[candidate], at_column[column]] = value
    left = np.abs(table - _fitted(table, np.nanmedian))
    suspected = np.nan_to_num(left) > SUSPECT * np.nanquantile(left, 0.75)
    if suspected.sum() > MOST_ODD * len(values):
        return ()
    while suspected.any():
        rest = np.where(suspected, np.nan, table)
        expected = _fitted(rest, np.nanmean)
        p = _chances(table, rest, expected, suspected)
        if p.max() * len(values) < ALPHA:
            found = [Odd((rows[r], columns[c]), float(table[r, c]), float(expected[r, c]))
                     for r, c in np.argwhere(suspected)]  # fmt: skip
            return tuple(sorted(found, key=lambda one: -abs(one.value - one.expected)))
        # the least odd go back among the others: of many, a part at a time
        weakest = max(1, int((p * len(values) >= ALPHA).sum()) // 4)
        suspected[np.unravel_index(np.argsort(p, axis=None)[-weakest:], p.shape)] = False
    return ()


def _chances(
    table: NDArray[np.float64], rest: NDArray[np.float64], expected: NDArray[np.float64], suspected: NDArray[np.bool_]
) -> NDArray[np.float64]:
    """Of being so far off by chance, for each cell that is suspected; 0 elsewhere."""
    in_row, in_column = (~np.isnan(rest)).sum(axis=1), (~np.isnan(rest)).sum(axis=0)
    freedom = int(in_row.sum()) - int((in_row > 0).sum()) - int((in_column > 0).sum()) + 1
    p = np.zeros(table.shape)
    error = float(np.sqrt(np.nansum((rest - expected) ** 2) / max(1, freedom)))
    for r, c in np.argwhere(suspected):
        if freedom < 2 or not in_row[r] or not in_column[c]:
            p[r, c] = 1.0
            continue
        scale = error * float(np.sqrt(1 + 1 / in_row[r] + 1 / in_column[c]))
        off = abs(float(table[r, c] - expected[r, c]))
        p[r, c] = 2 * float(special().stdtr(freedom, -off / scale)) if scale > 0 else 0.0
    return p


def _fitted(table: NDArray[np.float64], middle: Callable[..., NDArray[np.float64]]) -> NDArray[np.float64]:
    """What each row and each column adds, by their middles in turn: of means, the least-squares fit."""
    row, column = np.zeros((table.shape[0], 1)), np.zeros((1, table.shape[1]))
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", RuntimeWarning)  # a row of none has no middle
        for _ in range(_SWEEPS):
            row = np.nan_to_num(middle(table - column, axis=1, keepdims=True))
            column = np.nan_to_num(middle(table - row, axis=0, keepdims=True))
    fitted: NDArray[np.float64] = row + column
    return fitted


def choices(found: Evaluation | None) -> dict[str, str]:
    """What can be looked at, by name: figures of cells, and the kinds of faults that were found."""
    rows = list(found.rows.values()) if found else []
    told = {one.name: one.label for one in (*figures().values(), *known_in(rows)) if one.of_cells is not None}
    kinds = Counter(fault.of.kind for row in rows
                    for fault in (row.summary.faults.found if row.summary.faults else ()) if fault.counts)  # fmt: skip
    return told | {
        _FOUND + kind: tr("found: {kind}", kind=fault_kinds()[kind].words) for kind, _ in kinds.most_common()
    }


class WhereParts(CellParts, HasHardParts, Protocol):
    """What figures of cells are read from, and the hard parts of texts."""


By = Literal["passage", "kind", "hard part"]
BY: Final[Mapping[By, str]] = {
    "passage": tr("by passage"), "kind": tr("by kind of text"), "hard part": tr("by hard part"),
}  # fmt: skip


def where(
    project: WhereParts, found: Evaluation, name: str, passages: Sequence[Passage], brief: Brief, *,
    by: By = "passage",
) -> Where | None:  # fmt: skip
    """A figure or a kind of fault over the takes that count: the mean of a cell's takes; of kinds of text, or of texts
    with a kind of hard part, over their passages. None for one that has no cells."""
    figure = figures().get(name)
    known = {p.version_id: p for p in passages}
    if name.startswith(_FOUND):
        values: Mapping[Place, float] = _of_faults(found, name.removeprefix(_FOUND), known)
        title, unit, decimals, better, factor = choices(found).get(name, name), "", 0, "lower", 1
    elif figure is not None and figure.of_cells is not None:
        values = _of_figure(project, found, figure, known)
        title, unit, decimals, better, factor = (
            figure.label, figure.unit(brief), figure.decimals, figure.better, figure.factor,
        )  # fmt: skip
    else:
        return None
    columns = tuple((p.id, p.title) for p in passages)
    if by != "passage":
        hard = project.hard_parts.of(passages) if by == "hard part" else {}
        groups = {p.id: tuple(hard[p.version_id]) if hard else p.tags for p in passages}
        columns, values = _in_groups(groups, values)
        decimals = max(decimals, 1)
    columns = tuple(one for one in columns if any(column == one[0] for _, column in values))
    limit = limits(found).get(name)
    return Where(
        name=name, title=title, unit=unit, decimals=decimals, better=better,  # type: ignore[arg-type]
        values={place: value * factor for place, value in values.items()}, columns=columns, of_passages=by == "passage",
        languages={row.candidate.id: row.language for row in found.rows.values()},
        limit=None if limit is None else Limit(at=limit.at * factor, kind=limit.kind),
    )  # fmt: skip


def _of_figure(
    project: CellParts, found: Evaluation, figure: Figure, known: Mapping[int, Passage]
) -> dict[Place, float]:
    """Over a cell's takes: they are read a layer at a time, the first ones, the second ones."""
    assert figure.of_cells is not None
    takes: dict[Place, list] = {}  # type: ignore[type-arg]
    for row in found.rows.values():
        for take in (one for one in row.summary.takes if one.scored and one.passage_version_id in known):
            takes.setdefault((row.candidate.id, known[take.passage_version_id].id), []).append(take)
    by_id = {passage.id: passage for passage in known.values()}
    sums: dict[Place, list[float]] = {}
    for layer in range(max(map(len, takes.values()), default=0)):
        cells = {place: of[layer] for place, of in takes.items() if layer < len(of)}
        for place, value in figure.of_cells(project, cells, by_id).items():
            sums.setdefault(place, []).append(value)
    return {place: float(np.mean(of)) for place, of in sums.items()}


def _of_faults(found: Evaluation, kind: str, known: Mapping[int, Passage]) -> dict[Place, float]:
    out: dict[Place, float] = {}
    for row in found.rows.values():
        if row.summary.faults is None:
            continue
        for take in row.summary.takes:
            if take.passage_version_id in known:
                out.setdefault((row.candidate.id, known[take.passage_version_id].id), 0.0)
        for fault in row.summary.faults.found:
            if fault.of.kind == kind and fault.counts:
                out[row.candidate.id, fault.passage.id] = out.get((row.candidate.id, fault.passage.id), 0.0) + 1
    return out


def _in_groups(
    groups: Mapping[int, Sequence[str]], values: Mapping[Place, float]
) -> tuple[tuple[tuple[int, str], ...], dict[Place, float]]:
    """Means over the passages of each group, in the order they are met; a passage may be in several, and those in none
    are one. groups: by passage."""
    names = list(dict.fromkeys(name for of in groups.values() for name in of))
    of = [(capital(word(name)), [p for p, own in groups.items() if name in own]) for name in names]
    rest = [p for p, own in groups.items() if not own]
    of += [(tr("none of these"), rest)] if rest else []
    out: dict[Place, float] = {}
    for at, (_, ids) in enumerate(of):
        for candidate in {c for c, _ in values}:
            some = [values[candidate, p] for p in ids if (candidate, p) in values]
            if some:
                out[candidate, at] = float(np.mean(some))
    return tuple((at, name) for at, (name, _) in enumerate(of)), out

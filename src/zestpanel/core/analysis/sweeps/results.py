"""What moved over a sweep, with the spread between repeats, and where it becomes unstable by a stated rule."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Final, Protocol

import numpy as np

from zestpanel.core.analysis.statistics.tails import special
from zestpanel.core.domain.sweep import Sweep, Value
from zestpanel.core.domain.take import Measured, Take
from zestpanel.core.measures.registry import measures
from zestpanel.core.runs.plan.planning import asked_alike
from zestpanel.core.store.parts import HasJournal, HasSending, HasShortlist, HasTakes, HasTexts
from zestpanel.core.texts import tr


class SweepParts(HasTexts, HasShortlist, HasSending, HasTakes, HasJournal, Protocol):
    """Takes of a sweep, their requests, and what they speak."""


def swept() -> dict[str, tuple[str, int]]:
    """What is followed over a sweep, by name: (label, decimals)."""
    found = {name: (one.label, one.decimals) for name, one in measures().items() if one.swept}
    return {**found, "failed": (tr("failed or odd, %"), 0)}


# The stability rule (ours; the bounds are common practice, no source): said wherever it is applied.
MOST_SPREAD: Final = 0.05  # standard deviation of the length between repeats of the same request, as a share of it
MOST_LOUDNESS_LU: Final = 1.5  # the same of the loudness
MOST_WRONG: Final = 10.0  # percentage points of words wrong, over those where the candidate stands
ALPHA: Final = 0.05
RULE: Final = tr(
    "A point is unstable when a take of it failed or was found odd on arrival; when the lengths of its repeats, or "
    "their loudness, are shown to spread by more than {most_spread} % or {most_loudness_lu} LU (standard deviation "
    "within a passage, chi-squared) and more than at its own settings (F); or when the recogniser is shown to have "
    "over {most_wrong} points more of its words wrong (t). Each at 5 %: more repeats make it no likelier.",
    most_spread=f"{100 * MOST_SPREAD:.0f}",
    most_wrong=f"{MOST_WRONG:.0f}",
    most_loudness_lu=f"{MOST_LOUDNESS_LU:g}",
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Spread:
    """One measure at one point: a value a repeat (means over the passages), their median, least and most. sd: between
    repeats of the same passage, with its degrees of freedom; of lengths as a share."""

    values: tuple[float, ...]
    sd: float = 0.0
    df: int = 0

    @property
    def median(self) -> float:
        return float(np.median(self.values))

    @property
    def low(self) -> float:
        return min(self.values)

    @property
    def high(self) -> float:
        return max(self.values)


@dataclass(frozen=True, slots=True, kw_only=True)
class PointResult:
    """unstable: why the point is unstable by the rule; empty when it is not, or when nothing is known of it."""

    values: tuple[Value, ...]
    candidate_id: int
    takes: tuple[Take, ...] = field(repr=False)
    failed: int
    measures: dict[str, Spread]
    here: bool  # the candidate's own settings
    unstable: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class SweepResult:
    """edges: for a sweep over numbers, (last stable value, first unstable one) below and above the candidate's own
    settings; None where it stays stable to the end of the range."""

    points: tuple[PointResult, ...]
    below: tuple[float, float] | None = None
    above: tuple[float, float] | None = None


def sweep_result(project: SweepParts, sweep: Sweep) -> SweepResult:
    """What is known of the sweep so far, from its takes of the passages' present versions."""
    passages = {p.version_id: p for p in project.texts.all() if p.id in sweep.spec.passage_ids}
    engines = project.shortlist.engines()
    ids = {c.id for c in sweep.points}
    takes: dict[int, list[Take]] = defaultdict(list)
    by_id = {c.id: c for c in sweep.points}
    for take in project.takes.all(with_timing=False):
        if take.candidate_id in ids and (passage := passages.get(take.passage_version_id)):
            candidate = by_id[take.candidate_id]
            engine = engines.get(candidate.engine)
            if engine is None or asked_alike(take, project.sending.of(candidate, passage, engine)):
                takes[take.candidate_id].append(take)
    measured = project.takes.measured([t.id for of in takes.values() for t in of])
    failed: dict[int, int] = defaultdict(int)
    made = {(t.candidate_id, t.passage_version_id, t.repeat) for of in takes.values() for t in of}
    given_up: set[tuple[int, int, int]] = set()
    for row in project.journal.rows(state="failed"):
        key = (row.candidate_id, row.passage_version_id, row.repeat)
        if row.candidate_id in ids and row.passage_version_id in passages and key not in made | given_up:
            given_up.add(key)
            failed[row.candidate_id] += 1
    own = next(c for c in project.shortlist.candidates(removed=True, of_sweeps=True) if c.id == sweep.spec.candidate_id)
    points = [
        PointResult(
            values=values,
            candidate_id=candidate.id,
            takes=tuple(takes[candidate.id]),
            failed=failed[candidate.id],
            measures=_measures(takes[candidate.id], measured, failed[candidate.id]),
            here=all(own.settings.get(axis.control) == v for axis, v in zip(sweep.spec.axes, values, strict=True)),
        )
        for values, candidate in zip(sweep.spec.points, sweep.points, strict=True)
    ]
    return judged(points, one_axis=len(sweep.spec.axes) == 1)


def _measures(takes: Sequence[Take], measured: dict[int, Measured], failed: int) -> dict[str, Spread]:
    by_repeat: dict[str, dict[int, list[float]]] = defaultdict(lambda: defaultdict(list))
    by_text: dict[str, dict[int, list[float]]] = defaultdict(lambda: defaultdict(list))
    for take in takes:
        found = measured.get(take.id)
        if found is None:
            continue
        for name in swept():
            value = found.values.get(name)
            if isinstance(value, int | float):
                by_repeat[name][take.repeat].append(float(value))
                by_text[name][take.passage_version_id].append(float(value))
    out = {}
    for name, repeats in by_repeat.items():
        most = max(len(values) for values in repeats.values())
        # a repeat that lacks a passage would be a mean over other texts
        sd, df = within(by_text[name].values(), ratio=name == "duration_s")
        means = tuple(float(np.mean(v)) for _, v in sorted(repeats.items()) if len(v) == most)
        out[name] = Spread(values=means, sd=sd, df=df)
    if takes or failed:
        odd = sum(bool(t.doubts) for t in takes)
        out["failed"] = Spread(values=(100 * (failed + odd) / (len(takes) + failed),))
    return out


def within(texts: Iterable[Sequence[float]], *, ratio: bool) -> tuple[float, int]:
    """(standard deviation within a passage, pooled over passages, degrees of freedom). ratio: as a share of the value,
    by logarithms."""
    squares, df = 0.0, 0
    for values in texts:
        x = np.asarray(values, dtype=float)
        if len(x) > 1 and (not ratio or (x > 0).all()):
            x = np.log(x) if ratio else x
            squares, df = squares + float(((x - x.mean()) ** 2).sum()), df + len(x) - 1
    return (float(np.sqrt(squares / df)), df) if df else (0.0, 0)


def spreads_more(point: Spread | None, here: Spread | None, bound: float) -> bool:
    """Whether repeats are shown to spread by more than the bound (chi-squared, one-sided 5 %), and by more than where
    the candidate stands (F), where that is another point."""
    if point is None or not point.df:
        return False
    beyond = point.df * (point.sd / bound) ** 2 > special().chdtri(point.df, ALPHA)
    if not beyond or here is None or here is point or not here.df or not here.sd:
        return bool(beyond)
    return bool((point.sd / here.sd) ** 2 > special().fdtri(point.df, here.df, 1 - ALPHA))


def judged(points: Sequence[PointResult], *, one_axis: bool) -> SweepResult:
    """The points with the rule applied, and for one axis of numbers where its edges are."""
    here = next((p for p in points if p.here and p.measures), None) or next((p for p in points if p.measures), None)
    done = [replace(p, unstable=tuple(_unstable(p, here))) for p in points]
    if not one_axis or here is None or not all(_is_number(p.values[0]) for p in done):
        return SweepResult(points=tuple(done))
    done.sort(key=lambda p: float(p.values[0]))
    place = next(i for i, p in enumerate(done) if p.candidate_id == here.candidate_id)
    return SweepResult(points=tuple(done), below=_edge(done[place::-1]), above=_edge(done[place:]))


def _is_number(value: Value) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _edge(outward: Sequence[PointResult]) -> tuple[float, float] | None:
    for last, point in pairwise(outward):
        if point.unstable:
            return float(last.values[0]), float(point.values[0])
    return None


def _unstable(point: PointResult, here: PointResult | None) -> list[str]:
    """Why a point is unstable by the rule."""
    out = []
    odd = sum(bool(t.doubts) for t in point.takes)
    if point.failed:
        out.append(tr("{failed} failed", failed=point.failed))
    if odd:
        out.append(tr("{odd} odd on arrival", odd=odd))
    if here is None:
        return out

    lengths, usual_lengths = point.measures.get("duration_s"), here.measures.get("duration_s")
    if lengths and spreads_more(lengths, usual_lengths, MOST_SPREAD):
        out.append(tr("lengths of repeats spread by {spread} %", spread=f"{100 * lengths.sd:.0f}"))
    wrong, usual = point.measures.get("words_wrong"), here.measures.get("words_wrong")
    if wrong and usual and point is not here and _is_over(wrong.values, usual.values, MOST_WRONG):
        out.append(tr("{median} % of its words are wrong", median=f"{wrong.median:.0f}"))
    loud = point.measures.get("loudness_lufs")
    if loud and spreads_more(loud, here.measures.get("loudness_lufs"), MOST_LOUDNESS_LU):
        out.append(tr("loudness of repeats spreads by {sd} LU", sd=f"{loud.sd:.1f}"))
    return out


def _is_over(values: Sequence[float], usual: Sequence[float], by: float) -> bool:
    """Whether the mean is shown to be higher by so much (Welch's t, one-sided 5 %); of single values, whether it is."""
    x, y = np.asarray(values), np.asarray(usual)
    gap = float(x.mean() - y.mean()) - by
    if gap <= 0 or len(x) < 2 or len(y) < 2:
        return gap > 0
    a, b = float(x.var(ddof=1)) / len(x), float(y.var(ddof=1)) / len(y)
    if a + b <= 0:
        return True
    df = (a + b) ** 2 / (a**2 / (len(x) - 1) + b**2 / (len(y) - 1))
    return bool(gap / np.sqrt(a + b) > special().stdtrit(df, 1 - ALPHA))

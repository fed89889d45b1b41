"""Two runs held against each other: what changed for each candidate, with a stated test and an allowance for chance.

Takes are paired by their request: the same digest in both runs is the same request to the character. For each measure
the paired differences are put to a two-sided one-sample t test (Student 1908); p values are adjusted for all measures
of all candidates together by Holm's step-down (1979). A change is called one when the adjusted p is below 5 % and the
mean difference is over the measure's allowance, below which nobody would act on it (common practice, no source).

Ratios are compared as logarithms, and the mean of those is shown as a ratio again: a mean of ratios is biased upwards
(two distributions that are the same differ by "+43 %" in it when they are skewed). Pairs whose difference is the same
to the last digit have no spread a t test could use: they are put to the exact signed-rank test instead, except for
prices, which are facts and not drawn.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.analysis.statistics.paired import holm, signed_rank_p
from zestpanel.core.analysis.statistics.tails import t_beyond_p, t_quantile
from zestpanel.core.catalogue.candidate import plan_of
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.take import Measured, Take
from zestpanel.core.measures.registry import family_of, measures
from zestpanel.core.runs.spending.caps import plan_key
from zestpanel.core.store.journal import Journal
from zestpanel.core.store.shortlist import Shortlist
from zestpanel.core.store.takes import Takes
from zestpanel.core.store.texts import Texts
from zestpanel.core.texts import tr, word

FEWEST_PAIRS: Final = 3
ALPHA: Final = 0.05


@dataclass(frozen=True, slots=True, kw_only=True)
class Yardstick:
    """How a measure is compared. ratio: as a share of what it was; else as a difference in ``unit``.

    allowance: what a mean difference must be over, as a share or in the unit.
    """

    words: str
    about: str
    allowance: float
    unit: str = ""
    ratio: bool = False


# what is compared beside the measures of the sound
_ASIDE: Final[dict[str, Yardstick]] = {
    "characters_billed": Yardstick(words=tr("characters billed"), about="price", allowance=0.0, ratio=True),
    "first_sound_s": Yardstick(words=tr("wait to first sound"), about="timing", allowance=0.2, ratio=True),
    "last_byte_s": Yardstick(words=tr("wait for the whole clip"), about="timing", allowance=0.2, ratio=True),
}


@cache
def yardsticks() -> dict[str, Yardstick]:
    """By name: every measure that says what a change of it is, then prices and waits."""
    return {
        one.name: Yardstick(words=one.words, about=one.change.about, allowance=one.change.over, unit=one.change.unit,
                            ratio=one.change.ratio)
        for one in measures().values() if one.change is not None
    } | _ASIDE  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Difference:
    """One measure of one candidate: mean of the paired differences with its 95 % interval; where the yardstick is a
    ratio, the geometric mean of the ratios less 1."""

    name: str
    mean: float
    low: float
    high: float
    n: int
    p: float
    adjusted_p: float = 1.0

    @property
    def yardstick(self) -> Yardstick:
        return yardsticks()[self.name]

    @property
    def changed(self) -> bool:
        return self.adjusted_p < ALPHA and abs(self.mean) > self.yardstick.allowance

    def says(self) -> str:
        rule = self.yardstick
        amount = f"{100 * self.mean:+.1f} %" if rule.ratio else f"{self.mean:+.1f} {word(rule.unit)}"
        return f"{rule.words} {amount}".replace("-", "−")


@dataclass(frozen=True, slots=True, kw_only=True)
class CandidateChange:
    """same_sound: pairs whose clips are the same to the sample. models: as replies named them, then and now."""

    candidate: Candidate
    pairs: tuple[tuple[Take, Take], ...] = field(repr=False)
    same_sound: int
    differences: tuple[Difference, ...]
    models: tuple[str, str]
    voices: tuple[str, str]
    price: tuple[str, str]
    failed: tuple[int, int]
    stated: bool = False  # that it is another one is stated: nothing changes silently

    @property
    def changes(self) -> list[Difference]:
        return [d for d in self.differences if d.changed]

    @property
    def sound_changes(self) -> list[Difference]:
        """The changes that can be heard; waits and prices change without another voice."""
        return [d for d in self.changes if d.yardstick.about in ("sound", "words")]

    @property
    def silently(self) -> bool:
        """The sound changed while model and voice are stated to be the same."""
        named = self.models[0] == self.models[1] and self.voices[0] == self.voices[1]
        return named and not self.stated and bool(self.sound_changes)

    @property
    def kept_apart(self) -> bool:
        """Whether takes of then and of now are of two candidates already."""
        return any(then.candidate_id != now.candidate_id for then, now in self.pairs)

    def verdict(self) -> str:
        if not self.pairs:
            return tr("nothing to compare")
        said = [d.says() for d in self.changes]
        if self.price[0] != self.price[1]:
            said.append(tr("price {price} → {price2}", price=self.price[0], price2=self.price[1]))
        for then, now in (self.models, self.voices):
            if then != now:
                said.append(tr("replies name '{now}' instead of '{then}'", now=now, then=then))
        if said:
            return tr("changed: ") + ", ".join(said)
        if self.same_sound == len(self.pairs):
            return tr("the same to the sample")
        if len(self.pairs) < FEWEST_PAIRS:
            return tr("too few pairs to tell: {pairs}", pairs=len(self.pairs))
        return tr("no change found")


def compare_runs(
    shortlist: Shortlist, takes: Takes, journal: Journal, first: int, second: int
) -> list[CandidateChange]:
    """What changed from one run to a later one, a row a candidate that both have requests of; silent changes first.

    Candidates that were split, because their sound changed, are held against each other like one.

    Waits are compared only where both runs asked the same candidates: with others beside it, an engine waits for them.
    """
    every = shortlist.candidates()
    first_of = {c.id: c.first_id for c in every}
    by_run: dict[int, dict[tuple[int, str], Take]] = {first: {}, second: {}}
    for take in takes.all():
        if take.run_id in by_run and take.asked and take.copied_from is None:
            key = (first_of.get(take.candidate_id, take.candidate_id), take.asked)
            by_run[take.run_id].setdefault(key, take)
    pairs: dict[int, list[tuple[Take, Take]]] = defaultdict(list)
    for key, then in by_run[first].items():
        if (now := by_run[second].get(key)) is not None:
            pairs[key[0]].append((then, now))
    measured = takes.measured([t.id for of in pairs.values() for pair in of for t in pair])
    candidates = {c.id: c for c in every}
    runs = journal.runs()
    failed = {run: _failures(journal, run, first_of) for run in (first, second)}
    out = []
    timed = same_company(by_run[first], by_run[second])
    for first_id, of in pairs.items():
        candidate = candidates.get(of[0][1].candidate_id)
        if candidate is None:
            continue
        plan = plan_key(candidate.engine, plan_of(candidate, shortlist.engines().get(candidate.engine)).name)
        prices = [str(runs[run].conditions.get("prices", {}).get(plan, "not stated")) for run in (first, second)]
        out.append(
            CandidateChange(
                candidate=candidate,
                pairs=tuple(of),
                same_sound=sum(a.clip == b.clip for a, b in of),
                differences=tuple(_differences(of, measured, timed=timed)),
                models=(_named(a.model_used for a, _ in of), _named(b.model_used for _, b in of)),
                voices=(_named(a.voice_used for a, _ in of), _named(b.voice_used for _, b in of)),
                price=(prices[0], prices[1]),
                failed=(failed[first].get(first_id, 0), failed[second].get(first_id, 0)),
            )
        )
    return sorted(adjusted(out), key=lambda change: (not change.silently, not change.changes))


def compare_versions(takes: Takes, texts: Texts, old: Candidate, new: Candidate) -> CandidateChange:
    """What a new version of a model changed for a voice: its takes beside those of the version before, paired by
    passage and repeat. Waits are left out: the two were asked on other days."""
    of: dict[int, dict[tuple[int, int], Take]] = {old.id: {}, new.id: {}}
    present = {passage.version_id for passage in texts.all()}
    for take in takes.all():
        if take.candidate_id in of and take.scored and take.passage_version_id in present:
            of[take.candidate_id].setdefault((take.passage_version_id, take.repeat), take)
    pairs = [(then, of[new.id][key]) for key, then in of[old.id].items() if key in of[new.id]]
    measured = takes.measured([take.id for pair in pairs for take in pair])
    change = CandidateChange(
        candidate=new,
        pairs=tuple(pairs),
        same_sound=sum(a.clip == b.clip for a, b in pairs),
        differences=tuple(_differences(pairs, measured, timed=False)),
        models=("", ""),  # that they are of two versions is known
        voices=(_named(a.voice_used for a, _ in pairs), _named(b.voice_used for _, b in pairs)),
        price=("", ""),
        failed=(0, 0),
        stated=True,
    )
    return adjusted([change])[0]


def same_company(first: Mapping[tuple[int, str], Take], second: Mapping[tuple[int, str], Take]) -> bool:
    """Whether two runs asked the same candidates, by their takes."""
    return {candidate for candidate, _ in first} == {candidate for candidate, _ in second}


def adjusted(changes: Sequence[CandidateChange]) -> list[CandidateChange]:
    """The changes with p values adjusted for all measures of all candidates together."""
    p = [d.p for c in changes for d in c.differences]
    new = iter([float(q) for q in holm(p)] if p else [])
    return [replace(c, differences=tuple(replace(d, adjusted_p=next(new)) for d in c.differences)) for c in changes]


def _failures(journal: Journal, run: int, first_of: Mapping[int, int]) -> Mapping[int, int]:
    out: dict[int, int] = defaultdict(int)
    for row in journal.rows(run_id=run):
        if row.state == "failed":
            out[first_of.get(row.candidate_id, row.candidate_id)] += 1
    return out


def _named(values: object) -> str:
    return ", ".join(sorted({str(v) for v in values if v}))  # type: ignore[attr-defined]


_PICK: Final[dict[str, Callable[[Take, Measured | None], float | None]]] = {
    "first_sound_s": lambda t, m: t.timing.first_sound_s if _timed(t) and t.timing else None,
    "last_byte_s": lambda t, m: t.timing.last_byte_s if _timed(t) and t.timing else None,
    "characters_billed": lambda t, m: t.characters_billed,
}


def _timed(take: Take) -> bool:
    return take.timing is not None and not (take.timing.cold or take.timing.slept or take.timing.typed)


def _value(name: str, take: Take, measured: Measured | None) -> float | None:
    if name in _PICK:
        return _PICK[name](take, measured)
    value = measured.values.get(name) if measured else None
    return float(value) if isinstance(value, int | float) else None


def _differences(
    pairs: Sequence[tuple[Take, Take]], measured: Mapping[int, Measured], *, timed: bool
) -> list[Difference]:
    def comparable(name: str, rule: Yardstick) -> list[tuple[Take, Take]]:
        """Figures of another version of their family are of another kind."""
        if rule.about not in ("sound", "words"):
            return list(pairs)
        of = family_of(name)
        made = {t.id: measured[t.id].version_of(of) if t.id in measured else 0 for pair in pairs for t in pair}
        return [(a, b) for a, b in pairs if made[a.id] == made[b.id]]

    out = []
    for name, rule in yardsticks().items():
        if rule.about == "timing" and not timed:
            continue
        held = comparable(name, rule)
        values = [(_value(name, a, measured.get(a.id)), _value(name, b, measured.get(b.id))) for a, b in held]
        known = [(a, b) for a, b in values if a is not None and b is not None and (not rule.ratio or min(a, b) > 0)]
        if len(known) < FEWEST_PAIRS:
            continue
        then, now = np.asarray(known, dtype=float).T
        out.append(ratio_of(name, then, now) if rule.ratio else difference_of(name, now - then))
    return out


def ratio_of(name: str, then: NDArray[np.float64], now: NDArray[np.float64]) -> Difference:
    """Geometric mean of now over then, less 1, with its 95 % interval and p, from the logarithms. All values > 0."""
    found = difference_of(name, np.log(now / then))
    mean, low, high = (float(np.expm1(value)) for value in (found.mean, found.low, found.high))
    return replace(found, mean=mean, low=low, high=high)


def difference_of(name: str, differences: Sequence[float] | NDArray[np.float64]) -> Difference:
    """Mean, 95 % interval and two-sided p of paired differences (one-sample t; where they do not vary the exact
    signed-rank test, and for prices p 0 or 1)."""
    d = np.asarray(differences, dtype=float)
    mean, se = float(d.mean()), float(d.std(ddof=1) / np.sqrt(len(d)))
    if se < 1e-12:
        certain = 1.0 if abs(mean) < 1e-12 else 0.0
        p = certain if yardsticks()[name].about == "price" else signed_rank_p(d)
        return Difference(name=name, mean=mean, low=mean, high=mean, n=len(d), p=p)
    p = t_beyond_p(mean / se, len(d) - 1)
    half = t_quantile(0.975, len(d) - 1) * se
    return Difference(name=name, mean=mean, low=mean - half, high=mean + half, n=len(d), p=p)

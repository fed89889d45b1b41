"""The panel's scores: who counts, the mean opinion score with its intervals, and who is not told apart."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.catalogue.candidate import Candidate
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.project.panel import Listener, Rating
from zestpanel.core.project.project import Project
from zestpanel.core.statistics.agreement import Icc, intraclass_correlation
from zestpanel.core.statistics.intervals import Interval, crossed_intervals, t_interval
from zestpanel.core.statistics.paired import Comparison, Equality, compare, equality

FEWEST_PASSAGES = 3
FEWEST_KINDS = 2
FEWEST_LISTENERS = 5
BOOTSTRAP_SEED = 20_240


@dataclass(frozen=True, slots=True, kw_only=True)
class Score:
    """A candidate's mean opinion score.

    crossed: interval by the crossed bootstrap. by_listener: t interval over listener means. naive: t interval over
    all ratings as if independent, for comparison with other tables only. counts: ratings per category 1..5.
    letters: candidates of the same language sharing a letter are not told apart.
    """

    candidate_id: int
    mean: float
    crossed: Interval | None
    by_listener: Interval | None
    naive: Interval | None
    counts: tuple[int, int, int, int, int]
    listeners: int
    passages: int
    ratings: int
    letters: str
    simulated: int
    kinds: int | None = None  # kinds of text among the rated passages; None where they were not told apart

    @property
    def preliminary(self) -> bool:
        few_kinds = self.kinds is not None and self.kinds < FEWEST_KINDS
        return self.listeners < FEWEST_LISTENERS or self.passages < FEWEST_PASSAGES or few_kinds

    @property
    def why_preliminary(self) -> str:
        return (
            f"rests on {self.listeners} of at least {FEWEST_LISTENERS} listeners and {self.passages} of at least "
            f"{FEWEST_PASSAGES} passages"
        ) + (f", of {self.kinds} of at least {FEWEST_KINDS} kinds of text" if self.kinds is not None else "")


@dataclass(frozen=True, slots=True, kw_only=True)
class LanguageScores:
    """Scores within one language. table: (candidates, listeners, passages), NaN where not rated."""

    language: str
    candidate_ids: tuple[int, ...]
    comparison: Comparison
    agreement: Icc | None
    table: NDArray[np.float64] = field(repr=False, compare=False)

    def listener_means(self, candidate_id: int) -> NDArray[np.float64]:
        one = self.table[self.candidate_ids.index(candidate_id)]
        return _means(one)

    def equality(self, first: int, second: int, *, margin: float) -> Equality | None:
        """TOST between two candidates by id, None where there are too few listeners."""
        try:
            return equality(self.listener_means(first), self.listener_means(second), margin=margin)
        except NotEnoughData:
            return None


@dataclass(frozen=True, slots=True, kw_only=True)
class PanelScores:
    by_candidate: dict[int, Score]
    languages: tuple[LanguageScores, ...]
    kept_apart: int  # ratings of a language the listener does not speak

    def language_of(self, candidate_id: int) -> LanguageScores | None:
        return next((one for one in self.languages if candidate_id in one.candidate_ids), None)


def panel_scores(project: Project, *, scale: str = "ACR") -> PanelScores:
    """Scores of the project's ratings as they stand, at the passages' present versions."""
    passages = {p.version_id: p.language for p in project.texts.all()}
    rows = [r for r in project.panel.ratings() if r.scale == scale and r.passage_version_id in passages]
    kinds = {p.version_id: frozenset(project.hard_parts.kinds(p)) | set(p.tags) for p in project.texts.all()}
    return score_ratings(rows, project.shortlist.candidates(), project.panel.listeners(), passages, kinds)


def score_ratings(
    rows: Sequence[Rating],
    candidates: Sequence[Candidate],
    listeners: Sequence[Listener],
    passages: dict[int, str],
    kinds: Mapping[int, frozenset[str]] | None = None,
) -> PanelScores:
    """Scores from ratings. passages: language by passage version id; kinds: what is in each text, plain if nothing.

    A rating of a language the listener does not speak is kept apart; a listener who stated no language counts.
    Several ratings of one clip by one listener (hidden repeats) count as their mean.
    """
    speaks = {p.id: {tag.split("-")[0].lower() for tag in p.languages} for p in listeners}
    simulated = {p.id for p in listeners if p.simulated}
    counted = [r for r in rows if _understands(speaks.get(r.listener_id, set()), passages[r.passage_version_id])]
    scores: dict[int, Score] = {}
    languages = []
    for language in dict.fromkeys(tag.split("-")[0].lower() for tag in passages.values()):
        of_language = [r for r in counted if passages[r.passage_version_id].split("-")[0].lower() == language]
        rated = {r.candidate_id for r in of_language}
        ids = tuple(c.id for c in candidates if c.id in rated)
        if not ids:
            continue
        table = _table([r for r in of_language if r.candidate_id in ids], ids)
        means = np.stack([_means(one) for one in table])
        comparison = compare(means)
        languages.append(
            LanguageScores(
                language=language, candidate_ids=ids, comparison=comparison, agreement=_agreement(table), table=table
            )
        )
        intervals = crossed_intervals(table, np.random.default_rng(BOOTSTRAP_SEED))
        for index, candidate_id in enumerate(ids):
            own = [r for r in of_language if r.candidate_id == candidate_id]
            if candidate_id in scores:  # a voice of two languages is scored in its own first
                continue
            scores[candidate_id] = _score(
                candidate_id, table[index], own, intervals[index], comparison.letters[index], simulated
            )
            if kinds is not None:
                read = [kinds.get(version, frozenset()) or {"plain"} for version in {r.passage_version_id for r in own}]
                scores[candidate_id] = replace(scores[candidate_id], kinds=len(set().union(*read)))
    return PanelScores(by_candidate=scores, languages=tuple(languages), kept_apart=len(rows) - len(counted))


def _understands(spoken: set[str], language: str) -> bool:
    return not spoken or language.split("-")[0].lower() in spoken


def _table(rows: Sequence[Rating], ids: tuple[int, ...]) -> NDArray[np.float64]:
    people = sorted({r.listener_id for r in rows})
    texts = sorted({r.passage_version_id for r in rows})
    total = np.zeros((len(ids), len(people), len(texts)))
    count = np.zeros_like(total)
    where = {i: n for n, i in enumerate(ids)}, {i: n for n, i in enumerate(people)}, {i: n for n, i in enumerate(texts)}
    for r in rows:
        at = where[0][r.candidate_id], where[1][r.listener_id], where[2][r.passage_version_id]
        total[at] += r.score
        count[at] += 1
    with np.errstate(invalid="ignore", divide="ignore"):
        return total / count


def _means(one: NDArray[np.float64]) -> NDArray[np.float64]:
    have = ~np.isnan(one)
    n = have.sum(axis=1)
    with np.errstate(invalid="ignore", divide="ignore"):
        out: NDArray[np.float64] = np.where(have, one, 0).sum(axis=1) / n
    return out


def _agreement(table: NDArray[np.float64]) -> Icc | None:
    count, people, texts = table.shape
    items = table.transpose(0, 2, 1).reshape(count * texts, people)
    try:
        return intraclass_correlation(items[~np.isnan(items).any(axis=1)])
    except NotEnoughData:
        return None


def _score(
    candidate_id: int,
    table: NDArray[np.float64],
    own: Sequence[Rating],
    crossed: Interval | None,
    letters: str,
    simulated: set[int],
) -> Score:
    values = [r.score for r in own]
    rated = ~np.isnan(table)
    people = _means(table)
    people = people[~np.isnan(people)]
    counts = np.bincount(np.clip(np.rint(values).astype(int), 1, 5), minlength=6)[1:]
    return Score(
        candidate_id=candidate_id,
        mean=float(table[rated].mean()),
        crossed=crossed,
        by_listener=t_interval(people) if len(people) > 1 else None,
        naive=t_interval(values) if len(values) > 1 else None,
        counts=tuple(int(n) for n in counts),  # type: ignore[arg-type]
        listeners=int(rated.any(axis=1).sum()),
        passages=int(rated.any(axis=0).sum()),
        ratings=len(own),
        letters=letters,
        simulated=sum(r.listener_id in simulated for r in own),
    )

"""The panel's scores: who counts, the mean opinion score with its intervals, and who is not told apart."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Final
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.analysis.statistics.agreement import Icc, intraclass_correlation
from zestpanel.core.analysis.statistics.crossed import (
    FEWEST_LISTENERS,
    FEWEST_PASSAGES,
    Differences,
    Leanings,
    compare_crossed,
    crossed_intervals,
    differences,
    draws_of,
    equality_crossed,
    joint_draws,
    leanings,
)
from zestpanel.core.analysis.statistics.crossed_table import crossed_table
from zestpanel.core.analysis.statistics.intervals import Interval, t_interval
from zestpanel.core.analysis.statistics.paired import Comparison, Equality, compare
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.listening import QUALITY, Listener, Rating
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.listening.counted import counted
from zestpanel.core.listening.parts import RatingParts
from zestpanel.core.store.answers import Answers
from zestpanel.core.texts import tr
from zestpanel.core.waiting import let_go

FEWEST_KINDS: Final = 2
BOOTSTRAP_SEED: Final = 20_240
SCALE: Final = (1.0, 5.0)  # ends of the 5-point scale


@dataclass(frozen=True, slots=True, kw_only=True)
class Score:
    """A candidate's mean opinion score in one language.

    crossed: interval by the crossed bootstrap. by_listener: t interval over listener means. naive: t interval over
    all ratings as if independent, for comparison with other tables only; both None where they would have no width.
    counts: ratings per category 1..5. letters: candidates of the same language sharing a letter are not told apart;
    these_texts: the same with the passages taken as fixed.
    """

    candidate_id: int
    language: str
    mean: float
    crossed: Interval
    by_listener: Interval | None
    naive: Interval | None
    counts: tuple[int, int, int, int, int]
    listeners: int
    passages: int
    ratings: int
    letters: str
    these_texts: str
    simulated: int
    kinds: int | None = None  # kinds of text among the rated passages; None where they were not told apart

    @property
    def preliminary(self) -> bool:
        few_kinds = self.kinds is not None and self.kinds < FEWEST_KINDS
        return self.listeners < FEWEST_LISTENERS or self.passages < FEWEST_PASSAGES or few_kinds

    @property
    def why_preliminary(self) -> str:
        """'rests on 2 passages (3 at least)': what there is too little of, and how much it would take."""
        of = ((self.listeners, FEWEST_LISTENERS, "listener"), (self.passages, FEWEST_PASSAGES, "passage"),
              (self.kinds, FEWEST_KINDS, "kind of text"))  # fmt: skip
        short = [tr("{counted} (at least {fewest})", counted=counted(n, what), fewest=fewest)
                 for n, fewest, what in of if n is not None and n < fewest]  # fmt: skip
        return tr("rests on {short}", short=tr(" and ").join(short))


@dataclass(frozen=True, slots=True, kw_only=True)
class LanguageScores:
    """Scores within one language; candidates of two languages never compete.

    comparison: listeners and passages drawn. draws: means under the same resampled listeners and passages for all,
    shape (candidates, draws). table: (candidates, listeners, passages), NaN where not rated. equalities: those
    that were asked for.
    """

    language: str
    candidate_ids: tuple[int, ...]
    scores: Mapping[int, Score]
    comparison: Comparison
    agreement: Icc | None
    differences: Differences = field(repr=False, compare=False)
    draws: NDArray[np.float64] = field(repr=False, compare=False)
    table: NDArray[np.float64] = field(repr=False, compare=False)
    equalities: dict[tuple[int, int, float], Equality | None] = field(default_factory=dict, repr=False, compare=False)

    def draws_of(self, candidate_id: int) -> NDArray[np.float64]:
        one: NDArray[np.float64] = self.draws[self.candidate_ids.index(candidate_id)]
        return one

    def best(self) -> int:
        return max(self.candidate_ids, key=lambda i: self.scores[i].mean)

    def equality(self, first: int, second: int, *, margin: float) -> Equality | None:
        """TOST between two candidates by id, None where there are too few answers in common."""
        asked = first, second, margin
        if asked not in self.equalities:
            a, b = self.candidate_ids.index(first), self.candidate_ids.index(second)
            self.equalities[asked] = equality_crossed(self.differences, a, b, margin=margin)
        return self.equalities[asked]


@dataclass(frozen=True, slots=True, kw_only=True)
class PanelScores:
    """by_candidate: each candidate's score in its own language, else in the first it was rated in.

    covered: ratings of tests whose results are covered until all planned listeners have answered; by_themselves: of
    tests that stand apart. under_way: candidates that have covered ones. not_spoken: ratings kept apart because the
    listener does not speak the passage's language; not_stated: because it is not known which languages the listener
    speaks; of_own_voice: because the voice is the listener's own.
    """

    by_candidate: dict[int, Score]
    languages: tuple[LanguageScores, ...]
    not_spoken: int = 0
    not_stated: int = 0
    of_own_voice: int = 0
    covered: int = 0
    by_themselves: int = 0
    under_way: frozenset[int] = frozenset()

    @property
    def kept_apart(self) -> int:
        return self.not_spoken + self.not_stated + self.of_own_voice + self.covered + self.by_themselves

    def of_language(self, language: str) -> LanguageScores | None:
        return next((one for one in self.languages if one.language == primary(language)), None)

    def leanings_in(self, language: str) -> Leanings | None:
        """How far listeners and passages lean to a candidate, and the rest, as the answers show: for planning."""
        found = self.of_language(language)
        return None if found is None else leanings(found.differences)

    def language_of(self, candidate_id: int) -> LanguageScores | None:
        score = self.by_candidate.get(candidate_id)
        return None if score is None else self.of_language(score.language)

    def why_kept_apart(self) -> str:
        """A sentence on ratings that count in no score, '' where all count."""
        parts = []
        if self.not_spoken:
            parts.append(tr("{not_spoken} of a language the listener does not speak", not_spoken=self.not_spoken))
        if self.not_stated:
            parts.append(tr("{not_stated} by listeners whose languages are not stated", not_stated=self.not_stated))
        if self.of_own_voice:
            parts.append(tr("{of_own_voice} by listeners of their own voice", of_own_voice=self.of_own_voice))
        if self.covered:
            parts.append(tr("{covered} of tests under way, covered until all planned listeners have answered",
                            covered=self.covered))  # fmt: skip
        if self.by_themselves:
            parts.append(tr("{n} of tests that stand by themselves: over music or a room, between neighbours, older "
                            "versions, or by choice", n=self.by_themselves))  # fmt: skip
        if not parts:
            return ""
        return tr("Ratings kept apart, in no score: {parts}.", parts="; ".join(parts))


def primary(tag: str) -> str:
    """'en' of 'en-GB'."""
    return tag.split("-")[0].lower()


MOST_KEPT: Final = 4
# worked out once for what they rest on: weights and roles are changed far more often than ratings come in
_KEPT: Final[WeakKeyDictionary[Answers, list[tuple[object, PanelScores]]]] = WeakKeyDictionary()


def panel_scores(project: RatingParts, *, scale: str = QUALITY, tags: Collection[str] = ()) -> PanelScores:
    """Scores of the project's ratings as they stand, at the passages' present versions. tags: of passages that have
    one of them, all passages for none."""
    texts = [p for p in project.texts.all() if not tags or not set(tags).isdisjoint(p.tags)]
    passages = {p.version_id: p.language for p in texts}
    hard = project.hard_parts.of(texts)
    kinds = {p.version_id: frozenset(hard[p.version_id]) | set(p.tags) for p in texts}
    candidates, listeners = project.shortlist.candidates(), project.panel.listeners()
    asked = (scale, project.answers.revision(), passages, kinds, [(c.id, c.voice, c.language) for c in candidates],
             [(p.id, p.languages, p.simulated, p.own_voice) for p in listeners])  # fmt: skip
    kept = _KEPT.setdefault(project.answers, [])
    if (known := next((scores for of, scores in kept if of == asked), None)) is not None:
        return known
    every, apart = project.answers.ratings(apart=True), project.panel.apart()
    old, read = {t.id for t in project.panel.tests() if t.conduct.old_texts}, dict(passages)
    for one in every:  # where a test goes on with words that were changed since, these are a text of their own
        if one.test_id in old and one.passage_version_id not in read and not tags:
            read[one.passage_version_id] = project.texts.version_text(one.passage_version_id)[1]
    of_scale = [r for r in every if r.scale == scale and r.passage_version_id in read]
    rows = [r for r in of_scale if r.test_id not in apart]
    scores = score_ratings(rows, candidates, listeners, read, kinds)
    why = Counter(apart.get(r.test_id, "") for r in of_scale)
    scores = replace(scores, covered=why.pop("covered", 0),
                     under_way=frozenset(r.candidate_id for r in of_scale if apart.get(r.test_id) == "covered"),
                     by_themselves=sum(n for of, n in why.items() if of not in ("", "removed")))  # fmt: skip
    rows.clear()
    of_scale.clear()
    let_go(every)
    kept.append((asked, scores))
    del kept[:-MOST_KEPT]
    return scores


def score_ratings(
    rows: Sequence[Rating],
    candidates: Sequence[Candidate],
    listeners: Sequence[Listener],
    passages: dict[int, str],
    kinds: Mapping[int, frozenset[str]] | None = None,
) -> PanelScores:
    """Scores from ratings. passages: language by passage version id; kinds: what is in each text, plain if nothing.

    Ratings of a language the listener does not speak are kept apart, those of listeners who stated none, and those of
    a listener's own voice.
    Several ratings of one clip by one listener (hidden repeats) count as their mean.
    """
    speaks = {p.id: {primary(tag) for tag in p.languages} for p in listeners}
    simulated = {p.id for p in listeners if p.simulated}
    voices = {c.id: c.voice for c in candidates}
    own = {(p.id, p.own_voice) for p in listeners if p.own_voice}
    others = [r for r in rows if (r.listener_id, voices.get(r.candidate_id)) not in own]
    known = [r for r in others if speaks.get(r.listener_id)]
    counted = [r for r in known if primary(passages[r.passage_version_id]) in speaks[r.listener_id]]
    languages = []
    for language in dict.fromkeys(primary(tag) for tag in passages.values()):
        of_language = [r for r in counted if primary(passages[r.passage_version_id]) == language]
        rated = {r.candidate_id for r in of_language}
        ids = tuple(c.id for c in candidates if c.id in rated)
        if ids:
            languages.append(_within(language, ids, of_language, simulated, kinds))
    at_home = {c.id: primary(c.language) for c in candidates}
    scores: dict[int, Score] = {}
    for one in languages:
        for candidate_id, score in one.scores.items():
            if candidate_id not in scores or one.language == at_home[candidate_id]:
                scores[candidate_id] = score
    return PanelScores(
        by_candidate=scores,
        languages=tuple(languages),
        not_spoken=len(known) - len(counted),
        not_stated=len(others) - len(known),
        of_own_voice=len(rows) - len(others),
    )


def _within(
    language: str,
    ids: tuple[int, ...],
    rows: Sequence[Rating],
    simulated: set[int],
    kinds: Mapping[int, frozenset[str]] | None,
) -> LanguageScores:
    table = crossed_table(((r.candidate_id, r.listener_id, r.passage_version_id, r.score) for r in rows), ids)
    found = differences(table)
    means = [float(np.nanmean(one)) for one in table]
    order = sorted(range(len(ids)), key=lambda k: -means[k])
    comparison = compare_crossed(found, len(ids), order)
    these_texts = compare(np.stack([_means(one) for one in table]))
    raw = draws_of(table, BOOTSTRAP_SEED)
    intervals = crossed_intervals(table, raw, bounds=SCALE)
    of_candidate: dict[int, list[Rating]] = {candidate_id: [] for candidate_id in ids}
    for row in rows:
        if row.candidate_id in of_candidate:
            of_candidate[row.candidate_id].append(row)
    scores = {}
    for k, candidate_id in enumerate(ids):
        own = of_candidate[candidate_id]
        letters = comparison.letters[k], these_texts.letters[k]
        scores[candidate_id] = _score(candidate_id, language, table[k], own, intervals[k], letters, simulated)
        if kinds is not None:
            read = [kinds.get(version, frozenset()) or {"plain"} for version in {r.passage_version_id for r in own}]
            scores[candidate_id] = replace(scores[candidate_id], kinds=len(set().union(*read)))
    return LanguageScores(
        language=language,
        candidate_ids=ids,
        scores=scores,
        comparison=comparison,
        agreement=_agreement(table),
        differences=found,
        draws=joint_draws(table, raw, np.random.default_rng(BOOTSTRAP_SEED + 1), SCALE),
        table=table,
    )


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
    language: str,
    table: NDArray[np.float64],
    own: Sequence[Rating],
    crossed: Interval,
    letters: tuple[str, str],
    simulated: set[int],
) -> Score:
    values = [r.score for r in own]
    rated = ~np.isnan(table)
    people = _means(table)
    people = people[~np.isnan(people)]
    counts = np.bincount(np.clip(np.rint(values).astype(int), 1, 5), minlength=6)[1:]
    return Score(
        candidate_id=candidate_id,
        language=language,
        mean=float(table[rated].mean()),
        crossed=crossed,
        by_listener=t_interval(people) if len(people) > 1 and np.ptp(people) > 0 else None,
        naive=t_interval(values) if len(values) > 1 and np.ptp(values) > 0 else None,
        counts=tuple(int(n) for n in counts),  # type: ignore[arg-type]
        listeners=int(rated.any(axis=1).sum()),
        passages=int(rated.any(axis=0).sum()),
        ratings=len(own),
        letters=letters[0],
        these_texts=letters[1],
        simulated=sum(r.listener_id in simulated for r in own),
    )

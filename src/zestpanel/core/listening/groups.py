"""What a test says by kind of text, hard part, delivery, group of listeners or first language: means with the number
behind each, and whether the groups differ by more than chance.

Groups that are looked for after the fact find something by chance: twenty looks find one at 5 %. That is said beside
every such table. Whether they differ is asked once for all candidates: groups are dealt out anew among the listeners
(or among the texts, where these are what is grouped) many times, and it is counted how often candidates then lie as far
apart between groups as they do (a permutation test: Fisher 1935; Pitman 1937). What a listener or a text likes more of
everything is taken out first, since it says nothing of candidates.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.analysis.statistics.intervals import t_interval
from zestpanel.core.catalogue.candidate import short_names
from zestpanel.core.domain.listening import QUALITY, Answered, Listener
from zestpanel.core.domain.passage import Passage
from zestpanel.core.languages import locale_name
from zestpanel.core.listening.design import is_check, judged_at
from zestpanel.core.listening.entry import given_by as given_before
from zestpanel.core.listening.kinds.placing import PLACES, placed
from zestpanel.core.listening.kinds.preference import FIRST, NEITHER, STRONGLY
from zestpanel.core.listening.parts import RatingParts
from zestpanel.core.listening.results import result_of, standing
from zestpanel.core.listening.scores import primary
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.texts import tr

FEWEST: Final = 3  # listeners, for an interval
FEWEST_DEALT: Final = 4  # listeners or texts that are dealt into groups
DEALS: Final = 2_000
SEED: Final = 20_240
ALPHA: Final = 0.05
WARNING: Final = tr(
    "Groups were looked for after the answers were there: among many of them some differ by chance. Take what stands "
    "out as a question for the next test, not as an answer."
)
BY: Final[Mapping[str, str]] = {
    "kind of text": tr("by what is in the text: dialogue, lists, technical words …"),
    "hard part": tr("by the hard parts found in the text"),
    "style": tr("by the style that is marked in the text"),
    "passage": tr("by passage"),
    "role": tr("by who speaks the passage"),
    "audience": tr("by group of listeners"),
    "first language": tr("by the listeners' first language"),
    "fluency": tr("by how well listeners speak the language"),
    "accent": tr("by the listeners' own accent"),
    "heard on": tr("by headphones or speakers"),
    "asked before": tr("by what listeners answered before the test"),
}
_OF_LISTENERS: Final = frozenset({"audience", "first language", "fluency", "accent", "heard on", "asked before"})


@dataclass(frozen=True, slots=True, kw_only=True)
class Split:
    """groups: names in order of size. cells: mean, half of the 95 % interval over listeners (None below three), and
    how many answers, by (candidate id, group). p: of a difference between groups over all candidates, None where there
    is too little to deal out; says: that in a sentence. unit: what the numbers are, '' for scores."""

    groups: tuple[str, ...]
    candidate_ids: tuple[int, ...]
    names: Mapping[int, str]
    cells: Mapping[tuple[int, str], tuple[float, float | None, int]]
    p: float | None = None
    says: str = ""
    unit: str = ""


@dataclass(frozen=True, slots=True)
class Given:
    """What one answer says of one candidate, as a number."""

    listener_id: int
    candidate_id: int
    passage_version_id: int
    score: float
    session_id: int | None


def given_by(one: Answered) -> list[tuple[int, float]]:
    """(candidate, number) of an answer of any kind: a score or place; of a comparison what the one is better by, and
    the other worse; 1 or 0 of what is yes or no, right or wrong. Nothing of words that were written down."""
    given, trial = one.answer.given, one.trial
    judged = [s.candidate_id for s in trial.stimuli if s.role == "judged"]
    if PLACES in given:
        return [(c, place) for c, place in placed(one) if c > 0]
    if "x" in given:
        right = float(given["x"] == trial.detail.get("x"))
        return [(c, right) for c in dict.fromkeys(judged)]
    if "choice" in given:
        said = str(given["choice"]).removesuffix(STRONGLY)
        better = 0.0 if said == NEITHER else 1.0 if said == FIRST else -1.0
        return [(judged[0], better), (judged[1], -better)]
    if "content" in given:
        return [(judged[0], float(given["content"] == trial.detail.get("right")))]
    if "says" in given:
        return [] if given["says"] == "unsure" else [(judged[0], float(given["says"] == "yes"))]
    score = given.get("score")
    if not isinstance(score, int | float):
        return []
    return [(judged[0], -score / 2), (judged[1], score / 2)] if len(judged) > 1 else [
        (trial.stimuli[judged_at(trial)].candidate_id, float(score))
    ]  # fmt: skip


def split_scores(
    project: RatingParts, by: str, language: str, *, scale: str = QUALITY, test_id: int | None = None
) -> Split:
    """The scores of the panel in a language, or what a test says, of listeners who speak it, split by one of ``BY``."""
    passages = {p.version_id: p for p in project.texts.all() if primary(p.language) == primary(language)}
    people = {p.id: p for p in project.panel.listeners()}
    candidates = {c.id: c for c in project.shortlist.candidates()}
    names = short_names(list(candidates.values()), project.shortlist.engines())
    group_of = _grouping(project, by)
    values: dict[tuple[int, str], dict[int, list[float]]] = defaultdict(lambda: defaultdict(list))
    sizes: dict[str, int] = defaultdict(int)
    dealt: list[tuple[int, str, int, float]] = []  # who or what is dealt, its group, candidate, number
    for one in _given(project, scale, test_id):
        passage, person = passages.get(one.passage_version_id), people.get(one.listener_id)
        if passage is None or person is None or one.candidate_id not in candidates:
            continue
        own = person.own_voice and person.own_voice == candidates[one.candidate_id].voice
        if own or primary(language) not in {primary(tag) for tag in person.languages}:
            continue
        of = group_of(one, passage, person)
        for group in of:
            values[one.candidate_id, group][person.id].append(one.score)
            sizes[group] += 1
        if len(of) == 1:
            dealt.append((person.id if by in _OF_LISTENERS else passage.id, of[0], one.candidate_id, one.score))
    cells = {}
    for key, of_listener in values.items():
        means = [float(np.mean(one)) for one in of_listener.values()]
        every = [one for several in of_listener.values() for one in several]
        half = (lambda i: i.high - i.estimate)(t_interval(means)) if len(means) >= FEWEST else None
        cells[key] = (float(np.mean(every)), half, len(every))
    order = sorted({c for c, _ in values}, key=lambda c: -float(np.mean(
        [one for (who, _), of in values.items() if who == c for several in of.values() for one in several]
    )))  # fmt: skip
    p = None if by == "passage" else differ_p(dealt)
    return Split(groups=tuple(sorted(sizes, key=lambda g: (-sizes[g], g))), candidate_ids=tuple(order), names=names,
                 cells=cells, p=p, says=_says(by, p))  # fmt: skip


def _given(project: RatingParts, scale: str, test_id: int | None) -> list[Given]:
    if test_id is None:
        return [Given(r.listener_id, r.candidate_id, r.passage_version_id, r.score, r.session_id)
                for r in project.answers.ratings() if r.scale == scale]  # fmt: skip
    result = result_of(project, project.panel.test(test_id))
    if result.covered:
        return []
    return [
        Given(one.listener_id, candidate, one.trial.stimuli[judged_at(one.trial)].passage_version_id, number,
              one.trial.session_id)
        for one in standing(project, result.test, result.kind, result.settings)
        if one.listener_id not in result.out and not is_check(one.trial)
        for candidate, number in given_by(one)
    ]  # fmt: skip


def _says(by: str, p: float | None) -> str:
    if by == "passage":
        return ""
    if p is None:
        return tr("Too few in each group to tell whether they differ.")
    shown = f"{p:.3f}" if p >= 0.001 else "< 0.001"
    if p < ALPHA:
        return tr("The groups differ in how they put the candidates (p {shown}, groups dealt out anew {deals} times).",
                  shown=shown, deals=f"{DEALS:,}")  # fmt: skip
    return tr("No difference is shown in how the groups put the candidates (p {shown}).", shown=shown)


def differ_p(dealt: Sequence[tuple[int, str, int, float]]) -> float | None:
    """p of a difference between groups in how candidates lie to one another, by dealing out groups anew. dealt: (who or
    what is in a group, its group, candidate, number). None with fewer than two groups of two, or four in all."""
    group: dict[int, str] = {}
    for unit, of, _, _ in dealt:
        if group.setdefault(unit, of) != of:
            return None  # the same unit in several groups: they cannot be dealt out
    units, candidates = sorted(group), sorted({c for _, _, c, _ in dealt})
    names = sorted(set(group.values()))
    if len(units) < FEWEST_DEALT or len(names) < 2 or len(candidates) < 2:
        return None
    if sum(list(group.values()).count(name) >= 2 for name in names) < 2:
        return None
    total, count = np.zeros((len(units), len(candidates))), np.zeros((len(units), len(candidates)))
    at, of_candidate = {u: k for k, u in enumerate(units)}, {c: k for k, c in enumerate(candidates)}
    for unit, _, candidate, number in dealt:
        total[at[unit], of_candidate[candidate]] += number
        count[at[unit], of_candidate[candidate]] += 1
    with np.errstate(invalid="ignore", divide="ignore"):
        table = total / count
    table = table - np.nanmean(table, axis=0)
    table = table - np.nanmean(table, axis=1, keepdims=True)
    labels = np.array([names.index(group[unit]) for unit in units])
    rng = np.random.default_rng(SEED)
    seen = _between(table, labels, len(names))
    further = sum(_between(table, rng.permutation(labels), len(names)) >= seen - 1e-12 for _ in range(DEALS))
    return (1 + further) / (1 + DEALS)


def _between(table: NDArray[np.float64], labels: NDArray[np.int64], groups: int) -> float:
    """How far candidates' means lie apart between groups, squared and weighed by the number behind each."""
    known = ~np.isnan(table)
    filled = np.where(known, table, 0.0)
    out = 0.0
    for group in range(groups):
        here = labels == group
        n = known[here].sum(axis=0)
        sums = filled[here].sum(axis=0)
        out += float(np.sum(np.divide(sums**2, n, out=np.zeros_like(sums), where=n > 0)))
    return out


def _grouping(project: RatingParts, by: str) -> Callable[[Given, Passage, Listener], list[str]]:
    if by == "hard part":
        hard = {version: sorted(kinds) for version, kinds in project.hard_parts.of(project.texts.all()).items()}
        return lambda rating, passage, person: hard.get(passage.version_id) or ["none"]
    kits = project.panel.kits() if by == "heard on" else {}
    said = _answers_before(project) if by == "asked before" else {}
    ways: dict[str, Callable[[Given, Passage, Listener], list[str]]] = {
        "kind of text": lambda rating, passage, person: list(passage.tags) or ["plain"],
        "passage": lambda rating, passage, person: [passage.title],
        "role": lambda rating, passage, person: [passage.speaker or tr("no role")],
        "audience": lambda rating, passage, person: [person.audience or "not stated"],
        "first language": lambda rating, passage, person: [locale_name(person.languages[0])],
        "style": lambda rating, passage, person: (
            sorted({mark.value for mark in passage.marks if mark.kind == "style"}) or [tr("none marked")]
        ),
        "fluency": lambda rating, passage, person: [_fluency(person, passage.language)],
        "accent": lambda rating, passage, person: [person.accent or "not stated"],
        "heard on": lambda rating, passage, person: [kits.get(rating.session_id or 0) or person.kit],
        "asked before": lambda rating, passage, person: [said.get(rating.session_id or 0, tr("not asked"))],
    }  # fmt: skip
    return ways[by]


def _answers_before(project: RatingParts) -> dict[int, str]:
    """By session, what its listener answered before the test."""
    out = {}
    for test in project.panel.tests():
        if questions := TestSettings.from_document(test.settings).entry:
            for session in project.panel.sessions(test.id):
                if (given := given_before(session.checks, questions)) is not None:
                    answers = (of.answers[k].words for of, k in zip(questions, given, strict=True))
                    out[session.id] = " · ".join(answers)
    return out


def _fluency(person: Listener, language: str) -> str:
    of = {primary(tag): level for tag, level in person.fluency.items()}
    return of.get(primary(language), "not stated")

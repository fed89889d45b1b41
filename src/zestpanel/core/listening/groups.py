"""Scores by kind of text, hard part, delivery, group of listeners or first language: means with the number behind each.

Groups that are looked for after the fact find something by chance: twenty looks find one at 5 %. That is said beside
every such table, and no group has a statement of its own.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Final

import numpy as np

from zestpanel.core.analysis.statistics.intervals import t_interval
from zestpanel.core.catalogue.candidate import short_names
from zestpanel.core.domain.listening import QUALITY, Listener, Rating
from zestpanel.core.domain.passage import Passage
from zestpanel.core.languages import locale_name
from zestpanel.core.listening.parts import RatingParts
from zestpanel.core.listening.scores import primary
from zestpanel.core.texts import tr

FEWEST: Final = 3  # listeners, for an interval
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
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Split:
    """groups: names in order of size. cells: mean, half of the 95 % interval over listeners (None below three), and
    how many answers, by (candidate id, group)."""

    groups: tuple[str, ...]
    candidate_ids: tuple[int, ...]
    names: Mapping[int, str]
    cells: Mapping[tuple[int, str], tuple[float, float | None, int]]


def split_scores(project: RatingParts, by: str, language: str, *, scale: str = QUALITY) -> Split:
    """The scores of the panel in a language, of listeners who speak it, split by one of ``BY``."""
    passages = {p.version_id: p for p in project.texts.all() if primary(p.language) == primary(language)}
    people = {p.id: p for p in project.panel.listeners()}
    candidates = {c.id: c for c in project.shortlist.candidates()}
    names = short_names(list(candidates.values()), project.shortlist.engines())
    group_of = _grouping(project, by)
    values: dict[tuple[int, str], dict[int, list[float]]] = defaultdict(lambda: defaultdict(list))
    sizes: dict[str, int] = defaultdict(int)
    for rating in project.answers.ratings():
        passage, person = passages.get(rating.passage_version_id), people.get(rating.listener_id)
        if rating.scale != scale or passage is None or person is None or rating.candidate_id not in candidates:
            continue
        own = person.own_voice and person.own_voice == candidates[rating.candidate_id].voice
        if own or primary(language) not in {primary(tag) for tag in person.languages}:
            continue
        for group in group_of(rating, passage, person):
            values[rating.candidate_id, group][person.id].append(rating.score)
            sizes[group] += 1
    cells = {}
    for key, of in values.items():
        means = [float(np.mean(one)) for one in of.values()]
        every = [one for several in of.values() for one in several]
        half = (lambda i: i.high - i.estimate)(t_interval(means)) if len(means) >= FEWEST else None
        cells[key] = (float(np.mean(every)), half, len(every))
    order = sorted({c for c, _ in values}, key=lambda c: -float(np.mean(
        [one for (who, _), of in values.items() if who == c for several in of.values() for one in several]
    )))  # fmt: skip
    return Split(groups=tuple(sorted(sizes, key=lambda g: (-sizes[g], g))), candidate_ids=tuple(order), names=names,
                 cells=cells)  # fmt: skip


def _grouping(project: RatingParts, by: str) -> Callable[[Rating, Passage, Listener], list[str]]:
    if by == "hard part":
        hard = {version: sorted(kinds) for version, kinds in project.hard_parts.of(project.texts.all()).items()}
        return lambda rating, passage, person: hard.get(passage.version_id) or ["none"]
    kits = project.panel.kits() if by == "heard on" else {}
    ways: dict[str, Callable[[Rating, Passage, Listener], list[str]]] = {
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
    }  # fmt: skip
    return ways[by]


def _fluency(person: Listener, language: str) -> str:
    of = {primary(tag): level for tag, level in person.fluency.items()}
    return of.get(primary(language), "not stated")

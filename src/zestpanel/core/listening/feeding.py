"""What listening tests other than the main rating say of each candidate, as figures of the choice."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cache
from typing import Final

from zestpanel.core.domain.listening import QUALITY
from zestpanel.core.errors import InputError
from zestpanel.core.listening.kind import Feeds, figure_of
from zestpanel.core.listening.kinds.own_question import KIND as OWN_QUESTION
from zestpanel.core.listening.parts import AnswerParts
from zestpanel.core.listening.registry import kinds
from zestpanel.core.listening.results import result_of
from zestpanel.core.listening.scales import FROM_TABLES, OWN, SCALES
from zestpanel.core.store.panel import Panel

OWN_FIGURES: Final = {
    f"{figure_of(OWN)} ": Feeds(words="", better="higher", worst=30, best=90, unit=" %", decimals=0),
    f"{figure_of(OWN_QUESTION.name)} ": Feeds(words="", better="higher", worst=50, best=100, unit=" %", decimals=0),
}  # by how the names begin of figures whose question is the lead's own, which stands behind it


@dataclass(frozen=True, slots=True)
class Fed:
    """A result of one candidate: low and high are its 95 % interval, None where there is none; n: answers to the test
    in the language."""

    value: float
    low: float | None
    high: float | None
    n: int


@cache
def fed_figures() -> Mapping[str, Feeds]:
    """All that a listening test may be a figure of: a figure a scale, and a figure a kind that declares one."""
    out = {}
    for name, scale in (SCALES | FROM_TABLES).items():
        if name != QUALITY and scale.ordered:
            low, high, step = float(scale.low), float(scale.high), scale.category
            worst, best = (low, high) if high - low < 2 else (low + 1.5 * step, high - 0.5 * step)
            out[figure_of(name)] = Feeds(words=scale.short, better="higher", worst=worst, best=best, decimals=2)
    for kind in kinds().values():
        if kind.feeds is not None:
            out[figure_of(kind.name)] = kind.feeds
        out |= {figure_of(kind.name, further): feeds for further, feeds in kind.also_feeds.items()}
    return out


def of_own(name: str) -> Feeds | None:
    """What a figure of this name is of, where it rests on a question of the lead's own; None for any other."""
    begin = next((one for one in OWN_FIGURES if name.startswith(one) and name != one), None)
    return None if begin is None else replace(OWN_FIGURES[begin], words=name.removeprefix(begin))


def own_figures(panel: Panel) -> list[str]:
    """Names of the figures that rest on questions of the lead's own, of all tests that are not removed."""
    asked = [(OWN if one.settings.get("scale") == OWN else one.kind, str(one.settings.get("question") or ""))
             for one in panel.tests() if not one.conduct.removed]  # fmt: skip
    names = [figure_of(which, question) for which, question in asked if question]
    return list(dict.fromkeys(name for name in names if of_own(name) is not None))


Tested = Mapping[tuple[str, str], Fed]  # by language and by figure


def tests_by_candidate(project: AnswerParts) -> dict[int, Tested]:
    """By candidate, from the last test of a kind (or on a scale) that heard it."""
    out: dict[int, dict[tuple[str, str], Fed]] = defaultdict(dict)
    apart = project.panel.apart()
    for test in sorted(project.panel.tests(), key=lambda one: one.id):
        if test.id in apart:
            continue
        try:
            result = result_of(project, test) if _feeds(test.kind, test.settings) else None
        except InputError:  # of a kind that this version does not know
            continue
        for part in result.parts if result is not None else ():
            for name, bars in part.fed.items():
                for bar in bars:
                    if len(bar.candidate_ids) == 1:
                        out[bar.candidate_ids[0]][part.language, name] = Fed(bar.value, bar.low, bar.high, part.answers)
    return dict(out)


def _feeds(kind: str, settings: Mapping[str, object]) -> bool:
    """Whether a test's answers are any figure but the panel score: most are not, and are not read for it."""
    found = kinds().get(kind)
    if found is None or "scale" not in found.uses:
        return found is not None and found.feeds is not None
    return settings.get("scale", QUALITY) != QUALITY or bool(settings.get("also"))

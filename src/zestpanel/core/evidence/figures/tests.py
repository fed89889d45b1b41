"""What listening tests other than the main rating say: a figure for each kind, and for each scale."""

from __future__ import annotations

from functools import lru_cache

from zestpanel.core.domain.brief import Brief
from zestpanel.core.evidence.declared import Figure, Reading, Start
from zestpanel.core.evidence.known import Known
from zestpanel.core.listening.feeding import fed_figures, of_own
from zestpanel.core.listening.kind import Feeds
from zestpanel.core.listening.scores import LanguageScores


def _of(name: str, feeds: Feeds, place: int) -> Figure:
    def read(of: Known, language: LanguageScores | None) -> Reading:
        found = of.tests.get((of.language if language is None else language.language, name))
        if found is None:
            return Reading(None)
        known = found.low is not None and found.high is not None
        error = (found.high - found.low) / 2 / 1.96 if known else None  # type: ignore[operator]
        return Reading(found.value, found.low, found.high, error, n=found.n)

    def start(_: Brief) -> Start:
        return Start(feeds.worst, feeds.best, 0)  # weighed by those who set a weight for it

    return Figure(name=name, group="listeners", words=feeds.words, label=feeds.words, column=name,
                  decimals=feeds.decimals,
                  unit=lambda _: feeds.unit, better=feeds.better, place=place, read=read, start=start,
                  best_of=feeds.better)  # fmt: skip


@lru_cache(maxsize=500)
def own(name: str) -> Figure | None:
    """The figure of this name that rests on a question of the lead's own; None where the name is of no such."""
    feeds = of_own(name)
    return None if feeds is None else _of(name, feeds, 31)


def declared() -> tuple[Figure, ...]:
    """In the order of scales, then of kinds."""
    return tuple(_of(name, feeds, 31) for name, feeds in fed_figures().items())

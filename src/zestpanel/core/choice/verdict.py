"""The answer in a sentence, before any table: who comes first in a language, and how firmly."""

from __future__ import annotations

from typing import Final

from zestpanel.core.analysis.statistics.crossed import listeners_to_tell
from zestpanel.core.choice.evidence import Standing
from zestpanel.core.choice.ranking import chance_in_words

FIRM: Final = 0.9  # of the draws of listeners, passages and weights (common practice, no source)
SAME: Final = 0.05  # of a category: less is not shown


def verdict(found: Standing, language: str) -> str:
    """'A comes first, firmly (93 %).' or 'Too close to call between A (44 %) and B (41 %): …'."""
    ranking = found.ranking_in(language)
    placed = sorted((one for one in ranking if one.first is not None), key=lambda one: -(one.first or 0.0))
    if not placed:
        if not any(one.passes for one in ranking):
            return "Nobody meets all must-haves; each line says which one is missed."
        return "Nobody can be placed yet: no candidate has evidence for every criterion that has a weight."
    names = {one.candidate_id: found.rows[one.candidate_id].name for one in placed}
    best = placed[0]
    if len(placed) == 1:
        return f"{names[best.candidate_id]} alone meets all must-haves and has evidence for every criterion."
    second = placed[1]
    a, b = names[best.candidate_id], names[second.candidate_id]
    sure = chance_in_words(best.first or 0.0)
    if (best.first or 0.0) >= FIRM:
        return f"{a} comes first, firmly: in {sure} of the draws of listeners, passages and weights."
    close = f"Too close to call between {a} ({sure}) and {b} ({chance_in_words(second.first or 0.0)})"
    return f"{close}{_more_listeners(found, language, best.candidate_id, second.candidate_id)}."


def _more_listeners(found: Standing, language: str, a: int, b: int) -> str:
    """What more listeners would tell of the difference in quality that is seen between the two."""
    one, other = found.score_in(a, language), found.score_in(b, language)
    if one is None or other is None:
        return "; not both were heard"
    apart = abs(one.mean - other.mean)
    if apart < SAME:
        return f"; their mean scores lie within {SAME:g}"
    passages, listeners = min(one.passages, other.passages), min(one.listeners, other.listeners)
    wanted = listeners_to_tell(apart, passages)
    if wanted is not None and wanted <= listeners:
        return "; their quality differs, other criteria weigh against it"
    if wanted is not None:
        return (
            f"; about {wanted - listeners} more listeners would tell whether {apart:.1f} between their scores is real"
        )
    return f"; {apart:.1f} between their scores is less than more listeners could tell, more passages might"

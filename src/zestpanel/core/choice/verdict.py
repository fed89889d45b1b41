"""The answer in a sentence, before any table: who comes first in a language, and how firmly."""

from __future__ import annotations

from typing import Final

from zestpanel.core.analysis.statistics.crossed import listeners_to_tell
from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.choice.ranking import chance_in_words
from zestpanel.core.texts import tr

FIRM: Final = 0.9  # of the draws of listeners, passages and weights (common practice, no source)
SAME: Final = 0.05  # of a category: less is not shown


def verdict(found: Evaluation, language: str) -> str:
    """'A comes first, firmly (93 %).' or 'Too close to call between A (44 %) and B (41 %): …'."""
    ranking = found.ranking_in(language)
    sole = next((one for one in ranking if one.alone), None)
    if sole is not None:
        return tr(
            "{names} alone meets all must-haves and has evidence for every criterion.",
            names=found.rows[sole.candidate_id].name,
        )
    placed = sorted((one for one in ranking if one.first is not None), key=lambda one: -(one.first or 0.0))
    if not placed:
        if not any(one.passes for one in ranking):
            return tr("Nobody meets all must-haves; each line says which one is missed.")
        return tr("Nobody can be placed yet: no candidate has evidence for every criterion that has a weight.")
    names = {one.candidate_id: found.rows[one.candidate_id].name for one in placed}
    best = placed[0]
    second = placed[1]
    a, b = names[best.candidate_id], names[second.candidate_id]
    sure = chance_in_words(best.first or 0.0)
    if (best.first or 0.0) >= FIRM:
        return tr("{a} comes first, firmly: in {sure} of the draws of listeners, passages and weights.", a=a, sure=sure)
    close = tr(
        "Too close to call between {a} ({sure}) and {b} ({chance_in_words})",
        a=a,
        sure=sure,
        b=b,
        chance_in_words=chance_in_words(second.first or 0.0),
    )
    return f"{close}{_more_listeners(found, language, best.candidate_id, second.candidate_id)}."


def _more_listeners(found: Evaluation, language: str, a: int, b: int) -> str:
    """What more listeners would tell of the difference in quality that is seen between the two."""
    one, other = found.score_in(a, language), found.score_in(b, language)
    if one is None or other is None:
        return tr("; not both were heard")
    apart = abs(one.mean - other.mean)
    if apart < SAME:
        return tr("; their mean scores lie within {same}", same=f"{SAME:g}")
    passages, listeners = min(one.passages, other.passages), min(one.listeners, other.listeners)
    wanted = listeners_to_tell(apart, passages)
    if wanted is not None and wanted <= listeners:
        return tr("; their quality differs, other criteria weigh against it")
    if wanted is not None:
        return tr(
            "; about {wanted} more listeners would tell whether {apart} between their scores is real",
            wanted=wanted - listeners,
            apart=f"{apart:.1f}",
        )
    return tr(
        "; {apart} between their scores is less than more listeners could tell, more passages might",
        apart=f"{apart:.1f}",
    )

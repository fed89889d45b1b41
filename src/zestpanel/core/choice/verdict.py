"""The answer in a sentence, before any table: who comes first in a role, how firmly, and what would move it."""

from __future__ import annotations

from typing import Final

from zestpanel.core.analysis.statistics.crossed import listeners_to_tell
from zestpanel.core.choice.ranking import Ranked, chance_in_words
from zestpanel.core.choice.sensitivity import Tipping, tipping_points
from zestpanel.core.choice.standing import Standing
from zestpanel.core.domain.money import Money
from zestpanel.core.evidence.registry import figures
from zestpanel.core.texts import tr, word

FIRM: Final = 0.9  # of the draws of listeners, passages and weights (common practice, no source)
SAME: Final = 0.05  # of a category: less is not shown
NEAR: Final = 0.5  # of all weights, or of a criterion's span: what is farther away is not told
_MOST_TOLD: Final = 2


def verdict(standing: Standing) -> str:
    """'A comes first, firmly (93 %).' or 'Too close to call between A (44 %) and B (41 %): …', and what would move
    it."""
    ranking = standing.ranking
    sole = next((one for one in ranking if one.alone), None)
    if sole is not None:
        return tr(
            "{names} alone meets all must-haves and has evidence for every criterion.",
            names=standing.rows[sole.candidate_id].name,
        )
    placed = sorted((one for one in ranking if one.first is not None), key=lambda one: -(one.first or 0.0))
    if not placed:
        if not ranking:
            return tr("No candidate speaks the language of this role.")
        if not any(one.passes for one in ranking):
            return tr("Nobody meets all must-haves; each line says which one is missed.")
        if not any(c.weight > 0 for c in standing.criteria):
            return tr("All weights are 0: nobody is placed.")
        return tr("Nobody can be placed yet: no candidate has evidence for every criterion that has a weight.")
    best, second = placed[0], placed[1]
    a, b = (standing.rows[one.candidate_id].name for one in (best, second))
    sure = chance_in_words(best.first or 0.0)
    beside = _beside(standing, best, second)
    if (best.first or 0.0) >= FIRM:
        said = tr("{a} comes first, firmly: in {sure} of the draws of listeners, passages and weights.", a=a, sure=sure)
        return " ".join(part for part in (said, beside, _moves(standing)) if part)
    close = tr(
        "Too close to call between {a} ({sure}) and {b} ({chance_in_words})",
        a=a,
        sure=sure,
        b=b,
        chance_in_words=chance_in_words(second.first or 0.0),
    )
    saving = _take_the_cheaper(standing, best, second)
    if saving:
        return f"{close}. {saving}"
    more = _more_listeners(standing, best.candidate_id, second.candidate_id)
    return " ".join(part for part in (f"{close}{more}.", beside) if part)


def _equal(standing: Standing, a: int, b: int) -> bool:
    """Whether the two are shown to be as good as each other to the ear."""
    if standing.scored is None or not {a, b} <= set(standing.scored.candidate_ids):
        return False
    found = standing.scored.equality(a, b, margin=float(standing.brief.equal_within))
    return found is not None and found.equal


def _dearer_by(standing: Standing, a: int, b: int) -> Money | None:
    """What a month of b costs more than one of a, in the brief's currency."""
    one, other = (standing.rows[k].cost.own for k in (a, b))
    return None if one is None or other is None else Money(other.amount - one.amount, one.currency)


def _beside(standing: Standing, best: Ranked, second: Ranked) -> str:
    """'As good as B to the ear (within 0.3 of a category), 11.00 EUR a month cheaper.'"""
    a, b = best.candidate_id, second.candidate_id
    own, name, more = standing.rows[a].name, standing.rows[b].name, _dearer_by(standing, a, b)
    parts = []
    if _equal(standing, a, b):
        parts.append(tr("as good to the ear (within {margin} of a category)", margin=standing.brief.equal_within))
    if more is not None and more.amount:
        money = Money(abs(more.amount), more.currency)
        parts.append(
            tr("{money} a month cheaper", money=money) if more.amount > 0 else tr("{money} a month dearer", money=money)
        )
    return tr("{own} beside {name}: {parts}.", own=own, name=name, parts=", ".join(parts)) if parts else ""


def _take_the_cheaper(standing: Standing, best: Ranked, second: Ranked) -> str:
    a, b = best.candidate_id, second.candidate_id
    more = _dearer_by(standing, a, b)
    if more is None or not _equal(standing, a, b):
        return ""
    if not more.amount:
        return tr("To the ear they are as good as each other (within {margin} of a category) and cost the same: take "
                  "either.", margin=standing.brief.equal_within)  # fmt: skip
    cheaper = standing.rows[a if more.amount > 0 else b].name
    return tr(
        "To the ear they are as good as each other (within {margin} of a category): take the cheaper, {name}, which "
        "saves {money} a year.",
        margin=standing.brief.equal_within, name=cheaper, money=Money(abs(more.amount) * 12, more.currency),
    )  # fmt: skip


def _more_listeners(standing: Standing, a: int, b: int) -> str:
    """What more listeners would tell of the difference in quality that is seen between the two."""
    heard = standing.scored.scores if standing.scored is not None else {}
    one, other = heard.get(a), heard.get(b)
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


def _moves(standing: Standing) -> str:
    """'It would change if money counted under 12 % (30 % now): then B comes first.'"""
    near = [one for one in tipping_points(standing.criteria, standing.evidence) if one.far <= NEAR][:_MOST_TOLD]
    if not near:
        return tr("No single weight, bound or figure within reach would change that.")
    return tr("It would change if {parts}.", parts=tr(", or if ").join(tipping_in_words(standing, one) for one in near))


def tipping_in_words(standing: Standing, one: Tipping) -> str:
    """'money counted under 12 % (now 30 %; then B)'."""
    figure, who = figures()[one.criterion], standing.rows[one.who].name
    words = word(figure.words)
    if one.what == "weight":
        total = sum(c.weight for c in standing.criteria)
        text = {"words": words, "share": f"{100 * one.share:.0f}", "now": f"{100 * one.now / total:.0f}", "who": who}
        if one.at < one.now:
            return tr("{words} counted under {share} % (now {now} %; then {who})", **text)
        return tr("{words} counted over {share} % (now {now} %; then {who})", **text)
    at, now = (figure.in_words(value, standing.brief) for value in (one.at, one.now))
    if one.what == "value":
        return tr("its own {words} came to {at} (now {now}; then {who})", words=words, at=at, now=now, who=who)
    end = tr("not acceptable") if one.what == "worst" else tr("good enough")
    return tr("'{end}' of {words} were {at} (now {now}; then {who})", end=end, words=words, at=at, now=now, who=who)

"""What the panel's scores of a language say, in a sentence or two, before any picture or table."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from zestpanel.core.analysis.statistics.crossed import listeners_to_tell
from zestpanel.core.listening.scores import LanguageScores
from zestpanel.core.texts import tr, trn

_MOST_NAMED: Final = 3


def verdict(found: LanguageScores, names: Mapping[int, str], *, equal_within: float) -> str:
    """Who is best, who is not told apart from the best, who is shown to be as good, and how many listeners would
    settle it. equal_within: categories."""
    order = sorted(found.candidate_ids, key=lambda one: -found.scores[one].mean)
    best, *others = order
    score = found.scores[best]
    name = names.get(best, "?")
    early = (
        tr(" It is preliminary: it {why_preliminary}.", why_preliminary=score.why_preliminary)
        if score.preliminary
        else ""
    )
    if not others:
        return tr("{name} has a mean of {mean}.{early}", name=name, mean=f"{score.mean:.2f}", early=early)
    tied = [one for one in others if set(found.scores[one].letters) & set(score.letters)]
    if not tied:
        return tr(
            "{name} is clearly best, with a mean of {mean}.{early}", name=name, mean=f"{score.mean:.2f}", early=early
        )
    equal = [one for one in tied if (e := found.equality(one, best, margin=equal_within)) is not None and e.equal]
    parts = [
        trn(
            "{name} has the highest mean, {mean}; {named} is not told apart from it.",
            "{name} has the highest mean, {mean}; {named} are not told apart from it.",
            len(tied),
            name=name,
            mean=f"{score.mean:.2f}",
            named=_named(tied, names),
        )
    ]
    if equal:
        parts.append(
            tr(
                "Shown to be as good within {equal_within}: {named}.",
                equal_within=f"{equal_within:g}",
                named=_named(equal, names),
            )
        )
    open_ones = [one for one in tied if one not in equal]
    if open_ones:
        parts.append(_more(found, best, open_ones[0], names))
    return " ".join(part for part in parts if part) + early


def _named(ids: list[int], names: Mapping[int, str]) -> str:
    shown = [names.get(one, "?") for one in ids[:_MOST_NAMED]]
    rest = len(ids) - len(shown)
    if rest:
        return tr("{shown} and {rest} more", shown=", ".join(shown), rest=rest)
    return shown[0] if len(shown) == 1 else tr("{shown} and {shown2}", shown=", ".join(shown[:-1]), shown2=shown[-1])


def _more(found: LanguageScores, best: int, other: int, names: Mapping[int, str]) -> str:
    """How many more listeners would tell the difference that is seen between the two."""
    one, two = found.scores[best], found.scores[other]
    apart, listeners = one.mean - two.mean, min(one.listeners, two.listeners)
    count = len(found.candidate_ids)
    wanted = listeners_to_tell(apart, min(one.passages, two.passages), comparisons=count * (count - 1) // 2)
    if wanted is None:
        return ""
    more, rival = wanted - listeners, names.get(other, "?")
    if more <= 0:
        return ""
    return tr(
        "About {more} more listeners would tell whether {apart} between it and {rival} is real.",
        more=more,
        apart=f"{apart:.1f}",
        rival=rival,
    )

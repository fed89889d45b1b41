"""Why not this one? Two candidates of a role beside each other: every criterion, every must-have, and how surely they
differ."""

from __future__ import annotations

from dataclasses import dataclass
from math import sqrt
from typing import Final

import numpy as np

from zestpanel.core.analysis.statistics.tails import normal_below
from zestpanel.core.choice.criteria import in_ranking
from zestpanel.core.choice.gates import Gate
from zestpanel.core.choice.standing import Standing
from zestpanel.core.evidence.declared import Figure, Reading
from zestpanel.core.evidence.registry import figures
from zestpanel.core.texts import capital, tr, word

WORTH: Final = 0.005  # of the total: less is no reason
_MOST_TOLD: Final = 3
SURE: Final = 0.975  # each way: of the draws, or of a normal law around the difference


@dataclass(frozen=True, slots=True, kw_only=True)
class Beside:
    """A line: what is compared, what each has, who is ahead and how surely ('' where that is not known), and what the
    difference is worth in the total (0 to 1, of the first over the second; None where it is not weighed). short: both
    without intervals."""

    words: str
    first: str
    second: str
    says: str
    worth: float | None = None
    short: tuple[str, str] = ("", "")


def beside(standing: Standing, first: int, second: int) -> list[Beside]:
    """Weighed figures by what they are worth, then the others, then must-haves that either does not meet."""
    a, b = standing.rows[first], standing.rows[second]
    names = a.name, b.name
    total = sum(c.weight for c in standing.criteria if c.weight > 0)
    weighed = {c.name: c for c in standing.criteria if c.weight > 0}
    lines = []
    for figure in in_ranking(standing.criteria):
        one, other = figure.read(a, standing.scored), figure.read(b, standing.scored)
        worth = None
        criterion = weighed.get(figure.name)
        if criterion is not None and one.value is not None and other.value is not None:
            worth = criterion.weight * (criterion.utility(one.value) - criterion.utility(other.value)) / total
        lines.append(Beside(words=capital(word(figure.words)), first=_cell(figure, one, standing),
                            second=_cell(figure, other, standing), says=_who(figure, one, other, names),
                            short=(figure.in_words(one.value, standing.brief),
                                   figure.in_words(other.value, standing.brief)),
                            worth=worth))  # fmt: skip
    lines.sort(key=lambda line: -abs(line.worth or 0.0))
    theirs = {gate.code: gate for gate in b.gates}
    for gate in a.gates:
        other_gate = theirs.pop(gate.code, None)
        if gate.verdict != "yes" or (other_gate is not None and other_gate.verdict != "yes"):
            lines.append(Beside(words=word(gate.name), first=_gate(gate), second=_gate(other_gate), says=""))
    lines += [Beside(words=word(gate.name), first="–", second=_gate(gate), says="") for gate in theirs.values()
              if gate.verdict != "yes"]  # fmt: skip
    return lines


def why_not(standing: Standing, other: int, chosen: int) -> str:
    """Of one that was not chosen: what it does not meet, or what it is behind in by the weights, and ahead in."""
    row = standing.rows[other]
    missed = [f"{word(gate.name)} ({gate.why})" for gate in row.gates if gate.verdict == "no"]
    if missed:
        return tr("does not meet: {missed}", missed="; ".join(missed))
    ranked = standing.ranked(other)
    if ranked is not None and ranked.missing:
        lacks = ", ".join(word(figures()[name].words) for name in ranked.missing)
        return tr("lacks evidence: {lacks}", lacks=lacks)
    unknown = [word(gate.name) for gate in row.gates if gate.verdict == "unknown"]
    parts = [tr("not known: {unknown}", unknown=", ".join(unknown))] if unknown else []
    lines = [line for line in beside(standing, chosen, other) if line.worth is not None and abs(line.worth) >= WORTH]
    behind = [f"{line.words.lower()} ({line.short[1]} / {line.short[0]})" for line in lines if (line.worth or 0) > 0]
    ahead = [line.words.lower() for line in lines if (line.worth or 0) < 0]
    parts += [tr("behind in {behind}", behind="; ".join(behind[:_MOST_TOLD]))] if behind else []
    if ahead:
        said = "; ".join(ahead[:_MOST_TOLD])
        parts.append(
            tr("ahead in {ahead}", ahead=said) if behind or parts
            else tr("by the weights it is ahead, in {ahead}: see the reason of the choice", ahead=said)
        )  # fmt: skip
    return "; ".join(parts) or tr("as good by the weights")


def _cell(figure: Figure, reading: Reading, standing: Standing) -> str:
    said = figure.in_words(reading.value, standing.brief)
    if reading.value is None or reading.low is None or reading.high is None or reading.low == reading.high:
        return said
    low, high = (figure.in_words(end, standing.brief).removesuffix(figure.unit(standing.brief))
                 for end in (reading.low, reading.high))  # fmt: skip
    return tr("{said} ({low} to {high})", said=said, low=low, high=high)


def _gate(gate: Gate | None) -> str:
    return "–" if gate is None else f"{word(gate.verdict)} ({gate.why})"


def _who(figure: Figure, one: Reading, other: Reading, names: tuple[str, str]) -> str:
    if one.value is None or other.value is None:
        return tr("missing for one of them")
    if not figure.better:
        return ""
    if one.value == other.value:
        return tr("the same")
    higher = chance_of_higher(one, other)
    ahead = names[0] if (one.value > other.value) == (figure.better == "higher") else names[1]
    if higher is None:
        return tr("{name} is ahead", name=ahead)
    if max(higher, 1 - higher) >= SURE:
        return tr("{name} is ahead, surely", name=ahead)
    return tr("not told apart")


def chance_of_higher(one: Reading, other: Reading) -> float | None:
    """That the first's true figure is higher: by common draws, where both have such, else by a normal law; None where
    neither has an error."""
    if one.draws is not None and other.draws is not None:
        n = min(len(one.draws), len(other.draws))
        found = one.draws[:n] - other.draws[:n]
        return float(np.mean(found > 0) + np.mean(found == 0) / 2)
    if one.value is None or other.value is None or (one.error is None and other.error is None):
        return None
    error = sqrt((one.error or 0.0) ** 2 + (other.error or 0.0) ** 2)
    return normal_below((one.value - other.value) / error) if error else None

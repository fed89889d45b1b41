"""What answers on a scale say, whatever the scale: means with their intervals, who is told apart, and how they spread.

One model with the page of scores: listeners and passages are drawn (see ``statistics/crossed``).
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.analysis.statistics.crossed import compare_crossed, crossed_intervals, differences, draws_of
from zestpanel.core.analysis.statistics.crossed_table import crossed_table
from zestpanel.core.analysis.statistics.paired import holm
from zestpanel.core.domain.listening import Answered
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.listening.kind import Around, Axis, Bar, Found, Pair
from zestpanel.core.texts import tr

SEED: Final = 20_240
ALPHA: Final = 0.05
MOST_COUNTED: Final = 10  # steps, up to which the answers on each are listed

Value = tuple[int, int, int, float]  # candidate, listener, passage version, score


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """A candidate. values: all its answers, shape (answers,)."""

    candidate_id: int
    mean: float
    low: float
    high: float
    letters: str
    listeners: int
    values: NDArray[np.float64]


def values_of(answers: Sequence[Answered], score: Callable[[Answered], Sequence[tuple[int, float]]]) -> list[Value]:
    """score: (index of the stimulus, value) of what an answer judges; each counts for its candidate and text."""
    return [
        (stimulus.candidate_id, one.listener_id, stimulus.passage_version_id, value)
        for one in answers
        for at, value in score(one)
        for stimulus in (one.trial.stimuli[at],)
    ]


def lines_of(values: Sequence[Value], *, bounds: tuple[float, float], unit: float = 1.0) -> list[Line]:
    """The best first; values of one language, in categories of a 5-point scale, since usual spreads are known in those.
    unit: what a category is on the scale that the lines are wanted in. Raises NotEnoughData for none."""
    if not values:
        raise NotEnoughData(tr("Nobody has answered yet."))
    candidates = list(dict.fromkeys(one[0] for one in values))
    table = crossed_table(values, candidates)
    means = [float(np.nanmean(one)) for one in table]
    order = sorted(range(len(candidates)), key=lambda k: -means[k])
    letters = compare_crossed(differences(table), len(candidates), order).letters
    intervals = crossed_intervals(table, draws_of(table, SEED), bounds=bounds)
    return [
        Line(candidate_id=candidates[k], mean=unit * means[k], low=unit * intervals[k].low,
             high=unit * intervals[k].high, letters=letters[k], listeners=intervals[k].n,
             values=unit * np.array([one[3] for one in values if one[0] == candidates[k]]))
        for k in order
    ]  # fmt: skip


def best_sentence(lines: Sequence[Line], around: Around, *, decimals: int = 2) -> str:
    """Who is best, and whether the next is told apart from it; equality is never claimed."""
    best, *others = lines
    name, mean = around.name(best.candidate_id), f"{best.mean:.{decimals}f}"
    tied = [line for line in others if set(line.letters) & set(best.letters)]
    if not others:
        return tr("{name} has {mean}.", name=name, mean=mean)
    if not tied:
        return tr("{name} is clearly best, with a mean of {mean}.", name=name, mean=mean)
    if len(tied) == len(others):
        return tr("{name} has the highest mean, {mean}; nobody is told apart from it.", name=name, mean=mean)
    names = ", ".join(around.name(line.candidate_id) for line in tied)
    return tr("{name} has the highest mean, {mean}; not told apart from {names}.", name=name, mean=mean, names=names)


def stated_comparisons(values: Sequence[Value], around: Around) -> str:
    """What the comparisons say that were named before: each candidate with the one, Holm over these alone. '' where
    none were named, or nobody has heard that one."""
    one = around.settings.stated_id
    candidates = list(dict.fromkeys(value[0] for value in values))
    if not one or one not in candidates:
        return ""
    others = [candidate for candidate in candidates if candidate != one]
    found = differences(crossed_table(values, [one, *others]))  # the first pairs are those with the first
    p = [1.0 if (known := found.p(k)) is None else known for k in range(len(others))]
    said = []
    for k, adjusted in enumerate(holm(p)):
        apart, name = -float(found.means[k]), around.name(others[k])
        told = tr(
            "{x} by {apart}, p {adjusted}",
            x=tr("better") if apart > 0 else tr("worse"),
            apart=f"{abs(apart):.2f}",
            adjusted=f"{max(adjusted, 0.001):.3f}",
        )
        said.append(f"{name} ({told})" if adjusted < ALPHA else tr("{name} (not told from it)", name=name))
    return tr("Compared with {name} alone, as was stated before: {said}.", name=around.name(one), said="; ".join(said))


def bars_of(lines: Sequence[Line], around: Around, *, decimals: int = 2) -> tuple[Bar, ...]:
    return tuple(
        Bar(
            name=around.name(line.candidate_id),
            value=line.mean,
            low=line.low,
            high=line.high,
            candidate_ids=(line.candidate_id,),
            note=line.letters,
            says=tr(
                "{mean}, 95 % from {low} to {high}, {values} answers of {listeners} listeners",
                mean=f"{line.mean:.{decimals}f}",
                low=f"{line.low:.{decimals}f}",
                high=f"{line.high:.{decimals}f}",
                values=len(line.values),
                listeners=line.listeners,
            ),
        )
        for line in lines
    )


def pairs_of_lines(lines: Sequence[Line], *, ordered: bool = True) -> tuple[Pair, ...]:
    """Told apart where no letter is shared."""
    return tuple(
        Pair(one.candidate_id, other.candidate_id, not set(one.letters) & set(other.letters),
             0 if not ordered or one.mean == other.mean else max(one, other, key=lambda of: of.mean).candidate_id)
        for one, other in combinations([line for line in lines if line.candidate_id > 0], 2)
    )  # fmt: skip


RULE: Final = tr(
    "95 % interval, for other listeners and other texts of the kind. Candidates that share a letter are not told apart "
    "(Holm over all pairs); that is not the same as equal."
)


def category_found(
    lines: Sequence[Line], around: Around, *, steps: Mapping[int, str], question: str, ordered: bool = True,
    controls: Collection[int] = (),
) -> Found:  # fmt: skip
    """Of a scale of labelled steps: mean, interval, letters, and the shares of answers at both ends. ordered: whether
    more is better; where the middle is best, nobody is called best. controls: who is rated so as to know what a known
    answer looks like; in no comparison."""
    low, high = min(steps), max(steps)
    # of five steps the upper and the lower two (ITU-T P.800: % good or better, % poor or worse)
    width = max(1, round((high - low + 1) * 0.4)) if high - low + 1 > 3 else 1
    top, bottom = high - width + 1, low + width - 1
    rows = tuple(
        (
            around.name(line.candidate_id),
            f"{line.mean:.2f}",
            tr("{low} to {high}", low=f"{line.low:.2f}", high=f"{line.high:.2f}"),
            line.letters,
            f"{np.median(line.values):g}",
            f"{100 * np.mean(line.values >= top):.0f} %",
            f"{100 * np.mean(line.values <= bottom):.0f} %",
            " · ".join(str(int(np.sum(np.rint(line.values) == step))) for step in range(low, high + 1))
            if high - low <= MOST_COUNTED
            else "",
            str(len(line.values)),
        )
        for line in lines
    )
    head = (
        tr("Candidate"),
        "mean",
        "95 %",
        "letters",
        "median",
        tr("{top} or above", top=top),
        tr("{bottom} or below", bottom=bottom),
        tr("answers {low} to {high}", low=low, high=high),
        tr("in all"),
    )
    judged = [line for line in lines if line.candidate_id not in controls]
    known = "".join(
        tr(" {name}: {mean}.", name=around.name(line.candidate_id), mean=f"{line.mean:.2f}")
        for line in lines if line.candidate_id in controls
    )  # fmt: skip
    says = (
        tr("Nobody but the controls was judged.")
        if not judged
        else best_sentence(judged, around)
        if ordered
        else _nearest_to_the_middle(judged, around, (low + high) / 2)
    )
    return Found(
        says=says + known,
        head=head,
        rows=rows,
        numbers=(1, 2, 4, 5, 6, 7, 8),
        rule=tr(
            "'{question}', from {low} ({steps}) to {high} ({steps2}). {rule}",
            question=tr(question),
            low=low,
            steps=tr(steps[low]),
            high=high,
            steps2=tr(steps[high]),
            rule=RULE,
        ),
        bars=bars_of(lines, around),
        axis=Axis(low=low, high=high, words=tr(question), step=1.0, even=None if ordered else (low + high) / 2),
        pairs=pairs_of_lines(judged, ordered=ordered),
    )


def _nearest_to_the_middle(lines: Sequence[Line], around: Around, middle: float) -> str:
    best = min(lines, key=lambda line: abs(line.mean - middle))
    return tr(
        "{name} lies nearest to the middle, with a mean of {mean}.",
        name=around.name(best.candidate_id),
        mean=f"{best.mean:.2f}",
    )

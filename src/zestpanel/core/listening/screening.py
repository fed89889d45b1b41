"""Which listeners' answers are in doubt, by rules that are shown: nobody is left out without a word, or for good.

ITU-R BS.1534-3 leaves out whoever places the hidden reference below 90 on more than 15 % of the items, or the mid
anchor above 90 on more than 15 %; that is done, and can be taken back. For the other kinds a listener is flagged, and
the lead decides: wrong answers to traps; clips of known quality rated otherwise than they are, or hidden repeats that
differ by more than a category, in more than a third of cases; scores that hardly go along with those of the others.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from zestpanel.core.domain.listening import Answered, Conduct
from zestpanel.core.listening.design import is_check
from zestpanel.core.listening.kind import Kind, Question
from zestpanel.core.listening.kinds.own_question import UNSURE
from zestpanel.core.listening.kinds.placing import KIND, PLACES, placed
from zestpanel.core.listening.registry import kind_of
from zestpanel.core.listening.settings import GOOD, TestSettings
from zestpanel.core.texts import tr

STEADY_WITHIN: Final = 1  # categories, or what a category is on the scale
UPSIDE_DOWN: Final = -0.4  # and below (common practice, no source)
LEAST_CORRELATION: Final = 0.2  # with the mean of the others (common practice, no source)
ALIKE_BELOW: Final = (
    0.35  # of the median correlation: below, most listeners would be flagged for nothing (by simulation)
)
FEWEST_CLIPS: Final = 8  # to say anything of a correlation


@dataclass(frozen=True, slots=True, kw_only=True)
class Flag:
    """out: left out by rule, unless the lead keeps the listener."""

    listener_id: int
    why: str
    out: bool = False


def flags(kind: str, answers: Sequence[Answered], settings: TestSettings) -> list[Flag]:
    """All of a test's flags, by listener. answers: all that stand, with traps and repeats."""
    by: dict[int, list[Answered]] = defaultdict(list)
    for one in answers:
        by[one.listener_id].append(one)
    alone, leaves_out = _alone(_by_listener(by)), kind_of(kind).leaves_out(by, settings)
    out: list[Flag] = []
    for listener, of in by.items():
        out += [Flag(listener_id=listener, why=why, out=True) for why in leaves_out.get(listener, ())]
        found = [_traps(of), _gold(of, kind_of(kind), settings), _repeats(of), alone.get(listener, "")]
        out += [Flag(listener_id=listener, why=why) for why in found if why]
    return out


Scores = Mapping[tuple[Any, ...], float]  # of single clips, by what was heard


def _by_listener(by: Mapping[int, Sequence[Answered]]) -> dict[int, Scores]:
    return {listener: _scores([a for a in of if not is_check(a.trial)]) for listener, of in by.items()}


def too_alike(answers: Sequence[Answered]) -> bool:
    """Whether most listeners go along so little with the others that the clips are too alike to tell by it who
    listened."""
    by: dict[int, list[Answered]] = defaultdict(list)
    for one in answers:
        by[one.listener_id].append(one)
    return _all_alike(_correlations(_by_listener(by)))


def left_out(found: Sequence[Flag], conduct: Conduct) -> frozenset[int]:
    """Listeners whose answers count in no result: by rule, less those the lead keeps; and those the lead left out."""
    return (frozenset(f.listener_id for f in found if f.out) - conduct.kept_in) | conduct.left_out


def _traps(of: Sequence[Answered]) -> str:
    traps = [one for one in of if "trap" in one.trial.detail]
    wrong = sum(one.trial.detail["trap"] not in one.answer.given.values() for one in traps)
    return (
        tr("did not press the key that was asked for in {wrong} of {traps} checks", wrong=wrong, traps=len(traps))
        if wrong
        else ""
    )


def _gold(of: Sequence[Answered], kind: Kind, settings: TestSettings) -> str:
    """Clips of known quality that were not answered as they are, where that is more than a third of them."""
    asked = [one for one in of if "gold" in one.trial.detail]
    wrong = 0
    for one in asked:
        question = kind.shown(one.trial, settings).questions[0]
        wrong += one.answer.given.get(question.name) not in known_answers(question, one.trial.detail["gold"])
    if 3 * wrong <= len(asked):
        return ""
    return tr("answered {wrong} of {asked} clips of known quality otherwise than they are", wrong=wrong,
              asked=len(asked))  # fmt: skip


def known_answers(question: Question, quality: str) -> set[int | str]:
    """What may be answered to a clip that is surely good or poor: the upper or the lower two of five steps, yes or no.
    Choices stand with the best first."""
    values = [choice.value for choice in question.choices if choice.value != UNSURE]
    width = max(1, round(0.4 * len(values)))
    return set(values[:width] if quality == GOOD else values[-width:])


def _clip_key(one: Answered) -> tuple[Any, ...]:
    """What was heard, in whatever order: a repeat of a pair may be the other way round."""
    return tuple(sorted((s.take_id or 0, s.candidate_id, s.passage_version_id, s.role) for s in one.trial.stimuli))


def _number(given: Mapping[str, Any]) -> float | None:
    """A single score, where the answer has one."""
    value = given.get("score")
    return float(value) if isinstance(value, int | float) else None


def _repeats(of: Sequence[Answered]) -> str:
    """How often a hidden repeat was answered otherwise: by more than a category, or, without numbers, differently."""
    first = {_clip_key(one): one for one in of if not one.trial.detail.get("repeat") and not one.trial.training}
    pairs = [(first[_clip_key(one)], one) for one in of
             if one.trial.detail.get("repeat") and _clip_key(one) in first]  # fmt: skip
    bad = sum(_differ(a, b) for a, b in pairs)
    if pairs and 3 * bad > len(pairs):
        return tr("answered {bad} of {pairs} hidden repeats otherwise than the first time", bad=bad, pairs=len(pairs))
    return ""


def _differ(first: Answered, again: Answered) -> bool:
    one, two = _number(first.answer.given), _number(again.answer.given)
    if one is not None and two is not None:
        return abs(one - two) > STEADY_WITHIN
    if PLACES in first.answer.given:
        before, now = dict(placed(first)), dict(placed(again))
        off = [abs(before[k] - now[k]) > KIND.category for k in before if k in now]
        return 3 * sum(off) > len(off)
    return dict(first.answer.given) != dict(again.answer.given)


def _scores(of: Sequence[Answered]) -> dict[tuple[Any, ...], float]:
    """Scores of single clips by what was heard."""
    out: dict[tuple[Any, ...], list[float]] = defaultdict(list)
    for one in of:
        if PLACES in one.answer.given:
            version = one.trial.stimuli[-1].passage_version_id
            for whose, place in placed(one):
                out[whose, version].append(place)
        elif (score := _number(one.answer.given)) is not None:
            clip = next((s for s in one.trial.stimuli if s.role == "judged"), None)
            pair = sum(s.role == "judged" for s in one.trial.stimuli) > 1
            if clip is not None and not pair:
                out[clip.candidate_id, clip.passage_version_id].append(score)
    return {key: float(np.mean(values)) for key, values in out.items()}


def _alone(scores: Mapping[int, Scores]) -> dict[int, str]:
    """By listener, what is said of one whose scores hardly go along with those of the others."""
    found = _correlations(scores)
    out = {listener: tr("gave the same answer to all of {pairs} clips", pairs=n) for listener, (r, n) in found.items()
           if r is None}  # fmt: skip
    if _all_alike(found):
        return out
    low = {listener: r for listener, (r, _) in found.items() if r is not None and r < LEAST_CORRELATION}
    return out | {listener: _goes_along(r) for listener, r in low.items()}


def _goes_along(r: float) -> str:
    """Whoever rates upside down heard something, and has the scale the wrong way round."""
    said = (
        tr("rates high where the others rate low (correlation {r}): the scale upside down?", r=f"{r:.2f}")
        if r <= UPSIDE_DOWN
        else tr("scores hardly go along with the others' (correlation {r})", r=f"{r:.2f}")
    )
    return said.replace("-", "−")


Point = tuple[float, float]


def beside_the_others(answers: Sequence[Answered]) -> dict[int, tuple[Point, ...]]:
    """By listener, of each clip that others rated too: (their mean, the listener's own)."""
    by: dict[int, list[Answered]] = defaultdict(list)
    for one in answers:
        by[one.listener_id].append(one)
    scores = _by_listener(by)
    return {listener: tuple(_pairs(listener, scores)) for listener in scores}


def _pairs(listener: int, scores: Mapping[int, Scores]) -> list[Point]:
    others = [of for who, of in scores.items() if who != listener]
    return [(float(np.mean([of[key] for of in others if key in of])), value)
            for key, value in scores[listener].items() if any(key in of for of in others)]  # fmt: skip


def _all_alike(found: Mapping[int, tuple[float | None, int]]) -> bool:
    known = [r for r, _ in found.values() if r is not None]
    return len(known) > 1 and float(np.median(known)) < ALIKE_BELOW


def _correlations(scores: Mapping[int, Scores]) -> dict[int, tuple[float | None, int]]:
    """By listener: the correlation with the mean of the others over the clips that both rated (leave one out), None
    for one who gave all the same answer, and over how many. Listeners with too few are left out."""
    out: dict[int, tuple[float | None, int]] = {}
    for listener in scores:
        pairs = _pairs(listener, scores)
        if len(pairs) < FEWEST_CLIPS or len(scores) < 3:
            continue
        theirs, mine = np.array(pairs, dtype=float).T
        if mine.std() < 1e-9:
            out[listener] = None, len(pairs)
        elif theirs.std() >= 1e-9:
            out[listener] = float(np.corrcoef(mine, theirs)[0, 1]), len(pairs)
    return out

"""Which trials a listener is given, in which order."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import combinations

import numpy as np

from zestpanel.core.domain.listening import PlannedTrial, Stimulus
from zestpanel.core.listening.orders import ordered
from zestpanel.core.listening.settings import TestSettings


def with_training(trials: Sequence[PlannedTrial], training: int, rng: np.random.Generator) -> list[PlannedTrial]:
    """Some of the trials first, unscored; they come again as scored ones."""
    count = min(training, len(trials))
    chosen = [trials[int(k)] for k in rng.permutation(len(trials))[:count]]
    return [*(replace(one, training=True) for one in chosen), *trials]


def one_at_a_time(
    able: Mapping[tuple[int, int], int], settings: TestSettings, *, listener: int, rng: np.random.Generator,
    training: int | None = None,
) -> list[PlannedTrial]:  # fmt: skip
    """One clip a trial, in the balanced order of ``ordered``; no more scored ones than the settings allow. Training
    trials come first, are drawn at random and are heard again as scored trials later."""
    cells = ordered(tuple(able), listener=listener, blocks=settings.blocks, most=settings.most)
    trials = [
        PlannedTrial(stimuli=(Stimulus(candidate_id=c, passage_version_id=p, take_id=able[c, p]),)) for c, p in cells
    ]
    if settings.context == "neighbours":
        trials = [between_neighbours(one, able) for one in trials]
    return [*_spread_over(trials, settings.training if training is None else training, rng), *trials]


def _spread_over(trials: Sequence[PlannedTrial], count: int, rng: np.random.Generator) -> list[PlannedTrial]:
    """Training clips by different candidates."""
    out: dict[int, PlannedTrial] = {}
    for index in rng.permutation(len(trials)) if count else ():
        trial = trials[int(index)]
        if len(out) < count:
            out.setdefault(trial.stimuli[judged_at(trial)].candidate_id, replace(trial, training=True))
    return list(out.values())


def pairs_of(candidates: Sequence[int], settings: TestSettings) -> list[tuple[int, int]]:
    """All pairs of the candidates, or those with the one that the others are compared with."""
    every = combinations(candidates, 2)
    return [pair for pair in every if not settings.stated_id or settings.stated_id in pair]


def pairs_in_both_orders(
    able: Mapping[tuple[int, int], int], settings: TestSettings, *, listener: int, rng: np.random.Generator
) -> list[PlannedTrial]:
    """Every pair that is compared on every passage, in random order; which comes first changes over from listener to
    listener, so that each stands first equally often. No more than the settings allow."""
    trials = []
    for number, passage in enumerate(dict.fromkeys(version for _, version in able)):
        here = [c for c in settings.candidate_ids if (c, passage) in able]
        for k, pair in enumerate(pairs_of(here, settings)):
            order = pair if (listener + k + number) % 2 == 0 else pair[::-1]
            trials.append(PlannedTrial(stimuli=tuple(
                Stimulus(candidate_id=c, passage_version_id=passage, take_id=able[c, passage]) for c in order
            )))  # fmt: skip
    drawn = [trials[k] for k in rng.permutation(len(trials))]
    return drawn[: settings.most] if settings.most else drawn


def spanning(
    trials: Sequence[PlannedTrial], means: Mapping[int, float], rng: np.random.Generator
) -> list[PlannedTrial]:
    """The training trials chosen anew so that they span the range, where something is known of it: the best and the
    worst first; of pairs, those that lie furthest apart. means: of earlier ratings, by candidate."""
    training = sum(one.training for one in trials)
    scored = [one for one in trials if not one.training]
    known = {k: [means[s.candidate_id] for s in one.stimuli if s.role == "judged" and s.candidate_id in means]
             for k, one in enumerate(scored)}  # fmt: skip
    if not training or len({value for values in known.values() for value in values}) < 2:
        return list(trials)
    order = [int(k) for k in rng.permutation(len(scored)) if known[int(k)]]
    if any(len(values) > 1 for values in known.values()):
        chosen = sorted(order, key=lambda k: min(known[k]) - max(known[k]))[:training]
    else:
        best_first = sorted(order, key=lambda k: -known[k][0])
        ends = [best_first[k // 2] if k % 2 == 0 else best_first[-1 - k // 2] for k in range(len(best_first))]
        chosen = ends[:training]
    return [*(replace(scored[k], training=True) for k in chosen), *scored]


def with_repeats(
    trials: Sequence[PlannedTrial], settings: TestSettings, rng: np.random.Generator
) -> list[PlannedTrial]:
    """Some of the scored trials once more, hidden among the others: how steadily a listener answers shows in them.

    A repeat stands in the second half, at least two trials behind the first time where there is room.
    """
    scored = [k for k, one in enumerate(trials) if not one.training]
    out = list(trials)
    early = scored[: max(1, len(scored) // 2)]
    for k in rng.permutation(len(early))[: min(settings.repeats, len(early))]:
        original = trials[early[int(k)]]
        first = min(len(out), early[int(k)] + 3 + (len(out) - len(trials)))
        at = int(rng.integers(max(first, len(trials) - len(scored) // 2), len(out) + 1)) if first < len(out) else first
        out.insert(at, replace(original, detail={**original.detail, "repeat": True}))
    return out


def beside_the_reference(
    able: Mapping[tuple[int, int], int], settings: TestSettings, *, listener: int, rng: np.random.Generator,
    held_out: bool = False,
) -> list[PlannedTrial]:  # fmt: skip
    """Every judged clip behind the reference's of the same text, in the balanced order of ``ordered``. held_out: the
    reference speaks another text where it has one. Passages that the reference has not spoken are left out. With
    controls the reference is judged, too, and a stranger where there is one."""
    person = settings.reference_id
    spoken = [version for candidate, version in able if candidate == person]
    heard = {one for one in settings.candidate_ids if one != person} | ({settings.stranger_id} - {0})
    if settings.controls and (len(spoken) > 1 or not held_out):
        heard.add(person)  # against himself: what no difference is rated
    judged = {
        key: take for key, take in able.items()
        if key[0] in heard and (key[1] in spoken or (held_out and spoken))
    }  # fmt: skip
    trials = []
    for one in one_at_a_time(judged, settings, listener=listener, rng=rng, training=0):
        (sample,) = one.stimuli
        version = sample.passage_version_id
        if held_out:
            others = [v for v in spoken if v != version] or spoken
            version = others[int(rng.integers(len(others)))]
        reference = Stimulus(candidate_id=person, passage_version_id=version, take_id=able[person, version],
                             role="reference")  # fmt: skip
        trials.append(PlannedTrial(stimuli=(reference, sample)))
    return trials


def with_traps(
    trials: Sequence[PlannedTrial], traps: Sequence[PlannedTrial], rng: np.random.Generator
) -> list[PlannedTrial]:
    """Trap trials at drawn places among the scored ones."""
    out = list(trials)
    training = sum(one.training for one in trials)
    for trap in traps:
        out.insert(int(rng.integers(training, len(out) + 1)), trap)
    return out


def between_neighbours(trial: PlannedTrial, able: Mapping[tuple[int, int], int]) -> PlannedTrial:
    """A single clip with the same candidate's clips of the passages before and after it, where there are such."""
    (clip,) = trial.stimuli
    order = list(dict.fromkeys(version for _, version in able))
    at = order.index(clip.passage_version_id)

    def beside(step: int) -> list[Stimulus]:
        version = order[at + step] if 0 <= at + step < len(order) else None
        take = able.get((clip.candidate_id, version)) if version is not None else None
        return [] if take is None or version is None else [
            Stimulus(candidate_id=clip.candidate_id, passage_version_id=version, take_id=take, role="context")
        ]  # fmt: skip

    return replace(trial, stimuli=(*beside(-1), clip, *beside(1)))


def each_text_once(
    able: Mapping[tuple[int, int], int], settings: TestSettings, *, listener: int, rng: np.random.Generator
) -> list[PlannedTrial]:
    """Every text once for a listener, who would know it the second time; which candidate reads it changes over."""
    chosen = set()
    for k, version in enumerate(dict.fromkeys(version for _, version in able)):
        here = [c for c in settings.candidate_ids if (c, version) in able]
        if here:
            chosen.add((here[(listener + k) % len(here)], version))
    heard = {(c, v): able[c, v] for c in settings.candidate_ids for _, v in able if (c, v) in chosen}
    return one_at_a_time(heard, settings, listener=listener, rng=rng, training=0)


def with_gold(
    trials: Sequence[PlannedTrial], able: Mapping[tuple[int, int], int], settings: TestSettings,
    rng: np.random.Generator,
) -> list[PlannedTrial]:  # fmt: skip
    """Clips of known quality at drawn places among the scored ones, good and poor in turn: whoever rates them the wrong
    way round does not listen, or has the scale upside down (ITU-T P.808, gold questions; from memory)."""
    out, training = list(trials), sum(one.training for one in trials)
    cells: list[list[tuple[int, int]]] = []
    for candidate in settings.gold_ids:
        of = [cell for cell in able if cell[0] == candidate]
        cells += [[of[int(k)] for k in rng.permutation(len(of))]] if of else []
    for k in range(settings.gold if trials and cells else 0):
        of = cells[k % len(cells)]
        cell = of[k // len(cells) % len(of)]
        clip = Stimulus(candidate_id=cell[0], passage_version_id=cell[1], take_id=able[cell], role="check")
        trial = PlannedTrial(stimuli=(clip,), detail={"gold": settings.gold_ids[cell[0]]})
        out.insert(int(rng.integers(training, len(out) + 1)), trial)
    return out


def judged(able: Mapping[tuple[int, int], int], settings: TestSettings) -> dict[tuple[int, int], int]:
    """Without the clips of known quality, about which nothing is to be found out."""
    return {cell: take for cell, take in able.items() if cell[0] not in settings.gold_ids}


def is_check(trial: PlannedTrial) -> bool:
    """Whether its answer tells of the listener and not of any candidate."""
    return "trap" in trial.detail or "gold" in trial.detail


def judged_at(trial: PlannedTrial) -> int:
    """Which of the trial's clips is judged, where one is."""
    return next(k for k, one in enumerate(trial.stimuli) if one.role == "judged")

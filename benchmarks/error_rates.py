"""How often a page would be wrong: simulated error rates of everything it promises, on panels whose truth is known.

Intervals at 95 % must cover in at least 95 of 100; candidates that are equal must be told apart in at most 5 of 100
panels; candidates that differ by the margin must be called equal in at most 5 of 100; and two runs of an engine that
did not change must show a change in at most 5 of 100 tables. With 400 panels a row, 5 % may come out as 7 % by chance.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from functools import cache
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq
from scipy.special import expit
from tests.core.test_faults import found_in
from tests.core.test_several_tests import answers_of
from tests.planted import FAULTS, many

from zestpanel.core.analysis.changes.comparing import Difference, difference_of, ratio_of
from zestpanel.core.analysis.statistics import drawn
from zestpanel.core.analysis.statistics.crossed import (
    ALPHA,
    USUAL_LEANINGS,
    compare_crossed,
    crossed_intervals,
    differences,
    draws_of,
    equality_crossed,
    joint_draws,
    smallest_difference_told,
)
from zestpanel.core.analysis.statistics.paired import Comparison, compare, holm
from zestpanel.core.analysis.statistics.preference import gap
from zestpanel.core.audio.clip import Clip, as_samples
from zestpanel.core.choice.ranking import Criterion, Evidence, firmness
from zestpanel.core.domain.take import Segment
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.listening.groups import differ_p
from zestpanel.core.listening.power import preference_told
from zestpanel.core.measures.words_heard import words_heard
from zestpanel.core.measures.words_told import words_told
from zestpanel.standins.timbre import Timbre, speak
from zestpanel.standins.voices import timbre_of

Rows = list[tuple[str, str, str]]
Noise = Callable[[tuple[int, ...]], NDArray[np.float64]]

PANELS: Final = 400
MARGIN: Final = 0.3
# candidates, listeners, passages, share of cells missing, and standard deviations: listeners, passages, candidates x
# listeners, candidates x passages, rest
SHAPES: Final = (
    (6, 24, 6, 0.0, (0.4, 0.3, 0.2, 0.3, 0.7)),
    (6, 10, 6, 0.0, (0.4, 0.3, 0.0, 0.0, 0.8)),
    (4, 5, 3, 0.0, (0.4, 0.3, 0.2, 0.3, 0.7)),
    (8, 12, 4, 0.0, (0.4, 0.3, 0.3, 0.0, 0.7)),
    (6, 24, 12, 0.3, (0.4, 0.3, 0.1, 0.3, 0.9)),
    (3, 10, 4, 0.2, (0.4, 0.3, 0.1, 0.5, 0.5)),
    (6, 40, 3, 0.0, (0.4, 0.3, 0.1, 0.3, 0.7)),
)


def _noises(rng: np.random.Generator) -> dict[str, Noise]:
    return {
        "normal": rng.standard_normal,
        "skewed": lambda size: rng.exponential(size=size) - 1.0,
        "heavy tails": lambda size: rng.standard_t(3, size=size) / np.sqrt(3.0),
    }


def panel(
    shape: tuple[int, int, int, float, tuple[float, ...]], noise: Noise, rng: np.random.Generator, *, whole: bool = True
) -> NDArray[np.float64]:
    """Ratings of equal candidates, shape (candidates, listeners, passages), in whole categories from 1 to 5."""
    count, people, texts, missing, (s_people, s_texts, s_cp, s_ct, s_rest) = shape
    x = 3.4 + s_people * noise((1, people, 1)) + s_texts * noise((1, 1, texts))
    x = x + s_cp * noise((count, people, 1)) + s_ct * noise((count, 1, texts)) + s_rest * noise((count, people, texts))
    x = np.clip(np.rint(x), 1, 5) if whole else x
    x[rng.random(x.shape) < missing] = np.nan
    return x


def _tells(found: Comparison) -> bool:
    return any(pair.adjusted_p is not None and pair.adjusted_p < ALPHA for pair in found.pairs)


def scores() -> Rows:
    out: Rows = []
    for shape in SHAPES:
        for name, noise in _noises(rng := np.random.default_rng(11)).items():
            covered = told = told_before = equal = rated = 0
            for k in range(PANELS):
                x = panel(shape, noise, rng)
                found = differences(x)
                told += _tells(compare_crossed(found, len(x), list(range(len(x)))))
                rated_by = np.maximum(1, (~np.isnan(x)).sum(axis=2))
                told_before += _tells(compare(np.nansum(x, axis=2) / rated_by))
                # the first candidate moved by the margin itself: equality would be wrong by a hair
                moved = panel(shape, noise, rng, whole=False)
                moved[0] += MARGIN
                tost = equality_crossed(differences(moved), 0, 1, margin=MARGIN)
                equal += tost is not None and tost.equal
                # coverage of the true mean of such panels, without the ends of the scale in the way
                free = panel(shape, noise, rng, whole=False)
                interval = crossed_intervals(free[:1], draws_of(free[:1], k), bounds=None)[0]
                covered += interval.low <= 3.4 <= interval.high
                rated += 1
            count, people, texts, missing, _ = shape
            what = f"{count} equal, {people} x {texts}, {missing:.0%} missing, {name}"
            figures = f"{told / rated:.1%} told, {equal / rated:.1%} equal, {covered / rated:.1%} in"
            out.append((what, figures, f"<= 5 %, <= 5 %, >= 95 %; texts fixed: {told_before / rated:.0%} told"))
    return out


def changes() -> Rows:
    """Seven candidates, four waits and sound measures as ratios and words wrong, nothing changed between the runs."""
    out: Rows = []
    for pairs in (10, 30, 60, 120, 200):
        for name, draw in _waits(rng := np.random.default_rng(5)).items():
            alarms = 0
            for _ in range(PANELS):
                found: list[Difference] = []
                for _ in range(7):
                    for measure in ("first_sound_s", "last_byte_s", "speaking_rate", "pitch_hz"):
                        found.append(ratio_of(measure, draw(pairs), draw(pairs)))
                    wrong = rng.binomial(12, 0.1, (2, pairs)) / 12 * 100
                    found.append(difference_of("words_wrong", wrong[1] - wrong[0]))
                adjusted = holm([one.p for one in found])
                pairs_of = zip(adjusted, found, strict=True)
                alarms += any(q < ALPHA and abs(one.mean) > one.yardstick.allowance for q, one in pairs_of)
            out.append((f"nothing changed, {pairs} pairs, {name}", f"{alarms / PANELS:.1%} of tables", "<= 5 %"))
    return out


def _waits(rng: np.random.Generator) -> dict[str, Callable[[int], NDArray[np.float64]]]:
    return {
        "lognormal": lambda n: np.exp(rng.normal(0, 0.9, n)),
        "Pareto 1.5": lambda n: 1 + rng.pareto(1.5, n),
        "exponential": lambda n: 0.05 + rng.exponential(1, n),
    }


KIND_SHAPES: Final = tuple((people, texts) for people in (6, 12, 24) for texts in (3, 6, 12))
SPREADS: Final = ((0.5, 0.5), (0.0, 0.0), (0.8, 0.3))  # of listeners, of texts, on the scale of log odds


def kinds() -> Rows:
    """Shares, comparison ratings, preferences (a fifth ties) and words wrong, listeners and texts differing."""
    out: Rows = []
    for people, texts in KIND_SHAPES:
        listener, passage = np.repeat(np.arange(people), texts), np.tile(np.arange(texts), people)
        for of_people, of_texts in SPREADS:
            rng = np.random.default_rng(people * texts)
            n, level = people * texts, _mean_share(1.0, of_people, of_texts)
            held = told = compared = preferred = understood = 0
            for _ in range(PANELS):
                lean = (
                    of_people * rng.standard_normal(people)[listener] + of_texts * rng.standard_normal(texts)[passage]
                )
                interval = drawn.share(rng.random(n) < expit(1 + lean), listener, passage)
                held += interval.low <= level <= interval.high
                told += drawn.share_p(rng.random(n) < expit(lean), listener, passage) < ALPHA
                rated = np.clip(np.rint(0.6 * lean + 0.8 * rng.standard_normal(n)), -3, 3)
                compared += drawn.mean(rated, listener, passage, step=1.0)[1] < ALPHA
                first = np.where(rng.random(n) < 0.2, 0, np.where(rng.random(n) < expit(lean), 1, -1))
                votes = [(0, 1, int(one)) for one in first]
                with suppress(NotEnoughData):
                    preferred += gap(votes, listener.tolist(), passage.tolist(), 2, 0, 1).p < ALPHA
                words = rng.integers(8, 16, n)
                wrong = drawn.ratio(rng.binomial(words, expit(-2 + lean)), words, listener, passage)
                understood += wrong.low <= _mean_share(-2.0, of_people, of_texts) <= wrong.high
            rates = (held, told, compared, preferred, understood)
            a, b, c, d, e = (f"{one / PANELS:.1%}" for one in rates)
            what = f"{people} x {texts}, spreads {of_people} and {of_texts}"
            out.append(
                (what, f"share in {a}, told {b}; CCR told {c}; preferred {d}; words in {e}", "93-98 %, <= 5.5 %")
            )
    return out


@cache
def _mean_share(odds: float, of_people: float, of_texts: float) -> float:
    """Of other listeners and texts."""
    spread = float(np.hypot(of_people, of_texts))
    return float(expit(odds + spread * np.random.default_rng(0).standard_normal(200_000)).mean())


def _odds_of(share: float, spread: float) -> float:
    """The log odds whose mean share over listeners and texts is this one."""
    return float(brentq(lambda x: _mean_share(float(x), spread, spread) - share, -1, 8))


def planned() -> Rows:
    """What is told beforehand as shown 8 times in 10, simulated with the very tests."""
    out: Rows = []
    of_people, of_texts, of_rest = USUAL_LEANINGS
    for count, people, texts in ((2, 6, 6), (2, 24, 6), (2, 12, 12), (6, 12, 6), (6, 24, 6), (6, 24, 3)):
        rng = np.random.default_rng(count * people * texts)
        told = smallest_difference_told(people, texts, count * (count - 1) // 2) or 0.0
        seen = 0
        for _ in range(PANELS):
            x = panel((count, people, texts, 0.0, (0.4, 0.3, of_people, of_texts, of_rest)), rng.standard_normal, rng,
                      whole=False)  # fmt: skip
            x[0], x[1] = x[0] + told / 2, x[1] - told / 2
            pairs = compare_crossed(differences(np.clip(np.rint(x), 1, 5)), count, list(range(count))).pairs
            first = next(one for one in pairs if {one.first, one.second} == {0, 1})
            seen += first.adjusted_p is not None and first.adjusted_p < ALPHA
        out.append((f"{count} candidates, {people} x {texts}, {told:.2f} apart", f"{seen / PANELS:.0%} told", "80 %"))
    for people, texts in ((12, 6), (24, 6), (12, 12)):
        rng, spread = np.random.default_rng(people), 0.48  # on log odds: answers are as alike as is usual
        share_told = (preference_told(people, texts, 1) or (1.0, 0))[0]
        odds = _odds_of(share_told, spread)
        listener, passage = np.repeat(np.arange(people), texts), np.tile(np.arange(texts), people)
        seen = 0
        for _ in range(PANELS):
            lean = odds + spread * (rng.standard_normal(people)[listener] + rng.standard_normal(texts)[passage])
            seen += drawn.share_p(rng.random(people * texts) < expit(lean), listener, passage) < ALPHA
        out.append((f"preference of {share_told:.0%}, {people} x {texts}", f"{seen / PANELS:.0%} told", "80 %"))
    return out


def groups() -> Rows:
    """Groups of listeners whose tastes do not differ, and such of which one likes a candidate more."""
    out: Rows = []
    for apart, panels, goal in ((0.0, PANELS // 2, "<= 5 %"), (1.0, PANELS // 10, "most")):
        rng = np.random.default_rng(3)
        found = [differ_p(answers_of(rng, apart=apart)) for _ in range(panels)]
        told = np.mean([p is not None and p < ALPHA for p in found])
        out.append((f"two groups of 8, {apart:g} categories apart on one of 5", f"{told:.1%} told", goal))
    return out


def chances() -> Rows:
    """Of what is said to be first in so many of 100 draws, how often it is: neighbours lie 0.1 to 0.7 apart."""
    said: list[tuple[float, bool]] = []
    one = [Criterion(name="quality", worst=1, best=5, weight=1)]
    for seed in range(4 * PANELS):
        rng = np.random.default_rng(seed)
        count, (people, texts) = int(rng.integers(2, 7)), ((12, 6), (6, 3), (24, 8), (12, 3))[seed % 4]
        gaps = rng.uniform(0.1, 0.7) * rng.uniform(0.5, 1.5, count - 1)
        order = rng.permutation(count)
        x = panel((count, people, texts, 0.0, (0.4, 0.3, 0.3, 0.25, 0.6)), rng.standard_normal, rng, whole=False)
        means = np.maximum(3.9 - np.concatenate([[0.0], np.cumsum(gaps)]), 1.5)[order]
        table = np.clip(np.rint(x + (means - 3.4)[:, None, None]), 1, 5)
        drawn_means = joint_draws(table, draws_of(table, 1), np.random.default_rng(2), (1.0, 5.0))
        found = firmness(one, [Evidence(candidate_id=k, values={"quality": 0.0}, draws={"quality": drawn_means[k]})
                               for k in range(count)], rng, draws=2_000)  # fmt: skip
        said += [(chance, bool(order[k] == 0)) for k, (chance, _) in found.items()]
    out = []
    for low, high in ((0.0, 0.2), (0.2, 0.4), (0.4, 0.6), (0.6, 0.8), (0.8, 1.01)):
        of = [(chance, right) for chance, right in said if low <= chance < high]
        mean, right = np.mean([c for c, _ in of]), np.mean([r for _, r in of])
        out.append((f"first place, said {mean:.0%} ({len(of)} times)", f"right {right:.0%}", "as often as said"))
    return out


def alarms() -> Rows:
    """Clean speech of ten voices, five rates and four noise floors, held against the whole list of detectors; and each
    fault planted into every fifth of them."""
    clips = list(many(200))
    wrong = sum(bool(found_in(clip)) for clip in clips)
    out: Rows = [("200 clean clips", f"any alarm in {wrong / len(clips):.1%}", "<= 5 %")]
    for name, plant in FAULTS.items():
        hits = 0
        for clip in clips[::5]:
            samples, at = plant(clip)
            of = found_in(Clip(samples=as_samples(samples), rate_hz=clip.rate_hz))
            hits += any(one.kind == name and one.start_s - 0.35 <= at <= one.end_s + 0.35 for one in of)
        out.append((name, f"found in {hits / len(clips[::5]):.0%}", ">= 80 %"))
    return out


def altered() -> Rows:
    """Words left out, said otherwise and said twice in what voices that the recogniser hears well read."""
    out: Rows = []
    all_told: list[bool] = []
    for voice in HEARD_WELL:
        timbre = timbre_of(voice)
        assert timbre is not None
        hits: dict[str, list[bool]] = {"left out": [], "otherwise": [], "twice": []}
        false = words = 0
        for text in READ:
            read = text.split()
            false, words = false + len(_told(text, text, timbre)), words + len(read)
            for k in (3, 6, 8):
                other = OTHERWISE[(k + len(read)) % len(OTHERWISE)]
                for kind, said in (("left out", read[:k] + read[k + 2 :]), ("twice", read[:k] + read[k - 3 :]),
                                   ("otherwise", [*read[:k], other, *read[k + 1 :]])):  # fmt: skip
                    found = _told(text, " ".join(said), timbre)
                    hits[kind].append(any(abs(one.size - k) <= 3 for one in found))
        every = [hit for of in hits.values() for hit in of]
        told = ", ".join(f"{kind} {np.mean(of):.0%}" for kind, of in hits.items())
        all_told += every
        out += [(f"words changed, {voice}: {told}", f"found in {np.mean(every):.0%}", ""),
                (f"  of {words} words that are read as written", f"{false / words:.1%} told", "<= 5 %")]  # fmt: skip
    return [*out, ("words changed, all voices that are heard well", f"found in {np.mean(all_told):.0%}", ">= 90 %")]


def _told(text: str, said: str, timbre: Timbre) -> tuple[Segment, ...]:
    heard = words_heard(speak(said, timbre)[0], text, "en-GB")
    assert not isinstance(heard, str)
    return words_told(heard.pairs, text, "en-GB", (), 5.0)


READ: Final = (
    "Nobody knew it would stay so late, and the whole crop was lost, apples and pears alike.",
    "The old gardener closed the gate behind him and walked slowly down to the river.",
    "Every autumn the wind carries the smell of apples over the hill and into the town.",
    "She counted the baskets twice before the rain began to fall upon the valley.",
    "In the first week of spring they wrapped the young trees against the frost.",
)  # fmt: skip
OTHERWISE: Final = ("window", "paper", "yellow", "mountain", "question", "seven")
HEARD_WELL: Final = ("brindal", "ilseth")

ROWS: Final = [
    ("planned power", planned), ("error rates of scores", scores), ("error rates of kinds", kinds),
    ("error rates of changes", changes), ("error rates of groups", groups), ("false alarms of faults", alarms),
    ("words changed on purpose", altered),
    ("chances of first place", chances),
]  # fmt: skip

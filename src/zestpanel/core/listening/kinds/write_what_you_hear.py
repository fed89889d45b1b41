"""Write what you hear: do people understand it? The text is not shown; words wrong are counted."""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from zestpanel.core.analysis.statistics.intervals import wilson_interval
from zestpanel.core.analysis.statistics.tails import special, t_quantile
from zestpanel.core.domain.listening import Answered, PlannedTrial
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.listening.design import one_at_a_time
from zestpanel.core.listening.kind import Able, Around, Axis, Bar, Found, Heard, Option, Question, Shown
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.measures.readings.text import places
from zestpanel.core.measures.word_errors import errors_of
from zestpanel.core.texts import asked, tr

_MOST_NAMED: Final = 5
_FEWEST: Final = 3  # listeners, for an interval


class WriteWhatYouHear:
    name = "dictation"
    title = tr("write what you hear")
    asks = tr("Do people understand it?")
    fewest_candidates = 1
    uses: frozenset[Option] = frozenset()

    def design(
        self, able: Able, settings: TestSettings, *, listener: int, rng: np.random.Generator
    ) -> list[PlannedTrial]:
        """Every text once for a listener, who would know it the second time; which candidate reads it changes over."""
        passages = list(dict.fromkeys(version for _, version in able))
        chosen: dict[tuple[int, int], int] = {}
        for k, version in enumerate(passages):
            here = [c for c in settings.candidate_ids if (c, version) in able]
            candidate = here[(listener + k) % len(here)]
            chosen[candidate, version] = able[candidate, version]
        return one_at_a_time(chosen, settings, listener=listener, rng=rng, training=0)

    def shown(self, trial: PlannedTrial, settings: TestSettings) -> Shown:
        question = Question("text", asked("Write down what was said"))
        return Shown(lanes=(Heard("", (0,)),), questions=(question,), must_hear=settings.must_hear, shows_text=False)

    def found(self, answers: Sequence[Answered], around: Around) -> Found:
        """Words missing, added and replaced over the words of the texts, all of a candidate's together."""
        wrong: Counter[int] = Counter()
        words: Counter[int] = Counter()
        heard: Counter[int] = Counter()
        by_listener: dict[int, dict[int, list[int]]] = defaultdict(lambda: defaultdict(lambda: [0, 0]))
        missed: dict[int, Counter[str]] = defaultdict(Counter)
        for one in answers:
            clip = one.trial.stimuli[0]
            text, language = around.texts.get(clip.passage_version_id, ("", ""))
            script = places(text, language)
            if not any(any(place.readings) for place in script):
                continue
            errors = errors_of(script, places(str(one.answer.given["text"]), language))
            missed_here = errors.missing + errors.added + errors.replaced
            wrong[clip.candidate_id] += missed_here
            counts = by_listener[clip.candidate_id][one.listener_id]
            counts[0], counts[1] = counts[0] + missed_here, counts[1] + errors.words
            words[clip.candidate_id] += errors.words
            heard[clip.candidate_id] += 1
            missed[clip.candidate_id].update(
                place.written for place, right in zip(script, errors.right, strict=False) if not right
            )
        if not words:
            raise NotEnoughData(tr("Nobody has answered yet."))
        order = sorted(words, key=lambda c: wrong[c] / words[c])
        ends = {c: interval_of_words(np.array(list(by_listener[c].values()))) for c in order}
        rows = tuple(
            (around.name(c), f"{100 * wrong[c] / words[c]:.1f} %", _words(ends[c]), str(words[c]), str(heard[c]),
             ", ".join(word for word, _ in missed[c].most_common(_MOST_NAMED)))
            for c in order
        )  # fmt: skip
        return Found(
            says=tr("{rows} is understood best: {rows2} of the words wrong.", rows=rows[0][0], rows2=rows[0][1]),
            head=(tr("Candidate"), tr("words wrong"), "95 %", "words", "answers", tr("missed most")),
            rows=rows,
            rule=tr(
                "(missing + added + replaced) over the words of the texts, figures in any right reading; every "
                "listener hears a text once. 95 %: over listeners, for these texts; none below three."
            ),
            numbers=(1, 2, 3, 4),
            bars=tuple(
                Bar(
                    name=around.name(c),
                    value=100 * wrong[c] / words[c],
                    candidate_ids=(c,),
                    low=None if (end := ends[c]) is None else end[0],
                    high=None if end is None else end[1],
                    says=tr(
                        "{wrong} of {words} words wrong, {heard} answers",
                        wrong=wrong[c],
                        words=words[c],
                        heard=heard[c],
                    ),
                )
                for c in order
            ),
            axis=Axis(
                low=0,
                high=max(
                    20.0,
                    *(100 * wrong[c] / words[c] for c in order),
                    *(end[1] for end in ends.values() if end is not None),
                ),
                words=tr("words wrong (%), less is better"),
            ),
        )


KIND: Final = WriteWhatYouHear()


def interval_of_words(counts: NDArray[np.int_]) -> tuple[float, float] | None:
    """95 % of the share of words wrong (%), for other listeners of the same texts; counts: (listeners, 2), wrong and
    all words; None for fewer than three listeners.

    A ratio's variance over listeners (Cochran 1977, Sampling Techniques, 6.4), with Student's t on the scale of log
    odds: percentiles of resampled listeners hold the true share in 84 to 93 of 100 panels of 6 to 24 listeners only.
    Where listeners do not differ at all, and where nobody missed a word, each word stands alone (Wilson).
    """
    listeners = len(counts)
    if listeners < _FEWEST:
        return None
    wrong, words = counts[:, 0].astype(np.float64), counts[:, 1].astype(np.float64)
    share = float(wrong.sum() / words.sum())
    squares = float(((wrong - share * words) ** 2).sum())
    error = math.sqrt(listeners / (listeners - 1) * squares) / float(words.sum())
    reach = t_quantile(0.975, listeners - 1) * error
    if not error and share <= 1:
        alone = wilson_interval(round(wrong.sum()), round(words.sum()))
        return 100 * alone.low, 100 * alone.high
    if share >= 1:  # words that were added count, too
        return 100 * max(0.0, share - reach), 100 * (share + reach)
    odds, reach = math.log(share / (1 - share)), reach / (share * (1 - share))
    expit = special().expit
    return 100 * float(expit(odds - reach)), 100 * float(expit(odds + reach))


def _words(ends: tuple[float, float] | None) -> str:
    return (
        tr("too few listeners")
        if ends is None
        else tr("{ends} to {ends2} %", ends=f"{ends[0]:.1f}", ends2=f"{ends[1]:.1f}")
    )

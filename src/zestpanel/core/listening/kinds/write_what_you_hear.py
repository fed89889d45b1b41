"""Write what you hear: do people understand it? The text is not shown; words wrong are counted."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence
from typing import Final

import numpy as np

from zestpanel.core.analysis.statistics.drawn import effect, ratio
from zestpanel.core.domain.listening import Answered, PlannedTrial
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.listening.design import each_text_once
from zestpanel.core.listening.kind import (
    Able,
    Around,
    Axis,
    Bar,
    Common,
    Feeds,
    Found,
    Heard,
    Option,
    Question,
    Shown,
)
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.measures.readings.text import places
from zestpanel.core.measures.word_errors import errors_of
from zestpanel.core.texts import asked, tr

_MOST_NAMED: Final = 5
_FEWEST: Final = 3  # listeners, for an interval
ALPHA: Final = 0.05


class WriteWhatYouHear(Common):
    name = "dictation"
    title = tr("write what you hear")
    asks = tr("Do people understand it?")
    fewest_candidates = 1
    uses: frozenset[Option] = frozenset()
    feeds = Feeds(words=tr("words misheard by people"), better="lower", worst=20, best=0, unit=" %")

    def design(
        self, able: Able, settings: TestSettings, *, listener: int, rng: np.random.Generator
    ) -> list[PlannedTrial]:
        return each_text_once(able, settings, listener=listener, rng=rng)

    def shown(self, trial: PlannedTrial, settings: TestSettings) -> Shown:
        question = Question("text", asked("Write down what was said"))
        return Shown(lanes=(Heard("", (0,)),), questions=(question,), must_hear=settings.must_hear, shows_text=False)

    def found(self, answers: Sequence[Answered], around: Around) -> Found:
        """Words missing, added and replaced over the words of the texts, all of a candidate's together."""
        wrong: Counter[int] = Counter()
        words: Counter[int] = Counter()
        heard: Counter[int] = Counter()
        given: dict[int, Given] = defaultdict(list)
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
            given[clip.candidate_id].append((missed_here, errors.words, one.listener_id, clip.passage_version_id))
            words[clip.candidate_id] += errors.words
            heard[clip.candidate_id] += 1
            missed[clip.candidate_id].update(
                place.written for place, right in zip(script, errors.right, strict=False) if not right
            )
        if not words:
            raise NotEnoughData(tr("Nobody has answered yet."))
        order = sorted(words, key=lambda c: wrong[c] / words[c])
        ends = {c: interval_of_words(given[c]) for c in order}
        rows = tuple(
            (around.name(c), f"{100 * wrong[c] / words[c]:.1f} %", _words(ends[c]), str(words[c]), str(heard[c]),
             ", ".join(word for word, _ in missed[c].most_common(_MOST_NAMED)))
            for c in order
        )  # fmt: skip
        return Found(
            says=_says([given[c] for c in order], rows),
            head=(tr("Candidate"), tr("words wrong"), "95 %", "words", "answers", tr("missed most")),
            rows=rows,
            rule=tr(
                "(missing + added + replaced) over the words of the texts, figures in any right reading; every "
                "listener hears a text once. 95 %: other listeners and other texts drawn; none below three listeners."
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


Given = list[tuple[int, int, int, int]]  # words wrong, words, listener, passage of each answer


def interval_of_words(given: Given) -> tuple[float, float] | None:
    """95 % of the share of words wrong (%), for other listeners and other texts; None for fewer than three
    listeners."""
    if len({listener for _, _, listener, _ in given}) < _FEWEST:
        return None
    found = ratio(*zip(*given, strict=True))
    return 100 * found.low, 100 * found.high


def fewer_wrong(first: Given, then: Given) -> bool:
    """Whether it is shown that the first has a smaller share of words wrong: the difference of the shares, each with
    the design effect of its own."""
    both = [*first, *then]
    sums = [(sum(w for w, *_ in of), sum(n for _, n, *_ in of)) for of in (first, then)]
    (wrong_a, words_a), (wrong_b, words_b) = sums
    a, b = wrong_a / words_a, wrong_b / words_b
    z = [-(w - a * n) / words_a for w, n, *_ in first] + [(w - b * n) / words_b for w, n, *_ in then]
    pooled = min(1 - 1e-6, max(0.5, wrong_a + wrong_b) / (words_a + words_b))
    independent = pooled * (1 - pooled) * (1 / words_a + 1 / words_b)
    sizes = [one[1] for one in both]
    known = effect(z, independent, [one[2] for one in both], [one[3] for one in both], sizes=sizes)
    return a < b and known.listeners >= _FEWEST and known.p((b - a) ** 2 / independent) < ALPHA


def _says(given: Sequence[Given], rows: Sequence[tuple[str, ...]]) -> str:
    """Who is understood best, where that is shown against the next."""
    first = tr("{rows}: {rows2} of the words wrong", rows=rows[0][0], rows2=rows[0][1])
    if len(rows) == 1:
        return first + "."
    next_one = tr("{rows}: {rows2}", rows=rows[1][0], rows2=rows[1][1])
    if fewer_wrong(given[0], given[1]):
        return tr("{first}; it is understood better than the next, {next_one}.", first=first, next_one=next_one)
    return tr("{first}, not told apart from the next, {next_one}.", first=first, next_one=next_one)


def _words(ends: tuple[float, float] | None) -> str:
    return (
        tr("too few listeners")
        if ends is None
        else tr("{ends} to {ends2} %", ends=f"{ends[0]:.1f}", ends2=f"{ends[1]:.1f}")
    )

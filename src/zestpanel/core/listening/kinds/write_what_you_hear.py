"""Write what you hear: do people understand it? The text is not shown; words wrong are counted."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence
from typing import Final

import numpy as np

from zestpanel.core.domain.listening import Answered, PlannedTrial
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.listening.design import one_at_a_time
from zestpanel.core.listening.kind import Able, Around, Found, Question, Shown
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.measures.readings.text import places
from zestpanel.core.measures.word_errors import errors_of

_MOST_NAMED: Final = 5


class WriteWhatYouHear:
    name = "dictation"
    title = "write what you hear"
    asks = "Do people understand it?"
    fewest_candidates = 1

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
        question = Question("text", "Write down what was said", ())
        return Shown(clips=(("", 0),), question=question, must_hear=settings.must_hear, shows_text=False)

    def found(self, answers: Sequence[Answered], around: Around) -> Found:
        """Words missing, added and replaced over the words of the texts, all of a candidate's together."""
        wrong: Counter[int] = Counter()
        words: Counter[int] = Counter()
        heard: Counter[int] = Counter()
        missed: dict[int, Counter[str]] = defaultdict(Counter)
        for one in answers:
            clip = one.trial.stimuli[0]
            text, language = around.texts.get(clip.passage_version_id, ("", ""))
            script = places(text, language)
            if not any(any(place.readings) for place in script):
                continue
            errors = errors_of(script, places(str(one.answer.given["text"]), language))
            wrong[clip.candidate_id] += errors.missing + errors.added + errors.replaced
            words[clip.candidate_id] += errors.words
            heard[clip.candidate_id] += 1
            missed[clip.candidate_id].update(
                place.written for place, right in zip(script, errors.right, strict=False) if not right
            )
        if not words:
            raise NotEnoughData("Nobody has answered yet.")
        order = sorted(words, key=lambda c: wrong[c] / words[c])
        rows = tuple(
            (around.name(c), f"{100 * wrong[c] / words[c]:.1f} %", str(words[c]), str(heard[c]),
             ", ".join(word for word, _ in missed[c].most_common(_MOST_NAMED)))
            for c in order
        )  # fmt: skip
        return Found(
            says=f"{rows[0][0]} is understood best: {rows[0][1]} of the words wrong.",
            head=("Candidate", "words wrong", "words", "answers", "missed most"),
            rows=rows,
            rule="(missing + added + replaced) over the words of the texts, figures in any right reading; every "
            "listener hears a text once.",
            numbers=(1, 2, 3),
        )  # fmt: skip


KIND: Final = WriteWhatYouHear()

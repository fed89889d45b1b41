"""Rating scales: what is asked, and the words of each step. To add one, add an entry.

Wordings: listening quality and listening effort after ITU-T P.800 (Annex B), degradation after its Annex D; the set for
synthetic speech after ITU-T P.85 (from memory of the recommendation); the others are common practice in tests of
synthetic speech, no source.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from zestpanel.core.listening.kind import Choice, Question
from zestpanel.core.listening.settings import TestSettings

OWN: Final = "own"  # a scale of the lead's own, kept in the test's settings
FEWEST_STEPS, MOST_STEPS = 2, 11
_LETTERS: Final = "abcdefghijk"


@dataclass(frozen=True, slots=True, kw_only=True)
class Scale:
    """steps: words by score, the best first. about: what it tells, as the lead would ask. short: a name for lists.

    ordered: more is better; off where the middle is best.
    """

    question: str
    steps: Mapping[int, str]
    about: str
    short: str = ""
    ordered: bool = True

    @property
    def low(self) -> int:
        return min(self.steps)

    @property
    def high(self) -> int:
        return max(self.steps)

    def asked(self, name: str, *, by_letters: bool = False) -> Question:
        """As a question whose answer is kept under this name. Keys are the scores; letters where digits are taken by
        clips, and where a score has two digits."""
        letters = by_letters or self.high > 9
        return Question(name, self.question, tuple(
            Choice(score, words, _LETTERS[k] if letters else str(score))
            for k, (score, words) in enumerate(self.steps.items())
        ))  # fmt: skip


def _five(*words: str) -> dict[int, str]:
    return dict(zip((5, 4, 3, 2, 1), words, strict=True))


SCALES: Final[dict[str, Scale]] = {
    "ACR": Scale(
        question="How good does this narration sound?",
        steps=_five("Excellent", "Good", "Fair", "Poor", "Bad"),
        about="How good is each?",
        short="listening quality",
    ),
    "naturalness": Scale(
        question="How natural does this narration sound?",
        steps=_five("Completely natural", "Mostly natural", "Equally natural and unnatural", "Mostly unnatural",
                    "Completely unnatural"),
        about="How natural is each?",
        short="naturalness",
    ),
    "effort": Scale(
        question="How much effort did it take to understand?",
        steps=_five("No effort", "Attention, but no real effort", "Moderate effort", "Considerable effort",
                    "Not understood with any effort"),
        about="How easily is each understood?",
        short="listening effort",
    ),
    "pleasantness": Scale(
        question="How pleasant is this voice?",
        steps=_five("Very pleasant", "Pleasant", "Fair", "Unpleasant", "Very unpleasant"),
        about="How pleasant is each voice?",
        short="pleasantness",
    ),
    "overall": Scale(
        question="How do you rate the quality of the sound of what you have just heard?",
        steps=_five("Excellent", "Good", "Fair", "Poor", "Bad"),
        about="What is the overall impression of each?",
        short="overall impression",
    ),
    "comprehension": Scale(
        question="Did you find certain words hard to understand?",
        steps=_five("Never", "Rarely", "Occasionally", "Often", "All of the time"),
        about="Are words hard to understand?",
        short="comprehension problems",
    ),
    "articulation": Scale(
        question="Were the sounds distinguishable?",
        steps=_five("Yes, very clear", "Yes, clear enough", "Fairly clear", "No, not very clear", "No, not at all"),
        about="How clear are the sounds?",
        short="articulation",
    ),
    "pronunciation": Scale(
        question="Did you notice any anomalies in pronunciation?",
        steps=_five("No", "Yes, but not annoying", "Yes, slightly annoying", "Yes, annoying", "Yes, very annoying"),
        about="Is the pronunciation right?",
        short="pronunciation",
    ),
    "speed": Scale(
        question="The average speed of delivery was:",
        steps=_five("Much faster than preferred", "Faster than preferred", "Preferred", "Slower than preferred",
                    "Much slower than preferred"),
        about="Is the pace right?",
        short="speaking rate",
        ordered=False,
    ),
    "acceptance": Scale(
        question="Could this voice narrate the channel?",
        steps={2: "Yes", 1: "No"},
        about="Would each be accepted?",
        short="acceptance",
    ),
}  # fmt: skip

# asked together of one clip: the set for the voices of synthetic speech (ITU-T P.85)
SYNTHETIC_SPEECH: Final = (
    "overall", "effort", "comprehension", "articulation", "pronunciation", "speed", "pleasantness", "acceptance",
)  # fmt: skip

# not for single clips: asked by the kinds that compare with a reference
DEGRADATION: Final = Scale(
    question="Compared with the reference, the sample is worse:",
    steps=_five("Inaudibly", "Audibly, but not annoyingly", "Slightly annoyingly", "Annoyingly", "Very annoyingly"),
    about="Is it worse than this recording?",
)
LIKENESS: Final = Scale(
    question="How much alike are the two speakers?",
    steps=_five("Exactly alike", "Very much alike", "Somewhat alike", "Little alike", "Not alike at all"),
    about="Does it sound like the person?",
)
MATCH: Final = Scale(
    question="How well does the middle part fit with what stands before and after it?",
    steps=_five("Perfectly", "Well", "Fairly", "Poorly", "Not at all"),
    about="Does a new line fit between recorded ones?",
)


def scale_of(settings: TestSettings, name: str = "") -> Scale:
    """The scale of that name, else the test's first; the lead's own is read from the settings."""
    wanted = name or settings.scale
    if wanted != OWN:
        return SCALES[wanted]
    steps = dict(zip(range(len(settings.steps), 0, -1), settings.steps, strict=True))
    return Scale(question=settings.question, steps=steps, about=settings.question, short="a scale of your own")


def wrong_with_steps(steps: tuple[str, ...]) -> str:
    """What keeps these from being the steps of a scale, '' for nothing."""
    if not FEWEST_STEPS <= len(steps) <= MOST_STEPS:
        return f"A scale has {FEWEST_STEPS} to {MOST_STEPS} steps, the best first."
    return "Two steps of the scale have the same words." if len(set(steps)) < len(steps) else ""

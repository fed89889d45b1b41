"""Rating scales: what is asked, and the words of each step. To add one, add an entry.

Wordings: listening quality and listening effort after ITU-T P.800 (Annex B), degradation after its Annex D; the set for
synthetic speech after ITU-T P.85 (from memory of the recommendation); the others are common practice in tests of
synthetic speech, no source.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from zestpanel.core.domain.listening import QUALITY
from zestpanel.core.errors import InputError
from zestpanel.core.listening.kind import Choice, Kind, Question
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.texts import asked, tr

OWN: Final = "own"  # a scale of the lead's own, kept in the test's settings
FEWEST_STEPS, MOST_STEPS = 2, 11
_LETTERS: Final = "abcdefghijk"


@dataclass(frozen=True, slots=True, kw_only=True)
class Scale:
    """steps: words by score, the best first. about: what it tells, as the lead would ask. short: a name for lists.

    ordered: more is better; off where the middle is best. category: how far apart on it two categories of a scale of
    five are.
    """

    question: str
    steps: Mapping[int, str]
    about: str
    short: str = ""
    ordered: bool = True
    category: float = 1.0

    @property
    def low(self) -> int:
        return min(self.steps)

    @property
    def high(self) -> int:
        return max(self.steps)

    def as_question(self, name: str, *, by_letters: bool = False) -> Question:
        """As a question whose answer is kept under this name. Keys are the scores; letters where digits are taken by
        clips, and where a score has two digits."""
        letters = by_letters or self.high > 9
        return Question(name, self.question, tuple(
            Choice(score, words, _LETTERS[k] if letters else str(score))
            for k, (score, words) in enumerate(self.steps.items())
        ))  # fmt: skip


def _five(*words: str) -> dict[int, str]:
    return dict(zip((5, 4, 3, 2, 1), words, strict=True))


_HOW_WELL: Final = _five(asked("Perfectly"), asked("Well"), asked("Fairly"), asked("Poorly"), asked("Not at all"))
_HOW_WELL_REAL: Final = _five(
    asked("Completely real"), asked("Mostly real"), asked("Half real"), asked("Mostly put on"), asked("Put on")
)

SCALES: Final[dict[str, Scale]] = {
    QUALITY: Scale(
        question=asked("How good does this narration sound?"),
        steps=_five(asked("Excellent"), asked("Good"), asked("Fair"), asked("Poor"), asked("Bad")),
        about=tr("How good is each?"),
        short=tr("listening quality"),
    ),
    "naturalness": Scale(
        question=asked("How natural does this narration sound?"),
        steps=_five(
            asked("Completely natural"),
            asked("Mostly natural"),
            asked("Equally natural and unnatural"),
            asked("Mostly unnatural"),
            asked("Completely unnatural"),
        ),
        about=tr("How natural is each?"),
        short=tr("naturalness"),
    ),
    "effort": Scale(
        question=asked("How much effort did it take to understand?"),
        steps=_five(
            asked("No effort"),
            asked("Attention, but no real effort"),
            asked("Moderate effort"),
            asked("Considerable effort"),
            asked("Not understood with any effort"),
        ),
        about=tr("How easily is each understood?"),
        short=tr("listening effort"),
    ),
    "pleasantness": Scale(
        question=asked("How pleasant is this voice?"),
        steps=_five(
            asked("Very pleasant"), asked("Pleasant"), asked("Fair"), asked("Unpleasant"), asked("Very unpleasant")
        ),
        about=tr("How pleasant is each voice?"),
        short=tr("pleasantness"),
    ),
    "overall": Scale(
        question=asked("How do you rate the quality of the sound of what you have just heard?"),
        steps=_five(asked("Excellent"), asked("Good"), asked("Fair"), asked("Poor"), asked("Bad")),
        about=tr("What is the overall impression of each?"),
        short=tr("overall impression"),
    ),
    "comprehension": Scale(
        question=asked("Did you find certain words hard to understand?"),
        steps=_five(asked("Never"), asked("Rarely"), asked("Occasionally"), asked("Often"), asked("All of the time")),
        about=tr("Are words hard to understand?"),
        short=tr("comprehension problems"),
    ),
    "articulation": Scale(
        question=asked("Were the sounds distinguishable?"),
        steps=_five(
            asked("Yes, very clear"),
            asked("Yes, clear enough"),
            asked("Fairly clear"),
            asked("No, not very clear"),
            asked("No, not at all"),
        ),
        about=tr("How clear are the sounds?"),
        short=tr("articulation"),
    ),
    "pronunciation": Scale(
        question=asked("Did you notice any anomalies in pronunciation?"),
        steps=_five(
            asked("No"),
            asked("Yes, but not annoying"),
            asked("Yes, slightly annoying"),
            asked("Yes, annoying"),
            asked("Yes, very annoying"),
        ),
        about=tr("Is the pronunciation right?"),
        short=tr("pronunciation"),
    ),
    "speed": Scale(
        question=asked("The average speed of delivery was:"),
        steps=_five(
            asked("Much faster than preferred"),
            asked("Faster than preferred"),
            asked("Preferred"),
            asked("Slower than preferred"),
            asked("Much slower than preferred"),
        ),
        about=tr("Is the pace right?"),
        short=tr("speaking rate"),
        ordered=False,
    ),
    "intonation": Scale(
        question=asked("How well does the melody of the speech fit what is said?"),
        steps=_HOW_WELL,
        about=tr("Does the intonation fit the text?"),
        short=tr("intonation"),
    ),
    "emotion": Scale(
        question=asked("How well does the feeling in the voice fit what is said?"),
        steps=_HOW_WELL,
        about=tr("Does the emotion fit the text?"),
        short=tr("emotion"),
    ),
    "accent": Scale(
        question=asked("How well does the accent fit this narration?"),
        steps=_HOW_WELL,
        about=tr("Does the accent fit the channel?"),
        short=tr("fit of accent"),
    ),
    "laughter": Scale(
        question=asked("How real do laughter and other sounds beside the words sound?"),
        steps=_HOW_WELL_REAL,
        about=tr("Do laughter and sighs sound real?"),
        short=tr("laughter and sighs"),
    ),
    "pacing": Scale(
        question=asked("How well does the pace fit what is said?"),
        steps=_HOW_WELL,
        about=tr("Does the pace fit the text?"),
        short=tr("pacing"),
    ),
    "acceptance": Scale(
        question=asked("Could this voice narrate the channel?"),
        steps={2: asked("Yes"), 1: asked("No")},
        about=tr("Would each be accepted?"),
        short=tr("acceptance"),
    ),
}

# of answers that come in tables: what was asked is not known, only from where to where numbers go
FROM_TABLES: Final[dict[str, Scale]] = {
    f"{low} to {high}": Scale(
        question=tr("A score"),
        steps={high: tr("best"), low: tr("worst")},
        about=about,
        short=short,
        category=(high - low) / 4,
    )
    for low, high, about, short in (
        (0, 100, tr("How is each scored from 0 to 100?"), tr("score 0 to 100")),
        (1, 10, tr("How is each scored from 1 to 10?"), tr("score 1 to 10")),
        (1, 7, tr("How is each scored from 1 to 7?"), tr("score 1 to 7")),
    )
}

# who reads along understands: on these scales the text is not shown
HEARD_ALONE: Final = frozenset({"effort", "comprehension", "articulation"})

# asked together of one clip: the set for the voices of synthetic speech (ITU-T P.85)
SYNTHETIC_SPEECH: Final = (
    "overall", "effort", "comprehension", "articulation", "pronunciation", "speed", "pleasantness", "acceptance",
)  # fmt: skip

# not for single clips: asked by the kinds that compare with a reference
DEGRADATION: Final = Scale(
    question=asked("Compared with the reference, the sample is worse:"),
    steps=_five(
        asked("Inaudibly"),
        asked("Audibly, but not annoyingly"),
        asked("Slightly annoyingly"),
        asked("Annoyingly"),
        asked("Very annoyingly"),
    ),
    about=tr("Is it worse than this recording?"),
)
LIKENESS: Final = Scale(
    question=asked("How much alike are the two speakers?"),
    steps=_five(
        asked("Exactly alike"),
        asked("Very much alike"),
        asked("Somewhat alike"),
        asked("Little alike"),
        asked("Not alike at all"),
    ),
    about=tr("Does it sound like the person?"),
)
MATCH: Final = Scale(
    question=asked("How well do the three parts fit together?"),
    steps=_HOW_WELL,
    about=tr("Does a new line fit between recorded ones?"),
)


def scale_of(settings: TestSettings, name: str = "") -> Scale:
    """The scale of that name, else the test's first; the lead's own is read from the settings. Raises InputError."""
    wanted = name or settings.scale
    if wanted != OWN:
        found = SCALES.get(wanted) or FROM_TABLES.get(wanted)
        if found is None:
            raise InputError(tr("There is no scale '{wanted}'.", wanted=wanted[:80]))
        return found
    steps = dict(zip(range(len(settings.steps), 0, -1), settings.steps, strict=True))
    return Scale(question=settings.question, steps=steps, about=settings.question, short=tr("a scale of your own"))


def asked_by(kind: Kind, settings: TestSettings) -> str:
    """The lead's question that a test answers."""
    return settings.question or (scale_of(settings).about if "scale" in kind.uses else kind.asks)


def wrong_with_steps(steps: tuple[str, ...]) -> str:
    """What keeps these from being the steps of a scale, '' for nothing."""
    if not FEWEST_STEPS <= len(steps) <= MOST_STEPS:
        return tr("A scale has {fewest} to {most} steps, the best first.", fewest=FEWEST_STEPS, most=MOST_STEPS)
    return tr("Two steps of the scale have the same words.") if len(set(steps)) < len(steps) else ""

"""Rating scales: what is asked, and the words of each step. To add one, add an entry.

Wordings: listening quality and listening effort after ITU-T P.800 (Annex B); the others are common practice in tests
of synthetic speech, no source.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final


@dataclass(frozen=True, slots=True, kw_only=True)
class Scale:
    """steps: words by score, the best first. about: what it tells, as the lead would ask."""

    question: str
    steps: Mapping[int, str]
    about: str

    @property
    def low(self) -> int:
        return min(self.steps)

    @property
    def high(self) -> int:
        return max(self.steps)


SCALES: Final[dict[str, Scale]] = {
    "ACR": Scale(
        question="How good does this narration sound?",
        steps={5: "Excellent", 4: "Good", 3: "Fair", 2: "Poor", 1: "Bad"},
        about="How good is each?",
    ),
    "naturalness": Scale(
        question="How natural does this narration sound?",
        steps={5: "Completely natural", 4: "Mostly natural", 3: "Equally natural and unnatural",
               2: "Mostly unnatural", 1: "Completely unnatural"},
        about="How natural is each?",
    ),
    "effort": Scale(
        question="How much effort did it take to understand?",
        steps={5: "No effort", 4: "Attention, but no real effort", 3: "Moderate effort", 2: "Considerable effort",
               1: "Not understood with any effort"},
        about="How easily is each understood?",
    ),
    "pleasantness": Scale(
        question="How pleasant is this voice?",
        steps={5: "Very pleasant", 4: "Pleasant", 3: "Neither", 2: "Unpleasant", 1: "Very unpleasant"},
        about="How pleasant is each voice?",
    ),
}  # fmt: skip

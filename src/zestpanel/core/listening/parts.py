"""What scores and results are worked out from."""

from __future__ import annotations

from typing import Protocol

from zestpanel.core.store.parts import HasAnswers, HasHardParts, HasPanel, HasShortlist, HasTexts


class AnswerParts(HasTexts, HasShortlist, HasPanel, HasAnswers, Protocol):
    """The texts, who speaks them, who listens, and what they answered."""


class RatingParts(AnswerParts, HasHardParts, Protocol):
    """Likewise, and what is hard in the texts."""

"""Speaking rate from the text and the measured speech time."""

from __future__ import annotations

from dataclasses import dataclass

from zestpanel.core.domain.passage import words_with_places


@dataclass(frozen=True, slots=True, kw_only=True)
class SpeakingRate:
    """Words a minute over speech time (pauses taken out) and over the whole clip; None where there is no speech.

    Narration sits near 150-160 words a minute (common practice, no source).
    """

    words: int
    words_per_minute: float | None
    words_per_minute_total: float | None


def speaking_rate(text: str, *, speech_s: float, total_s: float) -> SpeakingRate:
    words = len(words_with_places(text))
    return SpeakingRate(
        words=words,
        words_per_minute=words / speech_s * 60 if speech_s > 0.05 else None,
        words_per_minute_total=words / total_s * 60 if speech_s > 0.05 else None,
    )

"""How fast a text is spoken, from its words and the measured time."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from zestpanel.core.domain.passage import words_with_places

_SILENT_S: Final = 0.05  # of speech: less is none


@dataclass(frozen=True, slots=True, kw_only=True)
class Pace:
    """Words a minute; None where there is no speech. articulation: over the time of speech, pauses taken out; speaking:
    over the whole clip (both as phonetics calls them: Laver 1994, Principles of Phonetics, 17.1, recalled from memory).

    Narration sits near 150-160 words a minute in all (common practice, no source).
    """

    words: int
    articulation: float | None
    speaking: float | None


def pace_of(text: str, *, speech_s: float, total_s: float) -> Pace:
    words = len(words_with_places(text))
    spoken = speech_s > _SILENT_S
    return Pace(
        words=words,
        articulation=words / speech_s * 60 if spoken else None,
        speaking=words / total_s * 60 if spoken else None,
    )

"""Looking at a clip when it arrives: what is scored is the delivered file, so the file must be what was asked for.

The bounds are common practice, no source: they are wide, so that a doubt is worth a person's look.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from zestpanel.core.audio.clip import Clip
from zestpanel.core.catalogue.facts import Control
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.passage import words_with_places
from zestpanel.core.measures.silence import frame_levels_dbfs, speech_frames
from zestpanel.core.texts import tr

LEAST_S_PER_WORD: Final = 0.11  # 545 words a minute
MOST_S_PER_WORD: Final = 2.5  # 24 words a minute
MOST_OVERHEAD_S: Final = 6.0  # silence around a clip
LEAST_SPEECH: Final = 0.1  # share of a clip that speaks
SILENT_DBFS: Final = -60.0


def effects_on(controls: Sequence[Control], candidate: Candidate) -> list[str]:
    """What lies over the voice by the candidate's settings, one sentence each: no doubt of the clip, and as little a
    thing to score before a person has said so."""
    return [
        tr("Made with the effect '{name}' at {settings}.", name=one.name, settings=candidate.settings[one.name])
        for one in controls
        if one.effect and one.applies(model=candidate.model, voice=candidate.voice)
        and candidate.settings.get(one.name, one.default) != one.default
    ]  # fmt: skip


def acceptance_flags(
    clip: Clip, words: str, *, pauses_s: float = 0.0,
    voice: str = "", voice_used: str = "", model: str = "", model_used: str = "",
) -> list[str]:  # fmt: skip
    """What is odd about a delivered clip, one sentence each; empty when it is plausible.

    words: the text without marks. pauses_s: pauses asked for.
    """
    out = []
    count = max(1, len(words_with_places(words)))
    least = LEAST_S_PER_WORD * count
    most = MOST_S_PER_WORD * count + pauses_s + MOST_OVERHEAD_S
    if clip.duration_s < least:
        out.append(tr("Too short: {duration_s} s for {count} words.", duration_s=f"{clip.duration_s:.2f}", count=count))
    elif clip.duration_s > most:
        out.append(tr("Too long: {duration_s} s for {count} words.", duration_s=f"{clip.duration_s:.1f}", count=count))
    levels = frame_levels_dbfs(clip)
    speaking = levels[speech_frames(levels, clip)]
    if not len(speaking) or float(speaking.max()) < SILENT_DBFS:
        out.append(tr("Silent: nothing in the file can be heard."))
    elif len(speaking) / len(levels) < LEAST_SPEECH and clip.duration_s > 2:
        out.append(tr("Mostly silence: {speaking} of it speaks.", speaking=f"{len(speaking) / len(levels):.0%}"))
    if voice and voice_used and voice_used != voice:
        out.append(tr("Another voice answered: {voice_used}.", voice_used=voice_used))
    if model and model_used and model_used != model and not model_used.startswith(model):
        out.append(tr("Another model answered: {model_used}.", model_used=model_used))
    return out

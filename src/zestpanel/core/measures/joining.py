"""Putting clips one after another without an audible seam: a stated gap between the words, nothing else."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Final

import numpy as np
import soxr

from zestpanel.core.audio.clip import Clip, as_samples
from zestpanel.core.errors import AudioError
from zestpanel.core.measures.silence import measure_silence
from zestpanel.core.texts import tr

BETWEEN_SENTENCES_S: Final = 0.35  # common practice, no source: a pause between sentences of read text
_FADE_S: Final = 0.005


def join(clips: Sequence[Clip], gaps_s: Sequence[float]) -> tuple[Clip, list[float]]:
    """(all clips as one, where each begins in it in s, measured to the start of the clip as given).

    gaps_s: silence from the last word of a clip to the first word of the next, one fewer than clips. The clips' own
    silence at a join is cut or filled up to the gap with faded edges; the first lead and the last tail stay. Other
    rates and channels follow the first clip. Raises AudioError for no clips.
    """
    if not clips:
        raise AudioError(tr("There is nothing to join."))
    rate = clips[0].rate_hz
    pieces, begins = zip(*pieces_of(clips, gaps_s, rate, clips[0].channels), strict=True)
    return Clip(samples=as_samples(np.concatenate(pieces)), rate_hz=rate), list(begins)


def pieces_of(
    clips: Iterable[Clip], gaps_s: Sequence[float], rate: int, channels: int
) -> Iterator[tuple[np.ndarray, float]]:
    """As ``join``, piece by piece, so that a whole book need not be held: (the clip's samples with the gap that follows
    it, where the clip begins). gaps_s tell how many clips there are."""
    at, last_one = 0, len(gaps_s)
    for index, clip in enumerate(clips):
        if index > last_one:
            raise ValueError(tr("one gap between every two clips"))
        samples = _alike(clip, rate, channels)
        silence = measure_silence(clip)
        whole = silence.speech_s == 0
        first = 0 if index == 0 or whole else round(max(0.0, silence.lead_s - 0.01) * rate)
        last = len(samples) if index == last_one or whole else len(samples) - round(
            max(0.0, silence.tail_s - 0.01) * rate)  # fmt: skip
        piece = samples[first : max(last, first + 1)].copy()
        fade = min(len(piece) // 2, round(_FADE_S * rate))
        if fade and index > 0:
            piece[:fade] *= np.linspace(0, 1, fade, dtype=np.float32)[:, None]
        if fade and index < last_one:
            piece[-fade:] *= np.linspace(1, 0, fade, dtype=np.float32)[:, None]
        begin = (at - first) / rate
        if index < last_one:
            gap = np.zeros((max(0, round(gaps_s[index] * rate)), channels), dtype=np.float32)
            piece = np.concatenate([piece, gap])
        at += len(piece)
        yield piece, begin


def _alike(clip: Clip, rate_hz: int, channels: int) -> np.ndarray:
    samples = clip.samples if clip.channels == channels else np.repeat(clip.mono()[:, None], channels, axis=1)
    return samples if clip.rate_hz == rate_hz else soxr.resample(samples, clip.rate_hz, rate_hz).astype(np.float32)

"""Putting clips one after another without an audible seam: a stated gap between the words, nothing else."""

from __future__ import annotations

from collections.abc import Sequence
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
    if len(gaps_s) != len(clips) - 1:
        raise ValueError(tr("one gap between every two clips"))
    rate, channels = clips[0].rate_hz, clips[0].channels
    pieces: list[np.ndarray] = []
    begins: list[float] = []
    at = 0
    for index, clip in enumerate(clips):
        samples = _alike(clip, rate, channels)
        silence = measure_silence(clip)
        whole = silence.speech_s == 0
        first = 0 if index == 0 or whole else round(max(0.0, silence.lead_s - 0.01) * rate)
        last = len(samples) if index == len(clips) - 1 or whole else len(samples) - round(
            max(0.0, silence.tail_s - 0.01) * rate)  # fmt: skip
        piece = samples[first : max(last, first + 1)].copy()
        fade = min(len(piece) // 2, round(_FADE_S * rate))
        if fade and index > 0:
            piece[:fade] *= np.linspace(0, 1, fade, dtype=np.float32)[:, None]
        if fade and index < len(clips) - 1:
            piece[-fade:] *= np.linspace(1, 0, fade, dtype=np.float32)[:, None]
        begins.append((at - first) / rate)
        pieces.append(piece)
        at += len(piece)
        if index < len(clips) - 1:
            gap = np.zeros((max(0, round(gaps_s[index] * rate)), channels), dtype=np.float32)
            pieces.append(gap)
            at += len(gap)
    return Clip(samples=as_samples(np.concatenate(pieces)), rate_hz=rate), begins


def _alike(clip: Clip, rate_hz: int, channels: int) -> np.ndarray:
    samples = clip.samples if clip.channels == channels else np.repeat(clip.mono()[:, None], channels, axis=1)
    return samples if clip.rate_hz == rate_hz else soxr.resample(samples, clip.rate_hz, rate_hz).astype(np.float32)

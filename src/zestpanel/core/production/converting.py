"""Any sound that the program reads as any that it can write."""

from __future__ import annotations

import numpy as np
import soxr

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.encoding import Block, OutputFormat
from zestpanel.core.production.levelling import Level, bring_to


def converted(clip: Clip, to: OutputFormat) -> tuple[Block, int, Level]:
    """(samples, their rate, their level) as they are delivered; more channels than two are heard as one."""
    if clip.channels == to.channels:
        samples = clip.samples
    elif to.channels == 1 or clip.channels > 2:
        samples = np.repeat(clip.mono()[:, None], to.channels, axis=1)
    else:
        samples = np.repeat(clip.samples, to.channels, axis=1)
    rate = to.rate_for(clip.rate_hz)
    sized = soxr.resample(samples, clip.rate_hz, rate).astype(np.float32) if rate != clip.rate_hz else samples
    ends = [np.zeros((round(seconds * rate), to.channels), dtype=np.float32) for seconds in (to.head_s, to.tail_s)]
    source: Block = np.ascontiguousarray(np.concatenate([ends[0], sized, ends[1]]), dtype=np.float32)
    into = np.empty_like(source)
    return into, rate, bring_to(to.loudness_lufs, to.peak_dbtp, source, into, rate)

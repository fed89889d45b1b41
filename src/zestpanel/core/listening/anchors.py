"""Anchors of a multi-stimulus test: the reference with its upper frequencies taken away (ITU-R BS.1534-3, 5.1)."""

from __future__ import annotations

from typing import Final

import numpy as np

from zestpanel.core.audio.clip import Clip

LOW_HZ: Final = 3_500.0
MID_HZ: Final = 7_000.0
# the low anchor has at most 0.1 dB of ripple up to 3.5 kHz, at least 25 dB of attenuation at 4 kHz and 50 dB at 4.5
# kHz; one filter that reaches 60 dB within 500 Hz keeps all three, and the same transition is used for the mid anchor
_STOP_DB: Final = 60.0
TRANSITION_HZ: Final = 500.0


def low_passed(clip: Clip, cut_hz: float) -> Clip:
    """The clip without what lies above cut_hz (passband edge), of the same length. Where the clip's own rate ends
    below it, nothing is to be taken away and it is returned as it is."""
    nyquist = clip.rate_hz / 2
    if cut_hz + TRANSITION_HZ >= nyquist:
        return clip
    from scipy.signal import firwin, kaiserord, oaconvolve  # seconds to load: nothing waits for it at the start

    taps, beta = kaiserord(_STOP_DB, TRANSITION_HZ / nyquist)
    taps |= 1  # an odd length delays by whole samples
    kernel = firwin(taps, cut_hz + TRANSITION_HZ / 2, window=("kaiser", beta), fs=clip.rate_hz)
    out = oaconvolve(clip.samples.astype(np.float64), kernel[:, None], axes=0)
    delay = taps // 2
    return Clip(samples=out[delay : delay + clip.frames].astype(np.float32), rate_hz=clip.rate_hz)

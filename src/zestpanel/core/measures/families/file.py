"""What a file is like beside what is said in it."""

from __future__ import annotations

import math
from typing import Final

import numpy as np

from zestpanel.core.measures.declared import Allowance, Family, Material, Measure, Values
from zestpanel.core.measures.file_quality import bandwidth_hz, crest_db, dc_offset_percent, loudness_range_lu
from zestpanel.core.texts import tr


def _values(of: Material) -> Values:
    power = float(np.mean(10 ** (of.levels[of.speaks] / 10))) if of.speaks.any() else 0.0
    noise = of.silence.noise_dbfs
    over = 10 * float(np.log10(power)) - noise if noise is not None and power > 0 else None
    return {
        "bandwidth_khz": None if (hz := bandwidth_hz(of.mono, of.clip.rate_hz)) is None else hz / 1_000,
        "speech_to_noise_db": None if of.silence.beyond_reach else over,
        "dc_offset_percent": dc_offset_percent(of.mono),
        "crest_factor_db": crest_db(of.mono, power),
        "loudness_range_lu": loudness_range_lu(of.clip, of.hops),
    }


FAMILY: Final = Family(
    name="file",
    version=6,
    place=55,
    values=_values,
    measures=(
        Measure(name="bandwidth_khz", words=tr("bandwidth"), label=tr("bandwidth, kHz"), short=tr("band kHz"),
                unit="kHz", better="higher", shown=True, change=Allowance(over=0.1, ratio=True), good=(4.0, 11.0),
                usual=(7.0, math.inf),
                rule=tr("the highest frequency within 60 dB of the long-term spectrum's peak"),
                source=tr("common practice, no source")),
        Measure(name="speech_to_noise_db", words=tr("speech to noise"), label=tr("speech to noise, dB"),
                shares="noise_dbfs", unit="dB", decimals=0, better="higher", shown=True, good=(20.0, 50.0),
                rule=tr("mean power of the frames that speak over that of the silent ones"),
                source=tr("common practice, no source"), rests_on=tr("pauses with noise of their own")),
        Measure(name="loudness_range_lu", words=tr("loudness range"), label=tr("loudness range, LU"), unit="LU",
                rule=tr("10th to 95th percentile of short-term loudness (3 s), gated"), source="EBU Tech 3342",
                rests_on=tr("clips of half a minute and more; of short ones it says little")),
        Measure(name="crest_factor_db", words=tr("crest"), label=tr("crest, dB"), unit="dB",
                rule=tr("greatest sample over the root mean square of the frames that speak"),
                source=tr("common practice, no source")),
        Measure(name="dc_offset_percent", words=tr("offset"), label=tr("offset, %"), unit="%", decimals=2,
                rule=tr("mean of the samples, of full scale"), source=tr("common practice, no source")),
    ),
)  # fmt: skip

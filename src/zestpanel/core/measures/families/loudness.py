"""How loud a clip is, and how near its peaks come to full scale."""

from __future__ import annotations

import math
from typing import Final

import numpy as np

from zestpanel.core.measures.declared import Allowance, Family, Material, Measure, Values
from zestpanel.core.measures.loudness import measure_loudness
from zestpanel.core.measures.silence import FRAME_S
from zestpanel.core.measures.tracks import Tracks, curve
from zestpanel.core.texts import tr


def _values(of: Material) -> Values:
    found = measure_loudness(of.clip, of.hops)
    return {"loudness_lufs": found.integrated_lufs, "loudness_why": found.why,
            "true_peak_dbtp": found.true_peak_dbtp if found.why != "silent" else None}  # fmt: skip


def _tracks(of: Material) -> Tracks:
    """Level of each 20 ms in dBFS, the mean power of two frames."""
    power = 10 ** (of.levels[: len(of.levels) // 2 * 2].reshape(-1, 2) / 10)
    return Tracks(curves={"level": curve(10 * np.log10(power.mean(axis=1)), 2 * FRAME_S)})


FAMILY: Final = Family(
    name="loudness",
    version=6,
    place=30,
    values=_values,
    tracks=_tracks,
    curves=("level",),
    measures=(
        Measure(
            name="loudness_lufs",
            words="loudness",
            label=tr("loudness, LUFS"),
            short="LUFS",
            unit="LUFS",
            change=Allowance(over=0.5, unit="LU"),
            shown=True,
            swept=True,
            rule=tr(
                "integrated and gated; filters in series from 40 kHz up, below that the same weighting applied in "
                "the frequency domain up to half the rate"
            ),
            source="ITU-R BS.1770-5",
            rests_on=tr("the 48 kHz coefficients of the standard being its filters at other rates, too"),
        ),
        Measure(
            name="true_peak_dbtp",
            words=tr("true peak"),
            label=tr("true peak, dBTP"),
            unit="dBTP",
            usual=(-math.inf, -1.0),
            rule=tr("eight times oversampling beside loud samples, and a parabola through the top"),
            source=tr("ITU-R BS.1770-5, Annex 2"),
            rests_on=tr("the peak lying beside a sample within 9 dB of the greatest"),
        ),
    ),
)

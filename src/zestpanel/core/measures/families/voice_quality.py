"""How clear or hoarse the voice is. Slow: some five times real time, so that it is measured when it is asked for."""

from __future__ import annotations

from typing import Final

from zestpanel.core.measures.declared import Family, Material, Measure, Values
from zestpanel.core.measures.voice_quality import voice_quality
from zestpanel.core.texts import tr


def _values(of: Material) -> Values:
    found = voice_quality(of.clip)
    return {name: getattr(found, name) for name in ("hnr_db", "jitter_percent", "shimmer_percent", "cpps_db")}


_PRAAT: Final = tr("as Praat does it; pitch 60 to 500 Hz")
_RESTS: Final = tr("one voice in the clip, and little noise")
FAMILY: Final = Family(
    name="voice quality",
    version=1,
    place=25,
    group="voice",
    values=_values,
    slow=True,
    measures=(
        Measure(name="hnr_db", words=tr("harmonics to noise"), label=tr("harmonics to noise, dB"), unit="dB",
                better="higher", rule=tr("mean over voiced frames by cross-correlation; {praat}", praat=_PRAAT),
                source="Boersma (1993)", rests_on=_RESTS),
        Measure(name="jitter_percent", words="jitter", label=tr("jitter, %"), unit="%", decimals=2, better="lower",
                rule=tr("mean difference of neighbouring periods over their mean (local); {praat}", praat=_PRAAT),
                source="Praat", rests_on=_RESTS),
        Measure(name="shimmer_percent", words="shimmer", label=tr("shimmer, %"), unit="%", better="lower",
                rule=tr("mean difference of neighbouring peaks over their mean (local); {praat}", praat=_PRAAT),
                source="Praat", rests_on=_RESTS),
        Measure(name="cpps_db", words=tr("cepstral peak"), label=tr("cepstral peak, dB"), unit="dB", better="higher",
                rule=tr("smoothed cepstral peak prominence, 60 to 330 Hz, as Praat does it"),
                source="Hillenbrand, Cleveland & Erickson (1994)", rests_on=_RESTS),
    ),
)  # fmt: skip

"""Syllables a second and their rhythm, from the sound alone: for any language, and whatever was said."""

from __future__ import annotations

from typing import Final

from zestpanel.core.measures.declared import Allowance, Family, Material, Measure, Values
from zestpanel.core.measures.silence import FRAME_S
from zestpanel.core.measures.syllables import intervals_s, npvi, nuclei_s
from zestpanel.core.texts import tr


def _values(of: Material) -> Values:
    if of.silence.beyond_reach or of.silence.speech_s <= 0:
        return {"syllable_rate": None, "rhythm_npvi": None}
    voiced = of.pitch.on_steps(FRAME_S, of.clip.duration_s) > 0
    nuclei = nuclei_s(of.levels, voiced)
    return {
        "syllable_rate": len(nuclei) / of.silence.speech_s if len(nuclei) else None,
        "rhythm_npvi": npvi(intervals_s(nuclei, of.silence.spans)),
    }


_NUCLEI: Final = tr("peaks of level within 25 dB of the loud ones, 2 dB over the dip before, voiced")
FAMILY: Final = Family(
    name="rhythm",
    version=6,
    place=12,
    group="pace",
    values=_values,
    measures=(
        Measure(name="syllable_rate", words=tr("syllables a second of speech"), label=tr("syllables a second"),
                change=Allowance(over=0.05, ratio=True), swept=True,
                rule=tr("{nuclei}; over the time of speech, pauses taken out", nuclei=_NUCLEI),
                source=tr("de Jong & Wempe (2009)"),
                rests_on=tr("found pauses; at more than six a second some run into one")),
        Measure(name="rhythm_npvi", words=tr("rhythm"), label=tr("rhythm, nPVI"), decimals=0,
                rule=tr("mean difference of neighbouring intervals from syllable to syllable over their mean, in "
                        "percent; {nuclei}", nuclei=_NUCLEI),
                source="Grabe & Low (2002)",
                rests_on=tr("ten intervals or more; not the vowel intervals of the paper")),
    ),
)  # fmt: skip

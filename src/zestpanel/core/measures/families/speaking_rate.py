"""How fast the text is spoken."""

from __future__ import annotations

from typing import Final

from zestpanel.core.measures.declared import Allowance, Family, Material, Measure, Values
from zestpanel.core.measures.speaking_rate import speaking_rate
from zestpanel.core.texts import tr


def _values(of: Material) -> Values:
    pace = speaking_rate(of.text, speech_s=of.silence.speech_s, total_s=of.clip.duration_s)
    return {
        "words_per_minute": None if of.silence.beyond_reach else pace.words_per_minute,
        "words_per_minute_total": pace.words_per_minute_total,
    }


FAMILY: Final = Family(
    name="speaking rate",
    version=5,
    place=10,
    values=_values,
    also=("words_per_minute_total",),
    measures=(
        Measure(name="words_per_minute", words=tr("speaking rate"), label=tr("words a minute"), short="wpm", decimals=0,
                change=Allowance(over=0.02, ratio=True), shown=True, swept=True, claimed="words a minute",
                rule=tr("words over speech time"), source=tr("common practice, no source"),
                rests_on=tr("the clip saying the text")),
    ),
)  # fmt: skip

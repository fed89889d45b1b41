"""How fast the text is spoken."""

from __future__ import annotations

from typing import Final

from zestpanel.core.measures.declared import Allowance, Family, Material, Measure, Values
from zestpanel.core.measures.speaking_rate import pace_of
from zestpanel.core.texts import tr


def _values(of: Material) -> Values:
    pace = pace_of(of.text, speech_s=of.silence.speech_s, total_s=of.clip.duration_s)
    return {
        "articulation_rate": None if of.silence.beyond_reach else pace.articulation,
        "speaking_rate": pace.speaking,
    }


FAMILY: Final = Family(
    name="speaking rate",
    version=6,
    place=10,
    group="pace",
    values=_values,
    measures=(
        Measure(name="speaking_rate", words=tr("speaking rate"), label=tr("words a minute"), short="wpm", decimals=0,
                usual=(140.0, 170.0),
                change=Allowance(over=0.02, ratio=True), shown=True, swept=True, claimed="words a minute",
                rule=tr("words over the whole clip"), source=tr("common practice, no source"),
                rests_on=tr("the clip saying the text")),
        Measure(name="articulation_rate", words=tr("articulation rate"), label=tr("words a minute of speech"),
                short="wpm", decimals=0, change=Allowance(over=0.02, ratio=True), shown=True, swept=True,
                rule=tr("words over the time of speech, pauses taken out"), source=tr("common practice, no source"),
                rests_on=tr("the clip saying the text, and found pauses")),
    ),
)  # fmt: skip

"""Silence before, in and after the speech, and the noise that stands there."""

from __future__ import annotations

import math
import re
from statistics import median
from typing import Final

from zestpanel.core.domain.passage import words_with_places
from zestpanel.core.domain.take import Segment
from zestpanel.core.measures.declared import Family, Material, Measure, Values
from zestpanel.core.measures.tracks import Kind, Tracks, seconds
from zestpanel.core.texts import tr

_TOLD: Final = ("lead_s", "tail_s", "pauses", "pauses_s", "longest_pause_s")


def _values(of: Material) -> Values:
    found = of.silence
    if found.beyond_reach:
        told: Values = {**dict.fromkeys(_TOLD), "pauses_why": tr("noise lies too near the speech to tell pauses")}
    else:
        told = {**{name: float(getattr(found, name)) for name in _TOLD}, **_by_place(of)}
    return {**told, "noise_dbfs": found.noise_dbfs}


def _by_place(of: Material) -> Values:
    """How often and how long it pauses, and where: a word at a time where words are placed."""
    spoken_s = of.clip.duration_s - of.silence.lead_s - of.silence.tail_s
    if spoken_s <= 0 or of.silence.speech_s <= 0:
        return {}
    placed = [one for one in _tracks(of).segments if one.about]
    lasts = {at: [one.end_s - one.start_s for one in placed if one.about == at] for at in (SENTENCE, COMMA, INSIDE)}
    return {
        "pauses_a_minute": of.silence.pauses / spoken_s * 60,
        "pause_share": 100 * of.silence.pauses_s / spoken_s,
        "pause_sentence_s": median(lasts[SENTENCE]) if lasts[SENTENCE] else None,
        "pause_comma_s": median(lasts[COMMA]) if lasts[COMMA] else None,
        "pauses_elsewhere": len(lasts[INSIDE]) / spoken_s * 60 if placed or not of.silence.pauses else None,
    }


SENTENCE, COMMA, INSIDE = "after a sentence", "at a comma", "inside"
_ENDS: Final = re.compile(r"[.!?…。！？]|\n")
_CUTS: Final = re.compile(r"[,;:()—–、，]|\s-\s")


def _tracks(of: Material) -> Tracks:
    """Pauses with what stands in the text there: size is the place of the word before, −1 where that is not known."""
    if of.silence.beyond_reach:
        return Tracks()
    text, times = words_with_places(of.text), of.words[0]
    known = len(text) == len(times) and all(good for *_, good in times)
    out = []
    for start, end in of.silence.spans:
        middle, about, word = (start + end) / 2, "", -1
        if known:
            word = sum(begin < middle for _, begin, _, _ in times) - 1
            if 0 <= word < len(text) - 1:
                between = of.text[text[word][2] : text[word + 1][1]]
                about = SENTENCE if _ENDS.search(between) else COMMA if _CUTS.search(between) else INSIDE
        out.append(Segment(PAUSE, start, end, float(word), about))
    return Tracks(segments=tuple(out))


PAUSE: Final = "pause"
_RULE: Final = tr(
    "frames of 10 ms by time; silence is 35 dB below the loud frames; where noise is higher, what stands out of it on "
    "levels without rumble, smoothed over 50 ms"
)
_RESTS: Final = tr("noise staying below the speech; where it does not, nothing is told")
_SOURCE: Final = tr("common practice, no source")
_PLACED: Final = tr("found pauses and words")
FAMILY: Final = Family(
    name="silence",
    version=8,
    place=40,
    group="pace",
    values=_values,
    tracks=_tracks,
    kinds=(Kind(PAUSE, tr("pause"), lambda one: tr("a pause of {lasts}", lasts=seconds(one)), fault=False),),
    also=("pauses", "pauses_why"),
    measures=(
        Measure(
            name="longest_pause_s",
            words=tr("longest pause"),
            label=tr("longest pause, s"),
            short=tr("pause s"),
            unit="s",
            decimals=2,
            shown=True,
            rule=tr("the longest from 150 ms; {rule}", rule=_RULE),
            source=_SOURCE,
            rests_on=_RESTS,
        ),
        Measure(
            name="pauses_s",
            words="pauses",
            label=tr("pauses, s"),
            unit="s",
            decimals=2,
            swept=True,
            rule=tr("all from 150 ms; {rule}", rule=_RULE),
            source=_SOURCE,
            rests_on=_RESTS,
        ),
        Measure(
            name="pauses_a_minute",
            words=tr("pauses a minute"),
            label=tr("pauses a minute"),
            swept=True,
            rule=tr("all from 150 ms, over the time from the first speech to the last; {rule}", rule=_RULE),
            source=_SOURCE,
            rests_on=_RESTS,
        ),
        Measure(
            name="pause_share",
            words=tr("share of pauses"),
            label=tr("share of pauses, %"),
            unit="%",
            decimals=0,
            rule=tr("their time over that from the first speech to the last; {rule}", rule=_RULE),
            source=_SOURCE,
            rests_on=_RESTS,
        ),
        Measure(
            name="pause_sentence_s",
            words=tr("pause after a sentence"),
            label=tr("pause after a sentence, s"),
            unit="s",
            decimals=2,
            rule=tr("median of those with a full stop or the like before them"),
            source=_SOURCE,
            rests_on=_PLACED,
        ),
        Measure(
            name="pause_comma_s",
            words=tr("pause at a comma"),
            label=tr("pause at a comma, s"),
            unit="s",
            decimals=2,
            rule=tr("median of those with a comma, a dash or the like before them"),
            source=_SOURCE,
            rests_on=_PLACED,
        ),
        Measure(
            name="pauses_elsewhere",
            words=tr("pauses without a sign"),
            label=tr("pauses without a sign, a minute"),
            better="lower",
            rule=tr("those where the text has no sign for one"),
            source=_SOURCE,
            rests_on=_PLACED,
        ),
        Measure(
            name="lead_s",
            words=tr("silence before"),
            label=tr("silence before, s"),
            short=tr("around s"),
            unit="s",
            decimals=2,
            shown=True,
            rule=tr("before the first speech; {rule}", rule=_RULE),
            source=_SOURCE,
            rests_on=_RESTS,
        ),
        Measure(
            name="tail_s",
            words=tr("silence after"),
            label=tr("silence after, s"),
            unit="s",
            decimals=2,
            shown=True,
            shares="lead_s",
            rule=tr("after the last speech; {rule}", rule=_RULE),
            source=_SOURCE,
            rests_on=_RESTS,
        ),
        Measure(
            name="noise_dbfs",
            words=tr("noise in pauses"),
            label=tr("noise in pauses, dBFS"),
            short=tr("noise dB"),
            unit="dBFS",
            decimals=0,
            better="lower",
            usual=(-math.inf, -60.0),
            shown=True,
            rule=tr("mean power of the silent frames; {rule}", rule=_RULE),
            source=_SOURCE,
            rests_on=_RESTS,
        ),
    ),
)

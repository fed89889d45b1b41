"""How the pitch moves over sentences, and at the end of statements and questions."""

from __future__ import annotations

from typing import Final

import numpy as np

from zestpanel.core.domain.take import Segment
from zestpanel.core.measures.declared import Family, Material, Measure, Values
from zestpanel.core.measures.movement import Movement, Sentence, movement_of, sentences
from zestpanel.core.measures.tracks import Kind, Tracks
from zestpanel.core.texts import tr


def _found(of: Material) -> list[tuple[Sentence, Movement]]:
    def find() -> list[tuple[Sentence, Movement]]:
        every = [
            (one, movement_of(of.pitch, one.start_s, one.end_s)) for one in sentences(of.text, of.language, of.words[0])
        ]
        return [(one, moves) for one, moves in every if moves is not None]

    return of.once("movement", find)


def _median(values: list[float]) -> float | None:
    return float(np.median(values)) if values else None


def _values(of: Material) -> Values:
    found = _found(of)
    return {
        "declination_st_s": _median([moves.slope for _, moves in found]),
        "statement_end_st": _median([moves.last for one, moves in found if not one.question]),
        "question_end_st": _median([moves.last for one, moves in found if one.question]),
    }


def _tracks(of: Material) -> Tracks:
    """size: where the sentence ends, in semitones from its median; about: how fast it falls, and whether it asks."""
    return Tracks(segments=tuple(
        Segment(SENTENCE, one.start_s, one.end_s, moves.last, f"{moves.slope:.2f}{'?' if one.question else ''}")
        for one, moves in _found(of)
    ))  # fmt: skip


def _says(one: Segment) -> str:
    last, slope = f"{one.size:+.1f}".replace("-", "−"), one.about.rstrip("?").replace("-", "−")
    if one.about.endswith("?"):
        return tr("a question that ends {last} semitones from its middle; {slope} a second", last=last, slope=slope)
    return tr("a sentence that ends {last} semitones from its middle; {slope} a second", last=last, slope=slope)


SENTENCE: Final = "sentence"
_LAST: Final = tr("median pitch of the last 150 ms voiced, in semitones from the sentence's median; median over them")
_RESTS: Final = tr("found words, and sentences of 0.6 s voiced or more")
FAMILY: Final = Family(
    name="movement",
    version=6,
    place=22,
    group="voice",
    values=_values,
    tracks=_tracks,
    kinds=(Kind(SENTENCE, tr("sentence"), _says, fault=False),),
    measures=(
        Measure(name="declination_st_s", words=tr("fall over a sentence"),
                label=tr("fall over a sentence, semitones/s"), unit="semitones/s", decimals=2,
                rule=tr("median slope of the pitch over a sentence; median over sentences"),
                source="Theil (1950), Sen (1968)", rests_on=_RESTS),
        Measure(name="statement_end_st", words=tr("end of statements"), label=tr("end of statements, semitones"),
                unit="semitones", rule=_LAST, source=tr("common practice, no source"), rests_on=_RESTS),
        Measure(name="question_end_st", words=tr("end of questions"), label=tr("end of questions, semitones"),
                unit="semitones", rule=_LAST, source=tr("common practice, no source"), rests_on=_RESTS),
    ),
)  # fmt: skip

"""How an engine wants delivery marks written: SSML, a notation of its own, or not at all."""

from __future__ import annotations

import re
from typing import Final, Literal

from pydantic import Field, model_validator

from zestpanel.core.catalogue.reaching import Stated
from zestpanel.core.domain.mark import KINDS, STRENGTHS
from zestpanel.core.texts import tr

# what a template may name
PLACES: Final = ("text", "value", "ms", "seconds", "percent", "factor", "semitones", "db")
_PLACE = re.compile(r"\{(\w+)\}")


class Notation(Stated):
    """form: how marked text is written. wrap: what it stands in, with {text} and {language}.

    always: even a text without marks is sent in that form. marks: own notation only, a template for each kind of
    mark. escape: signs that mean something to the engine, and how they are written as themselves. plain and marked:
    what {form} becomes in the request, for engines that have a switch. pause_ms: how long its named pauses are.
    """

    form: Literal["plain", "ssml", "own"] = "plain"
    wrap: str = ""
    always: bool = False
    marks: dict[str, str] = Field(default_factory=dict)
    escape: dict[str, str] = Field(default_factory=dict)
    plain: str = ""
    marked: str = ""
    pause_ms: dict[str, float] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _fits(self) -> Notation:
        if self.wrap and "{text}" not in self.wrap:
            raise ValueError(tr("wrap has no {text}"))
        if self.marks and self.form != "own":
            raise ValueError(tr("templates for marks need form: own"))
        if odd := set(self.pause_ms) - set(STRENGTHS):
            raise ValueError(
                tr(
                    "there is no pause '{odd}'; there are {strengths}",
                    odd=sorted(odd)[0],
                    strengths=", ".join(STRENGTHS),
                )
            )
        for kind, template in self.marks.items():
            if kind not in KINDS:
                raise ValueError(tr("there is no mark '{kind}'; there are {kinds}", kind=kind, kinds=", ".join(KINDS)))
            for place in _PLACE.findall(template):
                if place not in PLACES:
                    raise ValueError(
                        tr(
                            "marks.{kind}: there is no {{{place}}}; there are {places}",
                            kind=kind,
                            place=place,
                            places=", ".join(PLACES),
                        )
                    )
            if not KINDS[kind].point and "{text}" not in template and kind not in ("phoneme", "read as"):
                raise ValueError(tr("marks.{kind}: the words would be lost, {{text}} is missing", kind=kind))
        return self

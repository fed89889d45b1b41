"""The lines that voices are heard on before they are on the shortlist."""

from __future__ import annotations

from collections.abc import Sequence

from zestpanel.core.catalogue.facts import Voice
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.passage import Passage


def lines_for(brief: Brief, passages: Sequence[Passage], voice: Voice) -> list[str]:
    """The lines a voice can be heard on: the brief's own for its language, then the passages' first lines."""
    own = [line.strip() for tag in voice.languages for line in brief.audition_line(tag).split("\n") if line.strip()]
    first = [p.text.split("\n")[0][:200] for p in passages if voice.speaks(p.language)]
    return list(dict.fromkeys([*own, *first]))


def with_line(brief: Brief, language: str, text: str) -> Brief | None:
    """The brief with a line more for the language; None where it has it already."""
    primary = language.split("-")[0].lower()
    lines = [line for line in brief.audition_line(primary).split("\n") if line.strip()]
    if text in lines:
        return None
    return brief.model_copy(update={"audition_lines": {**brief.audition_lines, primary: "\n".join([*lines, text])}})

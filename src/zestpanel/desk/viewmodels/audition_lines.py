"""The lines that voices are heard on before they are on the shortlist."""

from __future__ import annotations

from collections.abc import Sequence

from zestpanel.core.catalogue.facts import Voice, language_for
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.passage import Passage


def lines_for(brief: Brief, passages: Sequence[Passage], voice: Voice) -> dict[str, str]:
    """The lines a voice can be heard on, each with the voice's language that it is in: the brief's own for its
    languages, then the passages' first lines."""
    own = {line.strip(): tag for tag in reversed(voice.languages) for line in brief.audition_line(tag).split("\n")
           if line.strip()}  # fmt: skip
    first = {p.text.split("\n")[0][:200]: language_for(voice, voice.languages[0], p.language) for p in passages
             if voice.speaks(p.language)}  # fmt: skip
    return {**dict(reversed(own.items())), **{line: tag for line, tag in first.items() if line not in own}}


def with_line(brief: Brief, language: str, text: str) -> Brief | None:
    """The brief with a line more for the language; None where it has it already."""
    primary = language.split("-")[0].lower()
    lines = [line for line in brief.audition_line(primary).split("\n") if line.strip()]
    if text in lines:
        return None
    return brief.model_copy(update={"audition_lines": {**brief.audition_lines, primary: "\n".join([*lines, text])}})

"""A script cut into pieces that may become passages: as it stands, or by sentence, size, scene or turn."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from typing import Final

from zestpanel.core.domain.passage import LONGEST_PASSAGE
from zestpanel.core.text.readers.script import Part, Script
from zestpanel.core.text.splitting import cut_words, split_paragraphs, split_scenes, split_sentences, split_to_size

CUTS: Final = ("as they are", "one a sentence", "of at most", "one a scene", "one a speaker's turn")


def cut_script(script: Script, kinds: Collection[str], cut: str, *, most_characters: int, language: str) -> list[Part]:
    """The parts of the wanted kinds, cut in one of the ways of CUTS; speakers stay, times where a part stays whole."""
    parts = _cut_script(script, kinds, cut, most_characters=most_characters, language=language)
    return no_longer_than(parts, LONGEST_PASSAGE, language)


def plain_parts(script: Script, language: str) -> list[Part]:
    """The paragraphs of a script that leaves no choice, none longer than a passage may be."""
    return no_longer_than([Part(text=text) for text in split_paragraphs(script.text())], LONGEST_PASSAGE, language)


def no_longer_than(parts: Sequence[Part], most_characters: int, language: str) -> list[Part]:
    """Parts as they are, those that are too long for a passage cut at sentences, else at words, else anywhere."""

    def cut(text: str) -> list[str]:
        if len(text) <= most_characters:
            return [text]
        pieces = split_to_size(text, most_characters, language)
        return [one for piece in pieces for one in cut_words(piece, most_characters)]

    return _each(parts, cut)


def _cut_script(
    script: Script, kinds: Collection[str], cut: str, *, most_characters: int, language: str
) -> list[Part]:  # fmt: skip
    spoken = [p for p in script.parts if p.kind in kinds and any(c.isalnum() for c in p.text)]
    match cut:
        case "one a sentence":
            return _each(spoken, lambda text: split_sentences(text, language))
        case "of at most":
            return _each(spoken, lambda text: split_to_size(text, most_characters, language))
        case "one a scene":
            whole = "\n\n".join(part.text for part in script.parts if part.kind in (*kinds, "heading"))
            return [Part(text=text) for text in split_scenes(whole)]
        case "one a speaker's turn":
            return _by_turn(spoken)
    return [Part(text=p.text, speaker=p.speaker, start_s=p.start_s, end_s=p.end_s) for p in spoken]


def _each(parts: Sequence[Part], cut: Callable[[str], list[str]]) -> list[Part]:
    out = []
    for part in parts:
        pieces = cut(part.text)
        times = (part.start_s, part.end_s) if len(pieces) == 1 else (None, None)
        out += [Part(text=text, speaker=part.speaker, start_s=times[0], end_s=times[1]) for text in pieces]
    return out


def _by_turn(parts: list[Part]) -> list[Part]:
    """Parts of one speaker after each other as one."""
    out: list[Part] = []
    for part in parts:
        if out and out[-1].speaker == part.speaker:
            last = out[-1]
            out[-1] = Part(
                text=f"{last.text}\n\n{part.text}", speaker=part.speaker, start_s=last.start_s, end_s=part.end_s
            )
        else:
            out.append(Part(text=part.text, speaker=part.speaker, start_s=part.start_s, end_s=part.end_s))
    return out

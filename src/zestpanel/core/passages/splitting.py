"""Splitting text at paragraph or sentence ends, never inside a number, an abbreviation or a quotation mark's pair."""

from __future__ import annotations

import re
from typing import Final

ABBREVIATIONS: Final = {
    "mr",
    "mrs",
    "ms",
    "dr",
    "prof",
    "st",
    "no",
    "nos",
    "vs",
    "etc",
    "e.g",
    "i.e",
    "cf",
    "ca",
    "c",
    "var",
    "cv",
    "syn",
    "approx",
    "fig",
    "vol",
    "p",
    "pp",
    "jan",
    "feb",
    "mar",
    "apr",
    "jun",
    "jul",
    "aug",
    "sep",
    "sept",
    "oct",
    "nov",
    "dec",
    "m",
    "mme",
    "mlle",
    "mm",
    "art",
    "env",
    "sr",
    "sra",
    "srta",
    "ud",
    "uds",
    "z.b",
    "bzw",
    "usw",
    "nr",
    "bd",
}
_END = re.compile(r"([.!?…]+)([\"'”’»)\]]*)(\s+)")


def split_paragraphs(text: str) -> list[str]:
    """Paragraphs: parts between empty lines, line breaks inside them folded to spaces."""
    parts = re.split(r"\n\s*\n", text)
    return [folded for part in parts if (folded := re.sub(r"\s*\n\s*", " ", part).strip())]


def split_sentences(text: str) -> list[str]:
    """Sentences of one paragraph. The parts joined by single spaces are the text with its spaces folded."""
    text = re.sub(r"\s+", " ", text).strip()
    out: list[str] = []
    start = 0
    for match in _END.finditer(text):
        before = text[start : match.start()]
        after = text[match.end() : match.end() + 2]
        if match.group(1) == ".":
            last = before.rsplit(" ", 1)[-1].strip("(\"'“‘«").lower()
            if last in ABBREVIATIONS or (len(last) == 1 and last.isalpha()):
                continue
            first = after.lstrip("(\"'“‘«¿¡")[:1]
            if first and (first.islower() or (last.isdigit() and first.isdigit())):
                continue
        elif after[:1].islower():
            continue  # "What?" she asked.
        out.append(text[start : match.end()].strip())
        start = match.end()
    if text[start:].strip():
        out.append(text[start:].strip())
    return out


def split_to_size(text: str, most_characters: int) -> list[str]:
    """Whole sentences gathered into parts of at most so many characters; a longer sentence stays alone and whole."""
    parts: list[str] = []
    for paragraph in split_paragraphs(text):
        gathered = ""
        for sentence in split_sentences(paragraph):
            if gathered and len(gathered) + 1 + len(sentence) > most_characters:
                parts.append(gathered)
                gathered = sentence
            else:
                gathered = f"{gathered} {sentence}".strip()
        if gathered:
            parts.append(gathered)
    return parts

"""One delivery mark and what may be said with it. Marks lie over the plain text by character index.

Kept engine-neutral: values are in units of our own (milliseconds, percent of normal, semitones, decibels).
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Final

from zestpanel.core.texts import tr

STRENGTHS: Final = ("none", "x-weak", "weak", "medium", "strong", "x-strong")  # W3C SSML 1.1, 3.2.3
LEVELS: Final = ("reduced", "moderate", "strong", "none")  # W3C SSML 1.1, 3.2.2
# W3C Working Group Note "SSML 1.0 say-as attribute values" (2005), the rest in use by several engines
SAY_AS: Final = (
    "characters",
    "digits",
    "cardinal",
    "ordinal",
    "fraction",
    "unit",
    "date",
    "time",
    "telephone",
    "spell-out",
)
DATE_FORMATS: Final = ("dmy", "mdy", "ymd", "md", "dm", "ym", "my", "d", "m", "y")
SOUNDS: Final = ("laugh", "sigh", "breath", "cough", "gasp", "throat")
_LANGUAGE: Final = re.compile(r"[A-Za-z]{2,3}(?:-[A-Za-z0-9]{2,8})*")


@dataclass(frozen=True, slots=True)
class MarkKind:
    """name: trade's word. point: stands between characters. hint: what to write. key: typed with Ctrl+Shift."""

    name: str
    hint: str
    default: str
    point: bool = False
    choices: tuple[str, ...] = ()
    key: str = ""


KINDS: Final = {
    kind.name: kind
    for kind in (
        MarkKind("pause", tr("milliseconds or seconds, or a named strength"), "250 ms", point=True, key="P"),
        MarkKind("emphasis", tr("how strongly"), "moderate", choices=LEVELS, key="E"),
        MarkKind("say-as", tr("how figures and letters are read"), "characters", choices=SAY_AS, key="A"),
        MarkKind("phoneme", tr("sounds in IPA"), "", key="I"),
        MarkKind("read as", tr("other words in its place"), "", key="W"),
        MarkKind("rate", tr("percent of normal: 85 is a little slower"), "85 %", key="R"),
        MarkKind("pitch", tr("semitones up or down"), "+2 st", key="T"),
        MarkKind("volume", tr("decibels louder or softer"), "-3 dB", key="V"),
        MarkKind("language", tr("the language these words are in"), "fr-FR", key="L"),
        MarkKind("speaker", tr("who says it"), "", key="S"),
        MarkKind("style", tr("calm, warm, whispered ..."), "calm", key="Y"),
        MarkKind("sound", tr("a sound that is acted, not read"), "laugh", point=True, choices=SOUNDS, key="U"),
    )
}


# marks of how words are read hold those words and nothing else: in W3C SSML 1.1 phoneme, sub and say-as hold text only
INNERMOST: Final = frozenset({"phoneme", "read as", "say-as"})


@dataclass(frozen=True, slots=True, order=True)
class DeliveryMark:
    """A mark over characters ``start`` to ``end`` of the text; start equals end for a pause or a sound."""

    start: int
    end: int
    kind: str
    value: str


def tidy_value(kind: str, value: str) -> str:
    """A value in its one way of writing. Raises ValueError with the reason."""
    text = " ".join(value.split())
    if kind not in KINDS:
        raise ValueError(tr("there is no mark '{kind}'", kind=kind))
    match kind:
        case "pause":
            return _pause(text)
        case "rate":
            percent = _number(text, "%", 20, 300, tr("percent of normal"))
            return f"{percent:g} %"
        case "pitch":
            return f"{_number(text, 'st', -24, 24, 'semitones'):+g} st"
        case "volume":
            return f"{_number(text, 'dB', -40, 20, 'decibels'):+g} dB"
        case "say-as":
            form, _, dates = text.partition(":")
            if form not in SAY_AS or (dates and (form != "date" or dates not in DATE_FORMATS)):
                raise ValueError(
                    tr("say-as is one of {say_as}; a date may say its order, as in date:dmy", say_as=", ".join(SAY_AS))
                )
            return text
        case "emphasis" | "sound":
            if text not in KINDS[kind].choices:
                raise ValueError(tr("{kind} is one of {choices}", kind=kind, choices=", ".join(KINDS[kind].choices)))
            return text
        case "language":
            if not _LANGUAGE.fullmatch(text):
                raise ValueError(tr("'{words}' is no language tag, such as fr-FR", words=text))
            return text
    if not text:
        raise ValueError(tr("{kind} needs a value: {hint}", kind=kind, hint=KINDS[kind].hint))
    return text


def _pause(text: str) -> str:
    if text in STRENGTHS:
        return text
    found = re.fullmatch(r"(\d+(?:[.,]\d+)?)\s*(ms|s)", text)
    if not found:
        raise ValueError(
            tr("a pause is a time such as 250 ms or 0.8 s, or one of {strengths}", strengths=", ".join(STRENGTHS))
        )
    ms = float(found[1].replace(",", ".")) * (1000 if found[2] == "s" else 1)
    if ms > 10_000:
        raise ValueError(tr("a pause is at most 10 s"))
    return f"{ms:g} ms"


def _number(text: str, unit: str, low: float, high: float, what: str) -> float:
    found = re.fullmatch(rf"([+\-−]?\d+(?:[.,]\d+)?)\s*(?:{re.escape(unit)})?", text, re.IGNORECASE)
    number = float(found[1].replace(",", ".").replace("−", "-")) if found else None
    if number is None or not low <= number <= high:
        raise ValueError(
            tr("'{words}' is not from {low} to {high} {what}", words=text, low=f"{low:g}", high=f"{high:g}", what=what)
        )
    return number


def number_of(mark: DeliveryMark) -> float:
    """The figure of a rate (percent), pitch (semitones), volume (decibels) or timed pause (milliseconds)."""
    return float(mark.value.split()[0])


def problems(text: str, marks: Iterable[DeliveryMark]) -> list[str]:
    """What is wrong with marks over a text, in words; empty when they can be sent."""
    return [words for _, words in _problems(text, marks)]


def clashes(text: str, marks: Iterable[DeliveryMark]) -> list[str]:
    """Of the problems those of where marks stand: none can be set there."""
    return [words for place, words in _problems(text, marks) if place]


def _problems(text: str, marks: Iterable[DeliveryMark]) -> list[tuple[bool, str]]:
    """(whether it is about where the mark stands, in words)."""
    found: list[tuple[bool, str]] = []
    open_until: list[DeliveryMark] = []
    for mark in in_order(marks):
        kind = KINDS.get(mark.kind)
        where = tr("{kind} at character {start}", kind=mark.kind, start=mark.start + 1)
        if kind is None:
            found.append((False, tr("there is no mark '{kind}'", kind=mark.kind)))
            continue
        if not 0 <= mark.start <= mark.end <= len(text):
            found.append((False, tr("{where} lies outside the text", where=where)))
            continue
        if kind.point != (mark.start == mark.end):
            found.append((False, tr("{where} stands between characters", where=where)) if kind.point else
                         (True, tr("{where} covers no words", where=where)))  # fmt: skip
        try:
            tidy_value(mark.kind, mark.value)
        except ValueError as error:
            found.append((False, f"{where}: {error}"))
        while open_until and open_until[-1].end <= mark.start:
            open_until.pop()
        if open_until and mark.end > open_until[-1].end:
            other = open_until[-1].kind
            found.append((True, tr("{where} and {kind} cross each other: one must lie within the other", where=where,
                                   kind=other)))  # fmt: skip
        elif open_until and open_until[-1].kind in INNERMOST:
            found.append((True, tr("{where} lies within {kind}, which holds nothing but the words that are read so",
                                   where=where, kind=open_until[-1].kind)))  # fmt: skip
        if mark.end > mark.start:
            open_until.append(mark)
    return found


def in_order(marks: Iterable[DeliveryMark]) -> list[DeliveryMark]:
    """Marks so that an outer one comes before what lies within it, and a pause before words that are read as others."""
    listed = list(marks)
    inner: dict[int, int] = {}  # the longest mark of how words are read, by where it begins
    others: dict[int, int] = {}  # the shortest other one
    for mark in listed:
        if mark.end > mark.start and mark.kind in INNERMOST:
            inner[mark.start] = max(mark.end, inner.get(mark.start, mark.end))
        elif mark.end > mark.start:
            others[mark.start] = min(mark.end, others.get(mark.start, mark.end))

    def key(mark: DeliveryMark) -> tuple[int, int, int, str, str]:
        start, end = mark.start, mark.end
        if start == end and others.get(start, inner.get(start, 0)) >= inner.get(start, start):
            end = inner.get(start, end)  # it stands before these words
        return start, -end, 2 if mark.kind in INNERMOST else int(mark.start == mark.end), mark.kind, mark.value

    return sorted(listed, key=key)


def spans_of(marks: Iterable[DeliveryMark]) -> list[tuple[int, int]]:
    """The pieces of text that marks cover and that are not to be cut; a speaker's or a language's may be."""
    return [(m.start, m.end) for m in marks if m.end > m.start and m.kind not in LOOSE]


# marks that can be closed and opened again where a text is cut into requests
LOOSE: Final = frozenset({"speaker", "language", "rate", "pitch", "volume", "style"})


def clipped(marks: Iterable[DeliveryMark], start: int, end: int, *, last: bool = True) -> list[DeliveryMark]:
    """The marks of a piece, by index within it. last: whether points at its very end belong to it."""
    out = []
    for m in marks:
        if m.start == m.end:
            if start <= m.start < end or (last and m.start == end):
                out.append(replace(m, start=m.start - start, end=m.start - start))
        elif m.start < end and m.end > start:
            out.append(replace(m, start=max(m.start, start) - start, end=min(m.end, end) - start))
    return out


def as_json(marks: Iterable[DeliveryMark]) -> str:
    """The one way of writing marks, for keeping and for hashing."""
    return json.dumps([[m.start, m.end, m.kind, m.value] for m in in_order(marks)], ensure_ascii=False)


def from_json(rows: Sequence[Sequence[object]]) -> tuple[DeliveryMark, ...]:
    return tuple(DeliveryMark(int(str(a)), int(str(b)), str(kind), str(value)) for a, b, kind, value in rows)

"""Delivery marks to and from SSML (W3C Recommendation "Speech Synthesis Markup Language Version 1.1", 2010).

Reading is strict: what the schema of the standard does not have, or a value that makes no sense, is an error with its
line.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Final, NoReturn
from xml.parsers import expat
from xml.sax.saxutils import escape, quoteattr

from zestpanel.core.domain.mark import DeliveryMark, in_order, number_of, tidy_value
from zestpanel.core.errors import InputError
from zestpanel.core.text.standards.schema import departure
from zestpanel.core.texts import tr

NAMESPACE: Final = "http://www.w3.org/2001/10/synthesis"
# what prosody's named values mean as figures: common practice, no source; SSML leaves them to the engine
_RATES: Final = {"x-slow": 60, "slow": 80, "medium": 100, "fast": 125, "x-fast": 160, "default": 100}
_PITCHES: Final = {"x-low": -6, "low": -3, "medium": 0, "high": 3, "x-high": 6, "default": 0}
_VOLUMES: Final = {"silent": -40, "x-soft": -12, "soft": -6, "medium": 0, "loud": 6, "x-loud": 12, "default": 0}


def element_of(mark: DeliveryMark) -> str:
    """The SSML element that carries a mark."""
    return {
        "pause": "break",
        "read as": "sub",
        "rate": "prosody",
        "pitch": "prosody",
        "volume": "prosody",
        "language": "lang",
        "speaker": "voice",
        "style": "style",
        "sound": "sound",
    }.get(mark.kind, mark.kind)


def opening(mark: DeliveryMark) -> tuple[str, str]:
    """(opening tag, closing tag) of a mark; ('', '') for what SSML 1.1 has no element for."""
    match mark.kind:
        case "pause" if mark.value[0].isdigit():
            return f'<break time="{number_of(mark):g}ms"/>', ""
        case "pause":
            return f'<break strength="{mark.value}"/>', ""
        case "emphasis":
            return f'<emphasis level="{mark.value}">', "</emphasis>"
        case "say-as":
            form, _, order = mark.value.partition(":")
            more = f' format="{order}"' if order else ""
            return f'<say-as interpret-as="{form}"{more}>', "</say-as>"
        case "phoneme":
            return f'<phoneme alphabet="ipa" ph={quoteattr(mark.value)}>', "</phoneme>"
        case "read as":
            return f"<sub alias={quoteattr(mark.value)}>", "</sub>"
        case "rate":
            return f'<prosody rate="{number_of(mark):g}%">', "</prosody>"
        case "pitch":
            return f'<prosody pitch="{number_of(mark):+g}st">', "</prosody>"
        case "volume":
            return f'<prosody volume="{number_of(mark):+g}dB">', "</prosody>"
        case "language":
            return f'<lang xml:lang="{mark.value}">', "</lang>"
        case "speaker":
            return f"<voice name={quoteattr(mark.value)}>", "</voice>"
    return "", ""


def inline(text: str, marks: Iterable[DeliveryMark]) -> str:
    """The text with marks as elements around it, without the root."""
    return woven(text, marks, opening, escape)


def woven(
    text: str,
    marks: Iterable[DeliveryMark],
    write: Callable[[DeliveryMark], tuple[str, str]],
    escaped: Callable[[str], str],
) -> str:
    """Text with each mark's opening and closing put in at its place, nested as the marks are."""
    out: list[str] = []
    open_marks: list[tuple[int, str]] = []
    at = 0

    def text_up_to(place: int) -> None:
        nonlocal at
        while open_marks and open_marks[-1][0] <= place:
            end, closing = open_marks.pop()
            out.append(escaped(text[at:end]))
            out.append(closing)
            at = end
        out.append(escaped(text[at:place]))
        at = place

    for mark in in_order(marks):
        text_up_to(mark.start)
        first, last = write(mark)
        out.append(first)
        if mark.end > mark.start:
            open_marks.append((mark.end, last))
    text_up_to(len(text))
    return "".join(out)


def to_ssml(text: str, marks: Iterable[DeliveryMark], language: str) -> str:
    """A whole SSML 1.1 document. Marks that SSML has no element for (style, sound) are not in it."""
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<speak version="1.1" xmlns="{NAMESPACE}" xml:lang="{language}">{inline(text, marks)}</speak>\n'
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class SsmlText:
    """What a document says: text, marks, language, and what it holds that no mark of ours stands for."""

    text: str
    marks: tuple[DeliveryMark, ...]
    language: str
    left_out: tuple[str, ...] = ()


@dataclass
class _Open:
    name: str
    attributes: dict[str, str]
    line: int
    start: int
    silent: bool = False
    marks: list[tuple[str, str]] = field(default_factory=list)


class _Reader:
    def __init__(self, what: str) -> None:
        self.what = what
        self.parser = expat.ParserCreate("utf-8")  # what is read is text by now, whatever it says of itself
        self.parser.StartElementHandler = self.start
        self.parser.EndElementHandler = self.end
        self.parser.CharacterDataHandler = self.data
        self.signs: list[str] = []  # one by one: what is added and folded at its end costs the same however long it is
        self.stack: list[_Open] = []
        self.marks: list[DeliveryMark] = []
        self.left_out: list[str] = []
        self.language = ""

    def fail(self, why: str, line: int | None = None) -> NoReturn:
        raise InputError(
            tr("{what}, line {currentlinenumber}: {why}.", what=self.what,
               currentlinenumber=self.parser.CurrentLineNumber if line is None else line, why=why),
            kept=tr("Nothing was changed."),
        )  # fmt: skip

    def read(self, source: str) -> SsmlText:
        if (found := departure(source, "ssml-1.1", NAMESPACE)) is not None:
            self.fail(found[1], found[0])
        self.parser.Parse(source.encode("utf-8", "replace"), True)
        whole = "".join(self.signs)
        lead = len(whole) - len(whole.lstrip())
        text = whole.strip()
        marks = [
            DeliveryMark(max(0, m.start - lead), min(max(0, m.end - lead), len(text)), m.kind, m.value)
            for m in self.marks
        ]
        left_out = tuple(dict.fromkeys(self.left_out))
        return SsmlText(text=text, marks=tuple(in_order(marks)), language=self.language, left_out=left_out)

    def start(self, name: str, attributes: dict[str, str]) -> None:
        if self.stack and self.stack[-1].silent:  # not said: what stands within is no mark of the text
            self.stack.append(
                _Open(self.stack[-1].name, {}, self.parser.CurrentLineNumber, len(self.signs), silent=True)
            )
            return
        name = name.rpartition(":")[2]  # of SSML, whatever prefix stands for it here
        if not self.stack:
            if name != "speak":
                self.fail(tr("the root is <{name}>, an SSML document begins with <speak>", name=name))
            if attributes.get("version", "1.1") not in ("1.0", "1.1"):
                self.fail(tr("version {attributes} is not known, 1.0 and 1.1 are", attributes=attributes["version"]))
            self.language = attributes.get("xml:lang", "")
        if name == "p" and any(o.name in ("p", "s") for o in self.stack):
            self.fail(tr("<p> may not stand within a paragraph or a sentence"))
        if name == "s" and any(o.name == "s" for o in self.stack):
            self.fail(tr("<s> may not stand within a sentence"))
        if name in ("p", "s"):
            self._space("\n\n" if name == "p" else " ")
        opened = _Open(name, attributes, self.parser.CurrentLineNumber, len(self.signs))
        opened.silent = name in ("metadata", "desc", "audio")
        opened.marks = self._marks_of(name, attributes)
        if name == "break":
            self.marks.append(DeliveryMark(len(self.signs), len(self.signs), *opened.marks[0]))
            opened.marks = []
        self.stack.append(opened)

    def end(self, name: str) -> None:
        opened = self.stack.pop()
        end = len(self.signs)
        for kind, value in opened.marks:
            start = opened.start
            while start < end and self.signs[start].isspace():
                start += 1
            while end > start and self.signs[end - 1].isspace():
                end -= 1
            if start == end:
                self.fail(tr("<{name}> holds no words", name=opened.name))
            self.marks.append(DeliveryMark(start, end, kind, value))
        if opened.name in ("p", "s"):
            self._space("\n\n" if opened.name == "p" else " ")

    def data(self, data: str) -> None:
        if self.stack and self.stack[-1].silent:
            return
        folded = re.sub(r"[ \t\r\n]+", " ", data)  # what XML calls white space; a no-break space is a sign of the text
        if folded.startswith(" ") and (not self.signs or self.signs[-1].isspace()):
            folded = folded[1:]
        self.signs += folded

    def _space(self, wanted: str) -> None:
        if wanted == " " and self.signs[-2:] == ["\n", "\n"]:
            return
        # marks never end in the space that is folded here: they are closed before it
        while self.signs and self.signs[-1].isspace():
            self.signs.pop()
        if self.signs:
            self.signs += wanted

    def _marks_of(self, name: str, attributes: dict[str, str]) -> list[tuple[str, str]]:
        def checked(kind: str, value: str) -> tuple[str, str]:
            try:
                return kind, tidy_value(kind, value)
            except ValueError as error:
                self.fail(f"<{name}>: {error}")
                raise

        match name:
            case "break":
                return [checked("pause", attributes.get("time") or attributes.get("strength") or "medium")]
            case "emphasis":
                return [checked("emphasis", attributes.get("level") or "moderate")]
            case "say-as":
                order = attributes.get("format", "")
                form = attributes["interpret-as"]
                return [checked("say-as", f"{form}:{order}" if form == "date" and order else form)]
            case "phoneme":
                if attributes.get("alphabet", "ipa") != "ipa":
                    self.fail(
                        tr(
                            "phonemes in the alphabet '{attributes}' cannot be read, only in ipa",
                            attributes=attributes["alphabet"],
                        )
                    )
                return [checked("phoneme", attributes["ph"])]
            case "sub":
                return [checked("read as", attributes["alias"])]
            case "lang":
                return [checked("language", attributes["xml:lang"])]
            case "voice":
                named = attributes.get("name", "").split()
                if named:
                    return [checked("speaker", attributes["name"])]
                self.left_out.append(tr("voice chosen by gender or age"))
                return [checked("language", attributes["xml:lang"])] if "xml:lang" in attributes else []
            case "prosody":
                return self._prosody(attributes, checked)
            case "p" | "s" | "token" | "w" if "xml:lang" in attributes:
                return [checked("language", attributes["xml:lang"])]
            case "audio" | "mark" | "lexicon" | "lookup" | "meta" | "metadata":
                self.left_out.append(f"<{name}>")
        return []

    def _prosody(
        self, attributes: dict[str, str], checked: Callable[[str, str], tuple[str, str]]
    ) -> list[tuple[str, str]]:
        out: list[tuple[str, str]] = []
        for attribute, value in attributes.items():
            if attribute == "rate":
                if value.strip().startswith(("+", "-")):
                    self.fail(tr("prosody: a rate is a percentage of normal without a sign (SSML 1.1, 3.2.4)"))
                named = _RATES.get(value)
                out.append(checked("rate", f"{named} %" if named else value))
            elif attribute == "pitch" and (value in _PITCHES or value.endswith("st")):
                out.append(checked("pitch", f"{_PITCHES[value]} st" if value in _PITCHES else value))
            elif attribute == "volume" and (value in _VOLUMES or value.endswith("dB")):
                out.append(checked("volume", f"{_VOLUMES[value]} dB" if value in _VOLUMES else value))
            elif attribute not in ("xml:lang", "xml:id", "xml:base"):
                self.left_out.append(f"prosody {attribute}={value}")
        if "xml:lang" in attributes:
            out.append(checked("language", attributes["xml:lang"]))
        return out


def from_ssml(source: str, what: str = tr("The SSML")) -> SsmlText:
    """Read a document. Raises InputError with line and reason where it is not valid SSML 1.1 or not well formed."""
    return _Reader(what).read(source)

"""What makes a text hard to read out, found by rule: each hard part with its kind and place."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from functools import lru_cache
from importlib import resources
from typing import Final

import yaml

from zestpanel.core.text.splitting import is_abbreviation, sentence_spans
from zestpanel.core.texts import tr
from zestpanel.core.waiting import stand_aside

LONG_SENTENCE_WORDS: Final = 28  # common practice, no source

KINDS: Final = {
    "numbers": tr("figures and decimals"),
    "dates": tr("days, months and years"),
    "times": tr("of the clock"),
    "money": tr("amounts with a currency"),
    "units": tr("weights, lengths, degrees, shares"),
    "abbreviations": tr("Dr., kg, e.g."),
    "acronyms": tr("spelt or spoken"),
    "names": tr("of people and places"),
    "foreign words": tr("letters the language does not use"),
    "homographs": tr("one spelling, two readings"),
    "long sentences": tr("over {long_sentence_words} words", long_sentence_words=LONG_SENTENCE_WORDS),
    "lists": tr("of three and more"),
    "questions": "",
    "exclamations": "",
    "dialogue": tr("speech within quotation marks"),
    "parentheses": "asides",
    "addresses": tr("of pages and mail"),
    "symbols": tr("signs that must be spoken or left out"),
    "tongue-twisters": tr("the same beginnings in a row"),
    "repeated letters": "noooo, shhh",
    "capitals": tr("whole words in capitals"),
    "emoji": "",
    "acted sounds": tr("a laugh or a sigh, to be acted and not read"),
    "odd punctuation": tr("doubled or missing marks"),
}

_MONTHS: Final = (
    "january|february|march|april|may|june|july|august|september|october|november|december|"
    "janvier|février|mars|avril|mai|juin|juillet|août|septembre|octobre|novembre|décembre|"
    "enero|febrero|marzo|abril|mayo|junio|julio|agosto|septiembre|octubre|noviembre|diciembre|"
    "januar|februar|märz|juni|juli|oktober|dezember|gennaio|febbraio|aprile|maggio|giugno|luglio|settembre|ottobre|"
    "dicembre|janeiro|fevereiro|março|maio|junho|julho|setembro|outubro|novembro|dezembro"
)
_UNITS: Final = r"kg|g|mg|t|km|m|cm|mm|ha|l|cl|ml|°\s?[CF]?|%|‰|km/h|mph|kWh|W|V|Hz|kHz|dB|MB|GB|lb|oz|ft|in"
_CURRENCY: Final = r"[£$€¥]|EUR|USD|GBP|CHF|euros?|pounds?|dollars?|shillings?|pence|francs?|pesos?"
_RULES: Final[tuple[tuple[str, str], ...]] = (
    ("addresses", r"https?://\S+|www\.\S+|\b[\w.+-]+@[\w-]+\.\w+(?:\.\w+)*"),
    ("acted sounds", r"\[(?:\w+\s?){1,4}\]|\*(?:laughs?|sighs?|coughs?|gasps?|giggles?|rit|soupire|lacht|seufzt|ríe|"
                     r"suspira|ride|sospira|ri)\*|\b[Hh]a(?:[- ,]?ha)+\b|\b[Hh]e(?:[- ]?he)+\b|"
                     r"\b[Jj]a(?:[- ]?ja){2,}\b"),
    ("dates", rf"\b\d{{1,2}}(?:st|nd|rd|th|er|\.|º)?\s+(?:of\s+|de\s+)?(?:{_MONTHS})\b(?:\s+(?:de\s+)?\d{{4}})?|"
              rf"\b(?:{_MONTHS})\s+\d{{1,2}}(?:st|nd|rd|th)?\b(?:,\s*\d{{4}})?|\b\d{{1,4}}[-/.]\d{{1,2}}[-/.]\d{{2,4}}\b|"
              r"\b(?:1[0-9]|20)\d{2}s?\b(?!\s*(?:kg|km|m|g|%|€))"),
    ("times", r"\b\d{1,2}[:h]\d{2}\b|\b\d{1,2}(?:[:.]\d{2})?\s*(?:a\.m\.|p\.m\.|am|pm|o'clock|heures?|Uhr|horas?)\b"),
    ("money", rf"(?:{_CURRENCY})\s?\d[\d.,\u202f\u00a0 ]*\d|(?:{_CURRENCY})\s?\d|\b\d[\d.,]*\s?(?:{_CURRENCY})(?!\w)|"
              r"\b(?:\w+)\s(?:euros?|pounds?|shillings?|dollars?)\b"),
    ("units", rf"\b\d[\d.,]*\s?(?:{_UNITS})(?![\w])"),
    ("numbers", r"\b\d[\d.,\u202f\u00a0]*\d\b|\b\d\b|\b[IVXLC]{2,}\b(?=\s|[.,;:]|$)"),
    ("parentheses", r"\([^()]{2,}\)|\s[–—]\s[^–—.!?]{3,60}\s[–—]\s"),
    ("dialogue", r"[“«„][^”»“]{2,}[”»“]|\"[^\"]{2,}\""),
    ("symbols", r"[&+=<>#@~^|\\/*_§¶†‡©®™×÷±≈≤≥→←•]"),
    ("repeated letters", r"\b\w*([A-Za-zÀ-ÿ])\1{2,}\w*\b"),
    ("emoji", r"[\U0001F300-\U0001FAFF\u2600-\u27BF]|(?<!\w)[:;]-?[)(DP](?!\w)"),
    ("odd punctuation", r"[!?]{2,}|,,|;;|\.{2}(?!\.)(?<!\.\.\.)|\s[,;:.](?=\s|$)(?<!\s[:;])|…\s*\.{1,}"),
    ("questions", r"(?<![^.!?…])[^.!?…]*\?"),
    ("exclamations", r"(?<![^.!?…])[^.!?…]*!"),
    ("lists", r"(?:\b[\w'’-]+(?:\s[\w'’-]+){0,2},\s){2,}(?:and|or|et|ou|y|o|und|oder|e)\s\w+"),
)  # fmt: skip
_LETTERS: Final = {
    "en": "",
    "fr": "àâæçéèêëîïôœùûüÿ",
    "es": "áéíñóúü",
    "de": "äöüß",
    "it": "àèéìíîòóùú",
    "pt": "áâãàçéêíóôõú",
}
_TWISTER: Final = re.compile(r"\b([^\W\d_])[\w'’]*(?:\s+(?:\w{1,3}\s+)?\1[\w'’]*){3,}", re.IGNORECASE)


@dataclass(frozen=True, slots=True, order=True)
class Difficulty:
    """A hard part: characters start to end of the text, its words, and a note where there is something to say."""

    start: int
    end: int
    kind: str
    words: str
    note: str = ""


@lru_cache(maxsize=1)
def homographs() -> dict[str, dict[str, str]]:
    """Readings by word, by language."""
    text = (resources.files("zestpanel.core.text") / "homographs.yaml").read_text("utf-8")
    found: dict[str, dict[str, str]] = yaml.safe_load(text)
    return found


@lru_cache(maxsize=1)
def _compiled() -> list[tuple[str, re.Pattern[str]]]:
    flags = {"dates": re.IGNORECASE, "times": re.IGNORECASE, "money": re.IGNORECASE}
    return [(kind, re.compile(rule, flags.get(kind, 0))) for kind, rule in _RULES]


_LONGEST_WORD: Final = 200  # longer ones are none that anybody reads out
_WINDOW: Final = 1_500
GIANT: Final = re.compile(rf"\S{{{_LONGEST_WORD + 1},}}")


def find_difficulties(text: str, language: str) -> list[Difficulty]:
    """All hard parts by place. What is a date is not also a number: a part inside one of a closer kind is left out.

    The rules look at a window of some sentences at a time, and not into words that nobody reads out, so that the work
    follows the length of any text.
    """
    found: list[Difficulty] = []
    for giant in GIANT.finditer(text):
        note = tr("one word of {giant} characters", giant=f"{len(giant[0]):,}")
        found.append(Difficulty(*giant.span(), "odd punctuation", f"{giant[0][:30]}…", note))
    blank = GIANT.sub(lambda giant: " " * len(giant[0]), text) if found else text
    for start, end in _windows(blank):
        stand_aside()
        found += (
            replace(one, start=one.start + start, end=one.end + start) for one in _in_window(blank[start:end], language)
        )
    found += _sentences(blank, language)
    found += _unended(blank)
    return sorted(found)


def _windows(text: str) -> Iterator[tuple[int, int]]:
    """Where the windows are: lines, longer ones cut behind a sentence or a word."""
    for line in _PARAGRAPH.finditer(text):
        start, end = line.span()
        while end - start > _WINDOW:
            piece = text[start : start + _WINDOW]
            at = max(piece.rfind(mark) for mark in (". ", "! ", "? ", "… "))
            at = at if at > 0 else piece.rfind(" ")
            cut = start + (at + 1 if at > 0 else _WINDOW)
            if text[start:cut].strip():
                yield start, cut
            start = cut
        if text[start:end].strip():
            yield start, end


def _in_window(text: str, language: str) -> list[Difficulty]:
    primary = language.split("-")[0].lower()
    found: list[Difficulty] = []
    taken: list[tuple[int, int]] = []
    needless = _needless(text)
    for kind, rule in _compiled():
        if kind in needless:
            continue
        for match in rule.finditer(text):
            start, end = match.span()
            figures = kind in ("dates", "times", "money", "units", "numbers", "addresses", "symbols")
            if figures and any(a <= start and end <= b for a, b in taken):
                continue
            if figures:
                taken.append((start, end))
            found.append(Difficulty(start, end, kind, match.group().strip()))
    found += [
        word
        for word in _words(text, primary)
        if word.kind != "names" or not any(a <= word.start and word.end <= b for a, b in taken)  # a month is no name
    ]
    found += [Difficulty(*m.span(), "tongue-twisters", m.group()) for m in _TWISTER.finditer(text)]
    return found


_FIGURE: Final = re.compile(r"\d")
_MONEY_WORD: Final = re.compile(r"euro|pound|shilling|dollar", re.IGNORECASE)


def _needless(text: str) -> frozenset[str]:
    """Rules that cannot find anything there, told by a quick look: most of the time goes into them."""
    if _FIGURE.search(text):
        return frozenset()
    return frozenset({"dates", "times", "units"} | (set() if _MONEY_WORD.search(text) else {"money"}))


def _words(text: str, primary: str) -> Iterator[Difficulty]:
    readings = homographs().get(primary, {})
    foreign = re.compile(rf"[^\W\d_a-zA-Z{_LETTERS.get(primary, '')}{_LETTERS.get(primary, '').upper()}]")
    starts = {match.end() for match in re.finditer(r"(?:^|[.!?…:]['\"”’»)]*\s+|[\"“«„(‘]\s?|\n)", text)}
    for match in re.finditer(r"[^\W\d_]+(?:['’-][^\W\d_]+)*\.?", text):
        word = match.group()
        bare = word.rstrip(".")
        start, end = match.start(), match.start() + len(bare)
        if word.endswith(".") and is_abbreviation(bare, primary) and (len(bare) > 1 or bare.isupper()):
            yield Difficulty(start, match.end(), "abbreviations", word)
        elif re.fullmatch(r"[A-Z]{2,5}", bare):
            yield Difficulty(start, end, "acronyms", bare)
        elif len(bare) > 5 and bare.isupper():
            yield Difficulty(start, end, "capitals", bare)
        elif bare[:1].isupper() and start not in starts and primary != "de" and bare.lower() != "i" and len(bare) > 1:
            yield Difficulty(start, end, "names", bare)
        if bare.lower() in readings:
            yield Difficulty(start, end, "homographs", bare, readings[bare.lower()])
        if foreign.search(bare) and primary in _LETTERS:
            yield Difficulty(start, end, "foreign words", bare)


_PARAGRAPH: Final = re.compile(r"[^\n]+")
FEWEST_WORDS_ENDED: Final = 5  # shorter lines may be headings (common practice, no source)


def _unended(text: str) -> Iterator[Difficulty]:
    """Paragraphs that end without a mark: engines read on, or stop with the voice in the air."""
    for line in _PARAGRAPH.finditer(text):
        words = line[0].split()
        if len(words) >= FEWEST_WORDS_ENDED and words[-1][-1].isalnum():
            end = line.start() + len(line[0].rstrip())
            yield Difficulty(end - len(words[-1]), end, "odd punctuation", words[-1], tr("no mark at the end"))


def _sentences(text: str, language: str) -> Iterator[Difficulty]:
    for start, end in sentence_spans(text, language):
        words = len(text[start:end].split())
        if words > LONG_SENTENCE_WORDS:
            yield Difficulty(start, end, "long sentences", tr("{words} words", words=words))


def kinds_of(
    text: str, language: str, *, added: Iterable[str] = (), removed: Iterable[str] = ()
) -> list[str]:  # fmt: skip
    """Kinds of hard parts in a text, in the order of KINDS, after a person's corrections."""
    found = ({d.kind for d in find_difficulties(text, language)} | set(added)) - set(removed)
    return [kind for kind in KINDS if kind in found]

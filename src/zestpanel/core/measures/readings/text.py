"""A written text as places one after another, each with all its readings in plain words."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

from zestpanel.core.measures.readings import figures
from zestpanel.core.measures.readings.numbers import (
    MOST_FIGURES,
    digits,
    number,
    number_pattern,
    ordinal,
    parts_of,
    signed,
)
from zestpanel.core.measures.readings.words import LANGUAGES, Reading, alike, joined, plain, primary, spoken, ways

Rule = Callable[[re.Match[str], str, str], list[Reading]]
_APART: Final = {"²": "2\u200b", "³": "3\u200b", "½": " 1/2", "¼": " 1/4", "¾": " 3/4", "⅓": " 1/3", "⅔": " 2/3"}
_START: Final = re.compile(r"\S")


@dataclass(frozen=True, slots=True)
class Place:
    """A stretch of the text and what it may sound like; the first reading is the usual one, () is silence."""

    written: str
    readings: tuple[Reading, ...]


_ROMAN: Final = {"I": 1, "V": 5, "X": 10, "L": 50, "C": 100}
_MINUS: Final = r"(?P<minus>(?<![\w)])[-−–](?=\d|[£€$]))?"
_ORDINAL_ENDS: Final = {
    "en": r"(?:st|nd|rd|th)\b", "fr": r"(?:er|ère|re|ers|nd|nde|e|ème|eme|ième)\b", "es": r"(?:[ºª]|\.[ºª]|o\b|a\b)",
    "it": r"[ºª°]", "pt": r"[ºª]", "de": r"\.(?=\s+[A-ZÄÖÜ])",
}  # fmt: skip


def places(text: str, language: str) -> list[Place]:
    """The text from its beginning to its end. Punctuation between words is no place."""
    # an ordinal sign, a fraction sign and a square are lost when forms are folded: they are kept apart before
    for sign, other in _APART.items():
        text = text.replace(sign, other)
    kept = {"º": "\ue000", "ª": "\ue001"}
    for sign, other in kept.items():
        text = text.replace(sign, other)
    text = unicodedata.normalize("NFKC", text).replace("\u200b", "").replace("\u00ad", "")
    for sign, other in kept.items():
        text = text.replace(other, sign)
    text = re.sub(r"[’ʼ‘`´]", "'", text)
    if primary(language) == "en":
        text = re.sub(r"(?i)\bper cent\b", "percent", text)
    out: list[Place] = []
    rules = _rules(primary(language))
    start = _START.search(text)
    while start is not None:
        written, readings = _read(text, start.start(), rules, language)
        readings = [alike(reading, language) for reading in readings]
        if any(readings):
            out.append(Place(written, tuple(dict.fromkeys(readings))))
        start = _START.search(text, start.start() + max(1, len(written)))
    return out


def _read(
    text: str, at: int, rules: tuple[tuple[re.Pattern[str], Rule], ...], language: str
) -> tuple[str, list[Reading]]:
    """(what is written from a place on, its readings) by the first rule that fits; else a sign and nothing."""
    for pattern, rule in rules:
        found = pattern.match(text, at)
        if found is not None and found.end() > at and (readings := rule(found, text[:at][-8:], language)):
            return found[0], readings
    return text[at], []


def _money(found: re.Match[str], before: str, language: str) -> list[Reading]:
    sign = next(filter(None, (found["c1"], found["c2"])))
    currency = figures.CURRENCIES.get(sign, sign)
    written = found["m1"] or found["m2"]
    out = figures.money(written, currency, found["s1"] or found["s2"] or "", language)
    return signed(out, language) if found["minus"] else out


def _percent(found: re.Match[str], before: str, language: str) -> list[Reading]:
    return _with_sign(found, figures.percent(found["n"], found["sign"], language), before, language)


def _degrees(found: re.Match[str], before: str, language: str) -> list[Reading]:
    return _with_sign(found, figures.degrees(found["n"], found["scale"] or "", language), before, language)


def _unit(found: re.Match[str], before: str, language: str) -> list[Reading]:
    readings = figures.with_unit(found["n"], found["unit"], language)
    if found["unit"] == "in":  # '5 in a row' counts no inches
        readings += joined(number(found["n"], language), [("in",)])
    return _with_sign(found, readings, before, language)


def _number(found: re.Match[str], before: str, language: str) -> list[Reading]:
    readings = number(found["n"], language)
    beside = re.search(r"\d\s$", before) or re.match(r"\s\d", found.string[found.end() : found.end() + 2])
    if beside and found["n"].isdigit():  # groups of figures, as telephone numbers are written
        readings.append(digits(found["n"], language))
    return _with_sign(found, readings, before, language)


def _with_sign(found: re.Match[str], readings: list[Reading], before: str, language: str) -> list[Reading]:
    if found["dash"] and re.search(r"\d\s?$", before):  # two numbers with a dash between: 'to' may be said
        return joined(ways(spoken(primary(language)).get("range", "to|")), readings)
    return signed(readings, language) if found["minus"] else readings


def _ratio(found: re.Match[str], before: str, language: str) -> list[Reading]:
    """'3:1': 'three to one'."""
    first, second = number(found["ra"], language), number(found["rb"], language)
    return joined(first, ways(spoken(primary(language)).get("ratio", "")), second)


def _version(found: re.Match[str], before: str, language: str) -> list[Reading]:
    """'2.0.1': 'two point zero point one'."""
    parts = [[*number(n, language), digits(n, language)] for n in found["vers"].split(".")]
    point = [
        *ways(spoken(primary(language)).get("dot", "point")),
        *ways(spoken(primary(language)).get("point", "point")),
        (),
    ]
    out = parts[0]
    for part in parts[1:]:
        out = joined(out, point, part)
    return out


def _address(found: re.Match[str], before: str, language: str) -> list[Reading]:
    """'www.example.org/a': the dots, strokes and the at said; 'www' letter by letter."""
    table = spoken(primary(language))
    said: dict[str, list[Reading]] = {".": ways(table["dot"]), "/": ways(table["stroke"]), "-": ways(table["hyphen"]),
            "_": [("underscore",)], "@": ways(table["signs"]["@"]), "+": [("plus",)], ":": [()]}  # fmt: skip
    out: list[Reading] = [()]
    for part in re.findall(r"[^\W_]+|[-./_@+:]", re.sub(r"^https?://|/$", "", found["addr"])):
        spoken_out = said.get(part) or [plain(part, language), tuple(part.casefold())]
        out = joined(out, spoken_out if part.casefold() != "www" else [("w", "w", "w"), ("www",)])
    return out


def _title(found: re.Match[str], before: str, language: str) -> list[Reading]:
    """'Dr Hale', 'St. Albans': before a name it is no street."""
    said = ways(spoken(primary(language))["short"][found["title"].casefold()])
    return [way for way in said if way not in (("drive",), ("street",))]


def _century(found: re.Match[str], before: str, language: str) -> list[Reading]:
    value = roman(found["cent"])
    return list(ordinal(value, language)) if value else []


def _clock(found: re.Match[str], before: str, language: str) -> list[Reading]:
    hour, minute = int(found["h"]), int(found["min"] or found["min2"] or 0)
    half = re.sub(r"[^apm]", "", (found["half"] or "").lower())
    return figures.clock(hour, minute, half, language) if hour <= 24 and minute < 60 else []


def _ordinal(found: re.Match[str], before: str, language: str) -> list[Reading]:
    return list(ordinal(int(found["o"]), language)) if len(found["o"]) <= MOST_FIGURES else []


def _day_then_month(found: re.Match[str], before: str, language: str) -> list[Reading]:
    if found["month"].casefold().strip(".") not in figures.months(language):
        return []
    day = figures.day_of_month(found["d"], language, before_month=True)
    return joined(day, [figures.month_word(found["month"], language)])


def _month_then_day(found: re.Match[str], before: str, language: str) -> list[Reading]:
    if found["month2"].casefold().strip(".") not in figures.months(language):
        return []
    day = figures.day_of_month(found["d2"], language, before_month=False)
    return joined([figures.month_word(found["month2"], language)], day)


def _all_figures(found: re.Match[str], before: str, language: str) -> list[Reading]:
    from zestpanel.core.text.marks.spelling_out import spelled

    said = spelled("date", found["date"], language)
    out = [plain(said, language)] if said else []
    if out and primary(language) == "de":  # 'am fünften März', 'fünfter März'
        out += [(out[0][0] + ending, *out[0][1:]) for ending in "nr"]
    return [*out, *([tuple(w for w in out[0] if w not in ("the", "of"))] if out else [])]


def _decade(found: re.Match[str], before: str, language: str) -> list[Reading]:
    """'1980s': 'nineteen eighties'."""
    out = []
    for reading in number(found["dec"], language):
        last = reading[-1]
        out.append((*reading[:-1], last[:-1] + "ies" if last.endswith("y") else last + "s"))
    return out


def _fraction(found: re.Match[str], before: str, language: str) -> list[Reading]:
    table = spoken(primary(language))
    named = table.get("halves", {}).get(f"{found['num']}/{found['den']}")
    over = ways(table.get("signs", {}).get("/", "")) or [()]
    out = ways(named) if named else joined(number(found["num"], language), over, number(found["den"], language))
    if primary(language) == "en" and 2 < int(found["den"]) <= 20:
        parts = [
            (*o[:-1], o[-1] + ("s" if int(found["num"]) != 1 else "")) for o in ordinal(int(found["den"]), language)
        ]
        out += joined(number(found["num"], language), parts)
    if found["mixed"]:
        return joined(number(found["mixed"], language), [*ways(table.get("and", "and")), ()], out)
    return out


def _short(found: re.Match[str], before: str, language: str) -> list[Reading]:
    word = (found["short"] or found["bare"]).casefold().strip(".")
    return ways(spoken(primary(language))["short"].get(word, word))


def _numero(found: re.Match[str], before: str, language: str) -> list[Reading]:
    return ways(spoken(primary(language))["signs"].get("#", "#"))


def _plus(found: re.Match[str], before: str, language: str) -> list[Reading]:
    """'C++', 'A+', 'C#'."""
    sign = {"+": "plus", "#": "sharp"}[found["tail"][0]]
    if primary(language) != "en":
        sign = ways(spoken(primary(language)).get("signs", {}).get(found["tail"][0], sign))[0][0]
    return joined([plain(found["head"], language)], [tuple([sign] * len(found["tail"]))])


def _capitals(found: re.Match[str], before: str, language: str) -> list[Reading]:
    """Capitals: as a word, letter by letter, or as a Roman number."""
    word = found["caps"]
    letters = tuple(word.casefold())
    out: list[Reading] = [(word.casefold(),), letters]
    value = roman(word)
    if value:
        out += number(str(value), language, may_be_year=False)
        out += [way for o in ordinal(value, language) for way in (o, ("the", *o) if primary(language) == "en" else o)]
    return out


def roman(word: str) -> int:
    """The value of a Roman number; 0 for what is none."""
    if not re.fullmatch(r"(?:XC|XL|L?X{0,3})(?:IX|IV|V?I{0,3})", word):
        return 0
    values = [_ROMAN[c] for c in word]
    return sum(-v if v < max(values[k + 1 :], default=0) else v for k, v in enumerate(values))


def _mixed(found: re.Match[str], before: str, language: str) -> list[Reading]:
    """Letters and figures together: 'B12' is 'b twelve' or 'b one two'."""
    parts = re.findall(r"\d+|[^\W\d_]+", found["mix"])
    said: list[list[Reading]] = []
    for part in parts:
        if part.isdigit():
            said.append([*number(part, language), digits(part, language)])
        else:
            said.append([(part.casefold(),), tuple(part.casefold())])
    return joined(*said)


def _hyphened(found: re.Match[str], before: str, language: str) -> list[Reading]:
    words = plain(found["hyph"], language)
    return [words, ("".join(words),)]


def _word(found: re.Match[str], before: str, language: str) -> list[Reading]:
    return [plain(found["word"], language)]


def _sign(found: re.Match[str], before: str, language: str) -> list[Reading]:
    if found["one"] == "*" and _is_emphasis(found):
        return []
    return ways(spoken(primary(language)).get("signs", {})[found["one"]])


def _is_emphasis(found: re.Match[str]) -> bool:
    """Whether an asterisk leans on a word on one side alone: it is written for emphasis or a note, and not said."""
    around = found.string[max(0, found.start() - 1) : found.start()], found.string[found.end() : found.end() + 1]
    leans = [bool(side) and not side.isspace() and side not in ".,;:!?" for side in around]
    return "*" in around or leans[0] != leans[1]


@lru_cache(maxsize=8)
def _rules(key: str) -> tuple[tuple[re.Pattern[str], Rule], ...]:
    """What is looked for, in order; the first that fits at a place has it."""
    if key not in LANGUAGES:  # figures stay figures where nobody knows how they are said
        return ((re.compile(r"(?P<word>[^\W_]+(?:'[^\W_]+)*'?)"), _word),)
    n, table = number_pattern(key), spoken(key)
    n_of = rf"(?P<n>{n})"
    signs = "|".join(re.escape(s) for s in sorted(figures.CURRENCIES, key=len, reverse=True))
    codes = "|".join(figures.CODES)
    scale = "|".join(sorted(map(re.escape, table.get("scale", {})), key=len, reverse=True)) or "(?!)"
    scale_words = "|".join({w for way in table.get("scale", {}).values() for w in way.split("|")}) or "(?!)"
    units = "|".join(re.escape(u) for u in sorted(figures.UNITS, key=len, reverse=True))
    names = "|".join(re.escape(m) for m in sorted(figures.months(key), key=len, reverse=True)) or "(?!)"
    short = "|".join(re.escape(s) for s in sorted(table.get("short", {}), key=len, reverse=True)) or "(?!)"
    ends = _ORDINAL_ENDS.get(key, "(?!)")
    titles = "Dr|Mr|Mrs|Ms|Prof|St|Mme|Mlle|M|Sr|Sra|Hr|Fr|Sig|Dott|Dra"
    titles = "|".join(t for t in titles.split("|") if t.casefold() in table.get("short", {})) or "(?!)"
    hour_word = r"\s?Uhr\b" if key == "de" else "(?!)"
    dash = r"(?P<dash>(?<=\d)\s?[-–—]\s?)?"
    rules: list[tuple[str, Rule]] = [
        (r"(?P<addr>https?://[^\s)]+[^\s).,;:!?]|www\.[^\s)]+[^\s).,;:!?]|\b[\w.+-]+@[\w-]+\.\w+(?:\.\w+)*)", _address),
        (r"(?<![\d.])(?P<vers>\d{1,3}(?:\.\d{1,3}){2,3})(?![\d.]*\d)" if key not in ("de", "it", "es", "pt") else
         r"(?<=ersion\s)(?P<vers>\d{1,3}(?:\.\d{1,3}){1,3})(?![\d.]*\d)", _version),
        (rf"{_MINUS}(?:(?P<c1>{signs}|\b(?:{codes})\b\s?)\s?(?P<m1>{n})(?:\s?(?P<s1>(?i:{scale})\b|(?i:{scale_words})\b))?"
         rf"|(?P<m2>(?<![\w.,]){n})\s?(?:(?P<s2>(?i:{scale_words}))\s)?(?P<c2>{signs}|(?:{codes})\b))", _money),
        (rf"{_MINUS}{dash}(?<![\w]){n_of}\s?(?P<sign>[%‰])", _percent),
        (rf"{_MINUS}{dash}(?<![\w]){n_of}\s?°\s?(?P<scale>[CFcf]\b)?", _degrees),
        (r"(?<!\d)(?P<date>\d{4}-\d{1,2}-\d{1,2}|\d{1,2}[/.]\d{1,2}[/.]\d{4})(?!\d)", _all_figures),
        (r"(?<![\d.,:])(?P<ra>\d{1,4}):(?P<rb>\d|\d{3,})(?![\d:])", _ratio),
        (r"(?<![\d.,])(?P<h>\d{1,2})(?:[:h](?P<min>\d{2})(?!\d)|(?=\s?[ap]\.?m\b)|[.](?P<min2>\d{2})(?=\s?[ap]\.?m\b))"
         rf"(?:\s?(?P<half>[ap]\.?m\b\.?)|{hour_word})?", _clock),
        (r"(?<![\d.,])(?P<h>\d{1,2})\.(?P<min>\d{2})(?P<min2>)\s(?P<half>(?!))?Uhr\b" if key == "de" else "(?!)",
         _clock),
        (rf"(?<![\d.,])(?P<d>\d{{1,2}})(?:{ends})?\.?\s+(?:of\s+|de\s+)?(?P<month>(?i:{names})\b\.?)", _day_then_month),
        (rf"(?P<month2>\b(?i:{names})\b\.?)\s+(?:the\s+)?(?P<d2>\d{{1,2}})(?:{ends})?(?![\d:])", _month_then_day),
        (rf"(?<![\d.,])(?P<o>\d+)(?:{ends})", _ordinal),
        (r"(?<!\d)(?P<dec>\d{2,4})'?s\b" if key == "en" else r"(?P<dec>(?!))", _decade),
        (r"(?<![\d/])(?:(?P<mixed>\d+)\s)?(?P<num>\d{1,2})[/⁄](?P<den>\d{1,2})(?![\d/])", _fraction),
        (rf"{_MINUS}{dash}(?<![\w]){n_of}\s?(?P<unit>{units})(?![\w'])", _unit),
        (r"(?P<head>\b[^\W\d_]{1,3})(?P<tail>\+{1,2}|#)(?!\w)", _plus),
        (r"(?P<mix>\b(?=\w*\d)(?=\w*[^\W\d_])[^\W_]+)", _mixed),
        (rf"{_MINUS}{dash}{n_of}", _number),
        (rf"(?<![^\W_])(?P<title>{titles})\b\.?(?=\s+[A-ZÀ-Þ])", _title),
        (r"(?P<cent>\b(?:[IVX]{2,}|[IVX](?=\w+\s(?:siècle|République|arrondissement))))(?:er|e|ème|re)\b"
         if key == "fr" else "(?!)", _century),
        (rf"(?<![^\W_])(?P<short>(?i:{short}))\.(?!\w)|(?<!\w)(?P<bare>vs)(?=\s)", _short),
        (r"\bn[°º](?=\s?\d)" if key != "en" else "(?!)", _numero),
        (r"(?P<caps>\b[A-ZÀ-Þ]{2,6}\b(?!'))", _capitals),
        (r"(?P<hyph>[^\W_]+(?:[-‐‑][^\W_]+)+)", _hyphened),
        (r"(?P<word>[^\W_]+(?:'[^\W_]+)*'?)", _word),
        (rf"(?P<one>{'|'.join(map(re.escape, table.get('signs', {}))) or '(?!)'})", _sign),
    ]  # fmt: skip
    return tuple((re.compile(pattern), rule) for pattern, rule in rules)


def usual(found: list[Place]) -> Iterator[str]:
    """The words of the usual reading."""
    for place in found:
        yield from place.readings[0]


__all__ = ["Place", "parts_of", "places", "roman", "usual"]

"""How what is not written as it is said is told in a text, and its words: a table of rules a language, the first that
fits a place has it. Grammars and style guides of each language (common practice, no source)."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

from zestpanel.core.measures.readings.text import roman
from zestpanel.core.measures.readings.words import primary, spoken, usual_way
from zestpanel.core.text.marks.spelling_out import UNITS, spelled

NOTHING: Final = "(?!)"  # a pattern that nothing fits
BESIDE: Final = 24  # characters on both sides that tell how a figure is read
# signs of units that are nothing else too: not "in", not a tonne's or a litre's letter without a space
_SAFE_UNITS: Final = sorted((u for u in UNITS if u not in ("in", "%", "°", "°C", "°F", "° C")), key=len, reverse=True)
_MANY: Final = {
    "en": {"k": "thousand", "m": "million", "mn": "million", "bn": "billion", "tn": "trillion"},
    "de": {"Mio.": "Millionen", "Mrd.": "Milliarden"},
}  # fmt: skip
_WORDS_OF_MANY: Final = {
    "en": "thousand|million|billion|trillion", "de": "Tausend|Millionen?|Milliarden?",
    "es": "mil|millones", "pt": "mil|milhões",
}  # fmt: skip
_SHORT: Final = {
    "en": {"Mr": "Mister", "Mrs": "Missus", "Prof": "Professor", "etc": "et cetera", "vs": "versus",
           "e.g": "for example", "i.e": "that is", "approx": "approximately", "Dept": "Department"},
    "de": {"usw": "und so weiter", "bzw": "beziehungsweise", "ca": "circa", "Prof": "Professor", "z. B": "zum Beispiel",
           "z.B": "zum Beispiel", "d. h": "das heißt", "d.h": "das heißt", "Mio": "Millionen", "Mrd": "Milliarden"},
    "fr": {"etc": "et cetera", "Mme": "Madame", "Mlle": "Mademoiselle"},
}  # fmt: skip
_BEFORE_A_NAME: Final = {
    "en": {"Dr": "Doctor", "St": "Saint"},
    "de": {"Dr": "Doktor"},
    "fr": {"Dr": "Docteur", "M": "Monsieur"},
}
_NUMBERED: Final = {
    "en": {"§": "section", "No.": "number", "#": "number"}, "de": {"§": "Paragraph", "Nr.": "Nummer"},
    "fr": {"n°": "numéro", "§": "paragraphe"}, "es": {"n.º": "número"}, "it": {"n.": "numero"},
}  # fmt: skip
_COUNTED_IN_ROMAN: Final = {
    "en": "Chapter|Part|Volume|Book|Act|Scene|War|Section|Phase|Appendix", "de": "Kapitel|Teil|Band|Akt|Weltkrieg",
    "fr": "Chapitre|chapitre|Tome|tome|Partie|partie|Acte|acte", "es": "Capítulo|capítulo|Tomo",
    "it": "Capitolo|capitolo", "pt": "Capítulo|capítulo",
}  # fmt: skip
# names that many kings, queens and popes had (general history)
_REIGNED: Final = "Henry|Charles|Louis|Elizabeth|George|Edward|James|William|Richard|Philip|Pius|Benedict|Napoleon"
_YEAR_BEHIND: Final = {  # words that are followed by a year where four figures may be one
    "en": "in since by until till from born died before after around circa year summer winter spring autumn of",
    "de": "Jahr Jahre seit Sommer Winter Frühling Herbst anno um",
}  # fmt: skip
_YEAR: Final = r"(?:1[1-9]\d\d|20[1-9]\d)"
_ARTICLE: Final = r"(?i)\b(?:der|die|am|vom|zum|dem|den|beim|ab|seit|bis)\s*$"
_HOURS_ARTICLE: Final = {"es": r"(?i)\blas?\s$", "it": r"(?i)(?:\b(?:d?alle|le)\s|\b(?:d?all|l)['’])$"}
# a number that bends with what it counts, which nobody has told: un arbre, une pomme
_BENDS: Final = {
    "fr": r"\d*(?<![179])1|1",
    "es": r"\d*(?<!1)1|1|[2-9]\d\d",
    "it": "1",
    "de": "1",
    "pt": r"\d*(?<!1)[12]|[2-9]\d\d",
}
_DIALLED: Final = r"(?i)\b(?:dial|call|ring|phone|text|code|pin|box|flight|route)\s$"
_AT: Final = r"(?<=\bat\s)|(?<=\bby\s)|(?<=\bfrom\s)|(?<=\buntil\s)"
_INFLECTED: Final = {  # what stands before a German ordinal tells its ending, where it can
    "n": r"(?i)\b(?:am|zum|vom|beim|im|dem|den|des|ab|seit|bis)\s$", "": r"(?i)\b(?:die|das)\s$",
}  # fmt: skip

Rule = Callable[["Text", re.Match[str]], str | None]


@dataclass(frozen=True, slots=True)
class Text:
    """A text in a language (BCP 47); key: its primary tag."""

    text: str
    language: str

    @property
    def key(self) -> str:
        return primary(self.language)

    def before(self, found: re.Match[str]) -> str:
        return self.text[max(0, found.start() - BESIDE) : found.start()]

    def sign(self, name: str) -> str:
        """How a sign, or what stands between figures, is usually said."""
        table = spoken(self.key)
        return usual_way(table.get("signs", {}).get(name) or table[name])

    def number(self, figures: str) -> str | None:
        return spelled("numbers", figures, self.language)

    def ordinal(self, figures: str) -> str | None:
        return spelled("ordinal", figures, self.language)


def _said(*parts: str | None) -> str | None:
    """The parts in a row; nothing where one of them is not known."""
    return None if None in parts else " ".join(part for part in parts if part)


def _letters(t: Text, found: re.Match[str]) -> str | None:
    return spelled("acronyms", found[0], t.language)


def _address(t: Text, found: re.Match[str]) -> str | None:
    """The plain ones: no query, nothing that is told apart by its case."""
    bare = re.sub(r"^https?://|/$", "", found[0])
    if not re.fullmatch(r"[a-z0-9@./-]+", bare) or re.search(r"\d", bare):
        return None
    said = {".": t.sign("dot"), "/": t.sign("stroke"), "-": t.sign("hyphen"), "@": t.sign("@"), "www": "w w w"}
    return " ".join(said.get(part, part) for part in re.findall(r"[a-z]+|[-./@]", bare))


def _telephone(t: Text, found: re.Match[str]) -> str | None:
    groups = re.findall(r"\d+", found[0])
    if not 7 <= sum(map(len, groups)) <= 15:
        return None
    pairs = t.key == "fr" and all(len(group) == 2 for group in groups)  # French numbers are said in pairs
    said = [t.number(g) if pairs and g[0] != "0" else spelled("digits", g, t.language) for g in groups]
    return ("plus " if found[0].startswith("+") else "") + ", ".join(one for one in said if one)


def _date(t: Text, found: re.Match[str]) -> str | None:
    figures = re.fullmatch(r"(\d{1,2})[/.](\d{1,2})[/.]\d{4}", found[0])
    if figures and t.language.lower() == "en" and max(map(int, figures.groups())) <= 12:
        return None  # nobody knows which is the month
    first = re.fullmatch(r"([^\W\d]+)\.?\s+(\d{1,2})(?:[a-z]{2})?(?:,?\s+(\d{4}))?", found[0])
    if first and t.key == "en" and not t.language.upper().endswith("US"):
        named = spelled("date", f"1 {first[1]}", "en-US")
        year = spelled("date", first[3], t.language) if first[3] else ""
        return _said(named and named.split()[0], "the", t.ordinal(first[2]), year)
    said = spelled("date", re.sub(r"^the\s+", "", found[0]), t.language, before=t.before(found))
    if said and t.key == "de" and not re.search(_ARTICLE, t.before(found)):
        said = said.replace(" ", "r ", 1)  # 'Montag, dritter Mai'
    if said and "º" in found[0]:  # '1º de mayo'
        named = {"es": "primero", "pt": "primeiro", "it": "primo"}.get(t.key, "")
        return f"{named} {said.partition(' ')[2]}" if re.match(r"1º", found[0]) else None
    return said


def _year(t: Text, found: re.Match[str]) -> str | None:
    return spelled("date", found[0], t.language)


def _month_and_year(t: Text, found: re.Match[str]) -> str | None:
    return _said(found[0].split()[0], spelled("date", found["year"], t.language))


def _years(t: Text, found: re.Match[str]) -> str | None:
    second = found["second"]
    later = spelled("date", second, t.language) if len(second) == 4 else t.number(second)
    return _said(spelled("date", found["first"], t.language), t.sign("range"), later)


def _decade(t: Text, found: re.Match[str]) -> str | None:
    said = spelled("date", found["decade"], t.language)
    return said and (f"{said[:-1]}ies" if said.endswith("y") else f"{said}s")


def _clock(t: Text, found: re.Match[str]) -> str | None:
    hour, minute, half = int(found["h"]), found["min"] or "00", found["half"] if "half" in found.groupdict() else ""
    if t.key == "en" and (hour == 0 or (hour > 12 and half)):
        return None
    if t.key == "en" and hour > 12 and minute == "00":
        return _said(t.number(str(hour)), "hundred")
    if t.key == "en" and half and minute == "00":
        return _said(t.number(str(hour)), " ".join(re.sub(r"[^apm]", "", half.lower())))
    said = spelled("time", f"{hour}:{minute} {half or ''}".strip(), t.language)
    if said and re.search(_HOURS_ARTICLE.get(t.key, NOTHING), t.before(found)):
        said = re.sub(r"^(?:las? |le |l')", "", said)  # 'a las 10:30': the article is there
    return said


def _ratio(t: Text, found: re.Match[str]) -> str | None:
    between = {"en": "to", "de": "zu"}.get(t.key)
    return _said(t.number(found["a"]), between, t.number(found["b"])) if between else None


def _money(t: Text, found: re.Match[str]) -> str | None:
    scale = found["s1"] or found["s2"] or ""
    sign, amount = found["c1"] or found["c2"], found["m1"] or found["m2"]
    minus = t.sign("minus") if found["minus"] else ""
    if not scale:
        return _said(minus, spelled("money", f"{amount} {sign}", t.language))
    many = spelled("money", f"2 {sign}", t.language)  # 'two pounds': the word for several
    word = _MANY.get(t.key, {}).get(scale, scale)
    if t.key == "de" and amount == "1":
        return None
    return _said(minus, t.number(amount), word, many and many.partition(" ")[2])


def _measured(t: Text, found: re.Match[str]) -> str | None:
    said = spelled("unit", f"{found['n']} {found['unit'].replace(' ', '')}", t.language)
    from_ = _said(t.number(found["a"]), t.sign("range")) if found["a"] else ""
    return _said(t.sign("minus") if found["minus"] else "", from_, said)


def _range(t: Text, found: re.Match[str]) -> str | None:
    if re.search(r"\b(?:won|lost|drew|beat|win|lose|score)\s$", t.before(found)):
        return None
    return _said(t.number(found["a"]), t.sign("range"), t.number(found["b"]))


def _fraction(t: Text, found: re.Match[str]) -> str | None:
    part = unicodedata.normalize("NFKC", found["part"]).replace("⁄", "/")  # ½ is 1⁄2
    said = spelled("fraction", part, t.language)
    if said is None and t.key == "en":
        over, under = map(int, part.split("/"))
        named = t.ordinal(str(under)) if over < under <= 10 else None
        said = named and _said(t.number(str(over)), named + ("s" if over > 1 else ""))
    if not found["whole"]:
        return said
    if said and part == "1/2" and t.key == "en":
        said = "a half"
    joint = {"en": "and", "fr": "et", "es": "y", "it": "e", "pt": "e"}.get(t.key)
    return _said(t.number(found["whole"]), joint, said) if joint else None


def _ordinal(t: Text, found: re.Match[str]) -> str | None:
    n, ending = found["o"], found["end"]
    if t.key == "fr":
        first = {"er": "premier", "re": "première", "ère": "première"}.get(ending) if n == "1" else None
        return first or (t.ordinal(n) if ending not in ("er", "re", "ère") else None)
    said = t.ordinal(n)
    return re.sub(r"o$", "a", said) if said and ending == "ª" else said


def _german_ordinal(t: Text, found: re.Match[str]) -> str | None:
    for ending, before in _INFLECTED.items():
        if re.search(before, t.before(found)):
            said = t.ordinal(found["o"])
            return said and said + ending
    return None  # 'der 3. Tür' and 'der 3. Mann' bend otherwise, and at the end of a sentence it is a number


def _in_roman(t: Text, found: re.Match[str]) -> str | None:
    n = roman(found["roman"])
    if not n:
        return None
    if "century" in found.groupdict():
        return "premier" if n == 1 else t.ordinal(str(n))
    if re.search(rf"\b(?:{_COUNTED_IN_ROMAN.get(t.key, '(?!)')})\s$", t.before(found)):
        return t.number(str(n))
    if t.key == "en" and re.search(rf"\b(?:{_REIGNED})\s$", t.before(found)):
        return _said("the", t.ordinal(str(n)))
    return None


def _version(t: Text, found: re.Match[str]) -> str | None:
    point = {"en": "point", "de": "Punkt", "fr": "point"}.get(t.key)
    if point is None:
        return None
    parts = [t.number(n) or "" for n in found["version"].split(".")]
    return f" {point} ".join(parts)


def _numbered(t: Text, found: re.Match[str]) -> str | None:
    return _said(_NUMBERED[t.key][found["sign"]], t.number(found["n"]))


def _short(t: Text, found: re.Match[str]) -> str | None:
    word, name = found["short"], found["name"] is not None
    known = _BEFORE_A_NAME.get(t.key, {}).get(word) if name else None
    return known or _SHORT.get(t.key, {}).get(word)


def _sign(t: Text, found: re.Match[str]) -> str | None:
    return t.sign(found[0])


def _standing_number(t: Text, found: re.Match[str]) -> str | None:
    figures = found["n"]
    if re.fullmatch(r"0\d+", figures) or re.search(r"\d\s?$", t.before(found)):
        return None  # a code or a part of something longer
    if re.fullmatch(_BENDS.get(t.key, NOTHING), figures) and re.match(r"\s\w", t.text[found.end() : found.end() + 2]):
        return None
    if t.key == "en" and re.search(_DIALLED, t.before(found)):
        return None
    return _said(t.sign("minus") if found["minus"] else "", t.number(figures))


@lru_cache(maxsize=16)
def rules(language: str) -> tuple[tuple[str, re.Pattern[str], Rule | None], ...]:
    """(kind of hard part, how it is told, its words or None where there are none) for a language of SPOKEN_LANGUAGES;
    the first that fits at a place has it. What no rule can say is told too, so that it is named."""
    from babel import Locale
    from babel.dates import get_month_names

    text = Text("", language)
    key, locale = text.key, Locale.parse(text.key)
    names = {n for width in ("wide", "abbreviated") for n in get_month_names(width, locale=locale).values()}
    whole = set(get_month_names("wide", locale=locale).values())
    month = "|".join(
        sorted((re.escape(n.strip(".")) + ("" if n in whole else r"\b\.?") for n in names), key=len, reverse=True)
    )
    n = (
        r"(?:\d{1,3}(?:[,\u202f\u00a0]\d{3})+(?:\.\d+)?|\d+(?:\.\d+)?)"
        if key == "en"
        else rf"(?:\d{{1,3}}(?:[{'.' if key != 'fr' else ''}\u202f\u00a0 ]\d{{3}})+(?:,\d+)?|\d+(?:,\d+)?)"
    )
    many = "|".join(sorted((re.escape(s) for s in _MANY.get(key, {})), key=len, reverse=True)) or NOTHING
    words_of_many = _WORDS_OF_MANY.get(key, NOTHING)
    money = r"[£$€]|\b(?:EUR|USD|GBP)\b"
    units = "|".join(map(re.escape, _SAFE_UNITS))
    begin, end = r"(?<![\w.,:/§'’-])(?<!\d[–−])", r"(?![\w²³]|[.,:/'’]\d|\s?[–−/]\s?\d|-\d|['’])"
    below = r"(?P<minus>(?:(?<=\s)|(?<=\()|^)[-−–](?=\S))"
    head, minus = rf"(?:{below}|{begin})", rf"{below}?"
    sign = "|".join(map(re.escape, _NUMBERED.get(key, {}))) or NOTHING
    ends = {"en": "st|nd|rd|th", "fr": "er|re|ère|e|ème|eme", "es": "º|ª", "it": "º|ª|°", "pt": "º|ª"}.get(key, NOTHING)
    short = (
        "|".join(
            re.escape(s) for s in sorted((*_SHORT.get(key, {}), *_BEFORE_A_NAME.get(key, {})), key=len, reverse=True)
        )
        or NOTHING
    )
    behind = "|".join(rf"(?i:(?<=\b{word}\s))" for word in _YEAR_BEHIND.get(key, "").split()) or NOTHING
    behind += rf"|(?<=\d{{4}}\s{text.sign('range')}\s)|(?<=\d{{4}}\s(?:and|und)\s)" if behind != NOTHING else ""
    of = r"(?:of\s+|de\s+)?"

    def only(language: str, pattern: str) -> str:
        return pattern if key == language else NOTHING

    clock = r"(?P<h>\d{1,2})(?:[:.](?P<min>[0-5]\d))?\s?"
    months = "|".join(map(re.escape, whole))
    century = r"\b(?P<roman>[IVX]{2,}|[IVX](?=\w+\s(?:siècle|République|arrondissement)))(?P<century>er|e|ème)\b"
    of_a_length = r"(?!\s?(?:in|m|t|l)\b(?!['’])(?!\s(?:a|an|the|this|that|each|every|all|my|our|his|her)\b))"
    table: list[tuple[str, str, Rule | None]] = [
        ("addresses", r"(?:https?://|www\.)[^\s)]*[^\s).,;:!?]|\b[\w.+-]+@[\w-]+\.\w+(?:\.\w+)*", _address),
        ("numbers", r"(?<![\w.,])(?!\d\d?[/.]\d\d?[/.])(?:\+\d{1,3}[ -]?|\(0\d*\)[ -]?|0)\d{1,5}"
         r"(?:[ /-]?\(?\d{2,8}\)?){1,5}(?![\w.,]\d)", _telephone),
        ("dates", rf"{begin}(?:the\s+)?\d{{1,2}}(?:st|nd|rd|th|er|\.|º)?\s+{of}(?:{month})(?!\w)"
         rf"(?:,?\s+(?:de\s+)?\d{{4}})?|\b(?:{month})\s+\d{{1,2}}(?:st|nd|rd|th)?\b(?!:)(?:,?\s+\d{{4}}\b)?", _date),
        ("dates", rf"{begin}(?:\d{{4}}-\d{{1,2}}-\d{{1,2}}|\d{{1,2}}[/.]\d{{1,2}}[/.]\d{{4}})(?!\d)", _date),
        ("dates", only("en", rf"\b(?:{months})\s(?P<year>(?:1[1-9]|20)\d\d)\b(?![-–\d])"), _month_and_year),
        ("times", only("en", rf"{begin}{clock}(?P<half>[ap]\.?m\b\.?)"), _clock),
        ("times", only("de", rf"{begin}{clock}Uhr\b(?!\s\d)"), _clock),
        ("times", only("fr", rf"{begin}(?P<h>\d{{1,2}})\s?(?:h\s?(?P<min>[0-5]\d)?|heures?)(?!\w)(?!\s\d)"), _clock),
        ("times", rf"{begin}(?P<h>[01]?\d|2[0-4]):(?P<min>[0-5]\d)(?![\d:])", _clock),
        ("times", only("en", rf"(?:{_AT})(?P<h>\d{{1,2}})\.(?P<min>[0-5]\d)(?![\d.])"), _clock),
        ("numbers", rf"{begin}(?P<a>\d{{1,4}}):(?P<b>\d|\d{{3,}})(?![\d:])", _ratio),
        ("dates", r"(?<![\w.,:/-])(?P<first>1[1-9]\d\d|20\d\d)\s?[–-]\s?(?P<second>1[1-9]\d\d|20\d\d|\d\d)"
         r"(?![\w-]|[.,]\d)", _years),
        ("dates", only("en", rf"{begin}(?P<decade>1[1-9]\d0|20[1-9]0)s\b"), _decade),
        ("money", rf"{minus}(?<![\w.,])(?:(?P<c1>{money})\s?(?P<m1>{n})(?:\s?(?P<s1>{many}|{words_of_many})(?!\w))?"
         rf"|(?P<m2>{n})\s?(?:(?P<s2>{many}|{words_of_many})\s)?(?P<c2>{money}))(?![\w]|[.,]\d|\s?[–-]\s?\d)", _money),
        ("units", rf"{head}(?:(?P<a>{n})\s?[–-]\s?)?(?P<n>{n})\s?(?P<unit>%|°\s?[CF]\b|°|(?:{units})(?![\w'’²³/]))",
         _measured),
        ("numbers", r"(?<![\w.,/])(?:(?P<whole>\d+)\s?)?(?P<part>[½¼¾⅓⅔]|(?<![\d/])\d{1,2}[/⁄]\d{1,2}(?![\d/]))",
         _fraction),
        ("numbers", rf"{begin}(?P<o>\d+)(?P<end>{ends})(?!\w)", _ordinal),
        ("numbers", only("de", rf"{begin}(?P<o>\d{{1,3}})\.(?=\s[A-ZÄÖÜ])"), _german_ordinal),
        ("numbers", r"(?<=[vV]ersion\s)(?P<version>\d{1,3}(?:\.\d{1,3}){1,3})(?![\w.]*\d)", _version),
        ("symbols", rf"(?<!\w)(?P<sign>{sign})\s?(?P<n>\d+)(?![\w]|[.,]\d)", _numbered),
        ("numbers", rf"{begin}(?P<a>{n})\s?–\s?(?P<b>{n})(?![\w–-]|[.,]\d)", _range),
        ("numbers", r"(?<=\bpages\s)(?P<a>\d+)-(?P<b>\d+)(?![\w-])", _range),
        ("dates", rf"(?:{behind})\b{_YEAR}{end}", _year),
        ("dates", rf"{begin}{_YEAR}{end}(?!\s[a-z]+s\b)" if behind != NOTHING else NOTHING, None),  # or a number
        ("numbers", rf"{head}(?P<n>{n}){end}{of_a_length}", _standing_number),
        ("numbers", only("fr", century), _in_roman),
        ("numbers", r"\b(?P<roman>[IVXL]{2,}|(?<=\s)[VX])\b(?![.'’]\w)", _in_roman),
        ("abbreviations", rf"(?<![\w.])(?P<short>{short})(?!\w)\.?(?P<name>(?=\s[A-ZÀ-Þ][a-zß-ÿ]))?", _short),
        ("symbols", r"(?<=\s)[&+=](?=\s)", _sign),
        ("acronyms", r"\b[A-Z]{2,5}\b(?!['’])", _letters),
        ("numbers", r"\d[\d.,:/–-]*\d|\d", None),
    ]  # fmt: skip
    return tuple((kind, re.compile(rule), put) for kind, rule, put in table if rule != NOTHING)


MAY_END_A_SENTENCE: Final = (_clock, _date, _short)  # a stop of theirs may be the sentence's too

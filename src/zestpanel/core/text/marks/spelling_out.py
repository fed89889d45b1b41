"""Figures into words: numbers, ordinals, years, dates, times, money, units, letters; by num2words and Babel.

What cannot be read with certainty comes back as None and stays as it stands.
"""

from __future__ import annotations

import re
from decimal import Decimal
from functools import cache
from typing import TYPE_CHECKING, Final

if TYPE_CHECKING:
    from babel import Locale

SPOKEN_LANGUAGES: Final = ("en", "fr", "es", "de", "it", "pt")
SPELLABLE: Final = (
    "numbers", "dates", "times", "money", "units", "acronyms", "abbreviations", "symbols", "addresses",
)  # fmt: skip
_CURRENCIES: Final = {
    "£": "GBP", "€": "EUR", "$": "USD", "GBP": "GBP", "EUR": "EUR", "USD": "USD", "euro": "EUR", "euros": "EUR",
    "pounds": "GBP", "pound": "GBP", "dollars": "USD", "dollar": "USD", "Euro": "EUR",
}  # fmt: skip
UNITS: Final = {
    "kg": "mass-kilogram", "g": "mass-gram", "mg": "mass-milligram", "t": "mass-tonne", "km": "length-kilometer",
    "m": "length-meter", "cm": "length-centimeter", "mm": "length-millimeter", "ha": "area-hectare",
    "m²": "area-square-meter", "km²": "area-square-kilometer", "cm²": "area-square-centimeter",
    "m³": "volume-cubic-meter",
    "l": "volume-liter", "cl": "volume-centiliter", "ml": "volume-milliliter", "°C": "temperature-celsius",
    "° C": "temperature-celsius", "°F": "temperature-fahrenheit", "°": "angle-degree", "%": "concentr-percent",
    "km/h": "speed-kilometer-per-hour", "mph": "speed-mile-per-hour", "kWh": "energy-kilowatt-hour",
    "W": "power-watt", "Hz": "frequency-hertz", "kHz": "frequency-kilohertz", "MB": "digital-megabyte",
    "GB": "digital-gigabyte", "lb": "mass-pound", "oz": "mass-ounce", "ft": "length-foot", "in": "length-inch",
}  # fmt: skip
_HALVES: Final = {
    "en": {"1/2": "one half", "1/3": "one third", "2/3": "two thirds", "1/4": "one quarter", "3/4": "three quarters"},
    "fr": {"1/2": "un demi", "1/3": "un tiers", "2/3": "deux tiers", "1/4": "un quart", "3/4": "trois quarts"},
    "es": {"1/2": "un medio", "1/3": "un tercio", "2/3": "dos tercios", "1/4": "un cuarto", "3/4": "tres cuartos"},
    "de": {"1/2": "ein halb", "1/3": "ein Drittel", "2/3": "zwei Drittel", "1/4": "ein Viertel", "3/4": "drei Viertel"},
    "it": {"1/2": "un mezzo", "1/3": "un terzo", "2/3": "due terzi", "1/4": "un quarto", "3/4": "tre quarti"},
    "pt": {"1/2": "um meio", "1/3": "um terço", "2/3": "dois terços", "1/4": "um quarto", "3/4": "três quartos"},
}  # fmt: skip
_AND: Final = {"fr": "et", "es": "con", "de": "und", "it": "e", "pt": "e"}
_CLOCK: Final = {
    "fr": "{h} heures {m}",
    "de": "{h} Uhr {m}",
    "es": "las {h} y {m}",
    "it": "le {h} e {m}",
    "pt": "{h} e {m}",
}


# Babel and num2words are loaded with the first figure that is spelled out: they would double the program's start


@cache
def _locale(language: str) -> Locale | None:
    from babel import Locale, UnknownLocaleError

    try:
        found = Locale.parse(language.replace("-", "_"))
    except (UnknownLocaleError, ValueError):
        return None
    return found if found.language in SPOKEN_LANGUAGES else None


def spelled(kind: str, words: str, language: str, *, before: str = "") -> str | None:
    """The words of a hard part of a kind, spoken out in full, or None where that is not certain.

    before: the text in front of it; German bends an ordinal by it.
    """
    from babel.numbers import NumberFormatError
    from num2words import num2words

    locale = _locale(language)
    if locale is None:
        return None
    try:
        match kind:
            case "numbers" | "cardinal":
                return _cardinal(words, locale)
            case "ordinal":
                found = re.match(r"\d+", words)
                return num2words(int(found[0]), lang=locale.language, to="ordinal") if found else None
            case "dates" | "date":
                return _date(words, locale, before)
            case "times" | "time":
                return _time(words, locale)
            case "money":
                return _money(words, locale)
            case "units" | "unit":
                return _unit(words, locale)
            case "acronyms" | "characters" | "spell-out":
                return " ".join(c for c in words if c.isalnum())
            case "telephone" | "digits":
                return " ".join(num2words(int(c), lang=locale.language) for c in words if c.isdigit()) or None
            case "fraction":
                return _HALVES[locale.language].get(words.replace(" ", ""))
    except (NotImplementedError, OverflowError, NumberFormatError, KeyError):
        return None
    return None


def _number(text: str, locale: Locale) -> Decimal | None:
    """A written number, by the locale's own separators; a space or a thin space parts thousands everywhere."""
    from babel.numbers import NumberFormatError, parse_decimal

    bare = re.sub(r"(?<=\d)[\s\u202f\u00a0](?=\d{3}\b)", "", text.strip())
    if not re.fullmatch(r"\d+(?:[.,]\d+)*", bare):
        return None
    try:
        return parse_decimal(bare, locale=locale, strict=True)
    except NumberFormatError:
        plain = bare.replace(",", ".")
        return Decimal(plain) if plain.count(".") == 1 and not re.search(r"\.\d{3}$", plain) else None


def _say(number: Decimal, locale: Locale) -> str:
    from num2words import num2words

    whole = number == number.to_integral_value()
    words: str = num2words(int(number) if whole else float(number), lang=locale.language)
    if locale.language == "es" and locale.number_symbols["latn"]["decimal"] == ",":
        words = words.replace(" punto ", " coma ")
    return words.replace(", ", " ") if locale.language == "en" else words


def _cardinal(text: str, locale: Locale) -> str | None:
    number = _number(text, locale)
    return None if number is None else _say(number, locale)


def _money(text: str, locale: Locale) -> str | None:
    from num2words import num2words

    found = re.search(r"[£$€]|\b(?:EUR|USD|GBP)\b|[A-Za-z]+", text)
    figures = re.search(r"\d[\d.,\s\u202f\u00a0]*", text)
    amount = _number(figures[0], locale) if figures else None
    currency = _CURRENCIES.get(found[0]) if found else None
    if amount is None or currency is None:
        return None
    # the sign between both parts is ours: thousands may have a comma too
    named: str = num2words(float(amount), lang=locale.language, to="currency", currency=currency, separator=" ¦ ")
    large, _, small = (part.strip() for part in named.partition("¦"))
    link = {"en": " "}.get(locale.language, f" {_AND.get(locale.language, '')} ")
    whole = amount == amount.to_integral_value()
    words = large if whole else small if amount < 1 else f"{large}{link}{small}"
    if locale.language == "en":
        words = words.replace(",", "").replace(" sterling", "")
        words = re.sub(r"\beuro\b", "euro" if amount == 1 else "euros", words)
    return words.strip()


def _unit(text: str, locale: Locale) -> str | None:
    from babel.units import format_unit

    found = re.fullmatch(r"(\d[\d.,\s\u202f\u00a0]*)\s?(\D+)", text.strip())
    number = _number(found[1], locale) if found else None
    unit = UNITS.get(found[2].strip()) if found else None
    if number is None or unit is None:
        return None
    whole = number == number.to_integral_value()
    named = format_unit(int(number) if whole else float(number), unit, length="long", locale=locale)
    return re.sub(r"[\d.,\s\u202f\u00a0]*\d", lambda _: _say(number, locale), named, count=1).replace("\u00a0", " ")


def _time(text: str, locale: Locale) -> str | None:
    from num2words import num2words

    found = re.fullmatch(r"(\d{1,2})\s?[:.h]\s?(\d{2})(.*)", text.strip())
    if not found or int(found[1]) > 24 or int(found[2]) > 59:
        return None
    hour, minute = int(found[1]), int(found[2])
    if locale.language == "en":
        rest = " o'clock" if minute == 0 and not found[3].strip() else ""
        past = "" if minute == 0 else f" oh {num2words(minute)}" if minute < 10 else f" {num2words(minute)}"
        half = found[3].strip().replace(".", "").lower()
        return f"{num2words(hour)}{past}{rest}{' ' + ' '.join(half) if half in ('am', 'pm') else ''}"
    if found[3].strip():
        return None
    form = _CLOCK[locale.language]
    if minute == 0:
        form = re.sub(r"(?: [ye])? \{m\}", "", form)
    said: str = num2words(hour, lang=locale.language)
    if locale.language == "fr" and hour in (1, 21):
        said, form = said + "e", form.replace("heures", "heure") if hour == 1 else form
    if locale.language == "de" and hour == 1:
        said = "ein"
    # hours are feminine in these; one o'clock is a single one
    if locale.language == "es":
        said = re.sub(r"un[oú]?$", "una", said)
        form = form.replace("las ", "la ") if hour == 1 else form
    if locale.language == "pt":
        said = re.sub(r"dois$", "duas", re.sub(r"um$", "uma", said))
    if locale.language == "it" and hour == 1:
        said, form = "una", form.replace("le ", "l'")
    return form.format(h=said, m=num2words(minute, lang=locale.language) if minute else "").strip()


def _date(text: str, locale: Locale, before: str) -> str | None:
    from babel.dates import get_month_names
    from num2words import num2words

    day, month, year = _parsed_date(text.strip(), locale)
    if year and not month:
        return _year(year, locale)
    if not (day and month):
        return None
    name = get_month_names("wide", locale=locale)[month]
    spoken_year = f" {_year(year, locale)}" if year else ""
    match locale.language:
        case "en":
            ordinal = num2words(day, to="ordinal")
            us = locale.territory == "US"
            return f"{name} {ordinal}{spoken_year}" if us else f"the {ordinal} of {name}{spoken_year}"
        case "fr":
            first = "premier" if day == 1 else num2words(day, lang="fr")
            return f"{first} {name}{spoken_year}"
        case "de":
            bent = re.search(r"\b(?:am|vom|zum|dem|den|beim|ab|seit|bis zum)\s*$", before, re.IGNORECASE)
            return f"{num2words(day, lang='de', to='ordinal')}{'n' if bent else ''} {name}{spoken_year}"
        case "es" | "pt":
            of = " de" if year else ""
            return f"{num2words(day, lang=locale.language)} de {name}{of}{spoken_year}"
        case _:
            return f"{'primo' if day == 1 else num2words(day, lang='it')} {name}{spoken_year}"


def _year(year: int, locale: Locale) -> str:
    from num2words import num2words

    words: str = num2words(year, lang=locale.language, to="year")
    return words.replace(", ", " ")


def _parsed_date(text: str, locale: Locale) -> tuple[int, int, int]:
    """(day, month, year), 0 for what is not said. All-figure dates are read by ISO 8601 or day first; month first in
    the United States. Impossible ones give zeros."""
    from babel.dates import get_month_names

    if re.fullmatch(r"\d{4}", text):
        return 0, 0, int(text)
    if found := re.fullmatch(r"(\d{4})-(\d{1,2})-(\d{1,2})", text):
        year, month, day = (int(g) for g in found.groups())
    elif found := re.fullmatch(r"(\d{1,2})[-/.](\d{1,2})[-/.](\d{4})", text):
        first, second, year = (int(g) for g in found.groups())
        day, month = (second, first) if locale.territory == "US" else (first, second)
    else:
        names = {name.lower(): number for number, name in get_month_names("wide", locale=locale).items()}
        named = next((names[w.lower()] for w in re.findall(r"[^\W\d_]+", text) if w.lower() in names), 0)
        figures = [int(n) for n in re.findall(r"\d+", text)]
        month = named
        day = next((n for n in figures if n <= 31), 0)
        year = next((n for n in figures if n > 999), 0)
    return (day, month, year) if 1 <= month <= 12 and 1 <= day <= 31 else (0, 0, 0)

"""Figures with what they count: money, per cent, degrees, units, times, days. The unit is part of every reading."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Final

from zestpanel.core.measures.readings.numbers import MOST_FIGURES, cardinal, number, ordinal, parts_of
from zestpanel.core.measures.readings.words import Reading, alike, joined, plain, primary, spoken, ways

CURRENCIES: Final = {"£": "GBP", "€": "EUR", "$": "USD", "¥": "JPY", "₹": "INR", "US$": "USD"}
CODES: Final = ("GBP", "EUR", "USD", "JPY", "CHF", "INR")
UNITS: Final = {
    "kg": "mass-kilogram", "g": "mass-gram", "mg": "mass-milligram", "t": "mass-tonne", "km": "length-kilometer",
    "m": "length-meter", "cm": "length-centimeter", "mm": "length-millimeter", "ha": "area-hectare",
    "l": "volume-liter", "L": "volume-liter", "cl": "volume-centiliter", "ml": "volume-milliliter",
    "km/h": "speed-kilometer-per-hour", "mph": "speed-mile-per-hour", "m/s": "speed-meter-per-second",
    "kWh": "energy-kilowatt-hour", "kW": "power-kilowatt", "W": "power-watt", "MW": "power-megawatt",
    "V": "electric-volt", "Hz": "frequency-hertz", "kHz": "frequency-kilohertz", "MHz": "frequency-megahertz",
    "GHz": "frequency-gigahertz", "KB": "digital-kilobyte", "MB": "digital-megabyte", "GB": "digital-gigabyte",
    "TB": "digital-terabyte", "lb": "mass-pound", "lbs": "mass-pound", "oz": "mass-ounce", "ft": "length-foot",
    "in": "length-inch", "mi": "length-mile", "yd": "length-yard", "ac": "area-acre", "m2": "area-square-meter",
    "km2": "area-square-kilometer", "m3": "volume-cubic-meter", "cm2": "area-square-centimeter", "s": "duration-second",
    "ms": "duration-millisecond", "min": "duration-minute", "h": "duration-hour", "hrs": "duration-hour",
    "kcal": "energy-kilocalorie", "bar": "pressure-bar", "hPa": "pressure-hectopascal",
}  # fmt: skip


@lru_cache(maxsize=2048)
def unit_words(symbol: str, one: bool, language: str) -> tuple[Reading, ...]:
    """Names of a unit in words (CLDR), singular or plural; and its letters, where people say those."""
    from babel import Locale, UnknownLocaleError
    from babel.units import format_unit

    try:
        locale = Locale.parse(primary(language))
        named = format_unit(1 if one else 2, UNITS[symbol], length="long", locale=locale)
    except (UnknownLocaleError, ValueError, KeyError):
        return ()
    words = plain(re.sub(r"^\s*[\d.,]+\s*|\s*[\d.,]+\s*$", "", named), language)
    out = [words]
    if primary(language) == "en" and "per" in words:
        k = words.index("per")
        an = "an" if words[k + 1][0] in "aeiou" or words[k + 1] == "hour" else "a"
        out.append((*words[:k], an, *words[k + 1 :]))
        out.append(tuple(c for c in symbol.casefold() if c.isalpha()))
    if primary(language) == "en" and symbol == "ft" and not one:
        out.append(("foot",))
    return tuple(dict.fromkeys(out))


def _is_one(written: str, language: str) -> bool:
    whole, decimals, _ = parts_of(written, language)
    return whole.lstrip("0") == "1" and not decimals


def with_unit(written: str, symbol: str, language: str) -> list[Reading]:
    """'5 km': 'five kilometers'. Both numbers of the noun are right after decimals."""
    decimals = parts_of(written, language)[1]
    names = list(unit_words(symbol, _is_one(written, language), language))
    if decimals:
        names += unit_words(symbol, True, language)
    return joined(number(written, language, may_be_year=False), names) if names else []


def percent(written: str, sign: str, language: str) -> list[Reading]:
    table = spoken(primary(language))
    said = table.get("permille" if sign == "‰" else "percent", "percent")
    return joined(number(written, language, may_be_year=False), [alike(way, language) for way in ways(said)])


def degrees(written: str, scale: str, language: str) -> list[Reading]:
    """'4 °C': 'four degrees celsius'."""
    table = spoken(primary(language))
    named = ways(table.get("degrees", "degrees"))
    if primary(language) == "en" and _is_one(written, language):
        named = [("degree",), ("degrees",)]
    parts = [number(written, language, may_be_year=False), named]
    if scale:
        parts.append(ways(table.get("celsius" if scale.upper() == "C" else "fahrenheit", scale)))
    return joined(*parts)


def money(written: str, currency: str, scale: str, language: str) -> list[Reading]:
    """'£3.50': 'three pounds fifty', 'three pounds and fifty pence'. '$2.5m': 'two point five million dollars'."""
    table = spoken(primary(language))
    names = table.get("money", {}).get(currency)
    if names is None:
        return []
    single, several, small_one, small = names
    whole, decimals, _ = parts_of(written, language)
    if max(len(whole), len(decimals)) > MOST_FIGURES:
        return []
    if scale:
        key = scale.casefold()
        word = table.get("scale", {}).get(key, key)
        return joined(number(written, language, may_be_year=False), ways(word), _of_scale(language), ways(several))
    units = ways(single) if int(whole) == 1 else ways(several)
    if int(whole) == 1 and primary(language) != "en":
        units += ways(several)
    n = [one for one in number(whole, language, may_be_year=False)]
    if not decimals or int(decimals) == 0:
        return joined(n, units)
    cents = int((decimals + "0")[:2])
    after = list(cardinal(cents, language))
    small_names = ways(small_one if cents == 1 else small)
    link: list[Reading] = [(), *ways(table.get("and", "and"))]
    if int(whole) == 0:
        return joined(after, small_names)
    if len(decimals) > 2:
        return joined(number(written, language, may_be_year=False), units)
    out = joined(n[:2], units, link, after, [(), *small_names])
    return [*out, *joined(number(written, language, may_be_year=False), ways(several))]


def _of_scale(language: str) -> list[Reading]:
    """What stands between a million and what is counted."""
    return {"fr": [("de",), ("d'",), ()], "es": [("de",), ()], "it": [("di",), ()], "pt": [("de",), ()]}.get(
        primary(language), [()]
    )


def clock(hour: int, minute: int, half: str, language: str) -> list[Reading]:
    """A time of day: '10:30' is 'ten thirty' or 'half past ten'. half: 'am', 'pm' or ''."""
    if primary(language) != "en":
        return _clock_elsewhere(hour, minute, language)
    said = [cardinal(hour, language)[0]]
    twelve = hour % 12 or 12
    if hour > 12 and not half:
        said.append(cardinal(twelve, language)[0])
    this, following = cardinal(twelve, language)[0], cardinal(twelve % 12 + 1, language)[0]
    out: list[Reading] = []
    if minute == 0:
        out += [*said, *joined(said, [("o'clock",), ("hundred",), ("hundred", "hours")])]
    else:
        low = cardinal(minute, language)[0]
        out += joined(said, [("zero", *low)] if minute < 10 else [low])
        to = cardinal(60 - minute, language)[0]
        named: dict[int, Reading] = {15: ("quarter",), 30: ("half",)}
        if minute <= 30:
            past: list[Reading] = [named.get(minute, low), ("a", "quarter") if minute == 15 else (*low, "minutes")]
            out += joined(past, [("past", *this), ("after", *this)])
        else:
            near: list[Reading] = [("quarter",), ("a", "quarter")] if minute == 45 else [to, (*to, "minutes")]
            out += joined(near, [("to", *following), ("before", *following)])
    if half:
        return joined(out, [tuple(half), (half,)])
    return list(dict.fromkeys(out))


def _clock_elsewhere(hour: int, minute: int, language: str) -> list[Reading]:
    from zestpanel.core.text.marks.spelling_out import spelled

    usual = spelled("time", f"{hour}:{minute:02}", language)
    out = [plain(usual, language)] if usual else []
    hours, minutes = list(cardinal(hour, language)), list(cardinal(minute, language))
    word = {"fr": ["heures", "heure"], "de": ["uhr"], "es": ["horas", "y"], "it": ["e"], "pt": ["horas", "e"]}
    links: list[Reading] = [(w,) for w in word.get(primary(language), [])]
    out += joined(hours, [*links, ()], minutes if minute else [()])
    halves = {"fr": ("et", "demie"), "es": ("y", "media"), "it": ("e", "mezza"), "pt": ("e", "meia")}
    if minute == 30 and (half := halves.get(primary(language))):
        out += joined([("las",), ("la",), ()] if primary(language) == "es" else [()], hours, [*links, ()], [half])
    return list(dict.fromkeys(out))


@lru_cache(maxsize=16)
def months(language: str) -> dict[str, int]:
    """Names of months, long and short, folded, with their numbers."""
    from babel import Locale, UnknownLocaleError
    from babel.dates import get_month_names

    try:
        locale = Locale.parse(primary(language))
    except (UnknownLocaleError, ValueError):
        return {}
    out = {name.casefold(): n for n, name in get_month_names("wide", locale=locale).items()}
    short = {name.casefold().strip("."): n for n, name in get_month_names("abbreviated", locale=locale).items()}
    return {**short, **out}


def month_word(name: str, language: str) -> Reading:
    """A month's name in full."""
    from babel.dates import get_month_names

    n = months(language)[name.casefold().strip(".")]
    return plain(get_month_names("wide", locale=primary(language))[n], language)


def day_of_month(figures: str, language: str, *, before_month: bool) -> list[Reading]:
    """'3' beside a month: 'third', 'the third of', 'three'."""
    n = int(figures)
    numbers, places = list(cardinal(n, language)), list(ordinal(n, language))
    if primary(language) == "en":
        if before_month:
            return [*places, *joined([("the",), ()], places, [("of",)]), *joined([("the",)], places), *numbers]
        return [*places, *joined([("the",)], places), *numbers]
    of: list[Reading] = [("de",)] if primary(language) in ("es", "pt") else [()]
    first = places if n == 1 or primary(language) == "de" else []
    return joined([*numbers, *first], of if before_month else [()])

"""Numbers in words, every usual way: a cardinal with and without 'and', a year in pairs, digits, decimals, ordinals."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import lru_cache
from typing import Final

from zestpanel.core.measures.readings.words import Reading, alike, joined, plain, primary, spoken, ways

MOST_FIGURES: Final = 15  # of a number that is said as a number, not figure by figure
_DECIMAL_COMMA: Final = ("fr", "es", "de", "it", "pt")


def number_pattern(language: str) -> str:
    """A written number, with thousands parted as the language does and a decimal part; no sign."""
    thousands, decimal = (
        (r"[.\s\u202f\u00a0’']", ",") if primary(language) in _DECIMAL_COMMA else (r"[,\u202f\u00a0]", r"\.")
    )
    # a single separator with other than three figures behind it is a decimal one wherever it stands
    return rf"(?:\d{{1,3}}(?:{thousands}\d{{3}})+(?!\d)(?:{decimal}\d+)?|\d+(?:[.,]\d+)?)"


def parts_of(written: str, language: str) -> tuple[str, str, bool]:
    """(whole figures, decimal figures, whether thousands are parted) of a written number."""
    comma = primary(language) in _DECIMAL_COMMA
    bare = re.sub(r"[\s\u202f\u00a0’']", "", written)
    thousands, decimal = (".", ",") if comma else (",", ".")
    if re.fullmatch(rf"\d{{1,3}}(?:{re.escape(thousands)}\d{{3}})+(?:{re.escape(decimal)}\d+)?", bare):
        whole, _, rest = bare.replace(thousands, "").partition(decimal)
        return whole, rest, True
    whole, _, rest = bare.replace(",", ".").partition(".")
    return whole, rest, bare != written


@lru_cache(maxsize=4096)
def cardinal(n: int, language: str) -> tuple[Reading, ...]:
    """'one thousand and sixty-six': with and without 'and', with 'a' for 'one'."""
    from num2words import num2words

    first = plain(num2words(n, lang=primary(language)), language)
    out = [first]
    if primary(language) == "en":
        out.append(tuple(word for word in first if word != "and"))
        # American and British English differ in where 'and' goes: it may also stand after thousands
        out += [("a", *one[1:]) for one in out[:2] if len(one) > 1 and one[0] == "one"]
        if n == 0:
            out += [("nil",), ("nothing",)]
    if primary(language) == "fr" and n in (1, 21, 31, 41, 51, 61):
        out.append((*first[:-1], "une"))
    if primary(language) in ("es", "pt", "it"):
        out += _gendered(first)
    if primary(language) == "de" and first[-1] in ("eins", "ein"):
        out += [(*first[:-1], form) for form in ("ein", "eine", "einen", "einem", "einer")]
    return tuple(dict.fromkeys(out))


_HUNDREDS: Final = re.compile(r"(cient|quinient|novecient|setecient|duzent|trezent|quinhent|centos?)os$")


def _gendered(words: Reading) -> list[Reading]:
    """Numbers that end in one or two, and hundreds, bend with what they count."""
    bent = {"uno": ("un", "una"), "um": ("uma",), "dois": ("duas",), "veintiuno": ("veintiún", "veintiuna")}
    out = [(*words[:-1], form) for form in bent.get(words[-1], ())]
    feminine = tuple(
        re.sub(r"(cient|quinient|novecient|setecient|duzent|trezent|quinhent|centos?)os$", r"\1as", w) for w in words
    )
    return [*out, feminine] if feminine != words else out


@lru_cache(maxsize=4096)
def year(n: int, language: str) -> tuple[Reading, ...]:
    """A number of four figures as a year: 'nineteen eighty-four', 'ten sixty-six', 'nineteen oh five'."""
    from num2words import num2words

    key = primary(language)
    if not 1000 <= n <= 9999:
        return ()
    if key != "en":
        try:
            return (plain(num2words(n, lang=key, to="year"), language),)
        except (NotImplementedError, OverflowError, ValueError):
            return ()
    high, low = divmod(n, 100)
    out: list[Reading] = []
    first = cardinal(high, language)[0]
    if low == 0 and high % 10:
        out.append((*first, "hundred"))
    elif 0 < low < 10:
        last = cardinal(low, language)[0]
        out += [(*first, "zero", *last)]
        if high % 10:
            out += [(*first, "hundred", "and", *last), (*first, "hundred", *last)]
    elif low:
        out.append((*first, *cardinal(low, language)[0]))
        if high % 10:
            out += [
                (*first, "hundred", "and", *cardinal(low, language)[0]),
                (*first, "hundred", *cardinal(low, language)[0]),
            ]
    return tuple(out)


def digits(figures: str, language: str) -> Reading:
    """Figure by figure; very many of them are one word as they stand."""
    if len(figures) > 10 * MOST_FIGURES:
        return (figures,)
    return tuple(word for figure in figures for word in cardinal(int(figure), language)[0])


@lru_cache(maxsize=4096)
def ordinal(n: int, language: str) -> tuple[Reading, ...]:
    """'third'; in languages with genders all of them."""
    from num2words import num2words

    key = primary(language)
    first = plain(num2words(n, lang=key, to="ordinal"), language)
    if not first:  # of very large ones there are none in some languages
        return ()
    out = [first]
    if key == "fr":
        out += {1: [("premier",), ("première",)], 2: [("second",), ("seconde",), ("deuxième",)]}.get(n, [])
    if key in ("es", "it", "pt"):
        out.append((*first[:-1], re.sub(r"o$", "a", first[-1])))
        out += [(*first[:-1], first[-1][:-1])] if key == "es" and first[-1] in ("primero", "tercero") else []
    if key == "de":
        out += [(*first[:-1], first[-1] + end) for end in ("n", "r", "s", "m")]
    return tuple(dict.fromkeys(out))


# four figures that are a year before they are a number (common practice, no source)
_USUAL_YEARS: Final = frozenset((*range(1_100, 2_000), *range(2_010, 2_100)))


def number(written: str, language: str, *, may_be_year: bool = True) -> list[Reading]:
    """All readings of a number as it is written, without its sign; [] for one that is too large to say."""
    whole, decimals, parted = parts_of(written, language)
    if len(whole) > MOST_FIGURES or len(decimals) > MOST_FIGURES:
        return [digits(whole + decimals, language)]
    n = int(whole)
    if decimals:
        return list(_decimal(whole, decimals, language))
    out = list(cardinal(n, language))
    if may_be_year and not parted and len(whole) == 4:
        as_year = list(year(n, language))
        out = as_year + out if n in _USUAL_YEARS else out + as_year
    if not parted and (len(whole) > 4 or (whole.startswith("0") and len(whole) > 1)):
        out.append(digits(whole, language))
    return list(dict.fromkeys(out))


def _decimal(whole: str, decimals: str, language: str) -> Iterator[Reading]:
    table = spoken(primary(language))
    point = [alike(way, language) for way in ways(table.get("point", "point"))]
    before = list(cardinal(int(whole), language))
    after: list[Reading] = [digits(decimals, language)]
    if primary(language) != "en" and not decimals.startswith("0") and len(decimals) <= 3:
        after += cardinal(int(decimals), language)
    yield from joined(before, point, after)
    if primary(language) == "en":
        if int(whole) == 0:
            yield from joined(point, after)
        for figures, way in (("5", "half"), ("25", "quarter"), ("75", "three quarters")):
            if decimals.rstrip("0") == figures and int(whole):
                tail = ("and", *way.split()) if " " in way else ("and", "a", way)
                yield from joined(before, [tail])


def signed(readings: list[Reading], language: str) -> list[Reading]:
    """With the sign said."""
    return joined(ways(spoken(primary(language)).get("minus", "minus")), readings)

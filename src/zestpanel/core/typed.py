"""What people type: numbers, languages and currencies, read in one way everywhere or refused in a sentence."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import date
from decimal import Decimal
from functools import lru_cache
from typing import Final

from zestpanel.core.clock import today
from zestpanel.core.errors import InputError
from zestpanel.core.texts import tr

# as this program writes them: a point before decimals; a comma, a space or an apostrophe between thousands
_NUMBER: Final = re.compile(r"[+-]?(?:[0-9]{1,3}(?:[,' \u00a0\u202f\u2009][0-9]{3})+|[0-9]{1,15})(?:\.[0-9]{1,15})?")
_GROUPS: Final = re.compile(r"[,' \u00a0\u202f\u2009]")


def typed_number(text: str, what: str, *, least: Decimal | int | None = None) -> Decimal:
    """A number as it is typed: 1,000 is a thousand, 1.5 one and a half; 1,5 is asked about. Raises InputError."""
    text = text.strip()
    if not _NUMBER.fullmatch(text):
        point = re.fullmatch(r"([+-]?[0-9.' ]*[0-9]),([0-9]{1,2})", text)
        hint = (
            tr("Write {sub}.{point}, with a point.", sub=re.sub("[^0-9+-]", "", point[1]), point=point[2])
            if point
            else tr("Write it like 2.50.")
        )
        raise InputError(
            tr("{what}: '{words}' is no number.", what=what, words=text[:40]),
            kept=tr("Nothing was changed."),
            remedy=hint,
        )
    value = Decimal(_GROUPS.sub("", text))
    if least is not None and value < least:
        raise InputError(
            tr("{what}: {words} is below {least}.", what=what, words=text, least=least), kept=tr("Nothing was changed.")
        )
    return value


def typed_whole(text: str, what: str, *, least: int | None = None) -> int:
    """A whole number as it is typed. Raises InputError."""
    value = typed_number(text, what, least=least)
    if value != value.to_integral_value():
        raise InputError(
            tr("{what}: '{words}' is no whole number.", what=what, words=text.strip()), kept=tr("Nothing was changed.")
        )
    return int(value)


def typed_months(text: str, what: str) -> dict[int, Decimal]:
    """Minutes of months that are not like the others, as they are typed: '3: 120, 7: 0'. Raises InputError."""
    out: dict[int, Decimal] = {}
    for one in filter(None, (part.strip() for part in text.replace(";", ",").split(","))):
        month, colon, minutes = one.partition(":")
        number = typed_whole(month, what, least=1) if colon else 0
        if not 1 <= number <= 12:
            raise InputError(
                tr("{what}: '{words}' is no month with its minutes.", what=what, words=one[:40]),
                kept=tr("Nothing was changed."),
                remedy=tr("Write it like 3: 120, 7: 0."),
            )
        out[number] = typed_number(minutes, what, least=0)
    return out


def months_in_words(months: Mapping[int, Decimal]) -> str:
    """``typed_months`` of it are the months again."""
    return ", ".join(f"{month}: {minutes.normalize():f}" for month, minutes in sorted(months.items()))


@lru_cache(maxsize=1)
def _english() -> tuple[frozenset[str], frozenset[str], frozenset[str], frozenset[str]]:
    """Codes of languages, scripts, territories and currencies (Unicode CLDR, by Babel)."""
    from babel import Locale  # takes a moment, and is wanted only where something is typed

    english = Locale("en")
    found = (english.languages, english.scripts, english.territories, english.currencies)
    one, two, three, four = (frozenset(codes) for codes in found)
    return one, two, three, four


def typed_language(text: str) -> str:
    """A BCP 47 tag (RFC 5646, section 2.1) in its usual writing: 'en-gb' is 'en-GB'. Raises InputError."""
    languages, scripts, territories, _ = _english()
    parts = text.strip().replace("_", "-").split("-")
    out = [parts[0].lower()]
    known = out[0] in languages and len(parts) <= 3
    for part in parts[1:]:
        if len(part) == 4 and part.title() in scripts and len(out) == 1:
            out.append(part.title())
        elif part.upper() in territories and part:
            out.append(part.upper())
        else:
            known = False
    if not known:
        raise InputError(
            tr("'{words}' is no language this program knows.", words=text.strip()[:40]),
            kept=tr("Nothing was changed."),
            remedy=tr("Write a tag such as en-GB, fr or zh-Hant-TW."),
        )
    return "-".join(out)


def typed_date(text: str, what: str, *, past: bool = False) -> date | None:
    """A date as 2026-11-25, None for nothing. past: it is not one to come. Raises InputError."""
    if not text.strip():
        return None
    try:
        day = date.fromisoformat(text.strip())
    except ValueError as error:
        raise InputError(tr("{what} is written as 2026-11-25.", what=what), kept=tr("Nothing was changed.")) from error
    if past and day > today():
        raise InputError(tr("{what} is a day to come ({day}).", what=what, day=day), kept=tr("Nothing was changed."))
    return day


def typed_currency(text: str) -> str:
    """A currency's code (ISO 4217). Raises InputError."""
    code = text.strip().upper()
    if code not in _english()[3]:
        raise InputError(
            tr("'{words}' is no currency.", words=text.strip()[:40]), kept=tr("Nothing was changed."),
            remedy=tr("Write its three letters, such as EUR."),
        )  # fmt: skip
    return code

"""Exchange rates as they are typed, and back."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import date

from zestpanel.core.domain.brief import ExchangeRate
from zestpanel.core.errors import InputError
from zestpanel.core.texts import tr
from zestpanel.core.typed import typed_currency, typed_number


def rates_in_words(rates: Sequence[ExchangeRate]) -> str:
    """'USD 0.92 2026-11-02 the bank', parted by a bar."""
    return " | ".join(
        " ".join(
            filter(None, (r.currency, f"{r.rate.normalize():f}", r.dated.isoformat() if r.dated else "", r.source))
        )
        for r in rates
    )


def rates_from_words(text: str, own: str) -> list[ExchangeRate]:
    """Exchange rates as they are typed. Raises InputError on the first that cannot be understood."""
    out, kept = [], tr("Nothing was changed.")
    for part in filter(None, (one.strip() for one in text.split("|"))):
        words = part.split()
        currency = words[0].upper()
        if not (len(currency) == 3 and currency.isalpha() and len(words) > 1):
            raise InputError(
                tr(
                    "'{part}' is no exchange rate: write a currency and what one of it is worth, like USD 0.92.",
                    part=part,
                ),
                kept=kept,
            )
        currency = typed_currency(currency)
        if currency == own:
            raise InputError(
                tr("{currency} is the currency of the brief itself and needs no rate.", currency=currency),
                kept=kept,
            )
        rate = typed_number(words[1], tr("The rate of {currency}", currency=currency), least=0)
        dated, rest = None, words[2:]
        if rest and (found := re.fullmatch(r"\d{4}-\d{2}-\d{2}", rest[0])):
            try:
                dated = date.fromisoformat(found[0])
            except ValueError:
                raise InputError(tr("'{found}' is no date.", found=found[0]), kept=kept) from None
            rest = rest[1:]
        if rate <= 0:
            raise InputError(tr("The rate of {currency} has to be over 0.", currency=currency), kept=kept)
        out.append(ExchangeRate(currency=currency, rate=rate, dated=dated, source=" ".join(rest)))
    return out

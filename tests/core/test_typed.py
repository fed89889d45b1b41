"""What people type is read in one way or refused in our words, never taken for something else."""

from __future__ import annotations

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zestpanel.core.errors import InputError
from zestpanel.core.typed import typed_currency, typed_language, typed_number, typed_whole


@pytest.mark.parametrize(
    ("text", "value"),
    [("1,000", "1000"), ("1 000.50", "1000.5"), ("1'234'567", "1234567"), ("2.50", "2.5"), (" 7 ", "7"), ("-3", "-3"),
     ("12,345,678.9", "12345678.9"), ("1 000", "1000")],
)  # fmt: skip
def test_numbers_with_thousands_and_decimals(text: str, value: str) -> None:
    assert typed_number(text, "It") == Decimal(value)


@pytest.mark.parametrize("text", ["1,5", "1,00", "10,000,00", "1.000,50", "1e30", "inf", "nan", "²", "٣", "1_000", "",
                                  "much", "1,0000", "--3", "0x10", "1" * 40])  # fmt: skip
def test_what_could_be_read_in_two_ways_is_asked_about(text: str) -> None:
    with pytest.raises(InputError, match=r"is no number\. Nothing was changed\. Write "):
        typed_number(text, "It")


def test_a_comma_before_decimals_is_answered_with_the_right_writing() -> None:
    with pytest.raises(InputError, match=r"Write 1\.5, with a point"):
        typed_number("1,5", "The budget")
    with pytest.raises(InputError, match=r"Write 1000\.50, with a point"):
        typed_number("1.000,50", "The budget")


@given(st.decimals(min_value=0, max_value=10**9, places=3))
def test_what_is_shown_is_read_back(value: Decimal) -> None:
    assert typed_number(f"{value:,}", "It") == typed_number(f"{value:f}", "It") == value


def test_whole_numbers_and_bounds() -> None:
    assert typed_whole("1,200", "It") == 1200
    for text, said in (("1.5", "no whole number"), ("0", "below 1")):
        with pytest.raises(InputError, match=said):
            typed_whole(text, "It", least=1)


@pytest.mark.parametrize(
    ("text", "tag"),
    [("en-gb", "en-GB"), ("FR", "fr"), ("zh-hant-tw", "zh-Hant-TW"), ("pt_BR", "pt-BR"), ("es-419", "es-419")],
)
def test_languages_in_their_usual_writing(text: str, tag: str) -> None:
    """RFC 5646, section 2.1.1: the writing that is recommended."""
    assert typed_language(text) == tag


@pytest.mark.parametrize("text", ["english", "xx-YY-zz-1", "en-", "", "e", "en-QQQ", "klingonish", "../x", "qqx"])
def test_what_is_no_language_is_refused(text: str) -> None:
    with pytest.raises(InputError, match="is no language this program knows"):
        typed_language(text)


def test_currencies() -> None:
    assert typed_currency(" gbp") == "GBP"
    for text in ("EUX", "euro", "€", ""):
        with pytest.raises(InputError, match="is no currency"):
            typed_currency(text)

"""Words wrong, whatever way figures and signs are read: what a person would call right costs nothing, what a person
would call wrong does. The readings are common practice of each language, no source, unless one is named."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from jiwer import process_words

from zestpanel.core.errors import InputError
from zestpanel.core.measures.readings.text import Place, places
from zestpanel.core.measures.word_errors import errors_of, word_errors

RIGHT = [
    ("en-GB", "It was planted in 1984.", "it was planted in nineteen eighty-four"),
    ("en-GB", "It was planted in 1984.", "it was planted in one thousand nine hundred and eighty four"),
    ("en", "In 1066 they came", "in ten sixty-six they came"),
    ("en", "In 1066 they came", "in one thousand and sixty-six they came"),
    ("en", "In 1905", "in nineteen oh five"),
    ("en", "In 1905", "in nineteen hundred and five"),
    ("en", "In 2005", "in two thousand and five"),
    ("en", "In 2026", "in twenty twenty six"),
    ("en", "the 1980s", "the nineteen eighties"),
    ("en", "1914–1918", "nineteen fourteen to nineteen eighteen"),
    ("en-GB", "It costs £3.50 today", "it costs three pounds fifty today"),
    ("en-GB", "It costs £3.50", "it costs three pounds and fifty pence"),
    ("en", "€1,000,000", "one million euros"),
    ("en", "$2.5 million", "two point five million dollars"),
    ("en", "5% of it", "five per cent of it"),
    ("en-GB", "5 % of it", "five percent of it"),
    ("en", "-4 °C at night", "minus four degrees celsius at night"),
    ("en", "salt & pepper", "salt and pepper"),
    ("en", "C++ and C#", "c plus plus and c sharp"),
    ("en", "the 3rd tree", "the third tree"),
    ("en", "１９８４, ５％", "nineteen eighty four five percent"),
    ("en", "1.5 litres", "one point five liters"),
    ("en", "at 10:30", "at ten thirty"),
    ("en", "at 10:30", "at half past ten"),
    ("en", "on 3 May 1984", "on the third of may nineteen eighty four"),
    ("en-US", "on May 3, 1984", "on may third nineteen eighty four"),
    ("en", "Louis XIV", "louis the fourteenth"),
    ("en-GB", "12 km away", "twelve kilometres away"),
    ("en", "1 1/2 cups", "one and a half cups"),
    ("en", "½ a cup", "half a cup"),
    ("en", "10 m² of soil", "ten square metres of soil"),
    ("en", "Dr. Hale doesn’t", "doctor hale doesn't"),
    ("en", "No. 5", "number five"),
    ("en", "no. I said", "no i said"),
    ("en", "call 020 7946", "call zero two zero seven nine four six"),
    ("en", "nineteen eighty-four", "1984"),
    ("en", "a\u00a0well-kept\u2009tree", "a wellkept tree"),
    ("fr", "En 1984, 5 %", "en mille neuf cent quatre-vingt-quatre cinq pour cent"),
    ("fr", "3,50 €", "trois euros cinquante"),
    ("fr", "Il fait −3 °C le 1er mai", "il fait moins trois degrés celsius le premier mai"),
    ("fr-FR", "l'arbre d’aujourd'hui", "l’arbre d'aujourd’hui"),
    ("es", "Son 5 € por 20 km", "son cinco euros por veinte kilómetros"),
    ("de", "Im Jahr 1984, 3,5 kg", "im jahr neunzehnhundertvierundachtzig drei komma fünf kilogramm"),
    ("it", "20 km e 5 %", "venti chilometri e cinque per cento"),
    ("pt", "3,5 kg", "três vírgula cinco quilogramas"),
]
WRONG = [
    ("en", "It costs £3.50", "it costs three fifty", 1),
    ("en", "It costs $5", "it costs five", 1),
    ("en", "5% of it", "five of it", 1),
    ("en", "−4°C at night", "four degrees celsius at night", 1),
    ("en", "the 3rd tree", "the three tree", 1),
    ("en", "12 km away", "twelve miles away", 1),
    ("en", "12 km away", "twelve away", 1),
    ("en", "1.5 litres", "fifteen litres", 3),
    ("en", "at 10:30", "at one thousand and thirty", 3),
    ("en", "1,250 trees", "one thousand two hundred trees", 1),
    ("en", "In 1984", "in nineteen eighty five", 1),
    ("fr", "3,50 €", "trois cinquante", 1),
]


@pytest.mark.parametrize(("language", "script", "heard"), RIGHT)
def test_a_right_reading_costs_nothing(language: str, script: str, heard: str) -> None:
    found = word_errors(script, heard, language)
    assert (found.missing, found.added, found.replaced) == (0, 0, 0), [p.readings[:6] for p in places(script, language)]
    assert found.right == (True,) * len(found.right)


@pytest.mark.parametrize(("language", "script", "heard", "errors"), WRONG)
def test_a_wrong_reading_costs_what_is_wrong_in_it(language: str, script: str, heard: str, errors: int) -> None:
    found = word_errors(script, heard, language)
    assert found.missing + found.added + found.replaced == errors
    assert False in found.right


WORDS = st.lists(st.sampled_from("abcd"), max_size=12)


@given(WORDS.filter(bool), WORDS)
def test_without_figures_it_is_the_usual_word_error_rate(script: list[str], heard: list[str]) -> None:
    # reference: jiwer; how errors divide into kinds may differ where several ways have the same cost
    found = word_errors(" ".join(script), " ".join(heard), "en")
    other = process_words(" ".join(script), " ".join(heard))
    assert found.words == len(script)
    assert found.missing + found.added + found.replaced == other.deletions + other.insertions + other.substitutions
    assert found.rate == pytest.approx(other.wer)


@given(st.lists(st.lists(st.lists(st.sampled_from("abc"), max_size=3).map(tuple), min_size=1, max_size=3), min_size=1,
                max_size=4), st.lists(st.sampled_from("abc"), max_size=7))  # fmt: skip
def test_of_several_readings_the_best_is_followed(script: list[list[tuple[str, ...]]], heard: list[str]) -> None:
    # reference: every combination of readings, one by one, by jiwer
    from itertools import product

    lattice = [Place("", tuple(ways)) for ways in script]
    if not any(any(place.readings) for place in lattice):
        return
    best = min(
        process_words(" ".join(words), " ".join(heard)).wer * len(words) if (words := sum(ways, ())) else len(heard)
        for ways in product(*script)
    )
    found = errors_of(lattice, [Place(word, ((word,),)) for word in heard])
    assert found.missing + found.added + found.replaced == round(best)


def test_an_empty_script_has_no_rate() -> None:
    with pytest.raises(InputError, match="no words"):
        word_errors("… –", "anything", "en")


@given(st.text(max_size=200), st.sampled_from(["en", "fr", "es", "de", "it", "pt", "ko-KR", "xx"]))
def test_any_text_is_read_and_reads_like_itself(text: str, language: str) -> None:
    found = places(text, language)
    if any(any(place.readings) for place in found):
        same = word_errors(text, text, language)
        assert same.missing + same.added + same.replaced == 0


def test_long_texts_are_compared_in_little_memory_and_time() -> None:
    rng = np.random.default_rng(1)
    words = ["w" + "abcdefghij"[n % 10] * (1 + n // 10) for n in rng.integers(0, 300, 4000)]
    heard = [word for word in words if rng.random() > 0.05]
    found = word_errors(" ".join(words), " ".join(heard), "en")
    assert found.missing == len(words) - len(heard)

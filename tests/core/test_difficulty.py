"""Hard parts of texts, found by rule."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zestpanel.core.text.difficulty import KINDS, find_difficulties, homographs, kinds_of
from zestpanel.demo.building import scenario

# common practice, no source: what readers stumble over, a sentence each
SAMPLES = [
    ("It bore on 14 May 1976.", "en", "dates", "14 May 1976"),
    ("Planted in 1846, it stands.", "en", "dates", "1846"),
    ("Mûres vers le 20 septembre.", "fr", "dates", "20 septembre"),
    ("We met at 10:30 sharp.", "en", "times", "10:30"),
    ("It costs £38.50 today.", "en", "money", "£38.50"),
    ("Deux euros le kilo.", "fr", "money", "Deux euros"),
    ("It weighs about 18 kg now.", "en", "units", "18 kg"),
    ("Keep it at 3 °C.", "en", "units", "3 °C"),
    ("He counted 12 trees.", "en", "numbers", "12"),
    ("Dr. Hale grafted it.", "en", "abbreviations", "Dr."),
    ("The BBC came.", "en", "acronyms", "BBC"),
    ("It was Marge who said so.", "en", "names", "Marge"),
    ("An old Doyenné stood there.", "en", "foreign words", "Doyenné"),
    ("I read it twice.", "en", "homographs", "read"),
    ("Le fils du fermier.", "fr", "homographs", "fils"),
    ("Pears, figs, quinces, and medlars.", "en", "lists", "Pears, figs, quinces, and medlars"),
    ("Will it fruit?", "en", "questions", "Will it fruit?"),
    ("What a crop!", "en", "exclamations", "What a crop!"),
    ("“Not yet,” he said.", "en", "dialogue", "“Not yet,”"),
    ("The tree (a pear) fell.", "en", "parentheses", "(a pear)"),
    ("Write to us@example.org soon.", "en", "addresses", "us@example.org"),
    ("Salt & pepper.", "en", "symbols", "&"),
    ("Peter picked purple plums promptly.", "en", "tongue-twisters", "Peter picked purple plums promptly"),
    ("Nooo, it cannot be.", "en", "repeated letters", "Nooo"),
    ("It was ABSOLUTELY still.", "en", "capitals", "ABSOLUTELY"),
    ("Well done 🍐 all.", "en", "emoji", "🍐"),
    ("He came, ha ha ha, too late.", "en", "acted sounds", "ha ha ha"),
    ("Really?! Yes.", "en", "odd punctuation", "?!"),
    ("word " * 30 + "end.", "en", "long sentences", "31 words"),
]


@pytest.mark.parametrize(("text", "language", "kind", "words"), SAMPLES)
def test_each_kind_is_found_where_it_stands(text: str, language: str, kind: str, words: str) -> None:
    found = [d for d in find_difficulties(text, language) if d.kind == kind]
    assert [d.words for d in found] == [words]
    if kind != "long sentences":
        assert text[found[0].start : found[0].end].strip() == words


def test_every_kind_has_a_sample_and_plain_prose_has_none() -> None:
    assert {kind for _, _, kind, _ in SAMPLES} == set(KINDS)
    assert kinds_of("The old tree stood by the wall, and the cat slept under it.", "en-GB") == []


def test_the_demo_covers_many_kinds() -> None:
    found = {kind for p in scenario()["passages"] for kind in kinds_of(p["text"], p["language"])}
    assert {"dates", "money", "units", "names", "foreign words", "questions", "dialogue", "long sentences"} <= found


def test_corrections_of_a_person_win() -> None:
    assert kinds_of("We met at 10:30.", "en", added=["names"], removed=["times"]) == ["names"]


def test_homographs_have_a_note_in_each_language_that_has_any() -> None:
    lists = homographs()
    assert set(lists) == {"en", "fr", "de", "it", "pt"}  # Spanish spelling leaves no such pairs to speak of
    assert all(note for words in lists.values() for note in words.values())
    assert find_difficulties("The lead pipe.", "en")[0].note == "leed (to go first) or led (the metal)"


@given(st.text(max_size=300), st.sampled_from(["en", "fr", "de", "ja"]))
def test_any_text_is_looked_through_and_places_are_right(text: str, language: str) -> None:
    for found in find_difficulties(text, language):
        assert 0 <= found.start < found.end <= len(text)
        assert found.kind in KINDS


def test_a_paragraph_without_a_mark_at_its_end_is_found() -> None:
    found = [d for d in find_difficulties("The tree stood by the old wall\n\nIt fell in May.", "en") if d.note]
    assert [(d.words, d.kind, d.note) for d in found] == [("wall", "odd punctuation", "no mark at the end")]
    assert not [d for d in find_difficulties("The Frost Year\n\nIt fell in May.", "en") if d.note], "a heading has none"

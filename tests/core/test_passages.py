"""Texts in, split and counted."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zestpanel.core.domain.passage import clean_text, title_from, words_with_places
from zestpanel.core.errors import TextError
from zestpanel.core.text.readers.plain import plain_from_markdown
from zestpanel.core.text.readers.reading import read_script
from zestpanel.core.text.splitting import split_paragraphs, split_sentences, split_to_size

SENTENCES = [
    ("Dr. Hale planted it in 1846. It bore in 1851.", 2),
    ("It weighs 2.5 kg. The price is £3.50 a kilo.", 2),
    ('"Will it fruit?" she asked. "Not this year."', 2),
    ("See fig. 3, p. 12, for the cv. Bon Chrétien.", 1),
    ("Combien ? Deux euros. Et après… rien !", 3),
    ("M. Duval et Mme Roux sont là.", 1),
    ("It opened at 10.30 a.m. on Sunday. Nobody came.", 2),
    ("No end here", 1),
]


@pytest.mark.parametrize(("text", "count"), SENTENCES)
def test_sentence_ends(text: str, count: int) -> None:
    assert len(split_sentences(text)) == count, split_sentences(text)


@given(st.text(st.characters(codec="utf-8", exclude_categories=["Cs"]), max_size=400))
def test_splitting_loses_nothing(text: str) -> None:
    text = clean_text(text)
    squeezed = re.sub(r"\s+", "", text)
    assert re.sub(r"\s+", "", "".join(split_sentences(text))) == squeezed
    assert re.sub(r"\s+", "", "".join(split_paragraphs(text))) == squeezed
    for number in re.findall(r"\d+[.,]\d+", text):
        assert any(number in part for part in split_sentences(text))


@given(st.text(st.sampled_from("ab. ?!\n"), max_size=300), st.integers(5, 60))
def test_parts_keep_to_the_size_unless_one_sentence_is_longer(text: str, most: int) -> None:
    parts = split_to_size(text, most)
    for part in parts:
        assert len(part) <= most or len(split_sentences(part)) == 1
    assert re.sub(r"\s+", "", "".join(parts)) == re.sub(r"\s+", "", text)


@given(st.text(max_size=200))
def test_words_stand_where_they_are_said_to(text: str) -> None:
    for word, start, end in words_with_places(text):
        assert text[start:end] == word


def test_words_of_numbers_names_and_clitics() -> None:
    words = [w for w, _, _ in words_with_places("It’s 1.5 kg at 10:30, d'Avranches, Louise-Bonne (1846)!")]
    assert words == ["It’s", "1.5", "kg", "at", "10:30", "d'Avranches", "Louise-Bonne", "1846"]


def test_markdown_reads_as_it_is_meant_to_be_read() -> None:
    text = (
        "---\ntitle: x\n---\n# Heading\n\nA **bold** and *slanted* [link](https://example.org) word.\n\n"
        "```\ncode\n```\n\n- one item\n\n![picture](a.png)\n\n2 * 3 * 4 stays."
    )
    plain = clean_text(plain_from_markdown(text))
    assert "A bold and slanted link word." in plain
    assert "2 * 3 * 4 stays." in plain
    assert not any(part in plain for part in ("Heading", "code", "title", "https", "picture", "**"))
    assert split_paragraphs(plain)[1] == "one item"


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
def test_encodings_of_scripts(tmp_path: Path, encoding: str) -> None:
    path = tmp_path / "script.txt"
    path.write_bytes("Doyenné du Comice – 3 kg.\r\n\r\nSecond.".encode(encoding))
    script = read_script(path)
    assert script.text() == "Doyenné du Comice – 3 kg.\n\nSecond."
    assert script.how.replace("-", "").startswith(encoding.split("-sig")[0].replace("-", "").upper())


@pytest.mark.parametrize(
    ("name", "data", "complaint"),
    [
        ("a.txt", b"", "is empty"),
        ("a.txt", b"...", "holds no words"),
        ("a.txt", b"\0\1\2binary", "is not text"),
        ("a.pdf", b"%PDF", "no PDF, or a damaged one"),
        ("a.xyz", b"words", "of no kind that is read here"),
        ("a.md", b"# only a heading", "holds no words"),
    ],
)
def test_bad_scripts_get_one_sentence(tmp_path: Path, name: str, data: bytes, complaint: str) -> None:
    path = tmp_path / name
    path.write_bytes(data)
    with pytest.raises(TextError, match=complaint) as caught:
        read_script(path)
    assert str(caught.value).startswith(name)
    assert "Nothing was imported." in str(caught.value)


def test_missing_script(tmp_path: Path) -> None:
    with pytest.raises(TextError, match="cannot be read"):
        read_script(tmp_path / "gone.txt")


def test_titles() -> None:
    assert title_from("The last frost of spring falls.") == "The last frost of"
    assert len(title_from("x" * 100)) <= 32

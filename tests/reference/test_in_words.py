"""Figures in words against sentences that were written down both ways, by hand."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

from zestpanel.core.measures.word_errors import word_errors
from zestpanel.core.sending.in_words import in_words

_PLACE = re.compile(r"\{(.*?)\|(.*?)\}")
SENTENCES: dict[str, list[str]] = yaml.safe_load(
    (Path(__file__).parent / "written_and_spoken.yaml").read_text(encoding="utf-8")
)
EACH = [(language, line) for language, lines in SENTENCES.items() for line in lines]


def put_in_words(text: str, language: str) -> str:
    out, at = "", 0
    for part in in_words(text, language):
        out += text[at : part.start] + (part.words or text[part.start : part.end])
        at = part.end
    return out + text[at:]


@pytest.mark.parametrize(("language", "line"), EACH)
def test_a_sentence_is_said_as_it_was_written_down(language: str, line: str) -> None:
    written = _PLACE.sub(r"\1", line)
    said = _PLACE.sub(lambda place: place[2] or place[1], line)
    assert put_in_words(written, language) == said
    assert word_errors(written, said, language).rate == 0
    # what stays is named, so that somebody can look at it
    stays = [place.start(1) for place in _PLACE.finditer(line) if not place[2]]
    assert sum(part.words is None for part in in_words(written, language)) >= len(stays)


def test_what_is_said_of_another_place_is_counted_as_wrong() -> None:
    """Every sentence with the words of every other place of its language: 12,696 readings."""
    passed, tried = [], 0
    for language, lines in SENTENCES.items():
        places = {(place[1], place[2]) for line in lines for place in _PLACE.finditer(line) if place[2]}
        for line in lines:
            first = _PLACE.search(line)
            if first is None or not first[2]:
                continue
            for written, spoken in sorted(places):
                if spoken == first[2] or written == first[1]:
                    continue
                tried += 1
                before = _PLACE.sub(r"\1", line)
                wrong = _PLACE.sub(r"\1", line[: first.start()] + spoken + line[first.end() :])
                if word_errors(before, wrong, language).rate == 0:
                    passed.append((before, spoken))
    assert tried > 12_500
    # other ways to say the same
    assert set(passed) == {("It grew by 2.5 points.", "two and a half"), ("Trains leave at 15:00 today.", "three"),
                           ("Two + two.", "and")}  # fmt: skip


@given(
    st.text(alphabet="0123456789.,:/-–−%£€$°½ ²()+#§IVXLam hkgUr’'\n", max_size=60),
    st.sampled_from(["en-GB", "de", "fr", "es", "it", "pt"]),
)
def test_any_text_comes_out_whole(text: str, language: str) -> None:
    at = 0
    for part in in_words(text, language):
        assert at <= part.start < part.end <= len(text)
        assert part.words is None or part.words.strip()
        at = part.end

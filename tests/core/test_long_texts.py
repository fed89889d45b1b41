"""Long texts: gone through in stretches as they would be as a whole, and in a time that follows their length."""

from __future__ import annotations

import re
import subprocess
import sys
import unicodedata

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from zestpanel.core import long_texts
from zestpanel.core.domain.passage import clean_text
from zestpanel.core.text import splitting
from zestpanel.core.text.splitting import split_paragraphs, split_sentences, split_to_size

# what combines, what parts lines, what counts as a space, and the marks that end a sentence
SIGNS = 'aé\u0301\u0323\u1100\u1161\u11a8\u09c7\u09be\u212b.!…”" \u00a0\u202f\t\n\r\x0c\u2028(–,'


@pytest.fixture(autouse=True)
def _short_stretches(monkeypatch: pytest.MonkeyPatch) -> None:
    """So short that any text has many of them."""
    monkeypatch.setattr(long_texts, "STRETCH", 3)
    monkeypatch.setattr(splitting, "STRETCH", 3)


@given(st.text(SIGNS, max_size=40) | st.text(max_size=40))
@example("a" + "\u0301" * 9 + "\r\n\r\nb")
def test_stretches_are_a_text_and_its_normal_form(text: str) -> None:
    pieces = list(long_texts.stretches(text))
    assert "".join(pieces) == text
    assert "".join(unicodedata.normalize("NFC", piece) for piece in pieces) == unicodedata.normalize("NFC", text)
    assert "".join(p.replace("\r\n", "\n") for p in pieces) == text.replace("\r\n", "\n")
    assert list(long_texts.lines(text)) == text.split("\n")
    assert long_texts.folded(text) == " ".join(text.split())
    assert list(long_texts.gaps(text, 0, len(text))) == [m.span() for m in re.finditer(r"\s+", text)]


def test_no_stretch_begins_with_what_combines_with_the_character_before_it() -> None:
    """Every second character of a canonical composition of the Unicode Character Database, as Python ships it."""
    second = set()
    for code in range(sys.maxunicode + 1):
        parts = unicodedata.decomposition(chr(code)).split()
        if len(parts) == 2 and not parts[0].startswith("<"):
            first, last = (chr(int(part, 16)) for part in parts)
            if unicodedata.normalize("NFC", first + last) == chr(code):
                second.add(last)
    second |= {chr(code) for code in (*range(0x1161, 0x1176), *range(0x11A8, 0x11C3))}  # Hangul, by rule: UAX 15
    assert len(second) > 100
    assert [c for c in second if len(next(long_texts.stretches("aaa" + c + "aaaa"))) == 3] == []


@given(st.text(SIGNS, max_size=60))
def test_a_text_is_cut_where_plain_expressions_would_cut_it(text: str) -> None:
    plain = [re.sub(r"\s*\n\s*", " ", part).strip() for part in re.split(r"\n\s*\n", text)]
    assert split_paragraphs(text) == [part for part in plain if part]
    assert " ".join(split_sentences(text)) == re.sub(r"\s+", " ", text).strip()
    assert clean_text(clean_text(text)) == clean_text(text)
    for paragraph in split_paragraphs(text):
        assert "".join("".join(split_to_size(paragraph, 7)).split()) == "".join(paragraph.split())


RUNS = r"""
import resource
resource.setrlimit(resource.RLIMIT_CPU, (MOST_S, MOST_S))
from zestpanel.core.text.cutting import plain_parts
from zestpanel.core.text.difficulty import find_difficulties
from zestpanel.core.text.readers.script import Part, Script
from zestpanel.core.text.splitting import split_sentences, split_to_size
for unit in (".", ". ", "…!", " ", "\t", "\u00a0", "\n ", "a\n", ")", "“", '"', "«a", "(", ",", ", ", "– ", "1 ",
             "Dr. ", "A.", "\u0301", "é", "字。", "a"):
    text = "Hello there, x. " + unit * (60_000 // len(unit)) + "x"
    print(repr(unit), flush=True)
    plain_parts(Script(parts=(Part(text=text),)), "en-GB")
    split_to_size(text[:30_000], 400, "en-GB")
    split_sentences(text, "de")
    find_difficulties(text[:20_000], "en-GB")
"""


def test_no_run_of_one_sign_takes_a_time_that_grows_with_its_square() -> None:
    """60,000 dots or spaces took minutes: a process of its own is ended long before that."""
    limit_s = 100
    done = subprocess.run(
        [sys.executable, "-c", RUNS.replace("MOST_S", str(limit_s))], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, f"ended at {done.stdout.splitlines()[-1:]}: {done.stderr[-300:]}"

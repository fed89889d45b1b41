"""What a set covers, what the picker takes, twins that are alike, sentences nobody can guess."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zestpanel.core.errors import InputError
from zestpanel.core.store.project import Project
from zestpanel.core.text.difficulty import kinds_of
from zestpanel.core.text.picking.coverage import coverage
from zestpanel.core.text.picking.matched_sets import matched_sets
from zestpanel.core.text.picking.picker import Feature, features_of, pick
from zestpanel.core.text.picking.sounds import sounds_in
from zestpanel.core.text.picking.unpredictable import LANGUAGES, unpredictable_sentences

SCRIPT = [
    "It rained.",
    "On 3 May 2026 the shop sold 2.5 kg of pears for £3.50.",
    "It rained again and again.",
    "“Will it fruit?” she asked; nobody knew!",
    "Dr. Weber phoned the BBC at 10:30, and they laughed. [laughs]",
    "Then it rained.",
]


def test_the_picker_takes_what_adds_most_and_says_what_each_adds() -> None:
    cover = pick(SCRIPT, "en-GB", most=6, sounds=False)
    picked = [one.index for one in cover.picked]
    assert set(picked[:3]) == {1, 3, 4}, "the plain sentences add nothing to these"
    assert Feature("hard", "money") in cover.picked[picked.index(1)].adds
    assert not cover.missing
    seen: set[Feature] = set()
    for one in cover.picked:
        new = features_of(one.text, "en-GB", sounds=False) - seen
        assert set(one.adds) == new
        seen |= new


def test_what_the_set_has_already_is_not_looked_for() -> None:
    cover = pick(SCRIPT, "en-GB", most=6, sounds=False, have=[SCRIPT[1]])
    assert Feature("hard", "money") not in {f for one in cover.picked for f in one.adds}


@given(st.lists(st.sampled_from([*SCRIPT, "x" * 500, "12", ""]), max_size=12), st.integers(1, 5))
def test_picks_are_few_and_never_twice(sentences: list[str], most: int) -> None:
    cover = pick(sentences, "en-GB", most=most, sounds=False)
    indices = [one.index for one in cover.picked]
    assert len(indices) == len(set(indices)) <= most
    assert all(sentences[one.index] == one.text and len(one.text) <= 400 for one in cover.picked)
    if not cover.missing:
        assert {f for one in cover.picked for f in one.adds} == set(cover.all)


def test_sounds_of_words_that_rhyme_and_of_names_in_another_language() -> None:
    assert sounds_in("bee", "en-GB") == {"b", "iː"}
    assert sounds_in("bee", "en-GB") == sounds_in("be", "en-GB")
    assert "θ" in sounds_in("thick", "en-GB")
    assert "θ" not in sounds_in("tick", "en-GB")


def test_coverage_of_a_set_against_the_channels_own_script(project: Project) -> None:
    passages = project.texts.add([SCRIPT[1], SCRIPT[3]], language="en-GB")
    kinds = {p.id: kinds_of(p.text, p.language) for p in passages}
    found = coverage(passages, kinds, {"en": "The thrush measured the vision with pleasure."})
    assert found.kinds["money"] == (passages[0].id,)
    assert found.kinds["emoji"] == ()
    assert found.lengths == {"short": 1, "middling": 1, "long": 0}
    english = found.sounds[0]
    assert not set(english.covered) & set(english.missing)
    assert "ʒ" in english.missing_from_scripts, "the script says 'pleasure', the set has nothing like it"


def test_twins_are_nearer_than_any_split_by_order() -> None:
    texts = [f"{'A long winding sentence about pears and plums. ' * (i % 4 + 1)}" for i in range(12)]
    kinds = [["money"] if i < 6 else ["dates"] for i in range(12)]
    found = matched_sets(texts, kinds, seed=3)
    assert not set(found.first) & set(found.second)
    assert len(found.first) == len(found.second) == 6
    assert found.figures["money"] == (3.0, 3.0)
    assert found.figures["dates"] == (3.0, 3.0)
    one, other = found.figures["characters"]
    assert abs(one - other) <= 0.05 * (one + other)
    assert found == matched_sets(texts, kinds, seed=3)
    with pytest.raises(InputError, match="at least four"):
        matched_sets(texts[:3], kinds[:3])


STRUCTURES = {
    # Benoît, Grice & Hazan 1996, table 1: the five structures, as patterns of our lists' English words
    "intransitive": r"The \w+ \w+ \w+ the \w+ \w+\.",
    "transitive": r"The \w+ \w+ \w+ the \w+\.",
    "imperative": r"\w+ the \w+ and the \w+\.",
    "interrogative": r"(How|When|Where|Why) does the \w+ \w+ the \w+ \w+\?",
    "relative": r"The \w+ \w+ the \w+ that \w+\.",
}


def test_unpredictable_sentences_follow_the_five_structures_in_turn() -> None:
    sentences = unpredictable_sentences("en-GB", 10, seed=4)
    for sentence, pattern in zip(sentences, [*STRUCTURES.values()] * 2, strict=True):
        assert re.fullmatch(pattern, sentence), sentence
    assert sentences == unpredictable_sentences("en-US", 10, seed=4)
    assert sentences != unpredictable_sentences("en-GB", 10, seed=5)


@pytest.mark.parametrize("language", LANGUAGES)
def test_words_of_unpredictable_sentences_come_back_late(language: str) -> None:
    sentences = unpredictable_sentences(language, 5, seed=1)
    words = [w.lower() for s in sentences for w in re.findall(r"[^\W\d_]{4,}", s)]
    common = {"comment", "quand", "where", "when", "that", "does", "wann", "warum", "cómo", "cuándo", "dónde"}
    content = [w for w in words if w not in common]
    assert len(content) - len(set(content)) <= 1, content
    assert all(s[0].isupper() or s[0] == "¿" for s in sentences)
    assert all(s.rstrip()[-1] in ".?" for s in sentences)


def test_german_articles_agree() -> None:
    """Grammar of German: articles and weak endings by case and gender (handbook fact)."""
    sentences = " ".join(unpredictable_sentences("de-DE", 60, seed=2))
    for noun, nominative in (("Hund", "der"), ("Tür", "die"), ("Brot", "das")):
        wrong = {"der": ("das", "die"), "die": ("das", "dem", "den"), "das": ("den", "der", "die")}[nominative]
        assert not re.search(rf"\b({'|'.join(wrong)})( \w+)? {noun}\b", sentences, re.IGNORECASE)
    with pytest.raises(InputError, match="no word lists"):
        unpredictable_sentences("ja-JP", 3)

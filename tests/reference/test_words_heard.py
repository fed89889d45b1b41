"""Words wrong: what was done to the text before it was spoken is what must be found in the sound."""

from __future__ import annotations

from pathlib import Path

import pocketsphinx
import pytest

from zestpanel.core.audio.clip import Clip
from zestpanel.core.measures.readings.text import places
from zestpanel.core.measures.words_heard import WordsHeard, compared, transcript_model, words_heard
from zestpanel.standins.timbre import speak
from zestpanel.standins.voices import timbre_of

TEXT = "The old orchard stands behind the church, and every autumn the whole village comes to pick the apples."


def _said(text: str, voice: str = "brindal") -> Clip:
    timbre = timbre_of(voice)
    assert timbre is not None
    return speak(text, timbre)[0]


def _heard(text: str) -> WordsHeard:
    found = words_heard(_said(text), TEXT, "en-GB")
    assert isinstance(found, WordsHeard)
    return found


def test_a_clean_reading_has_no_word_wrong() -> None:
    found = _heard(TEXT)
    assert (found.words, found.wrong_percent) == (18, 0.0)
    assert found.heard == TEXT.replace(",", "").removesuffix(".").replace("The", "the")
    assert "PocketSphinx" in found.by


def test_words_left_out_are_missing_and_words_said_twice_are_added() -> None:
    """The texts differ by exactly three words, and two; the count is theirs."""
    left_out = _heard("The old orchard stands behind the church, and the village comes to pick the apples.")
    assert (left_out.missing, left_out.added, left_out.replaced) == (3, 0, 0)
    assert left_out.wrong_percent == pytest.approx(100 * 3 / 18)
    twice = _heard(TEXT.replace("the church,", "the church, the church,"))
    assert (twice.missing, twice.added, twice.replaced) == (0, 2, 0)


def test_another_text_is_not_taken_for_this_one() -> None:
    """A recogniser that expects a text may hear it everywhere: of a wholly different one hardly a word is right."""
    assert _heard("Nobody believed a single sentence of it before Wednesday.").wrong_percent > 70
    changed = _heard(TEXT.replace("autumn", "Saturday").replace("church", "station"))
    assert changed.wrong_percent >= 100 * 2 / 18


def test_what_cannot_be_told_says_why() -> None:
    clip = _said("Bonjour.")
    assert words_heard(clip, "Bonjour.", "fr-FR") == "the built-in recogniser hears English only"
    assert words_heard(clip, "…", "en-GB") == "the text has no words"
    silent = words_heard(Clip(samples=clip.samples * 0, rate_hz=clip.rate_hz), TEXT, "en-GB")
    assert isinstance(silent, WordsHeard)
    assert (silent.missing, silent.heard) == (18, "")


def test_the_count_of_errors_by_hand() -> None:
    """One replaced (bay by box), one added (cob) and one missing (elm) of five words: 60 %."""
    names = {word: word for word in ("ash", "bay", "cob", "dun", "elm")}
    found = compared(places("Ash Bay Cob Dun Elm", "en"), names, ["ash", "box", "cob", "cob", "dun"], by="hand")
    assert (found.replaced, found.added, found.missing) == (1, 1, 1)
    assert found.wrong_percent == pytest.approx(60.0)
    assert found.heard == "Ash box Cob Cob Dun"
    assert found.right == (True, False, True, True, False)


@pytest.mark.parametrize("history", [["a"], ["<s>", "a"], ["b", "a"], ["c"], ["x"], ["c", "x"]])
def test_the_language_model_adds_up_to_one(tmp_path: Path, history: list[str]) -> None:
    """After any history the probabilities of all words add up to one, as the recogniser itself reads the file."""
    path = tmp_path / "text.lm"
    path.write_text(transcript_model(["a", "b", "a", "c"], ["x", "b"]))
    decoder = pocketsphinx.Decoder(loglevel="FATAL", lm=None)
    model = pocketsphinx.NGramModel(decoder.config, decoder.logmath, str(path))
    total = sum(decoder.logmath.exp(model.prob([word, *reversed(history)])) for word in ("a", "b", "c", "x", "</s>"))
    assert total == pytest.approx(1.0, abs=2e-4)

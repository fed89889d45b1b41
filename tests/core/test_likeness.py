"""How alike clips are, against differences that were made; joins that are heard; texts in plain signs."""

from __future__ import annotations

import numpy as np
import pytest
import soxr
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import add_demo_engine
from zestpanel.core.analysis.joins import joins_heard
from zestpanel.core.analysis.likeness import alike, says
from zestpanel.core.audio.clip import Clip, as_samples
from zestpanel.core.domain.passage import words_with_places
from zestpanel.core.domain.take import Curve
from zestpanel.core.measures.likeness import distortion_db, likeness
from zestpanel.core.speech.builtin_voice import speak
from zestpanel.core.store.project import Project
from zestpanel.core.text.plain_text import in_plain_signs

TEXT = "Nobody knew it would stay so late, and the whole crop was lost."
RATE = 24_000


def said(voice: str = "en-us", *, pitch: int = 50, rate: int = 160, text: str = TEXT) -> Clip:
    read = speak(text, voice=voice, pitch=pitch, rate_wpm=rate)
    x = soxr.resample(read.samples.astype(np.float64) / 32_768, read.rate_hz, RATE)
    return Clip(samples=as_samples(x), rate_hz=RATE)


def test_the_distortion_is_the_root_mean_square_of_the_difference_in_db() -> None:
    """A ripple of so many dB over the bands has 1/sqrt 2 of them as its root mean square (by hand); no level."""
    bands = np.arange(26)
    ripple = 6.0 * np.cos(2 * np.pi * 3 * (bands + 0.5) / 26)
    a = np.full((5, 26), 0.01)
    assert distortion_db(a, a * 10 ** (ripple / 10)) == pytest.approx(6 / np.sqrt(2), rel=0.01)
    assert distortion_db(a, 4 * a) == pytest.approx(0.0, abs=1e-3)


def test_the_same_voice_is_nearer_than_another_and_pitch_is_told_in_semitones() -> None:
    once = said()
    assert likeness(once, once).distortion_db == pytest.approx(0.0, abs=1e-6)
    slower = likeness(once, said(rate=130))  # the words are paired, so that pace is no difference
    other = likeness(once, said("en-us+f4"))
    assert slower.distortion_db is not None
    assert other.distortion_db is not None
    assert slower.distortion_db < 0.6 * other.distortion_db
    louder = Clip(samples=once.samples * np.float32(0.3), rate_hz=RATE)
    assert likeness(once, louder).distortion_db == pytest.approx(0.0, abs=0.1)
    faster = Clip(samples=once.samples, rate_hz=round(RATE * 2 ** (2 / 12)))  # two semitones up, and everything with it
    told = likeness(once, faster)
    assert told.pitch_st == pytest.approx(2.0, abs=0.3)
    dull = Clip(samples=as_samples(np.convolve(once.mono().astype(np.float64), np.ones(8) / 8, "same")), rate_hz=RATE)
    assert (likeness(once, dull).colour_db or 0) > 3
    silent = Clip(samples=as_samples(np.zeros(RATE)), rate_hz=RATE)
    assert likeness(once, silent) == likeness(silent, once)
    assert likeness(once, silent).distortion_db is None


def test_repeats_versions_and_other_voices_are_compared_with_each_other(project: Project) -> None:
    add_demo_engine(project, "tangor")
    engine = project.shortlist.engines()["Tangor"]
    (one,) = project.shortlist.add(engine, voice="ilseth")
    (two,) = project.shortlist.add(engine, voice="corwick")
    (passage,) = project.texts.add([TEXT], language="en-GB")
    for candidate, clips in ((one, [said(), said(rate=150), said("en-us+f4")]), (two, [said("en-us+m3")])):
        for repeat, clip in enumerate(clips, 1):
            project.takes.keep(clip, candidate_id=candidate.id, passage_version_id=passage.version_id, repeat=repeat,
                               obtained="import")  # fmt: skip
    found = {(a.candidate_id, a.to): a for a in alike(project)}
    assert set(found) == {(one.id, "first take"), (0, "another voice")}
    assert found[one.id, "first take"].n == 2
    told = says(list(found.values()), {one.id: "Ada"})
    assert told.startswith("Ada is least like its own first takes: ")
    assert "Two voices saying the same are" in told


def test_a_step_at_a_join_is_heard_only_where_it_is_greater_than_at_other_pauses() -> None:
    level, pitch = np.full(1_000, -20.0), np.zeros(1_000)  # 20 s
    level[400:] -= 6.0
    pauses = [(3.9, 4.1), (7.9, 8.1), (13.9, 14.1)]
    for start, end in pauses:
        level[round(start / 0.02) : round(end / 0.02)] = -70.0
    curves = {"level": Curve(0.02, level), "pitch": Curve(0.02, pitch)}
    (found,) = joins_heard(curves, [8.0], pauses)
    assert (found.about, round(found.size)) == ("level", -6)
    assert joins_heard(curves, [14.0], pauses) == []
    restless = level.copy()
    restless[700:] += 9.0
    assert joins_heard({"level": Curve(0.02, restless)}, [8.0], pauses) == []  # the voice itself makes such steps
    pitch[400:] = 4.0
    assert [one.about for one in joins_heard({"pitch": Curve(0.02, pitch)}, [8.0], pauses)] == ["pitch"]
    assert joins_heard({}, [8.0], pauses) == []


@pytest.mark.parametrize(
    ("text", "plain"),
    [
        ("“Wait…” she said — quietly; then: (nothing)! Isn’t it?", "Wait. she said, quietly, then, nothing! Isn’t it?"),
        ("*Really?!*  At 10:30,\n\non the 5–7 scale 🍏.", "Really? At 10:30, on the 5–7 scale."),
        ("Plain text, as it is.", "Plain text, as it is."),
        ("well-known\u00ad words", "well-known words"),
    ],
)
def test_a_text_in_plain_signs_has_its_words(text: str, plain: str) -> None:
    assert in_plain_signs(text) == plain


@given(st.text(alphabet=st.characters(codec="utf-8"), max_size=80))
def test_plain_signs_lose_no_letter_or_figure_and_are_plain_at_once(text: str) -> None:
    plain = in_plain_signs(text)
    letters = [c for c in text if c.isalnum()]
    assert [c for c in plain if c.isalnum()] == letters
    assert len(words_with_places(plain)) <= len(letters)
    assert in_plain_signs(plain) == plain

"""Faults that are planted into clean speech are found where they are, and clean speech is let be; what a person says of
one outlives the rules; curves and stretches are kept and come back."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import add_demo_engine, pretend_take
from tests.planted import FAULTS, another_speaker, clean, many
from zestpanel.core.analysis.faults import LONG_PAUSE, ODD_LENGTH, ODD_PAUSE, Faults, fault_kinds, faults
from zestpanel.core.audio.clip import Clip, as_samples
from zestpanel.core.domain.mark import DeliveryMark
from zestpanel.core.domain.take import Curve, Measured, Segment
from zestpanel.core.measures.declared import Material
from zestpanel.core.measures.families.faults import detectors
from zestpanel.core.measures.readings.text import places
from zestpanel.core.measures.registry import families, measure, outdated, versions
from zestpanel.core.measures.tracks import curve, packed, unpacked
from zestpanel.core.measures.word_errors import aligned, errors_of
from zestpanel.core.measures.words_heard import words_heard
from zestpanel.core.measures.words_told import ADDED, FIGURE, MISSING, OTHERWISE, SIGN, TWICE, words_told
from zestpanel.core.store.project import Project
from zestpanel.standins.timbre import speak
from zestpanel.standins.voices import timbre_of

FEW = 30  # of the 200 that the benchmark takes


def found_in(clip: Clip) -> list[Segment]:
    of = Material(clip, "said", "en")
    return [one for detector in detectors() for one in detector.find(of)]


@pytest.mark.parametrize("name", [*FAULTS, "another speaker"])
def test_a_planted_fault_is_found_where_it_is(name: str) -> None:
    plant = {**FAULTS, "another speaker": another_speaker}[name]
    hits = 0
    for number in range(0, 4 * FEW, 8):
        clip = clean(number)
        samples, at = plant(clip)
        of = found_in(Clip(samples=as_samples(samples), rate_hz=clip.rate_hz))
        hits += any(one.kind == name and one.start_s - 0.35 <= at <= one.end_s + 0.35 for one in of)
    assert hits >= 0.8 * FEW / 2, f"{hits} of {FEW // 2}"


def test_clean_speech_of_many_voices_rates_and_floors_is_let_be() -> None:
    """One in twenty for the whole list of detectors; ``benchmarks`` counts over 200."""
    alarms = Counter(bool(found_in(clip)) for clip in many(FEW))
    assert alarms[True] <= 2, alarms


def test_silence_and_the_shortest_clips_have_no_faults() -> None:
    for samples in (np.zeros(16_000), np.zeros(3), np.array([0.1]), np.zeros(160)):
        assert found_in(Clip(samples=as_samples(samples), rate_hz=16_000)) == []


def test_words_that_were_not_heard_are_told_with_what_was() -> None:
    def told(text: str, heard: str) -> list[tuple[str, str]]:
        pairs = aligned(places(text, "en"), heard.split())
        return [(one.kind, one.about) for one in words_told(pairs, text, "en", (), 10.0)]

    text = "The last frost falls on the 14th of May, in 1976."
    right = "the last frost falls on the fourteenth of may in nineteen seventy six"
    assert told(text, right) == []
    assert told(text, right.replace("frost falls", "frost frost falls")) == [(TWICE, "falls\tfrost")]
    assert told(text, right.replace("last ", "")) == [(MISSING, "last\t")]
    assert told(text, right.replace("frost", "cost")) == [(OTHERWISE, "frost\tcost")]
    assert told(text, right.replace("nineteen seventy six", "one nine seven six")) == [
        (FIGURE, "1976\tone nine seven six")
    ]
    assert told("One two three four five six.", "one two three two three four five six")[0] == (
        TWICE,
        "four\ttwo three",
    )
    words = [(word, float(k), k + 0.8, True) for k, word in enumerate(["The", "last", "frost", "falls"])]
    pairs = aligned(places("The last frost falls", "en"), ["the", "last", "cost", "falls"])
    (one,) = words_told(pairs, "The last frost falls", "en", words, 4.0)
    assert (one.start_s, one.end_s, one.size) == (2.0, 2.8, 2.0), "at its word's time"


@given(st.lists(st.sampled_from(["the", "last", "frost", "falls", "may", "nineteen"]), max_size=12),
       st.sampled_from(["The last frost falls in 1976.", "On 14 May it fell.", "A b c d e f g."]))  # fmt: skip
@settings(max_examples=150, deadline=None)
def test_what_is_aligned_is_everything_that_was_heard_with_the_fewest_errors(heard: list[str], text: str) -> None:
    script = places(text, "en")
    pairs = aligned(script, heard)
    assert [word for pair in pairs for word in pair.heard] == heard
    assert [pair.place for pair in pairs] == list(range(len(script)))
    assert all(pair.said in script[pair.place].readings for pair in pairs)
    if heard:
        import jiwer

        said = " ".join(word for pair in pairs for word in pair.said)
        wanted = errors_of(script, places(" ".join(heard), "en"))
        assert jiwer.process_words(said, " ".join(heard)).wer * len(said.split()) <= (
            wanted.missing + wanted.added + wanted.replaced + 1e-9
        ), "the reading that was followed has no more errors than were counted"


VALUES = st.lists(st.one_of(st.floats(-320, 320), st.just(float("nan"))), max_size=60)


@given(st.dictionaries(st.sampled_from(["pitch", "level", "x"]), VALUES, max_size=3))
def test_curves_come_back_to_a_hundredth(values: dict[str, list[float]]) -> None:
    made = {name: curve(of, 0.02) for name, of in values.items()}
    back = unpacked(packed(made))
    assert set(back) == set(made)
    for name, of in values.items():
        assert back[name].step_s == 0.02
        assert np.allclose(back[name].values, of, atol=0.0051, equal_nan=True)


@given(st.binary(max_size=300))
def test_what_is_no_curve_is_refused_in_one_way(data: bytes) -> None:
    if data:
        with pytest.raises(ValueError, match=r"."):
            unpacked(data)


def test_a_take_is_measured_along_and_one_family_alone_leaves_the_others_as_they_are() -> None:
    clip = clean(5)
    whole = measure(clip, "The last frost of spring falls.", "fr")
    assert {one.kind for one in whole.segments} == {"pause"}
    assert set(whole.curves) == {"pitch", "level"}
    pitch = whole.curves["pitch"]
    assert len(pitch.values) == int(clip.duration_s / pitch.step_s)
    median = 100 * 2 ** (np.nanmedian(pitch.values) / 12)
    assert median == pytest.approx(whole.values["pitch_hz"], rel=0.03), "the same voice, in semitones above 100 Hz"
    assert len(packed(whole.curves)) < 3_500, "the size that docs/methods.md tells"
    again = measure(clip, "The last frost of spring falls.", "fr", only=["pitch"], before=replace(whole, curves={
        "level": whole.curves["level"], "pitch": Curve(0.02, np.array([1.0]))}))  # fmt: skip
    assert len(again.curves["pitch"].values) == len(pitch.values)
    assert again.curves["level"] is whole.curves["level"]
    assert again.segments == whole.segments
    assert outdated(again) == []


def examined(project: Project, candidate: int, passage: int, segments: list[Segment], **values: str) -> int:
    """A take of one second and what was found in it."""
    take = pretend_take(project, candidate, passage)
    project.takes.put_measured(take, Measured(values=dict(values), segments=tuple(segments), versions=versions()))
    return take


@pytest.fixture
def heard(project: Project) -> Project:
    add_demo_engine(project, "tangor")
    engine = project.shortlist.engines()["Tangor"]
    for voice in ("ilseth", "corwick"):
        project.shortlist.add(engine, voice=voice)
    add_demo_engine(project, "citrange")
    project.shortlist.add(project.shortlist.engines()["Citrange"], voice="linnoway")
    project.texts.add(["One line here, with words.", "Two lines there."], language="en-GB")
    return project


def test_a_finding_keeps_its_verdict_when_the_rules_move_it_a_little(heard: Project) -> None:
    (first, *_), (passage, _) = heard.shortlist.candidates(), heard.texts.all()
    take = examined(heard, first.id, passage.version_id, [Segment("click", 0.40, 0.41, 5.0), Segment("cut", 1.1, 1.2)])

    def now() -> Faults:
        return faults(heard)[first.id]

    assert [one.of.kind for one in now().found] == ["click", "cut"]
    assert now().per_minute == pytest.approx(60 * 2 / 1.2)
    number = heard.takes.add_verdict(take, now().found[0].of, real=False)
    assert [one.real for one in now().found] == [False, None]
    assert now().counted == 1
    heard.takes.put_measured(take, Measured(values={}, versions=versions(), segments=(
        Segment("click", 0.43, 0.44, 6.0), Segment("click", 0.9, 0.91, 6.0), Segment("hum", 0.4, 0.41))))  # fmt: skip
    assert [(one.of.kind, one.real) for one in now().found] == [("hum", None), ("click", False), ("click", None)]
    heard.takes.set_verdict_removed(number, True)
    assert [one.real for one in now().found] == [None, None, None]


def test_pauses_that_are_asked_for_or_stand_at_signs_are_no_faults(heard: Project) -> None:
    (first, *_), (passage, _) = heard.shortlist.candidates(), heard.texts.all()
    found = [Segment("pause", 0.1, 0.55, 0, "inside"), Segment("pause", 0.2, 0.7, 2, "at a comma"),
             Segment("pause", 0.2, 1.5, 3, "inside")]  # fmt: skip
    examined(heard, first.id, passage.version_id, found)
    assert [one.of.kind for one in faults(heard)[first.id].found] == [ODD_PAUSE, LONG_PAUSE]
    heard.texts.edit(passage.id, passage.text, [DeliveryMark(3, 3, "pause", "400 ms")])
    examined(heard, first.id, heard.texts.get(passage.id).version_id, found)
    assert [one.of.kind for one in faults(heard)[first.id].found] == [LONG_PAUSE]


def test_a_word_that_most_voices_miss_is_the_recognisers(heard: Project) -> None:
    one, two, three = (c.id for c in heard.shortlist.candidates())
    passage = heard.texts.all()[0]
    wrong = Segment(OTHERWISE, 0.2, 0.4, 1.0, "line\tlion")
    examined(heard, one, passage.version_id, [wrong, Segment(MISSING, 0.5, 0.6, 2.0, "here\t")], heard_right="10011")
    examined(heard, two, passage.version_id, [wrong], heard_right="10111")
    examined(heard, three, passage.version_id, [wrong], heard_right="10111")
    first, second = faults(heard)[one].found
    assert (first.others, first.doubtful, first.counts) == ((2, 2), True, False)
    assert (second.others, second.doubtful, second.counts) == ((0, 2), False, True)
    assert first.says() == "'line' is heard as 'lion'; so it is from 2 of 2 other voices"
    heard.takes.add_verdict(first.take.id, first.of, real=True)
    assert faults(heard)[one].found[0].counts, "a person's word goes before"


def test_a_take_of_an_odd_length_stands_out_though_texts_and_voices_differ(heard: Project) -> None:
    """One text takes everybody half as long again, one voice is a third slower: neither is odd."""
    ids = [c.id for c in heard.shortlist.candidates()]
    texts = heard.texts.add(["word " * n for n in (4, 8, 12, 16, 20, 24, 28)], language="en-GB")
    for who in ids:
        for k, text in enumerate(texts):
            lasts = 0.07 * text.characters * (1.33 if who == ids[1] else 1) * (1.5 if k == 1 else 1)
            lasts *= 1.6 if (who, k) == (ids[0], 3) else 1
            clip = Clip(samples=as_samples(np.zeros(round(16_000 * lasts))), rate_hz=16_000)
            take = heard.takes.keep(clip, candidate_id=who, passage_version_id=text.version_id, repeat=1,
                                    obtained="rendered elsewhere")  # fmt: skip
            heard.takes.put_measured(take.id, Measured(values={}, versions=versions()))
    odd = [(who, one.passage.id, one.of.kind, round(one.of.size)) for who, of in faults(heard).items()
           for one in of.found]  # fmt: skip
    assert odd == [(ids[0], texts[3].id, ODD_LENGTH, 60)]


def test_every_kind_says_what_it_found_and_is_declared_once() -> None:
    assert len([kind for family in families() for kind in family.kinds]) == len(
        {kind.name for family in families() for kind in family.kinds}
    )
    for name, kind in fault_kinds().items():
        said = kind.says(Segment(name, 1.0, 2.0, 3.0, "here\tthere"))
        assert said
        assert "{" not in said


def test_signs_and_tags_that_are_read_aloud_are_told_as_such() -> None:
    def told(text: str, heard: str, language: str = "en") -> list[tuple[str, str]]:
        pairs = aligned(places(text, language), heard.split())
        return [(one.kind, one.about.split("\t")[1]) for one in words_told(pairs, text, language, (), 10.0)]

    text = "It was late, and the *whole* crop was lost."
    assert told(text, "it was late comma and the whole crop was lost full stop") == [
        (SIGN, "comma"),
        (SIGN, "full stop"),
    ]
    assert told(text, "it was late and the asterisk whole asterisk crop was lost") == [(SIGN, "asterisk")] * 2
    assert told(
        text, "it was late less than break time equals nine slash greater than and the whole crop was lost"
    ) == [(SIGN, "less than break time equals nine slash greater than")]
    assert told(text, "it was late and the whole crop was lost slash") == [(ADDED, "slash")], "no such sign in the text"
    assert told(text, "it was late break and the whole crop was lost") == [(ADDED, "break")], "one word is a word"
    assert told("Es war spät, und kalt.", "es war spät komma und kalt punkt", "de") == [
        (SIGN, "komma"),
        (SIGN, "punkt"),
    ]


@pytest.mark.listens
def test_a_voice_that_reads_its_signs_aloud_is_heard_to_do_so() -> None:
    text = "Nobody knew it would stay so late, and the whole crop was lost."
    timbre = timbre_of("brindal")
    assert timbre is not None
    clip, _ = speak("Nobody knew it would stay so late comma and the whole crop was lost full stop", timbre)
    heard = words_heard(clip, text, "en-GB")
    assert not isinstance(heard, str)
    assert [one.kind for one in words_told(heard.pairs, text, "en-GB", (), 5.0)] == [SIGN, SIGN]

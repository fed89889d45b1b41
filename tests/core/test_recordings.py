"""Recordings for voices: each check on sound made to pass or fail it, the best stretch, cleaning, and the hand-over."""

from __future__ import annotations

import sys
import time
from dataclasses import replace
from datetime import date
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import demo_engine_source, tone
from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import write_wav
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.connectors.opening import open_connector
from zestpanel.core.connectors.speaking import SpeakRequest
from zestpanel.core.errors import NotEnoughData
from zestpanel.core.measures.pitch import measure_pitch
from zestpanel.core.measures.recording_checks import best_stretch, check_recording, cleaned, cut, worst
from zestpanel.core.runs.execute.unattended import render_missing
from zestpanel.core.speech import builtin_voice
from zestpanel.core.store.own_voices import Consent
from zestpanel.core.store.project import Project
from zestpanel.standins.own_voice import spectral_tilt_db
from zestpanel.standins.timbre import speak
from zestpanel.standins.voices import VOICES

SCRIPT = (
    "The last frost of spring falls, on average, in the middle of May. Beside the wild crab stood a pear tree older "
    "than the house itself. When the wind turned to the north, nobody in the village spoke of apples until Lent. "
    "Will it fruit this year? Not this year, said the old man, but plant it all the same. "
)


@pytest.fixture(scope="module")
def reading() -> Clip:
    """36 s or so of one clean voice."""
    clip, _ = speak(SCRIPT * 2, VOICES["ilseth"])
    return clip


def states(clip: Clip) -> dict[str, str]:
    return {check.name: check.state for check in check_recording(clip)}


def mixed(clip: Clip, extra: np.ndarray) -> Clip:
    return Clip(samples=np.clip(clip.samples + extra[:, None], -1, 1), rate_hz=clip.rate_hz)


def test_a_good_recording_passes_with_its_figures(reading: Clip) -> None:
    assert 30 <= reading.duration_s <= 45
    checks = check_recording(reading)
    assert worst(checks) == "pass", checks
    assert all(check.figure and check.why for check in checks)


def test_each_fault_is_found_by_its_own_check(reading: Clip) -> None:
    rng = np.random.default_rng(3)
    noisy = mixed(reading, rng.standard_normal(reading.frames) * 10 ** (-38 / 20))
    assert states(noisy)["speech to noise"] != "pass"
    loud = Clip(samples=np.clip(reading.samples * 6, -1, 1), rate_hz=reading.rate_hz)
    assert states(loud)["clipping"] == "fail"
    fading = mixed(reading, np.zeros(reading.frames))
    fading = Clip(samples=fading.samples * np.linspace(1, 0.08, reading.frames)[:, None], rate_hz=reading.rate_hz)
    assert states(fading)["even level"] == "fail"
    man, _ = speak(SCRIPT, VOICES["corwick"])
    two = Clip(samples=np.concatenate([cut(reading, 0, 18).samples, man.samples]), rate_hz=reading.rate_hz)
    assert states(two)["one speaker"] == "fail"
    assert states(cut(reading, 0, 4))["length"] == "fail"
    assert states(cut(reading, 0, 12))["length"] == "warning"
    gaps = [part for k in range(4) for part in (cut(reading, 4 * k, 4 * k + 4).samples, np.zeros((90_000, 1)))]
    assert states(Clip(samples=np.concatenate(gaps), rate_hz=reading.rate_hz))["pauses"] == "fail"
    assert states(replace(reading, rate_hz=8_000))["sample rate"] == "fail"


def test_one_voice_alone_is_one_speaker_whoever_it_is() -> None:
    for name in ("corwick", "hesk", "linnoway", "ansgild"):
        clip, _ = speak(SCRIPT, VOICES[name])
        assert states(clip)["one speaker"] == "pass", name


def test_the_best_stretch_leaves_out_what_is_worse(reading: Clip) -> None:
    rng = np.random.default_rng(4)
    first = mixed(reading, rng.standard_normal(reading.frames) * 0.02)
    both = Clip(samples=np.concatenate([first.samples, reading.samples]), rate_hz=reading.rate_hz)
    start, end = best_stretch(both)
    assert 30 <= end - start <= 46
    assert start > reading.duration_s - 4, "the noisy half is left out"
    padded = Clip(samples=np.concatenate([np.zeros((44_100, 1)), reading.samples]), rate_hz=reading.rate_hz)
    start, end = best_stretch(padded)
    assert 1.5 < start < 2.2
    assert cut(padded, start, end).duration_s == pytest.approx(end - start, abs=0.01)
    with pytest.raises(NotEnoughData, match="Nobody speaks"):
        best_stretch(Clip(samples=np.zeros((48_000, 1)), rate_hz=16_000))


def test_cleaning_takes_noise_down_and_leaves_the_voice(reading: Clip) -> None:
    rng = np.random.default_rng(5)
    noise = rng.standard_normal(reading.frames) * 10 ** (-45 / 20)
    out = cleaned(mixed(reading, noise))
    before = next(c for c in check_recording(mixed(reading, noise)) if c.name == "speech to noise")
    after = next(c for c in check_recording(out) if c.name == "speech to noise")
    assert float(after.figure.split()[0]) > float(before.figure.split()[0]) + 6
    assert out.frames == reading.frames
    assert np.corrcoef(out.samples[:, 0], reading.samples[:, 0])[0, 1] > 0.98
    with pytest.raises(NotEnoughData, match="no pause"):
        cleaned(tone(300, -10, 2.0, 16_000))


def test_the_same_text_gives_the_same_samples_whatever_the_clock_says() -> None:
    first = builtin_voice.speak("The last frost falls in May.", voice="en+f2").samples
    time.sleep(1.05)  # the library's noises are seeded by the second it is started in, unless it is told otherwise
    assert np.array_equal(builtin_voice.speak("The last frost falls in May.", voice="en+f2").samples, first)


def test_a_voice_made_from_a_recording_follows_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("ZEST_PYTHON", sys.executable)
    engine = parse_connector(demo_engine_source("sunquat"), name="s")
    faster = engine.speak.model_copy(update={"arguments": (*engine.speak.arguments, "--load-s", "0")})
    connector = open_connector(engine.model_copy(update={"speak": faster}))
    asked = SpeakRequest(text=SCRIPT, language="en-GB", voice="own", model="sunquat-large")
    try:
        for name in ("ilseth", "hesk"):
            own, _ = speak(SCRIPT, VOICES[name])
            write_wav(tmp_path / "r.wav", own)
            got = connector.speak(replace(asked, reference=str(tmp_path / "r.wav"))).clip
            a, b = measure_pitch(own), measure_pitch(got)
            assert b.median_hz == pytest.approx(a.median_hz, rel=0.04)
            assert b.sd_st == pytest.approx(a.sd_st, rel=0.3)
            assert spectral_tilt_db(got) == pytest.approx(spectral_tilt_db(own), abs=6)
        short = replace(asked, text="The orchard keeps its own almanac.")
        child = connector.speak(replace(short, described={"gender": "child"})).clip
        old = connector.speak(replace(short, described={"gender": "man", "age": "old"})).clip
        assert (measure_pitch(child).median_hz or 0) > 2 * (measure_pitch(old).median_hz or 0)
    finally:
        connector.close()


def test_a_take_of_an_own_voice_through_a_run(project: Project, reading: Clip, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("ZEST_PYTHON", sys.executable)
    source = demo_engine_source("sunquat").replace('"--engine", "sunquat"]', '"--engine", "sunquat", "--load-s", "0"]')
    project.shortlist.add_engine(parse_connector(source, name="s"), source, "s")
    checks = [check.as_document() for check in check_recording(reading)]
    consent = Consent(who="Ann", given=date(2026, 1, 2), use="narration")
    kept = project.own_voices.add_recording(reading, name="Ann", language="en-GB", checks=checks, consent=consent)
    project.own_voices.add_voice("Sunquat", voice="ann", name="Ann", language="en-GB", recording_id=kept.id)
    project.shortlist.voices_changed()
    project.shortlist.add(project.shortlist.engines()["Sunquat"], voice="ann")
    project.texts.add(["The last frost falls in the middle of May, on average."], language="en-GB")
    _, progress = render_missing(project)
    assert (progress.done, progress.failed) == (1, 0)
    take = project.takes.all()[0]
    assert measure_pitch(project.takes.load(take)).median_hz == pytest.approx(193, rel=0.06)
    assert project.own_voices.recordings()[0].checks[0]["name"] == "length"

"""Hand-off: loudness and peaks by independent meters, captions, files of all formats, narrations and sheets."""

from __future__ import annotations

import itertools
import json
from dataclasses import replace
from pathlib import Path

import av
import numpy as np
import pyloudnorm
import pysubs2
import pytest
import yaml
from hypothesis import given, settings
from hypothesis import strategies as st
from jsonschema import Draft202012Validator
from pydantic import ValidationError
from scipy.signal import resample_poly

from tests.conftest import add_demo_engine, pretend_take
from zestpanel.command_line import run
from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.encoding import KINDS, Chapter, OutputFormat, encode
from zestpanel.core.audio.files import read, write_wav
from zestpanel.core.choice.casting import proposed_cast
from zestpanel.core.choice.decided import DECISIONS, Decision
from zestpanel.core.domain.passage import Passage
from zestpanel.core.domain.role import Role
from zestpanel.core.domain.take import Measured
from zestpanel.core.errors import InputError
from zestpanel.core.production.levelling import bring_to, peak_of
from zestpanel.core.production.narration import cast_all, deliver, parts_of, put_narration
from zestpanel.core.production.schemas import schemas
from zestpanel.core.production.sheet import bars, bars_of, read_sheet, set_up, sheet_of
from zestpanel.core.runs.files.captions import LINE, LINES, LONGEST_S, captions_of, in_lines
from zestpanel.core.store.project import Project
from zestpanel.core.text.readers.script import Part


def speechlike(rate: int, seconds: float, *, spikes: int = 0, channels: int = 1, seed: int = 1) -> np.ndarray:
    rng = np.random.default_rng(seed)
    t = np.arange(round(rate * seconds)) / rate
    x = 0.05 * np.sin(2 * np.pi * 180 * t) * (1 + np.sin(2 * np.pi * 0.7 * t)) + rng.normal(0, 0.01, len(t))
    x[rng.integers(0, len(t), spikes)] += 0.9
    return np.repeat(x.astype(np.float32)[:, None], channels, axis=1)


@pytest.mark.parametrize("rate", [16_000, 22_050, 24_000, 48_000])
@pytest.mark.parametrize("channels", [1, 2])
def test_a_delivered_sound_has_the_loudness_asked_for_and_keeps_its_peak(rate: int, channels: int) -> None:
    """By pyloudnorm (BS.1770), and by eightfold oversampling with scipy."""
    source = speechlike(rate, 25, spikes=8, channels=channels)
    into = np.empty_like(source)
    level = bring_to(-16.0, -1.0, source, into, rate)
    outside = pyloudnorm.Meter(rate).integrated_loudness(into)
    assert outside == pytest.approx(-16.0, abs=0.3 if rate >= 44_100 else 0.4), "pyloudnorm's filters are coarser below"
    assert level.after == pytest.approx(-16.0, abs=0.15)
    peak = 20 * np.log10(np.abs(resample_poly(into.astype(np.float64), 8, 1, axis=0)).max())
    assert peak <= -1.0 + 0.05
    assert level.limited_s > 0
    quiet = bring_to(-30.0, -1.0, source, into, rate)
    assert quiet.limited_s == 0
    assert np.allclose(into, source * np.float32(10 ** (quiet.gain_db / 20)), atol=1e-6), "one gain, and nothing else"


def test_what_cannot_be_measured_stays_as_it_is() -> None:
    for source in (np.zeros((24_000, 1), np.float32), speechlike(24_000, 0.2)):
        into = np.empty_like(source)
        level = bring_to(-16.0, -1.0, source, into, 24_000)
        assert (level.gain_db, level.before) == (0.0, None)
        assert np.array_equal(into, source)


def test_a_long_sound_is_measured_in_stretches_as_a_whole() -> None:
    source = speechlike(22_050, 65)
    whole = pyloudnorm.Meter(22_050).integrated_loudness(source)
    into = np.empty_like(source)
    assert bring_to(None, 0.0, source, into, 22_050).before == pytest.approx(whole, abs=0.3)
    spike = source.copy()
    spike[22_050 * 20 - 1] = 0.99  # where two stretches meet
    assert peak_of(spike, 22_050) == pytest.approx(20 * np.log10(0.99), abs=0.6)


@pytest.mark.parametrize("kind", KINDS)
def test_every_format_can_be_read_back_by_others(kind: str, tmp_path: Path) -> None:
    to = OutputFormat(kind=kind, channels=2)  # type: ignore[arg-type]
    rate = to.rate_for(22_050)
    assert rate == (24_000 if kind == "opus" else 22_050)
    path = tmp_path / f"a.{to.ending}"
    chapters = [Chapter(0.0, 1.0, "One"), Chapter(1.0, 3.0, "Zwei & drei")]
    encode(path, [speechlike(rate, 3, channels=2)], rate, to, about={"title": "A & B", "comment": "synthetic"},
           chapters=chapters if kind in ("mp3", "aac") else ())  # fmt: skip
    back = read(path)
    assert back.channels == 2
    assert back.duration_s == pytest.approx(3, abs=0.08), "coders pad to their frames"
    with av.open(str(path)) as container:
        named = {**container.metadata, **container.streams.audio[0].metadata}
        assert {k.lower(): v for k, v in named.items()}["title"] == "A & B"
        if kind in ("mp3", "aac"):
            assert [c["metadata"]["title"] for c in container.chapters()] == ["One", "Zwei & drei"]
    with pytest.raises(ValidationError, match="has no 44100 Hz"):
        OutputFormat(kind="opus", rate_hz=44_100)


@settings(max_examples=50)
@given(st.lists(st.text(st.characters(categories=["L"]), min_size=1, max_size=14), min_size=1, max_size=120),
       st.integers(0, 10**6))  # fmt: skip
def test_captions_keep_their_lines_lengths_and_order(words: list[str], seed: int) -> None:
    rng = np.random.default_rng(seed)
    text = "".join(word + ("." if rng.random() < 0.1 else "," if rng.random() < 0.1 else "") + " " for word in words)
    turn = Passage(id=1, version_id=1, number=1, title="", language="en", text=text, speaker="Narrator")
    count = len(text.split())
    ends = np.cumsum(rng.uniform(0.1, 0.9, count))
    measured = Measured(values={}, words=tuple((word, float(end - 0.1), float(end), True)
                                               for word, end in zip(text.split(), ends, strict=True)))  # fmt: skip
    clip = Clip(samples=np.zeros((24_000, 1), np.float32), rate_hz=24_000)
    found = captions_of(turn, clip, measured, 5.0)
    assert " ".join(one.text for one in found).split() == text.split(), "not a word is lost"
    for before, after in itertools.pairwise(found):
        assert before.end_s <= after.start_s + 1e-9
    for one in found:
        assert len(in_lines(one.text)) <= LINES
        assert all(len(line) <= LINE for line in in_lines(one.text))
        assert one.end_s - one.start_s <= LONGEST_S + 1e-6 or len(one.text.split()) == 1
        assert one.start_s >= 5.0


# -- narrations


@pytest.fixture
def channel(project: Project) -> Project:
    for name in ("tangor", "citrange"):
        add_demo_engine(project, name)
    engines = project.shortlist.engines()
    for engine, voice in (("Tangor", "ilseth"), ("Tangor", "corwick"), ("Citrange", "linnoway")):
        project.shortlist.add(engines[engine], voice=voice)
    one, two, three = (c.id for c in project.shortlist.candidates())
    roles = (Role(id="main", name="main narrator"), Role(id="second", name="second voice"),
             Role(id="reserve", name="fall-back", share_percent=0))  # type: ignore[arg-type]  # fmt: skip
    project.set_brief(project.brief.model_copy(update={"roles": roles, "channel": "Orchard"}))
    DECISIONS.write(project.documents, tuple(
        Decision(role=role, candidate_id=who, why="x", by="lead", decided="2026-12-01")
        for role, who in (("main", one), ("second", two), ("reserve", three))
    ))  # fmt: skip
    return project


PARTS = [Part(text="Frost", kind="heading"), Part(text="The last frost falls in May."),
         Part(text="A caption", kind="caption"), Part(text="Nobody spoke of apples.", speaker="Marge"),
         Part(text="Cellar", kind="heading"), Part(text="Keep them cool.")]  # fmt: skip


def test_roles_propose_a_cast(channel: Project) -> None:
    one, two, three = (c.id for c in channel.shortlist.candidates())
    decided = DECISIONS.read(channel.documents)
    cast = proposed_cast(["Marge", "Narrator", "Tom"], channel.brief, decided, "en-GB")
    assert cast == {"Narrator": one, "Marge": two}, "each role once, and none that stands ready only"
    assert proposed_cast(["Fall-back"], channel.brief, decided, "en") == {"Fall-back": three}, "unless it is named"
    assert proposed_cast(["Narrator"], channel.brief, decided, "fr-FR") == {}


def test_a_narration_is_made_once_and_only_what_changed_is_made_again(channel: Project, tmp_path: Path) -> None:
    one, two, _ = (c.id for c in channel.shortlist.candidates())
    parts = parts_of(PARTS, "en-GB")
    assert [p.kind for p in parts] == ["heading", "paragraph", "paragraph", "heading", "paragraph"]
    assert put_narration(channel, "Episode 1", parts, language="en-GB")
    assert not put_narration(channel, "Episode 1", parts, language="en-GB"), "word for word the same"
    assert cast_all(channel, "Episode 1", {"Narrator": one}) == ["Marge"]
    assert cast_all(channel, "Episode 1", {"Marge": two}) == []
    with pytest.raises(InputError, match="5 of 5 parts of 'Episode 1' are not rendered"):
        deliver(channel, "Episode 1", tmp_path, OutputFormat())
    for turn in channel.dialogues.turns("Episode 1"):
        pretend_take(channel, one if turn.speaker == "Narrator" else two, turn.version_id)
    made = deliver(channel, "Episode 1", tmp_path, OutputFormat(kind="flac", head_s=0.5, tail_s=1.0), credit="By X.")
    listed = json.loads(made.files[-1].read_text())
    assert [c["title"] for c in listed["chapters"]] == ["Frost", "Cellar"]
    assert listed["about"]["comment"] == "The speech in this recording is synthetic. By X."
    assert {one["name"] for one in listed["files"]} == {path.name for path in made.files[:-1]}
    sound = read(made.files[0])
    assert sound.duration_s == pytest.approx(made.duration_s, abs=0.01)
    assert np.abs(sound.samples[: round(0.4 * sound.rate_hz)]).max() == 0
    assert pyloudnorm.Meter(sound.rate_hz).integrated_loudness(sound.mono()) == pytest.approx(-16, abs=0.4)
    subtitles = pysubs2.load(str(made.files[1]))
    assert [event.text for event in subtitles][1] == "Narrator: The last frost falls in May."
    assert not list(tmp_path.glob(".zest-*")), "nothing is left lying about"
    changed = [replace(part, text="Keep them cold.") if part.text.startswith("Keep") else part for part in parts]
    assert put_narration(channel, "Episode 1", changed, language="en-GB")
    turns = channel.dialogues.turns("Episode 1")
    assert [turn.text for turn in turns][-1] == "Keep them cold."
    assert channel.dialogues.cast("Episode 1") == {"Narrator": one, "Marge": two}


def test_a_file_a_part_is_named_by_its_pattern(channel: Project, tmp_path: Path) -> None:
    one = channel.shortlist.candidates()[0].id
    put_narration(channel, "E", parts_of([p for p in PARTS if not p.speaker], "en-GB"), language="en-GB")
    cast_all(channel, "E", {"Narrator": one})
    for turn in channel.dialogues.turns("E"):
        pretend_take(channel, one, turn.version_id)
    made = deliver(channel, "E", tmp_path, OutputFormat(kind="mp3"), each=True, pattern="{n:02d} {title}")
    assert [path.name for path in made.files[:2]] == ["01 Narrator 1.mp3", "02 Narrator 2.mp3"]
    for pattern in ("same", "{0.__class__}", "{n:qq}", "{nobody}", "{n"):
        with pytest.raises(InputError, match="Nothing was written"):
            deliver(channel, "E", tmp_path / "no", OutputFormat(), each=True, pattern=pattern)
    blocked = tmp_path / "file"
    blocked.write_text("in the way")
    with pytest.raises(InputError, match="cannot be written"):
        deliver(channel, "E", blocked / "below", OutputFormat())


# -- the sheet


def test_a_sheet_sets_up_the_same_candidate_elsewhere(channel: Project, tmp_path: Path) -> None:
    engine = channel.shortlist.engines()["Tangor"]
    control = next(c for c in engine.controls if c.kind == "number" and c.high is not None)
    tuned = channel.shortlist.add(engine, voice="ilseth", settings={control.name: control.high})[-1]
    DECISIONS.write(channel.documents, (
        Decision(role="main", candidate_id=tuned.id, why="warm", by="lead", decided="2026-12-01"),
    ))  # fmt: skip
    sheet = sheet_of(channel, channel.brief.roles[0])
    for text in (sheet.as_yaml(), sheet.as_json()):
        assert read_sheet(text, "s") == sheet
        assert yaml.safe_load(text)["zest-production-sheet"] == 1
        Draft202012Validator(schemas()["production-sheet.schema.json"]).validate(yaml.safe_load(text))
    assert sheet.settings[control.name].value == control.high
    assert sheet.settings[control.name].factory == control.default
    elsewhere = Project.create(tmp_path / "Elsewhere.zest")
    number, differs = set_up(elsewhere, sheet, "s")
    there = next(c for c in elsewhere.shortlist.candidates() if c.id == number)
    assert differs == []
    assert (there.sound_key, there.plan) == (tuned.sound_key, tuned.plan)
    assert set_up(elsewhere, sheet, "s") == (number, []), "twice is once"
    newer = sheet.model_copy(update={"model_version": "9.9"})
    assert set_up(elsewhere, newer, "s")[1] == [
        f"{tuned.model} is version {tuned.model_version} here, 9.9 on the sheet."
    ]
    denied = sheet.model_copy(update={"rights": {"commercial use": "no"}})
    assert bars(denied) == [f"Commercial use: no, under the plan {tuned.plan}."]
    put_narration(channel, "E", parts_of(PARTS[:2], "en-GB"), language="en-GB")
    cast_all(channel, "E", {"Narrator": tuned.id})
    assert bars_of(channel, "E") == []
    channel.texts.describe(channel.dialogues.turns("E")[0].id, rights="testing only")
    assert bars_of(channel, "E") == ["The text is for testing only."]
    elsewhere.close()
    with pytest.raises(InputError, match="Nobody fills the role 'second voice' yet"):
        sheet_of(channel, channel.brief.roles[1])


@pytest.mark.parametrize(("text", "says"), [
    ("a: [", "no YAML or JSON"), ("[]", "no production sheet"), ("zest-production-sheet: 2", "no production sheet"),
    ("{" * 3000, "YAML or JSON|production sheet"),
    ("zest-production-sheet: 1\nzest-production-sheet: 1", "line 2: 'zest-production-sheet' is there twice"),
    ("\n".join(["a0: &a0 [x, x, x, x, x, x, x, x]", *(f"a{k}: &a{k} [{', '.join([f'*a{k - 1}'] * 8)}]"
                                                     for k in range(1, 9))]), "references counted out"),
])  # fmt: skip
def test_what_is_no_sheet_is_said(text: str, says: str) -> None:
    with pytest.raises(InputError, match=says):
        read_sheet(text, "s.yaml")


def test_a_sheet_whose_engine_was_exchanged_is_refused(channel: Project) -> None:
    plain = yaml.safe_load(sheet_of(channel, channel.brief.roles[0]).as_yaml())
    plain["connector"] = plain["connector"].replace("Tangor", "Tangos")
    with pytest.raises(InputError, match="not the one it was written with"):
        read_sheet(yaml.safe_dump(plain), "s.yaml")


def test_any_sound_becomes_any_other(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    write_wav(tmp_path / "a.wav", Clip(samples=speechlike(22_050, 2), rate_hz=22_050))
    asked = ["convert", str(tmp_path / "a.wav"), "--format", "opus", "--channels", "2", "--loudness", "-20"]
    assert run([*asked, "--json"]) == 0
    back = read(Path(json.loads(capsys.readouterr().out)["files"][0]))
    assert back.channels == 2
    assert pyloudnorm.Meter(back.rate_hz).integrated_loudness(back.samples) == pytest.approx(-20, abs=0.5)
    assert run(asked) == 2
    assert "is there already" in capsys.readouterr().err
    assert run([*asked[:2], "--loudness", "loud"]) == 2
    assert "no number of LUFS" in capsys.readouterr().err

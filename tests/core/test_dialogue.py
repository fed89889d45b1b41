"""A dialogue: cast once a speaker, gaps a turn, one file or one a turn, captions that name who speaks."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pysubs2
import pytest

from tests.conftest import add_demo_engine, pretend_take
from zestpanel.core.audio.encoding import OutputFormat
from zestpanel.core.audio.files import read
from zestpanel.core.choice.evidence import evaluate
from zestpanel.core.errors import InputError
from zestpanel.core.listening.session import session_of
from zestpanel.core.listening.settings import TestSettings
from zestpanel.core.measures.silence import measure_silence
from zestpanel.core.production.narration import deliver
from zestpanel.core.production.staged import keep_as_one
from zestpanel.core.runs.execute.running import BenchRun
from zestpanel.core.runs.files.captions import Caption, as_srt, as_vtt
from zestpanel.core.runs.files.dialogue import (
    assembled_dialogue,
    plan_dialogue,
    takes_of,
)
from zestpanel.core.runs.plan.planning import plan_run
from zestpanel.core.store.project import Project
from zestpanel.core.text.cutting import cut_script
from zestpanel.core.text.readers.script import Part, Script
from zestpanel.standins.service import StandInService

PARTS = [
    Part(text="Is the frost gone?", speaker="Marge"),
    Part(text="Not yet. Wait a week.", speaker="Tom"),
    Part(text="Then we wait.", speaker="Marge"),
    Part(text="And so they did."),
]


@pytest.fixture
def cast(project: Project, service: StandInService) -> Project:
    add_demo_engine(project, "tangor")
    engine = project.shortlist.engines()["Tangor"]
    ids = [project.shortlist.add(engine, voice=voice)[0].id for voice in ("ilseth", "corwick")]
    project.dialogues.add("Frost & talk", PARTS, language="en-GB")
    for speaker, candidate in (("Marge", ids[0]), ("Tom", ids[1]), ("Narrator", ids[1])):
        project.dialogues.put_cast("Frost & talk", speaker, candidate)
    return project


def test_a_dialogue_is_cast_rendered_and_written_with_captions(cast: Project, tmp_path: Path) -> None:
    name = "Frost & talk"
    assert cast.dialogues.speakers(name) == ["Marge", "Tom", "Narrator"]
    assert cast.texts.all() == [], "turns are no passages of the set"
    assert plan_run(cast).jobs == ()
    planned = plan_dialogue(cast, name)
    voices = [(job.passage.speaker, job.candidate.voice) for job in sorted(planned.jobs, key=lambda j: j.passage.id)]
    assert voices == [("Marge", "ilseth"), ("Tom", "corwick"), ("Marge", "ilseth"), ("Narrator", "corwick")]
    with pytest.raises(InputError, match="4 of 4 turns"):
        assembled_dialogue(cast, name)
    run = BenchRun(cast, planned)
    run.start()
    assert run.wait(120)
    assert run.progress().done == 4
    cast.texts.describe(cast.dialogues.turns(name)[3].id, gap_s=1.5)
    assert cast.dialogues.gaps_s(name) == [0.5, 0.5, 1.5]
    paths = deliver(cast, name, tmp_path / "out", OutputFormat()).files
    assert [p.name for p in paths] == [
        "Frost _ talk.wav", "Frost _ talk.srt", "Frost _ talk.vtt", "Frost _ talk.words.json",
        "Frost _ talk.delivery.json",
    ]  # fmt: skip
    clip = read(paths[0])
    assert measure_silence(clip).longest_pause_s == pytest.approx(1.5, abs=0.12)
    subtitles = pysubs2.load(str(paths[1]))
    assert [e.text for e in subtitles] == [
        "Marge: Is the frost gone?", "Tom: Not yet.", "Tom: Wait a week.", "Marge: Then we wait.",
        "Narrator: And so they did.",
    ]  # fmt: skip
    assert all(a.end <= b.start + 1 for a, b in zip(subtitles, list(subtitles)[1:], strict=False))
    assert subtitles[-1].end / 1000 <= clip.duration_s
    vtt = pysubs2.load(str(paths[2]))
    assert len(vtt) == 5
    assert "<v Marge>Is the frost gone?</v>" in paths[2].read_text("utf-8")
    single = deliver(
        cast, name, tmp_path / "turns", OutputFormat(), each=True, pattern="{name} {n:03d} {speaker}"
    ).files
    assert [p.name for p in single[:4]] == [
        "Frost _ talk 001 Marge.wav", "Frost _ talk 002 Tom.wav", "Frost _ talk 003 Marge.wav",
        "Frost _ talk 004 Narrator.wav",
    ]  # fmt: skip


def test_recasting_one_speaker_leaves_the_others_alone(cast: Project) -> None:
    name, (one, other) = "Frost & talk", [c.id for c in cast.shortlist.candidates()]
    for turn in cast.dialogues.turns(name):
        pretend_take(cast, one if turn.speaker == "Marge" else other, turn.version_id)
    assert all(take is not None for _, take in takes_of(cast, name))
    cast.dialogues.put_cast(name, "Marge", other)
    assert [turn.speaker for turn, take in takes_of(cast, name) if take is None] == ["Marge", "Marge"]
    assert len(plan_dialogue(cast, name).jobs) == 2


def rendered(cast: Project, name: str) -> None:
    run = BenchRun(cast, plan_dialogue(cast, name))
    run.start()
    assert run.wait(120)


def test_a_cast_is_judged_as_a_whole_beside_another_and_never_chosen(cast: Project) -> None:
    """Two casts of one dialogue are two candidates on one passage: any kind of test takes them."""
    name = "Frost & talk"
    with pytest.raises(InputError, match="turns of 'Frost & talk' are not rendered"):
        keep_as_one(cast, name)
    rendered(cast, name)
    first = keep_as_one(cast, name)
    assert first.passage.text.splitlines()[0].startswith("Marge: ")
    whole = assembled_dialogue(cast, name).clip
    assert first.take.duration_s == pytest.approx(whole.duration_s)
    assert np.allclose(cast.takes.load(first.take).samples, whole.samples, atol=1e-4)
    again = keep_as_one(cast, name)
    assert (again.take.id, again.known) == (first.take.id, True)
    cast.dialogues.put_cast(name, "Marge", cast.dialogues.cast(name)["Tom"])
    rendered(cast, name)
    second = keep_as_one(cast, name)
    assert second.passage.version_id == first.passage.version_id
    assert second.candidate.id != first.candidate.id
    planned = plan_run(cast, candidates=[second.candidate], passages=cast.texts.all())
    assert planned.jobs == ()
    assert planned.reasons == ("put together from a dialogue, never rendered",)
    settings = TestSettings(candidate_ids=(first.candidate.id, second.candidate.id), training=0,
                            passage_ids=(first.passage.id,))  # fmt: skip
    test = cast.panel.add_test("preference", settings.as_document())
    session = session_of(cast, test, cast.panel.add_listener("Ann", languages=["en"]))
    assert {s.take_id for s in session.trial.stimuli} == {first.take.id, second.take.id}
    rows = evaluate(cast).rows
    for one in (first, second):
        assert not rows[one.candidate.id].passes
        assert "a dialogue in several voices" in rows[one.candidate.id].gates[0].why
    Project.close(cast)
    assert len(Project.open(cast.folder).shortlist.engines()["Casts"].voices) == 2


def test_dialogues_have_names_of_their_own_and_sensible_gaps(cast: Project) -> None:
    with pytest.raises(InputError, match="already"):
        cast.dialogues.add("Frost  & talk", PARTS, language="en-GB")
    with pytest.raises(InputError, match="from 0 to 10"):
        cast.dialogues.put_gap("Frost & talk", -1)
    cast.dialogues.put_gap("Frost & talk", 0.8)
    assert cast.dialogues.gaps_s("Frost & talk") == [0.8, 0.8, 0.8]


def test_subtitles_become_turns_with_the_gaps_of_their_file(project: Project, tmp_path: Path) -> None:
    from zestpanel.core.text.readers.reading import read_script

    path = tmp_path / "talk.srt"
    path.write_text(
        "1\n00:00:01,000 --> 00:00:02,500\nIt rained.\n\n2\n00:00:03,250 --> 00:00:04,000\nAnd again.\n", "utf-8"
    )
    project.dialogues.add("Rain", read_script(path).parts, language="en-GB")
    assert [(t.speaker, t.text, t.gap_s) for t in project.dialogues.turns("Rain")] == [
        ("Narrator", "It rained.", None), ("Narrator", "And again.", 0.75),
    ]  # fmt: skip
    assert project.dialogues.gaps_s("Rain") == [0.75]


def test_a_script_is_cut_by_sentence_size_scene_and_turn() -> None:
    parts = (
        Part(text="The gate", kind="heading"),
        Part(text="It rained. Then it stopped.", speaker="Ann", start_s=1, end_s=3),
        Part(text="Good.", speaker="Ann", start_s=4, end_s=5),
        Part(text="***"),
        Part(text="Why?", speaker="Tom"),
    )
    script = Script(parts=parts)

    def cut(way: str, most: int = 15) -> list[tuple[str, str, float | None]]:
        found = cut_script(script, {"paragraph"}, way, most_characters=most, language="en-GB")
        return [(p.speaker, p.text, p.start_s) for p in found]

    assert cut("as they are") == [("Ann", "It rained. Then it stopped.", 1), ("Ann", "Good.", 4), ("Tom", "Why?", None)]
    assert cut("one a sentence")[:3] == [
        ("Ann", "It rained.", None),
        ("Ann", "Then it stopped.", None),
        ("Ann", "Good.", 4),
    ]
    assert cut("of at most")[:2] == [("Ann", "It rained.", None), ("Ann", "Then it", None)]
    assert cut("one a scene") == [("", "The gate\n\nIt rained. Then it stopped.\n\nGood.", None), ("", "Why?", None)]
    assert cut("one a speaker's turn") == [("Ann", "It rained. Then it stopped.\n\nGood.", 1), ("Tom", "Why?", None)]


def test_captions_are_valid_for_long_shows_and_odd_signs() -> None:
    captions = [Caption(start_s=3661.5, end_s=3662.25, speaker="A & B", text="1 < 2 --> 3")]
    assert as_srt(captions).split("\n")[1] == "01:01:01,500 --> 01:01:02,250"
    assert "<v A &amp; B>1 &lt; 2 --&gt; 3</v>" in as_vtt(captions)

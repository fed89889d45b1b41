"""The catalogue and the bench together: clips from folders, fetched voices, claims against real waits, allowances."""

from __future__ import annotations

import base64
from dataclasses import replace
from datetime import date
from decimal import Decimal
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import COMMAND_ENGINE, add_demo_engine, demo_engine_source, tone
from zestpanel.command_line import run
from zestpanel.core.analysis.summary import hearing_of, summaries
from zestpanel.core.audio.files import write_wav
from zestpanel.core.catalogue.accelerators import Accelerator, from_clinfo, from_vulkan
from zestpanel.core.catalogue.claims import hold
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Engine, Voice, language_for
from zestpanel.core.catalogue.ledger import ledger, price_is_old
from zestpanel.core.catalogue.machine import Machine, fits
from zestpanel.core.choice.evidence import evaluate, own_figures
from zestpanel.core.connectors.speaking import SpeakRequest
from zestpanel.core.connectors.templates import fill, values_of
from zestpanel.core.domain.take import Measured, Take
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.runs.execute.unattended import render_missing
from zestpanel.core.runs.plan.planning import barred, plan_run
from zestpanel.core.secrets import keys as secrets
from zestpanel.core.sending.episodes import requests_per_episode
from zestpanel.core.store.project import Project
from zestpanel.core.store.shortlist import with_voices
from zestpanel.core.text.splitting import size_spans
from zestpanel.standins.service import StandInService

FOLDER = """\
zest-connector: 1
engine: Sent by post
hosted: false
voices:
  - {id: anna, name: Anna, languages: [en-GB]}
speak: {kind: folder, folder: FOLDER, pattern: "{voice}/{number} {passage}"}
"""


def test_a_folder_of_clips_is_rendered_like_any_engine_and_claims_no_times(project: Project, tmp_path: Path) -> None:
    (tmp_path / "Anna").mkdir()
    write_wav(tmp_path / "Anna" / "01 Frost dates.wav", tone(300, -12, 1.5, 16_000))
    source = FOLDER.replace("FOLDER", str(tmp_path))
    project.shortlist.add_engine(parse_connector(source, name="f"), source, "f.yaml")
    project.shortlist.add(project.shortlist.engines()["Sent by post"], voice="anna")
    project.texts.add(["The frost.", "The flower."], language="en-GB", titles=["Frost dates", "Flowers"])
    _, progress = render_missing(project)
    assert (progress.done, progress.failed) == (1, 1)
    take = project.takes.all()[0]
    assert (take.obtained, take.timing, take.scored) == ("rendered elsewhere", None, True)
    assert take.brought == {"file": "01 Frost dates.wav"}
    found = summaries(project)[take.candidate_id]
    assert (found.whole_clip.n, found.real_time_factor, found.cold) == (0, None, ())
    assert found.rates.takes == 1, "its length counts for the pace"
    failed = next(row for row in project.journal.rows() if row.state == "failed")
    assert "No file fits 'anna/02 flowers'" in failed.failure_text


def test_claims_are_held_against_waits_that_were_really_measured(project: Project, service: StandInService) -> None:
    # the stand-in's own delay is the truth: 1.3 s before the first byte, so "within a second" is wrong
    service.behaviour.delay_s["tangor"] = 1.3
    add_demo_engine(project, "tangor")
    tangor = project.shortlist.engines()["Tangor"]
    project.shortlist.add(tangor, voice="ilseth")
    project.texts.add(["A short one.", "And another."], language="en-GB")
    render_missing(project, repeats=6)
    figures = own_figures(evaluate(project), "Tangor")
    assert 1.3 <= figures["first sound s"].value < 3.0
    held = {h.claim.about: h for h in (hold(claim, figures) for claim in tangor.claims)}
    assert held["first sound s"].state == "refuted"
    assert held["failures per 100"].state == "unverified", "none of 12 does not show that few of 100 fail"
    assert "n = 12" in held["failures per 100"].why


def test_an_allowance_that_is_used_up_ends_the_engines_part_of_a_run(project: Project, service: StandInService) -> None:
    add_demo_engine(project, "tangor")
    project.shortlist.add(project.shortlist.engines()["Tangor"], voice="ilseth")
    texts = [f"Sentence number {n}." for n in range(12)]
    project.texts.add(texts, language="en-GB")
    service.behaviour.allowance = 3 * len(texts[0]) + 5
    _, progress = render_missing(project)
    assert progress.done == 3
    assert progress.failed == 0, "what was held was not asked for, so it did not fail"
    assert len(plan_run(project).jobs) == 9
    assert service.behaviour.requests < 9, "what cannot be paid is not asked for again and again"
    assert "allowance" in progress.held


def test_fetched_voices_stay_and_what_the_file_says_of_one_wins(project: Project, tmp_path: Path) -> None:
    add_demo_engine(project, "tangor")
    listed = [
        Voice(id="ilseth", name="Other name", languages=("en-US",)),
        Voice(id="fresh", name="Fresh", languages=("sv-SE",)),
    ]
    project.shortlist.put_fetched("Tangor", listed)
    engine = project.shortlist.engines()["Tangor"]
    voice, fresh = engine.voice("ilseth"), engine.voice("fresh")
    assert voice is not None
    assert (voice.name, voice.languages) == ("Ilseth", ("en-GB",))
    assert fresh is not None
    folder = project.folder
    project.close()
    again = Project.open(folder)
    assert again.shortlist.engines()["Tangor"].voice("fresh") is not None
    again.close()
    file_only = parse_connector(demo_engine_source("tangor"), name="t")
    assert with_voices(file_only, [], []) is file_only


def test_facts_of_a_file_take_its_source_and_date_unless_they_have_their_own() -> None:
    mandelo = parse_connector(demo_engine_source("mandelo"), name="m")
    known = ledger(mandelo, "engine", today=date(2026, 11, 25))
    assert known["trial"].source == "documentation, 2026-08-14"
    assert known["needs a card"].source == "sign-up page, 2026-08-14"
    assert known["requests a minute"].disagree
    assert price_is_old(mandelo.plans[0], today=date(2027, 3, 1))
    assert not price_is_old(mandelo.plans[0], today=date(2026, 10, 1))
    rights = ledger(mandelo, "plan", "Orchard")["commercial use"]
    assert (rights.state, rights.source) == ("yes", "price page of the vendor, 2026-09-20")


def test_a_key_that_turns_up_lifts_the_bar_without_the_key_store_being_asked_for_the_grid(
    project: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    import keyring

    asked: list[str] = []

    def nothing(_: str, name: str) -> None:
        asked.append(name)

    monkeypatch.setattr(keyring, "get_password", nothing)
    monkeypatch.delenv("ZEST_SECRET_LIMONAIA", raising=False)
    secrets.forget_secret("limonaia")
    add_demo_engine(project, "tangor")
    engines = project.shortlist.engines()
    one = project.shortlist.add(engines["Tangor"], voice="ilseth")[0]
    assert barred(project.own_voices, project.notes, [one], engines, ask_key_store=False)[one.id] == ()
    assert asked == [], "the grid never waits for a key store"
    assert barred(project.own_voices, project.notes, [one], engines)[one.id] == ("the key 'limonaia' is missing",)
    assert barred(project.own_voices, project.notes, [one], engines, ask_key_store=False)[one.id] == (
        "the key 'limonaia' is missing",
    )
    monkeypatch.setenv("ZEST_SECRET_LIMONAIA", "k")
    assert barred(project.own_voices, project.notes, [one], engines)[one.id] == ()
    project.texts.add(["Words."], language="en-GB")
    assert len(plan_run(project).jobs) == 1


def test_recordings_are_filled_into_requests(tmp_path: Path) -> None:
    path = tmp_path / "r.wav"
    path.write_bytes(b"RIFF....")
    asked = SpeakRequest(text="t", language="en", voice="v", model="m", reference=str(path),
                         described={"gender": "woman", "strength": "0.4"})  # fmt: skip
    body = {"clip": "{reference_base64}", "path": "{reference}", "who": "{gender}, {age}", "how": "{strength}"}
    got = fill(body, values_of(asked))
    assert base64.b64decode(got["clip"]) == b"RIFF...."
    assert (got["path"], got["who"], got["how"]) == (str(path), "woman, ", "0.4")
    with pytest.raises(SynthesisFailure, match="recording cannot be read"):
        fill("{reference_base64}", values_of(SpeakRequest(text="t", language="en", voice="v", model="m",
                                                          reference=str(tmp_path / "gone"))))  # fmt: skip


_scalars = st.none() | st.booleans() | st.integers() | st.text(st.characters(exclude_characters="{}"), max_size=10)


@given(st.recursive(_scalars, lambda i: st.lists(i, max_size=3) | st.dictionaries(st.text(max_size=5), i, max_size=3)))
def test_filling_leaves_what_holds_no_place_as_it_is(tree: object) -> None:
    asked = SpeakRequest(text="words", language="en", voice="v", model="m")
    assert fill(tree, values_of(asked)) == tree
    assert fill({"a": ["{text}", tree]}, values_of(asked)) == {"a": ["words", tree]}


def test_scripts_of_every_kind_from_the_command_line(project: Project, tmp_path: Path) -> None:
    folder = project.folder
    project.close()
    srt = tmp_path / "a.srt"
    srt.write_text("1\n00:00:01,000 --> 00:00:02,000\nLa poire.\n\n2\n00:00:02,500 --> 00:00:03,000\nOui.\n", "utf-8")
    page = tmp_path / "b.html"
    page.write_text("<h1>Not this</h1><p>But this. And this.</p>", "utf-8")
    assert run(["import", str(folder), str(srt), str(page), "--split", "sentences"]) == 0
    opened = Project.open(folder)
    assert [p.text for p in opened.texts.all()] == ["La poire.", "Oui.", "But this.", "And this."]
    opened.close()
    bad = tmp_path / "c.pdf"
    bad.write_bytes(b"no pdf")
    assert run(["import", str(folder), str(srt), str(bad)]) == 2
    opened = Project.open(folder)
    assert len(opened.texts.all()) == 4, "one bad file and nothing is imported"
    opened.close()


TWO_LANGUAGES = COMMAND_ENGINE.replace("name: Hesk, languages: [en-GB]", "name: Hesk, languages: [en-GB, fr-CA, fr-FR]")


def test_a_voice_of_several_languages_reads_each_text_in_its_own(project: Project) -> None:
    engine = parse_connector(TWO_LANGUAGES, name="kitchen.yaml")
    project.shortlist.add_engine(engine, TWO_LANGUAGES, "kitchen.yaml")
    project.shortlist.add(engine, voice="hesk")
    project.texts.add(["One."], language="en-US")
    project.texts.add(["Deux."], language="fr-FR")
    planned = plan_run(project)
    assert [job.language for job in planned.jobs] == ["en-GB", "fr-FR"], "its own accent where the language is the same"
    mine = project.shortlist.candidates()[0]
    project.shortlist.hold_to_language([mine.id], True)
    held = plan_run(project)
    assert [job.language for job in held.jobs] == ["en-GB"]
    assert "held to English" in held.left_out[0][2]
    project.shortlist.hold_to_language([mine.id], False)
    voice = engine.voice("hesk")
    assert language_for(voice, "en-GB", "fr-BE") == "fr-CA"
    assert language_for(voice, "en-GB", "de-DE") == "en-GB"


def test_a_newly_stated_version_never_goes_on_under_the_old_label(project: Project) -> None:
    def stated(version: str) -> Engine:
        source = COMMAND_ENGINE + f"models:\n  - {{id: m, version: '{version}'}}\n"
        engine = parse_connector(source, name="kitchen.yaml")
        project.shortlist.add_engine(engine, source, "kitchen.yaml")
        return engine

    old = project.shortlist.add(stated("1.0"), voice="hesk")[0]
    project.texts.add(["One."], language="en-GB")
    engine = stated("2.0")
    assert project.shortlist.superseded(engine) == {"m is version 2.0 now, not 1.0": 1}
    planned = plan_run(project)
    assert planned.jobs == ()
    assert "its model is stated as version 2.0 now, this is 1.0" in planned.left_out[0][2]
    gate = next(g for g in evaluate(project).rows[old.id].gates if g.name == "can still be made")
    assert (gate.verdict, gate.why) == ("unknown", "version 1.0; its model is stated as 2.0 now")
    new = project.shortlist.add(engine, voice="hesk")[0]
    assert [job.candidate.id for job in plan_run(project).jobs] == [new.id]


def test_an_accelerator_that_does_not_say_what_it_has_bars_nothing() -> None:
    wants = parse_connector(
        COMMAND_ENGINE + "models:\n  - {id: m, facts: {needs an accelerator: yes, video memory: 8000}}\n", name="k"
    )
    needs = ledger(wants, "model", "m")
    machine = Machine(cores=2, memory_mb=8000, free_memory_mb=4000, free_disk_mb=9000, video_memory_mb=None)
    assert fits(needs, machine) == (
        "unknown", ["needs an accelerator, and none was found: state it under This machine if there is one"]
    )  # fmt: skip
    verdict, why = fits(needs, replace(machine, accelerator=True))
    assert verdict == "unknown"
    assert why == ["needs an accelerator of 8,000 MB; there is one that does not say what it has"]
    assert fits(needs, replace(machine, accelerator=True, video_memory_mb=4000))[0] == "cannot"


# printed by the tools on a machine with none (clinfo 3.0.23, vulkaninfo of Vulkan 1.3.239), shortened; the second
# device of each is the first with another type, name and size
CLINFO = """\
[POCL/0]    CL_DEVICE_NAME                                  pthread-skylake-avx512 Processor @ 2.50GHz
[POCL/0]    CL_DEVICE_TYPE                                  CL_DEVICE_TYPE_CPU
[POCL/0]    CL_DEVICE_GLOBAL_MEM_SIZE                       7878766592
[POCL/1]    CL_DEVICE_NAME                                  Grower 9
[POCL/1]    CL_DEVICE_TYPE                                  CL_DEVICE_TYPE_GPU
[POCL/1]    CL_DEVICE_GLOBAL_MEM_SIZE                       8589934592
[POCL/1]    CL_DEVICE_HOST_UNIFIED_MEMORY                   CL_FALSE
"""
VULKAN = """\
Device Properties and Extensions:
=================================
GPU0:
VkPhysicalDeviceProperties:
---------------------------
\tdeviceType        = PHYSICAL_DEVICE_TYPE_CPU
\tdeviceName        = llvmpipe (LLVM 15.0.6, 256 bits)
memoryHeaps: count = 1
\tmemoryHeaps[0]:
\t\tsize   = 2147483648 (0x80000000) (2.00 GiB)
\t\tflags: count = 1
\t\t\tMEMORY_HEAP_DEVICE_LOCAL_BIT
GPU1:
VkPhysicalDeviceProperties:
---------------------------
\tdeviceType        = PHYSICAL_DEVICE_TYPE_DISCRETE_GPU
\tdeviceName        = Grower 9
memoryHeaps: count = 2
\tmemoryHeaps[0]:
\t\tsize   = 16777216000 (0x3e8000000) (15.62 GiB)
\t\tflags:
\t\t\tNone
\tmemoryHeaps[1]:
\t\tsize   = 8589934592 (0x200000000) (8.00 GiB)
\t\tflags: count = 1
\t\t\tMEMORY_HEAP_DEVICE_LOCAL_BIT
memoryTypes: count = 1
"""


def test_accelerators_are_read_from_what_the_tools_of_two_standards_print() -> None:
    assert from_clinfo(CLINFO) == [Accelerator("Grower 9", 8_589, "clinfo")]
    assert from_vulkan(VULKAN) == [Accelerator("Grower 9", 8_589, "vulkaninfo")]
    for read in (from_clinfo, from_vulkan):
        assert read("") == read("ERROR: [Loader Message]\nGPU0:\n") == []


def test_the_recogniser_is_believed_as_far_as_it_hears_what_every_voice_says() -> None:
    """By hand: four words, three voices say all; the fourth voice is not heard on two words that the others are."""

    def take(number: int, candidate: int) -> Take:
        return Take(**{**dict.fromkeys(Take._fields), "id": number, "candidate_id": candidate, "passage_version_id": 1,
                       "doubts": (), "obtained": "run"})  # fmt: skip

    rights = {1: "1110", 2: "1111", 3: "1110", 4: "1001"}
    takes = {c: [take(c, c)] for c in rights}
    measured = {c: Measured(values={"heard_right": right}) for c, right in rights.items()}
    found = hearing_of(takes, measured)
    assert (found[4].missed, found[4].of, round(found[4].percent)) == (2, 3, 67)
    assert (found[2].missed, found[2].of) == (0, 1), "only the first word is heard from all three others"
    assert hearing_of({1: takes[1], 2: takes[2]}, measured) == {}, "two voices tell nothing of each other"


@given(st.integers(1, 40_000), st.integers(60, 3000))
def test_requests_of_an_episode_are_cut_at_sentence_ends(characters: int, limit: int) -> None:
    sample = "The last frost falls in May. " * 40
    found = requests_per_episode(Decimal(characters), limit, sample=sample, language="en")
    assert found >= -(-characters // limit), "never fewer than full ones"
    assert requests_per_episode(Decimal(characters), None, sample=sample, language="en") == 1
    if characters > 2000:
        # reference: the splitter itself, on a text of that length
        text = ("The last frost falls in May. " * (characters // 29 + 1))[:characters]
        assert found == pytest.approx(len(size_spans(text, limit, "en")), rel=0.15, abs=2)

"""The bench run against the stand-ins: what it sends, what it keeps, and money to the last character."""

from __future__ import annotations

import time
from decimal import Decimal
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import Unmeasured, add_command_engine, add_demo_engine, pretend_take, tone
from zestpanel.core.analysis.summary import summaries
from zestpanel.core.analysis.timing.waits import waits
from zestpanel.core.audio.files import write_wav
from zestpanel.core.choice.evidence import evaluate
from zestpanel.core.domain.money import Money
from zestpanel.core.errors import AudioError
from zestpanel.core.measures.registry import measure, versions
from zestpanel.core.runs.execute.running import BenchRun
from zestpanel.core.runs.execute.unattended import render_missing
from zestpanel.core.runs.measuring.measuring import measure_missing
from zestpanel.core.runs.measuring.measuring_process import MeasuringProcess, spare
from zestpanel.core.runs.plan.planning import interleaved, plan_run
from zestpanel.core.store.project import Project
from zestpanel.standins.service import StandInService

TEXTS = ["The last frost falls in May.", "Nobody spoke of apples until Lent."]
CHARACTERS = sum(map(len, TEXTS))


@pytest.fixture
def bench(project: Project, service: StandInService) -> Project:
    """Two hosted voices of two engines, two English passages and a French one."""
    for name, voice in (("tangor", "ilseth"), ("citrange", "linnoway")):
        add_demo_engine(project, name)
        project.shortlist.add(project.shortlist.engines()[name.capitalize()], voice=voice)
    project.texts.add(TEXTS, language="en-GB")
    project.texts.add(["Combien coûte-t-elle ?"], language="fr-FR")
    return project


def test_the_estimate_is_what_the_service_counts(bench: Project, service: StandInService) -> None:
    planned = plan_run(bench, repeats=2)
    assert len(planned.jobs) == 8
    assert {(c.engine, p.language, why) for c, p, why in planned.left_out} == {
        ("Tangor", "fr-FR", "voice speaks no French"), ("Citrange", "fr-FR", "voice speaks no French"),
    }  # fmt: skip
    by_engine = {e.engine: e for e in planned.estimates}
    # inside its allowance the subscription costs nothing more; by the character: 18 a million
    assert by_engine["Tangor"].cost == Money(Decimal(0), "EUR")
    price = Decimal(2 * CHARACTERS) * 18 / 1_000_000
    assert by_engine["Citrange"].cost == Money(price, "EUR")
    _, progress = render_missing(bench, repeats=2, executor=Unmeasured())
    assert (progress.done, progress.failed, progress.held) == (8, 0, "")
    assert progress.spent == (Money(price, "EUR"),)
    assert service.behaviour.used == 4 * CHARACTERS
    assert sum(row.characters for row in bench.journal.rows(state="done")) == service.behaviour.used


def test_a_second_run_sends_nothing_and_an_edit_makes_cells_stale(bench: Project, service: StandInService) -> None:
    render_missing(bench, executor=Unmeasured())
    sent = service.behaviour.requests
    planned, _ = render_missing(bench, executor=Unmeasured())
    assert planned.jobs == ()
    assert service.behaviour.requests == sent
    passage = bench.texts.all()[0]
    bench.texts.edit(passage.id, "The last frost fell in May.")
    assert {(j.candidate.engine, j.passage.id) for j in plan_run(bench).jobs} == {
        ("Tangor", passage.id), ("Citrange", passage.id)
    }  # fmt: skip


def test_takes_know_how_they_came_about(bench: Project) -> None:
    render_missing(bench)
    for take in bench.takes.all():
        assert take.timing is not None
        assert take.voice_used in ("ilseth", "linnoway")
        assert take.obtained == "run"
        measured = bench.takes.measured([take.id])[take.id]
        assert measured.words
        assert measured.values["loudness_lufs"] is not None
    assert bench.takes.unmeasured(versions()) == []
    ways = {m.words_by for m in bench.takes.measured().values()}
    assert "times in the reply" in ways
    assert ways <= {"times in the reply", "aligned by the recogniser", "warped onto the built-in voice"}
    assert len(ways) > 1


def test_limits_are_waited_out_and_every_try_is_journalled(bench: Project, service: StandInService) -> None:
    service.behaviour.faults.extend(["limit", "limit"])
    service.behaviour.retry_after_s = 0.05
    _, progress = render_missing(bench, executor=Unmeasured())
    assert (progress.done, progress.failed) == (4, 0)
    failed = bench.journal.rows(state="failed")
    assert [row.failure_kind for row in failed] == ["limited", "limited"]
    rates = [s.failure_rate for s in summaries(bench).values()]
    assert sum(r.n for r in rates if r is not None) == 6, (
        "tries that failed count, the later success does not hide them"
    )


def test_failures_keep_their_reason_and_are_not_tried_again_by_themselves(
    bench: Project, service: StandInService
) -> None:
    service.behaviour.faults.append("web page")
    _, progress = render_missing(bench, executor=Unmeasured())
    assert (progress.done, progress.failed) == (3, 1)
    row = bench.journal.rows(state="failed")[0]
    assert (row.failure_kind, row.attempt) == ("wrong content", 1)
    assert "a web page" in row.failure_text
    assert plan_run(bench).jobs == (), "what may have been paid is asked for again on a person's word only"
    bench.journal.let_be_asked_again([row.id])
    assert len(plan_run(bench).jobs) == 1
    render_missing(bench, executor=Unmeasured())
    assert plan_run(bench).jobs == ()


def test_a_silent_change_of_voice_is_seen(bench: Project, service: StandInService) -> None:
    tangor = next(c for c in bench.shortlist.candidates() if c.engine == "Tangor")
    service.behaviour.other_voice = "corwick"
    planned = plan_run(bench, candidates=[tangor])
    run = BenchRun(bench, planned)
    run.start()
    run.wait()
    assert summaries(bench)[tangor.id].odd_voice == "corwick"


def test_a_wrong_key_stops_the_engine_at_once(
    bench: Project, service: StandInService, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("ZEST_SECRET_LIMONAIA", "wrong")
    _, progress = render_missing(bench, repeats=8, executor=Unmeasured())
    assert progress.done == 0
    assert "401" in progress.held
    assert service.behaviour.requests <= 3 + 4, "at most one request a worker, not one a take"


def test_pause_finishes_what_is_in_flight_and_cancel_keeps_what_is_done(project: Project) -> None:
    add_command_engine(project)
    project.shortlist.add(project.shortlist.engines()["Kitchen Table"], voice="hesk")
    project.texts.add(["One.", "Two.", "Three.", "Four."], language="en-GB")
    run = BenchRun(project, plan_run(project))
    run.start()
    deadline = time.monotonic() + 60
    while not project.journal.rows(state="open") and time.monotonic() < deadline:
        time.sleep(0.005)
    run.pause()
    while run.progress().done < 1 and time.monotonic() < deadline:
        time.sleep(0.02)
    time.sleep(0.3)
    progress = run.progress()
    assert (progress.done, progress.running, progress.paused) == (1, 0, True)
    run.cancel()
    assert run.wait(120)
    assert len(project.takes.all()) == 1
    assert project.journal.rows(state="open") == []
    assert len(plan_run(project).jobs) == 3


def test_the_order_is_fair_and_seeded(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("ZEST_SECRET_LIMONAIA", "k")
    add_demo_engine(project, "tangor")
    tangor = project.shortlist.engines()["Tangor"]
    for voice in ("ilseth", "corwick"):
        project.shortlist.add(tangor, voice=voice)
    project.texts.add(["One.", "Two.", "Three."], language="en-GB")
    jobs = plan_run(project, repeats=2).jobs
    order = interleaved(jobs, np.random.default_rng(1))
    assert sorted(map(id, order)) == sorted(map(id, jobs))
    for k in range(0, len(order), 2):
        assert {order[k].candidate.id, order[k + 1].candidate.id} == {c.id for c in project.shortlist.candidates()}
    assert order == interleaved(jobs, np.random.default_rng(1))
    assert order != interleaved(jobs, np.random.default_rng(2))


def test_quantiles_and_too_few() -> None:
    # source: type 7 of Hyndman & Fan (1996), by hand: the median of four is the mean of the middle two, and the 0.95
    # quantile of 1..21 stands at 1 + 0.95 * 20 = 20
    assert waits([4, 1, 3, 2]).median == 2.5
    assert waits([4, 1, 3, 2]).p95 is None
    assert waits(list(range(1, 22))).p95 == pytest.approx(20)
    assert waits([]).median is None


def test_measuring_later_gives_the_same_figures(project: Project) -> None:
    add_command_engine(project)
    candidate = project.shortlist.add(project.shortlist.engines()["Kitchen Table"], voice="hesk")[0]
    passage = project.texts.add(["A tone, not words."], language="en-GB")[0]
    take = pretend_take(project, candidate.id, passage.version_id, hz=220)
    done, problems = measure_missing(project.takes, project.texts)
    assert (done, problems) == (1, [])
    values = project.takes.measured([take])[take].values
    assert values["pitch_hz"] == pytest.approx(220, rel=0.01)
    assert evaluate(project).rows[candidate.id].summary.sound["duration_s"].median == pytest.approx(1.2)


@pytest.mark.listens
def test_a_process_of_its_own_measures_the_same_and_names_what_it_cannot_read(project: Project, tmp_path: Path) -> None:
    add_command_engine(project)
    candidate = project.shortlist.add(project.shortlist.engines()["Kitchen Table"], voice="hesk")[0]
    passage = project.texts.add(["A tone, not words."], language="en-GB")[0]
    pretend_take(project, candidate.id, passage.version_id, hz=220)
    take = project.takes.all()[0]
    with MeasuringProcess() as process:
        there = process.measure(project.takes.clip_path(take), passage.text, "en-GB", ())
        with pytest.raises(AudioError, match="cannot be read"):
            process.measure(tmp_path / "gone.flac", "", "en-GB", ())
        assert process.alive
    assert there == measure(project.takes.load(take), passage.text, "en-GB")


def test_a_measuring_process_is_kept_for_the_next_unless_it_still_owes_an_answer(tmp_path: Path) -> None:
    clips = {hz: tmp_path / f"{hz}.wav" for hz in (220, 330)}
    for hz, path in clips.items():
        write_wav(path, tone(hz, -20, 0.5))

    def interrupted(_: str) -> None:
        raise KeyboardInterrupt

    def asked(process: MeasuringProcess, hz: int) -> float:
        found = process.measure(clips[hz], "A tone.", "en-GB", (), only=("pitch",)).values["pitch_hz"]
        assert isinstance(found, float)
        return found

    with MeasuringProcess() as process:
        assert asked(process, 220) == pytest.approx(220, rel=0.01)
        first = process._process
    with MeasuringProcess() as process:
        assert asked(process, 330) == pytest.approx(330, rel=0.01)
        assert first is not None
        assert process._process is first
        # whoever asks is interrupted before the answer is there
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr("zestpanel.core.runs.measuring.measuring_process.json.loads", interrupted)
            with pytest.raises(KeyboardInterrupt):
                asked(process, 330)
    assert first.poll() is not None, "its answer would be taken for the next clip's"
    with MeasuringProcess() as process:
        assert asked(process, 220) == pytest.approx(220, rel=0.01)
    spare.end_all()


def test_a_lost_clip_is_named_and_the_rest_goes_on(project: Project) -> None:
    add_command_engine(project)
    candidate = project.shortlist.add(project.shortlist.engines()["Kitchen Table"], voice="hesk")[0]
    passage = project.texts.add(["Words."], language="en-GB")[0]
    first = pretend_take(project, candidate.id, passage.version_id, hz=200)
    pretend_take(project, candidate.id, passage.version_id, repeat=2, hz=300)
    project.takes.clip_path(project.takes.all()[0]).unlink()
    done, problems = measure_missing(project.takes, project.texts)
    assert done == 1
    assert problems[0].startswith(f"Take {first}: ")
    assert "cannot be read" in problems[0]


def test_leaving_a_run_keeps_its_takes_for_measuring_another_time(bench: Project) -> None:
    run = BenchRun(
        bench, plan_run(bench, repeats=3), on_event=lambda event: run.leave() if event.kind == "kept" else None
    )
    run.start()
    assert run.wait(120)
    takes = bench.takes.all()
    assert 1 <= len(takes) < len(plan_run(bench, repeats=3).jobs) + len(takes)
    left = bench.takes.count_unmeasured(versions())
    assert left >= 1
    assert bench.journal.rows(state="open") == []
    assert measure_missing(bench.takes, bench.texts) == (left, [])

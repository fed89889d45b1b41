"""What a run does when the world does not play along: caps, limits, a full disk, no network, a revoked key, sleep."""

from __future__ import annotations

import errno
import itertools
import json
import signal
import subprocess
import sys
import threading
import time
from datetime import UTC, date, datetime
from decimal import Decimal
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import Unmeasured, add_demo_engine, pretend_take, tone
from zestpanel.core.analysis.person_time import person_time
from zestpanel.core.analysis.summary import summaries
from zestpanel.core.analysis.timing.points import points_of
from zestpanel.core.analysis.timing.rows import timing_rows
from zestpanel.core.audio.clip import Clip
from zestpanel.core.catalogue.candidate import short_names
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.choice.evidence import evaluate
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.money import Money
from zestpanel.core.domain.run import Answered
from zestpanel.core.domain.take import Measured
from zestpanel.core.errors import InputError
from zestpanel.core.measures.registry import versions
from zestpanel.core.money.tariff import NO_USE, Usage
from zestpanel.core.money.volume import Rates
from zestpanel.core.runs.execute import asking
from zestpanel.core.runs.execute.arriving import acceptance_flags
from zestpanel.core.runs.execute.events import Progress, RunEvent
from zestpanel.core.runs.execute.pacing import RateLimiter, backoff_s
from zestpanel.core.runs.execute.running import BenchRun
from zestpanel.core.runs.execute.unattended import make
from zestpanel.core.runs.plan.circumstances import asleep_s, describe_network
from zestpanel.core.runs.plan.conditions import Conditions
from zestpanel.core.runs.plan.estimates import estimate, use_of
from zestpanel.core.runs.plan.planning import plan_run
from zestpanel.core.runs.plan.undecided import undecided
from zestpanel.core.runs.spending.caps import CAPS, SpendGuard, SpendingCaps, at_most
from zestpanel.core.store.clip_store import ClipStore
from zestpanel.core.store.project import Project
from zestpanel.standins.service import Behaviour, StandInService

TEXTS = ["Rain at noon.", "Snow by dusk.", "Mild at dawn.", "Calm at nine."]
PRICE = Decimal(18) / 1_000_000  # Citrange, by the character


@pytest.fixture
def bench(project: Project, service: StandInService) -> Project:
    service.behaviour.delay_s = dict.fromkeys(service.behaviour.delay_s, 0.0)
    for name, voice in (("tangor", "ilseth"), ("citrange", "linnoway")):
        add_demo_engine(project, name)
        project.shortlist.add(project.shortlist.engines()[name.capitalize()], voice=voice)
    project.texts.add(TEXTS, language="en-GB")
    return project


def made(project: Project, **wanted: object) -> Progress:
    return make(project, plan_run(project, **wanted), executor=Unmeasured())  # type: ignore[arg-type]


def resting(run: BenchRun) -> Progress:
    assert run.wait_till_resting(30)
    return run.progress()


# -- money


def test_a_cap_stops_before_the_request_that_would_break_it(bench: Project, service: StandInService) -> None:
    citrange = bench.shortlist.candidates()[1]
    cap = 2 * len(TEXTS[0]) * PRICE  # two of the four texts, all of 13 characters
    bench.documents.put(CAPS.name, {"a_run": {"EUR": str(cap)}})
    run = BenchRun(bench, plan_run(bench), executor=Unmeasured())
    run.start()
    progress = resting(run)
    assert progress.spent == (Money(cap, "EUR"),), "up to the cap, not one character over it"
    assert (progress.done, progress.failed, progress.paused) == (4 + 2, 0, True)
    assert "The cap of 0.00047 EUR a run would be broken by the next request (0.00023 EUR)" in progress.held
    asked = service.behaviour.requests
    bench.documents.put(CAPS.name, {"a_run": {"EUR": "0.01"}})
    run.resume()
    assert run.wait(120)
    assert run.progress().done == 8
    assert service.behaviour.requests == asked + 2
    assert sum(r.characters for r in bench.journal.rows() if r.candidate_id == citrange.id) == sum(map(len, TEXTS))


def test_caps_of_a_day_and_of_a_plan_count_earlier_runs(bench: Project) -> None:
    citrange = bench.shortlist.candidates()[1]
    made(bench, candidates=[citrange], passages=bench.texts.all()[:1])
    price = len(TEXTS[0]) * PRICE
    for caps in ({"a_day": {"EUR": str(2 * price)}}, {"a_plan": {"Citrange / By the character": str(3 * price)}}):
        bench.documents.put(CAPS.name, caps)
        progress = made(bench, candidates=[citrange])
        assert progress.done == 1
        assert ("a day" if "a_day" in caps else "a month of Citrange / By the character") in progress.held
    with pytest.raises(ValueError, match="a cap is an amount from 0 up"):
        SpendingCaps(a_run={"EUR": Decimal(-1)})


PURSE_PLANS = {
    "by the character": [{"kind": "per unit", "price": "18", "per": 1_000_000}],
    "overage": [{"kind": "subscription", "price": 22}, {"kind": "allowance", "amount": 100_000},
                {"kind": "per unit", "price": "0.30", "per": 1000}],
    "by the request": [{"kind": "per unit", "price": "0.50", "unit": "request"}],
    "by the minute": [{"kind": "per unit", "price": "0.80", "unit": "minute"},
                      {"kind": "allowance", "amount": 3, "unit": "minute", "every": "day"}],
}  # fmt: skip


@given(st.lists(st.tuples(st.sampled_from(sorted(PURSE_PLANS)), st.integers(1, 400_000), st.booleans(),
                          st.floats(0.5, 1.9)), max_size=60))  # fmt: skip
def test_a_purse_never_passes_its_caps_and_ends_with_what_was_billed(
    asks: list[tuple[str, int, bool, float]],
) -> None:
    """Whatever a plan bills by, with three requests under way at a time, and clips up to 1.9 times as long as
    expected. reference: the sums by hand, from all that was billed."""
    plans = [{"name": n, "tariff": {"currency": "EUR", "components": parts}} for n, parts in PURSE_PLANS.items()]
    engine = Engine.model_validate({
        "zest-connector": 1, "engine": "E", "plans": plans, "speak": {"kind": "command", "arguments": ["x"]},
        "voices": [{"id": "v", "languages": ["en"]}],
    })  # fmt: skip
    purse = SpendGuard({"E": engine}, {}, [], SpendingCaps(a_run={"EUR": Decimal(5)}), today=date(2026, 5, 1))
    billed = {n: NO_USE for n in PURSE_PLANS}
    under_way: list[tuple[str, Usage, Usage]] = []

    def settle_one() -> None:
        name, aside, real = under_way.pop(0)
        purse.settle(("E", name), aside, real)
        billed[name] = billed[name].plus(real)

    for name, characters, fails, longer in asks:
        expected = Rates().sound_s(characters)
        aside = at_most(use_of("m", characters, sound_s=expected), Rates())
        if purse.reserve(("E", name), aside):
            continue
        real = use_of("m", characters, sound_s=expected * Decimal(repr(longer)))
        under_way.append((name, aside, NO_USE if fails else real))
        if len(under_way) > 3:
            settle_one()
    while under_way:
        settle_one()
    by_hand = (
        billed["by the character"].characters * 18 / 1_000_000
        + max(Decimal(0), billed["overage"].characters - 100_000) * Decimal("0.30") / 1000
        + billed["by the request"].requests * Decimal("0.50")
        + max(Decimal(0), billed["by the minute"].sound_s / 60 - 3) * Decimal("0.80")
    )
    assert sum((m.amount for m in purse.spent()), Decimal(0)) == by_hand <= 5
    assert not purse.outstanding


# a program that 'speaks' a tone of 0.08 s a character
QUICK = (
    "import sys, wave, math, struct; n = 640 * len(sys.argv[2]); w = wave.open(sys.argv[1], 'wb'); w.setnchannels(1); "
    "w.setsampwidth(2); w.setframerate(8000); "
    "w.writeframes(b''.join(struct.pack('<h', int(9000 * math.sin(k / 5))) for k in range(n))); w.close()"
)


def priced(bench: Project, *components: dict[str, object]) -> Candidate:
    """A quick program under a plan of the given components, on the shortlist."""
    source = json.dumps({
        "zest-connector": 1, "engine": "Kitchen Table",
        "voices": [{"id": "hesk", "name": "Hesk", "languages": ["en-GB"]}],
        "plans": [{"name": "Test plan", "tariff": {"currency": "EUR", "components": components}}],
        "speak": {"kind": "command", "arguments": ["${ZEST_PYTHON}", "-c", QUICK, "{output}", "{text}"]},
    })  # fmt: skip
    bench.shortlist.add_engine(parse_connector(source, name="kitchen.yaml"), source, "kitchen.yaml")
    return bench.shortlist.add(bench.shortlist.engines()["Kitchen Table"], voice="hesk")[0]


def test_a_cap_holds_a_plan_that_is_priced_by_the_request(bench: Project) -> None:
    candidate = priced(bench, {"kind": "per unit", "price": "0.50", "unit": "request"})
    planned = plan_run(bench, candidates=[candidate])
    assert [(e.requests, str(e.cost)) for e in planned.estimates] == [(4, "2.00 EUR")]
    bench.documents.put(CAPS.name, {"a_run": {"EUR": "0.60"}})
    progress = made(bench, candidates=[candidate])
    assert (progress.done, [str(m) for m in progress.spent]) == (1, ["0.50 EUR"])
    assert "The cap of 0.60 EUR a run would be broken by the next request (0.50 EUR)." in progress.held


def test_sound_is_estimated_at_the_voices_own_pace_and_billed_as_it_came(bench: Project) -> None:
    candidate = priced(bench, {"kind": "per unit", "price": "6", "unit": "minute"})
    characters = sum(len(text) for text in TEXTS)
    before = plan_run(bench, candidates=[candidate]).estimates[0]
    assert before.length_assumed
    assert before.cost is not None
    assert before.cost.amount == pytest.approx(Decimal(characters) * 6 / 1000)
    assert before.says().endswith("at 1,000 characters a minute assumed")
    progress = made(bench, candidates=[candidate])
    seconds = sum(take.duration_s for take in bench.takes.all())
    assert float(progress.spent[0].amount) == pytest.approx(seconds / 60 * 6)
    assert sum(row.sound_s or 0 for row in bench.journal.rows()) == pytest.approx(seconds)
    again = plan_run(bench, candidates=[candidate], repeats=2).estimates[0]
    assert not again.length_assumed
    assert again.cost is not None
    assert float(again.cost.amount) == pytest.approx(seconds / 60 * 6, rel=1e-6)


def test_the_journal_is_put_right_by_what_replies_say_was_billed(bench: Project) -> None:
    """Also where that is nothing, and where a text went in several pieces; a program that says nothing bills what its
    plan counts."""
    candidate = bench.shortlist.candidates()[0]
    version = bench.texts.all()[0].version_id
    run = bench.journal.begin_run(repeats=1, seed=0, machine="")
    opened = [
        bench.journal.open_request(run_id=run, candidate_id=candidate.id, passage_version_id=version, repeat=1,
                                   attempt=1, plan="P", characters=100)
        for _ in range(3)
    ]  # fmt: skip
    answered = [Answered(request_id=i, characters=said, sound_s=s)
                for i, said, s in zip(opened, (0, 80, None), (1.0, 2.0, 3.0), strict=True)]  # fmt: skip
    bench.takes.keep(tone(200, -12, 1.0, 16_000), candidate_id=candidate.id, passage_version_id=version, repeat=1,
                     answered=answered)  # fmt: skip
    rows = bench.journal.rows(run_id=run)
    assert [(r.state, r.characters, r.sound_s) for r in rows] == [
        ("done", 0, 1.0),
        ("done", 80, 2.0),
        ("done", 100, 3.0),
    ]


def test_the_same_sound_under_another_plan_or_of_the_same_text_is_paid_once(bench: Project) -> None:
    first = priced(bench, {"kind": "per unit", "price": "0.50", "unit": "request"})
    other = bench.shortlist.add(bench.shortlist.engines()["Kitchen Table"], voice="hesk", plan="Elsewhere")[0]
    double = bench.texts.add([TEXTS[0]], language="en-GB", titles=["The same once more"])[0]
    assert short_names([first, other], bench.shortlist.engines()) == {
        first.id: "Kitchen Table · Hesk, Test plan", other.id: "Kitchen Table · Hesk, Elsewhere"
    }  # fmt: skip
    planned = plan_run(bench, candidates=[first, other])
    assert (len(planned.jobs), planned.requests, planned.served) == (10, 4, 6)
    progress = make(bench, planned, executor=Unmeasured())
    assert (progress.done, progress.failed) == (10, 0)
    assert len(bench.journal.rows()) == 4
    takes = bench.takes.all()
    assert len({t.clip for t in takes if t.passage_version_id == double.version_id}) == 1
    assert plan_run(bench, candidates=[first, other]).jobs == ()
    found = evaluate(bench)
    assert not found.rows[other.id].cost.rates.assumed, "the same voice speaks at the same pace"


# -- pace


@given(st.lists(st.floats(0, 5), max_size=80), st.integers(1, 12))
def test_no_minute_holds_more_requests_than_allowed(steps: list[float], limit: int) -> None:
    at = 100.0
    pace = RateLimiter(limit, clock=lambda: at)
    begun: list[float] = []
    for step in steps:
        at += step
        wait_s = pace.claim()
        if wait_s:
            at += wait_s
            assert pace.claim() == 0, "after the wait it names, a request may begin"
        begun.append(at)
    assert all(later - earlier >= 60 - 1e-6 for earlier, later in zip(begun, begun[limit:], strict=False))


def test_an_earlier_run_counts_and_a_wait_that_was_asked_for_holds_everybody() -> None:
    at = 0.0
    pace = RateLimiter(2, earlier=[59.0, 10.0, 300.0], clock=lambda: at)
    assert pace.claim() == pytest.approx(1.0)
    pace.hold(7)
    assert pace.claim() == pytest.approx(7)
    at = 7.0
    assert pace.claim() == 0
    rng = np.random.default_rng(1)
    waits = [backoff_s(n, rng) for n in range(1, 9)]
    assert all(0.75 * min(30, 0.8 * 2**n) <= w <= 1.25 * min(30, 0.8 * 2**n) for n, w in enumerate(waits))


def test_retry_times_are_honoured_by_the_whole_engine(bench: Project, service: StandInService) -> None:
    service.behaviour.faults.append("limit")
    service.behaviour.retry_after_s = 1.0
    tangor = bench.shortlist.candidates()[0]
    began = time.monotonic()
    made(bench, candidates=[tangor])
    assert time.monotonic() - began >= 1.0
    rows = bench.journal.rows()
    refused = next(r for r in rows if r.failure_kind == "limited")
    later = [r for r in rows if r.id > refused.id and r.opened > refused.closed]
    gap = [(_at(r.opened) - _at(refused.closed)).total_seconds() for r in later]
    assert later
    assert min(gap) >= 0.99, "no request of the engine began in the time the service had asked for"
    assert [r.failure_kind for r in rows if r.state == "failed"] == ["limited"]
    assert sum(r.attempt > 1 for r in rows) == 1


def _at(stamp: str) -> datetime:
    return datetime.fromisoformat(stamp)


# -- what stops a run


def test_a_full_disk_pauses_and_the_paid_reply_is_kept_when_there_is_room(
    bench: Project, service: StandInService, monkeypatch: pytest.MonkeyPatch
) -> None:
    keep, full = ClipStore.keep, threading.Event()

    def keep_if_room(self: ClipStore, clip: Clip) -> str:
        if full.is_set():
            raise OSError(errno.ENOSPC, "No space left on device")
        return keep(self, clip)

    monkeypatch.setattr(ClipStore, "keep", keep_if_room)
    citrange = bench.shortlist.candidates()[1]
    run = BenchRun(bench, plan_run(bench, candidates=[citrange]), executor=Unmeasured(),
                   on_event=lambda e: full.set() if e.kind == "kept" else None)  # fmt: skip
    run.start()
    progress = resting(run)
    assert progress.paused
    assert "The disk is full" in progress.held
    assert "Make room, then go on" in progress.held
    monkeypatch.setattr(ClipStore, "keep", keep)
    run.resume()
    assert run.wait(120)
    assert run.progress().done == 4
    assert service.behaviour.requests == 4, "what had come and was paid is kept, not asked for again"
    assert {row.state for row in bench.journal.rows()} == {"done"}


def test_a_revoked_key_holds_its_engine_while_others_go_on(bench: Project, service: StandInService) -> None:
    revoked: list[str] = []

    def revoke(event: RunEvent) -> None:
        if not revoked and event.kind == "kept" and event.job is not None and event.job.candidate.engine == "Citrange":
            service.behaviour.key = "another"
            revoked.append("once")

    run = BenchRun(bench, plan_run(bench, repeats=3), executor=Unmeasured(), on_event=revoke)
    run.start()
    progress = resting(run)
    assert progress.paused
    assert "401" in progress.held
    assert "key is not accepted any more" in progress.held
    service.behaviour.key = "orchard-demo-key"
    run.resume()
    assert run.wait(120)
    assert (run.progress().done, run.progress().failed) == (24, 0)
    assert run.progress().held == ""


def test_a_network_that_is_gone_pauses_and_nothing_is_given_up(
    project: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(asking, "backoff_s", lambda *_: 0.0)
    monkeypatch.setenv("ZEST_SECRET_LIMONAIA", "orchard-demo-key")
    add_demo_engine(project, "tangor")
    project.shortlist.add(project.shortlist.engines()["Tangor"], voice="ilseth")
    project.texts.add([f"{text} Again." for text in TEXTS] + TEXTS, language="en-GB")
    with StandInService(Behaviour(delay_s=dict.fromkeys(("tangor", "citrange", "mandelo"), 0.0))) as first:
        monkeypatch.setenv("ZEST_LIMONAIA_ADDRESS", first.address)
        port = int(first.address.rpartition(":")[2])
    run = BenchRun(project, plan_run(project), executor=Unmeasured())
    run.start()
    progress = resting(run)
    assert progress.paused
    assert "Tangor is not reached" in progress.held
    given_up = progress.failed
    assert given_up == 2, "two takes in a row were given up, the third one holds the engine"
    with StandInService(port=port):
        run.resume()
        assert run.wait(120)
    assert (run.progress().done, run.progress().failed) == (8 - given_up, given_up)


# -- conditions


def test_load_is_stepped_through_level_by_level_as_far_as_plans_allow(bench: Project) -> None:
    limits = {name: e.limits.requests_at_once for name, e in bench.shortlist.engines().items()}
    made(bench)
    planned = plan_run(bench, repeats=2, conditions=Conditions(at_once=(1, 2, 4, 8), kind="load"))
    refused = {why for _, _, why in planned.left_out}
    assert refused == {f"the plan allows {n} requests at once, not {level}"
                       for n in limits.values() for level in (1, 2, 4, 8) if level > n}  # fmt: skip
    assert {(j.candidate.engine, j.at_once) for j in planned.jobs} == {
        (name, level) for name, n in limits.items() for level in (1, 2, 4, 8) if level <= n
    }
    assert make(bench, planned, executor=Unmeasured()).failed == 0
    runs = bench.journal.runs()
    beside: dict[int, set[int]] = {}
    for row in bench.journal.rows():
        if runs[row.run_id].kind == "load":
            beside.setdefault(runs[row.run_id].at_once, set()).add(row.beside or 0)
    assert beside[1] == {0}
    assert max(beside[2]) == 1
    assert all(max(found) < level for level, found in beside.items())
    assert {t.seed for t in bench.takes.all()} == {1, 2}, "every occasion asks with the same seeds"
    assert plan_run(bench, repeats=2).jobs == (), "further takes beside those there were"


def test_cold_requests_are_all_cold_and_never_averaged_with_warm_ones(bench: Project) -> None:
    tangor = bench.shortlist.candidates()[0]
    made(bench, candidates=[tangor])
    before = summaries(bench)[tangor.id]
    made(bench, candidates=[tangor], conditions=Conditions(cold=True))
    found = summaries(bench)[tangor.id]
    assert found.whole_clip.n == before.whole_clip.n
    assert len(found.cold) == len(before.cold) + len(TEXTS)
    cold = [run for run in bench.journal.runs().values() if run.cold]
    assert [t.timing.cold for t in bench.takes.all() if t.run_id == cold[0].id and t.timing] == [True] * len(TEXTS)
    assert all(t.timing.connected_s is not None for t in bench.takes.all() if t.run_id == cold[0].id and t.timing)


def test_a_cell_lacks_takes_by_number_whichever_they_are(bench: Project) -> None:
    made(bench, repeats=2)
    gone = next(take for take in bench.takes.all() if take.repeat == 1)
    bench.takes.set_removed(gone.id, True)
    assert plan_run(bench, repeats=1).jobs == (), "its second take is one take"
    (job,) = plan_run(bench, repeats=2).jobs
    cell = (job.candidate.id, job.passage.version_id, job.repeat)
    assert cell == (gone.candidate_id, gone.passage_version_id, 1), "the number that is free is taken again"


def test_an_identical_request_is_served_from_the_store(bench: Project, service: StandInService) -> None:
    made(bench)
    asked = service.behaviour.requests
    first = bench.texts.all()[0]
    again = bench.texts.add([first.text], language="en-GB")[0]  # the same words under another title
    planned = plan_run(bench)
    assert (len(planned.jobs), planned.served, planned.requests, planned.characters) == (2, 2, 0, 0)
    assert make(bench, planned, executor=Unmeasured()).done == 2
    assert service.behaviour.requests == asked
    served = [t for t in bench.takes.all() if t.passage_version_id == again.version_id]
    by_id = {t.id: t for t in bench.takes.all()}
    assert all(t.copied_from and t.clip == by_id[t.copied_from].clip and t.timing is None for t in served)
    assert plan_run(bench, passages=[again], conditions=Conditions(fresh=True)).served == 0, "unless asked for anew"


def test_sleep_in_the_middle_of_a_request_voids_its_wait(bench: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    slept = iter([0.0, 0.0, 0.0, 900.0] + [900.0] * 99)  # during the second request
    monkeypatch.setattr(asking, "missed_s", lambda: next(slept))
    citrange = bench.shortlist.candidates()[1]
    citrange_engine = bench.shortlist.engines()["Citrange"]
    one = citrange_engine.model_copy(update={"limits": citrange_engine.limits.model_copy(
        update={"requests_at_once": 1})})  # fmt: skip
    bench.shortlist.engines()["Citrange"] = one
    made(bench, candidates=[citrange])
    assert [t.timing.slept for t in bench.takes.all() if t.timing] == [False, True, False, False]
    assert summaries(bench)[citrange.id].whole_clip.n == 2, "one was cold, one slept through"
    assert asleep_s() >= 0


def test_a_program_that_was_stopped_gives_no_engine_its_wait() -> None:
    """SIGSTOP and SIGCONT (signal(7)): the clock runs on, the program does not."""
    code = (
        "import time; from zestpanel.core.runs.execute.pulse import missed_s\n"
        "before = missed_s(); print('begun', flush=True); time.sleep(1.0)\n"
        "print(missed_s() - before, flush=True)"
    )
    for stopped_s in (0.0, 4.0):
        with subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True) as process:
            assert process.stdout is not None
            assert process.stdout.readline() == "begun\n"
            if stopped_s:
                process.send_signal(signal.SIGSTOP)
                time.sleep(stopped_s)
                process.send_signal(signal.SIGCONT)
            missed = float(process.stdout.readline())
        assert (missed > 3.0) == bool(stopped_s)


def test_a_clock_that_steps_back_breaks_nothing(bench: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    from zestpanel.core.store import database, journal, takes

    made(bench, passages=bench.texts.all()[:2])
    for module in (database, journal, takes):
        monkeypatch.setattr(module, "now", lambda: "2019-01-01T00:00:00.000+00:00")
    assert made(bench).done == 4
    ids = [t.id for t in bench.takes.all()]
    assert ids == sorted(ids)
    assert all(t.timing.last_byte_s > 0 for t in bench.takes.all() if t.timing)


def test_each_timing_knows_machine_network_and_route(bench: Project, tmp_path: Path) -> None:
    made(bench)
    run = next(iter(bench.journal.runs().values()))
    assert "cores" in run.machine
    assert run.network == describe_network()
    assert all(t.run_id == run.id for t in bench.takes.all())
    table = tmp_path / "route"
    head = "Iface\tDestination\tGateway\tFlags\tRefCnt\tUse\tMetric\tMask\n"
    table.write_text(f"{head}wl0\t00000000\t0102A8C0\t0003\t0\t0\t600\t00000000\n")
    (tmp_path / "wl0" / "wireless").mkdir(parents=True)
    assert describe_network(table, tmp_path).startswith("wireless")
    table.write_text(head)
    assert describe_network(table, tmp_path) == "none"


def test_the_log_can_be_read_by_a_person(bench: Project, service: StandInService) -> None:
    service.behaviour.faults.extend(["limit", "web page"])
    service.behaviour.retry_after_s = 0.05
    bench.texts.add(["Combien coûte-t-elle ?"], language="fr-FR")
    made(bench)
    log = (bench.folder / "runs" / "0001.log").read_text("utf-8")
    assert "Run 1 (bench): 8 takes, 8 requests, 104 characters" in log
    assert "Left out: Tangor ilseth, 'Combien coûte-t-elle ?' and 1 more: " in log or "speaks no French" in log
    assert "Tried again after 1 s." in log or "Tried again after 2 s." in log
    assert "failed, wrong content: " in log, log[-3500:]
    assert log.rstrip().splitlines()[-1].partition("  ")[2].startswith("Ended: 7 takes kept, 1 failed, ")
    assert "orchard-demo-key" not in log


# -- the delivered file


def _speech(seconds: float, dbfs: float = -12.0) -> Clip:
    return tone(200, dbfs, seconds, 16_000)


@pytest.mark.parametrize(
    ("clip", "more", "doubt"),
    [
        (_speech(2.0), {}, ""),
        (_speech(0.3), {}, "Too short: 0.30 s for 6 words."),
        (_speech(60.0), {}, "Too long: 60.0 s for 6 words."),
        (_speech(60.0), {"pauses_s": 40.0}, ""),
        (_speech(2.0, -200.0), {}, "Silent: nothing in the file can be heard."),
        (_speech(2.0), {"voice": "ilseth", "voice_used": "corwick"}, "Another voice answered: corwick."),
        (_speech(2.0), {"model": "grove-4", "model_used": "bough-1"}, "Another model answered: bough-1."),
        (_speech(2.0), {"model": "grove-4", "model_used": "grove-4.2"}, ""),
    ],
)
def test_a_clip_is_looked_at_when_it_arrives(clip: Clip, more: dict[str, object], doubt: str) -> None:
    found = acceptance_flags(clip, "The last frost falls in May.", **more)  # type: ignore[arg-type]
    assert found == ([doubt] if doubt else [])


def test_an_odd_clip_is_kept_and_heard_but_counts_only_when_a_person_says_so(
    bench: Project, service: StandInService
) -> None:
    service.behaviour.other_voice = "corwick"
    tangor = bench.shortlist.candidates()[0]
    made(bench, candidates=[tangor], passages=bench.texts.all()[:1])
    take = bench.takes.all()[0]
    assert take.doubts == ("Another voice answered: corwick.",)
    assert not take.scored
    bench.takes.accept(take.id, True)
    assert bench.takes.all()[0].scored
    bench.takes.put_note(take.id, "the second voice is the better one")
    bench.takes.set_removed(take.id, True)
    assert bench.takes.all() == []
    assert len(plan_run(bench, candidates=[tangor], passages=bench.texts.all()[:1]).jobs) == 1
    bench.takes.set_removed(take.id, False)
    back = bench.takes.all()[0]
    assert (back.note, back.accepted) == ("the second voice is the better one", True)


def test_a_packed_file_is_kept_as_it_was_delivered(project: Project, tmp_path: Path) -> None:
    import soundfile

    from zestpanel.core.audio.files import read
    from zestpanel.core.audio.kinds import kind_of_sound

    path = tmp_path / "clip.ogg"
    clip = _speech(1.0)
    soundfile.write(path, clip.samples, clip.rate_hz, format="OGG", subtype="VORBIS")
    add_demo_engine(project, "tangor")
    candidate = project.shortlist.add(project.shortlist.engines()["Tangor"], voice="ilseth")[0]
    version = project.texts.add(["Words."], language="en-GB")[0].version_id
    data = path.read_bytes()
    take = project.takes.keep(read(path), candidate_id=candidate.id, passage_version_id=version, repeat=1,
                              delivered=data)  # fmt: skip
    assert project.takes.delivered_path(take).read_bytes() == data
    assert kind_of_sound(data) == "ogg"
    assert project.takes.delivered_path(take).suffix == ".ogg"
    plain = project.takes.all()[0]
    assert pretend_take(project, candidate.id, version, repeat=2) != plain.id


# -- the time it will take


def test_the_time_needed_names_its_basis(bench: Project) -> None:
    first = plan_run(bench)
    assert first.time.seconds is None
    assert first.time.basis == "not timed yet: Citrange, Tangor"
    make(bench, first, executor=Unmeasured())
    planned = plan_run(bench, repeats=3)
    assert planned.time.seconds is not None
    began = time.monotonic()
    make(bench, planned, executor=Unmeasured())
    assert planned.time.basis.endswith("takes timed before"), "cold ones do not count"
    assert planned.time.seconds < 20 * (time.monotonic() - began) + 1
    used = {e.engine: e.allowance_used for e in planned.estimates}
    assert used["Tangor"] is not None
    assert 0 < used["Tangor"] < Decimal("0.01")
    assert used["Citrange"] is None


def test_what_ones_own_machine_costs_is_told_from_its_speed_and_is_no_bill(bench: Project) -> None:
    """By hand: a machine of 1400 EUR over 8,000 h and 120 W at 0.31 EUR a kWh costs 0.2122 EUR an hour; 52 characters
    at 10 s each are 520 s, 0.0307 EUR."""
    add_demo_engine(bench, "rangpur")
    local = bench.shortlist.add(bench.shortlist.engines()["Rangpur"], voice="hesk")[0]
    planned = plan_run(bench, candidates=[local])
    assert [(e.characters, e.cost, e.says()) for e in planned.estimates] == [
        (52, None, "speed on this machine not measured yet")
    ]
    told = estimate(planned.jobs, bench.shortlist.engines(), {}, {}, {local.id: (10.0, 4)}, on=date(2026, 5, 1))[0]
    assert (told.cost, told.says()) == (None, "no bill; this machine 0.03 EUR")
    assert planned.costs == ()


def test_everything_is_stamped_in_universal_time(bench: Project) -> None:
    made(bench, passages=bench.texts.all()[:1])
    stamp = _at(bench.takes.all()[0].created)
    assert stamp.utcoffset() == datetime.now(UTC).utcoffset()


def test_a_persons_time_counts_by_engine_and_finished_minute(bench: Project) -> None:
    bench.notes.log_setup("Tangor", 30, "read the contract")
    bench.notes.log_setup("Tangor", 6, "three tries", kind="trying again")
    version = bench.texts.all()[0].version_id
    for repeat in range(1, 101):  # a hundred takes of 1.2 s are two minutes
        pretend_take(bench, bench.shortlist.candidates()[0].id, version, repeat=repeat)
    found = person_time(bench.notes, bench.takes, bench.shortlist)
    assert list(found) == ["Tangor"]
    assert found["Tangor"].by_kind == {"setting up": 30, "trying again": 6}
    assert found["Tangor"].per_finished_minute == pytest.approx(18)
    with pytest.raises(InputError, match="Time is spent on one of"):
        bench.notes.log_setup("Tangor", 1, "x", kind="coffee")


# -- a whole bench


def test_with_faults_a_bench_ends_and_every_count_agrees_with_the_services_own(
    bench: Project, service: StandInService
) -> None:
    """./zest bench whole does it with 20 candidates, 12 texts and 3 repeats."""
    service.behaviour.fault_rate = 0.2
    service.behaviour.retry_after_s = 0.02
    rounds = 0
    while (planned := plan_run(bench, repeats=4)).jobs and rounds < 9:
        assert make(bench, planned, executor=Unmeasured(), seed=rounds).held == ""
        again = undecided(bench)
        assert {r.failure_kind for r in again} <= {"wrong content", "broken sound", "server error", "broke off"}
        left = {(j.candidate.id, j.passage.version_id, j.repeat) for j in plan_run(bench, repeats=4).jobs}
        assert not left & {(r.candidate_id, r.passage_version_id, r.repeat) for r in again}
        bench.journal.let_be_asked_again([row.id for row in again])
        rounds += 1
    rows = bench.journal.rows()
    assert len(bench.takes.all()) == 2 * len(TEXTS) * 4
    assert len(rows) == service.behaviour.requests
    assert sum(r.characters for r in rows if r.state == "done") == service.behaviour.used
    assert len({(t.candidate_id, t.passage_version_id, t.repeat) for t in bench.takes.all()}) == len(bench.takes.all())
    found = summaries(bench)
    assert sum(sum(s.failures.values()) for s in found.values()) == sum(r.state == "failed" for r in rows) > 0
    assert sum(s.tried_again for s in found.values()) > 0


# -- other machines


def test_workers_on_other_machines_give_the_very_same_even_when_one_dies(tmp_path: Path) -> None:
    """A local cluster of two workers, one killed after the first take: same clips, same figures, same word times."""
    command = [sys.executable, "-m", "tests.cluster_run", str(tmp_path)]
    done = subprocess.run(command, cwd=Path(__file__).parents[2], capture_output=True, text=True, timeout=240)
    assert done.returncode == 0, done.stderr[-2000:]
    assert json.loads(done.stdout.splitlines()[-1]) == {
        "takes": 2, "same": True, "killed": True, "timed elsewhere": 1,
    }  # fmt: skip


NOTED = (
    "import sys, time, wave, os; began = time.time(); time.sleep(0.15); w = wave.open(sys.argv[1], 'wb'); "
    "w.setnchannels(1); w.setsampwidth(2); w.setframerate(8000); w.writeframes(bytes(16000)); w.close(); "
    "open(sys.argv[2], 'a').write(f'{{began}} {time.time()}\\n')"
)


def programs(project: Project, note: Path, count: int) -> None:
    """So many local engines that write down when each of their texts began and ended."""
    for k in range(count):
        source = json.dumps({
            "zest-connector": 1, "engine": f"Engine {k}", "voices": [{"id": "v", "languages": ["en-GB"]}],
            "limits": {"requests_at_once": 2},
            "speak": {"kind": "command", "arguments": [sys.executable, "-c", NOTED, "{output}", str(note)]},
        })  # fmt: skip
        engine = parse_connector(source, name=f"{k}.yaml")
        project.shortlist.add_engine(engine, source, f"{k}.yaml")
        project.shortlist.add(engine, voice="v")


def overlaps(note: Path) -> int:
    spans = sorted(tuple(map(float, line.split())) for line in note.read_text().splitlines())
    return sum(later[0] < earlier[1] for earlier, later in itertools.pairwise(spans))


def test_programs_are_timed_one_at_a_time_with_measuring_held_back(project: Project, tmp_path: Path) -> None:
    programs(project, tmp_path / "note", 3)
    project.texts.add(["One.", "Two."], language="en-GB")
    measured_at: list[float] = []

    class Noting(Unmeasured):
        def measure(self, *_: object, **__: object) -> Measured:
            measured_at.append(time.time())
            return Measured(values={}, versions=versions())

    assert make(project, plan_run(project), executor=Noting()).done == 6
    assert overlaps(tmp_path / "note") == 0
    ends = [float(line.split()[1]) for line in (tmp_path / "note").read_text().splitlines()]
    assert len(measured_at) == 6
    assert min(measured_at) >= max(ends), "measuring begins when the programs are through"
    assert next(iter(summaries(project).values())).circumstances is not None


def test_side_by_side_is_a_choice_and_its_waits_are_kept_apart(project: Project, tmp_path: Path) -> None:
    programs(project, tmp_path / "note", 3)
    project.texts.add(["One.", "Two."], language="en-GB")
    make(project, plan_run(project), executor=Unmeasured())
    (tmp_path / "note").unlink()
    beside = plan_run(project, conditions=Conditions(fresh=True, side_by_side=True))
    make(project, beside, executor=Unmeasured())
    assert overlaps(tmp_path / "note") > 0
    points = points_of(project.takes.all(), project.journal, project.shortlist)
    assert {p.circumstances.side_by_side for p in points} == {False, True}
    rows = timing_rows(points, "whole clip")
    assert len(rows) == 6, "each candidate once alone and once beside the others"
    said = [row.circumstances.says() for row in rows if row.circumstances.side_by_side]
    assert all("beside other programs and the measuring" in words for words in said)


def test_a_passage_in_another_language_is_another_text_for_its_takes(bench: Project) -> None:
    passage = bench.texts.all()[0]
    bench.texts.describe(passage.id, language="fr-FR")
    french = bench.texts.all()[0]
    assert (french.text, french.language) == (passage.text, "fr-FR")
    assert french.version_id != passage.version_id  # takes of the English one are not the French one's
    assert bench.texts.version_text(passage.version_id) == (passage.text, passage.language)
    bench.texts.describe(passage.id, language=passage.language)
    assert bench.texts.all()[0].version_id == passage.version_id  # and are good again
    assert bench.texts.edit(passage.id, "Other words.").version_id not in (passage.version_id, french.version_id)


def test_no_candidate_is_in_a_language_that_its_voice_does_not_speak(bench: Project) -> None:
    engine = bench.shortlist.engines()["Citrange"]
    with pytest.raises(InputError, match=r"speaks en-GB, not de-DE\. The shortlist is unchanged"):
        bench.shortlist.add(engine, voice="linnoway", language="de-DE")

"""Not a cent twice and not a cent over: what may have been paid, over runs and programs, in whatever currency."""

from __future__ import annotations

import json
import subprocess
import sys
from datetime import UTC, date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import Unmeasured
from tests.small_service import Answer, Heard, SmallService, wav
from zestpanel.command_line import run as verb
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.catalogue.facts import Engine
from zestpanel.core.domain.brief import Brief, ExchangeRate
from zestpanel.core.money.tariff import Usage
from zestpanel.core.runs.execute.auditioning import Line, hear, line_for
from zestpanel.core.runs.execute.events import Progress
from zestpanel.core.runs.execute.running import BenchRun
from zestpanel.core.runs.execute.troubles import duration_words
from zestpanel.core.runs.execute.unattended import make
from zestpanel.core.runs.plan.planning import PlannedRun, plan_run
from zestpanel.core.runs.plan.undecided import WORDS, undecided
from zestpanel.core.runs.spending.caps import CAPS, SpendGuard, SpendingCaps
from zestpanel.core.runs.spending.left_to_spend import left_of_budget
from zestpanel.core.store.one_asker import AskedElsewhere, asked_elsewhere, asking
from zestpanel.core.store.project import Project

TEXTS = ["Rain at noon.", "Snow by dusk.", "Mild at dawn.", "Calm at nine."]


def priced_engine(address: str, *, price: str = "0.50", currency: str = "EUR", at_once: int = 1, name: str = "Priced",
                  **reply: str) -> str:  # fmt: skip
    """The file of a hosted engine that bills each request."""
    return json.dumps({
        "zest-connector": 1, "engine": name, "voices": [{"id": "v", "name": "V", "languages": ["en-GB"]}],
        "plans": [{"name": "plan", "tariff": {"currency": currency, "components": [
            {"kind": "per unit", "price": price, "per": 1, "unit": "request"}]}}],
        "limits": {"requests_at_once": at_once},
        "speak": {"kind": "http", "address": f"{address}/speak", "body": {"text": "{text}"}, "read_timeout_s": 5,
                  "reply": {"audio": "body", **reply}},
    })  # fmt: skip


def with_engine(project: Project, source: str, *, texts: list[str] = TEXTS) -> Project:
    engine = parse_connector(source, name="priced.json")
    project.shortlist.add_engine(engine, source, "priced.json")
    project.shortlist.add(engine, voice="v", plan="plan")
    if texts:
        project.texts.add(texts, language="en-GB")
    return project


def made(project: Project, planned: PlannedRun | None = None) -> Progress:
    return make(project, planned or plan_run(project), executor=Unmeasured())


def said(text: str) -> Answer:
    return Answer(wav(hz=200 + 10 * len(text)))


# -- what may have been paid


def a_line(project: Project, engine: Engine) -> Line:
    return line_for(project.sending, project.own_voices, engine, "A line.", voice="v", model="", plan="plan",
                    settings={}, language="en-GB")  # fmt: skip


@pytest.mark.parametrize(
    ("answer", "kind"),
    [(Answer(status=0), "broke off"), (Answer(b"oh", 500), "server error"), (Answer(b"oh", 502), "server error"),
     (Answer(wav(), cut_after=500), "broken sound"), (Answer(b"<html>", 200), "wrong content")],
)  # fmt: skip
def test_what_may_have_been_paid_is_asked_for_once_and_counts_against_caps_over_runs(
    project: Project, answer: Answer, kind: str
) -> None:
    with SmallService(lambda _: answer) as service:
        with_engine(project, priced_engine(service.address))
        project.documents.put(CAPS.name, {"a_day": {"EUR": "1.00"}})
        first = made(project)
        assert len(service.heard) == 2, "two requests of 0.50 fill the cap, whatever came of them"
        assert "The cap of 1.00 EUR a day would be broken" in first.held
        assert {(r.state, r.failure_kind, r.attempt) for r in project.journal.rows()} == {("failed", kind, 1)}
        planned = plan_run(project)
        assert [why for _, _, why in planned.left_out] == [WORDS] * 2
        made(project)
        assert len(service.heard) == 2, "another run asks for nothing more"
        project.documents.put(CAPS.name, {"a_day": {"EUR": "1.50"}})
        made(project)
        assert len(service.heard) == 3
        project.journal.let_be_asked_again([row.id for row in undecided(project)])
        assert undecided(project) == []
        project.documents.put(CAPS.name, {"a_day": {"EUR": "9"}})
        service.answer = lambda heard: said(heard.json["text"])
        assert made(project).done == 4
        assert plan_run(project).jobs == ()


def test_a_service_that_is_down_is_held_before_all_is_tried(project: Project) -> None:
    with SmallService(lambda _: Answer(b"down", 503)) as service:
        with_engine(project, priced_engine(service.address), texts=[f"{t} {n}." for n in range(5) for t in TEXTS])
        progress = made(project)
        assert len(service.heard) == 3
        assert (progress.failed, progress.left_over) == (3, 17)
        assert "Priced does not answer as it should: The service answered 503" in progress.held


def test_a_reply_cannot_lower_what_was_used(project: Project) -> None:
    with SmallService(lambda _: Answer(wav(), headers={"X-Billed": "-5000"})) as service:
        with_engine(project, priced_engine(service.address, characters_billed="header X-Billed"))
        assert made(project).done == 4
    assert all(row.characters == 13 for row in project.journal.rows())


# -- two programs


def test_a_second_program_asks_for_nothing_meanwhile_and_makes_nothing_again(project: Project) -> None:
    other = Project.open(project.folder)
    with SmallService(lambda heard: said(heard.json["text"])) as service:
        with_engine(project, priced_engine(service.address))
        other.look_again()
        planned = plan_run(other)
        holder = "import sys; from pathlib import Path; from zestpanel.core.store.one_asker import asking\n" \
                 "with asking(Path(sys.argv[1])): print('held', flush=True); sys.stdin.read()"  # fmt: skip
        with subprocess.Popen([sys.executable, "-c", holder, str(project.folder)], stdin=subprocess.PIPE,
                              stdout=subprocess.PIPE, text=True) as process:  # fmt: skip
            assert process.stdout is not None
            assert process.stdout.readline() == "held\n"
            assert f"process {process.pid}" in asked_elsewhere(project.folder)
            with pytest.raises(AskedElsewhere, match=r"Another program is asking engines for Test.zest \(process"):
                made(project)
            engine = project.shortlist.engines()["Priced"]
            line = a_line(project, engine)
            with pytest.raises(AskedElsewhere):
                hear(project, line)
            assert verb(["run", str(project.folder), "--render"]) == 2
            assert service.heard == []
            process.kill()
        assert asked_elsewhere(project.folder) == "", "the lock goes with the program"
        made(project)
        assert len(service.heard) == 4
        assert made(other, planned).total == 0, "planned before, made by the other meanwhile"
        assert len(service.heard) == 4
    other.close()


def test_what_another_program_has_under_way_is_not_called_left_open(project: Project) -> None:
    with_engine(project, priced_engine("http://127.0.0.1:9"))
    job = plan_run(project).jobs[0]
    project.journal.open_request(
        run_id=project.journal.begin_run(repeats=1, seed=0, machine=""), candidate_id=job.candidate.id,
        passage_version_id=job.passage.version_id, repeat=1, attempt=1, plan="plan", characters=13,
    )  # fmt: skip
    assert len(undecided(project)) == 1
    script = "import sys, time; from pathlib import Path; from zestpanel.core.store.one_asker import begin_asking;" \
             "begin_asking(Path(sys.argv[1])); print(1, flush=True); time.sleep(60)"  # fmt: skip
    with subprocess.Popen([sys.executable, "-c", script, str(project.folder)], stdout=subprocess.PIPE) as process:
        assert process.stdout is not None
        process.stdout.readline()
        assert undecided(project) == []
        assert len(plan_run(project).jobs) == 3
        process.kill()


def test_a_line_heard_during_a_run_counts_against_its_cap(project: Project) -> None:
    with SmallService(lambda heard: said(heard.json["text"])) as service:
        with_engine(project, priced_engine(service.address))
        project.documents.put(CAPS.name, {"a_day": {"EUR": "2.00"}})
        engine = project.shortlist.engines()["Priced"]
        line = a_line(project, engine)
        done: list[int] = []

        def on_event(event: Any) -> None:
            if event.kind == "kept" and not done:
                done.append(1)
                hear(project, line)

        run = BenchRun(project, plan_run(project), executor=Unmeasured(), on_event=on_event)
        run.start()
        assert run.wait_till_resting(60)
        progress = run.progress()
        run.cancel()
        run.wait(60)
        assert len(service.heard) == 4, "three takes and the line"
        assert (progress.done, [str(m) for m in progress.spent]) == (3, ["1.50 EUR"])
        assert project.purse is None
        with asking(project.folder):
            pass


def test_nothing_is_held_while_there_is_room(project: Project) -> None:
    """Eight at once, each with more set aside than it will cost: they wait for one another and all are made."""
    for trial in range(5):
        with SmallService(lambda heard: said(heard.json["text"])) as service:
            folder = project.folder.parent / f"{trial}.zest"
            one = Project.create(folder)
            source = json.loads(priced_engine(service.address, at_once=8))
            source["plans"][0]["tariff"]["components"] = [
                {"kind": "per unit", "price": "0.60", "per": 1, "unit": "minute"}]  # fmt: skip
            with_engine(one, json.dumps(source), texts=[f"{t} Number {n}." for n in range(6) for t in TEXTS])
            seconds = 24 * Decimal("0.4") / 60 * Decimal("0.60")
            one.documents.put(CAPS.name, {"a_run": {"EUR": str(seconds + Decimal("0.05"))}})
            progress = made(one)
            assert (progress.held, progress.done) == ("", 24)
            one.close()


# -- currencies


def purse(caps: dict[str, str], *, brief: Brief | None = None) -> SpendGuard:
    plans = [{"name": c, "tariff": {"currency": c, "components": [
        {"kind": "per unit", "price": 1, "per": 1, "unit": "request"}]}} for c in ("EUR", "GBP", "USD")]  # fmt: skip
    engine = Engine.model_validate({
        "zest-connector": 1, "engine": "E", "plans": plans, "speak": {"kind": "command", "arguments": ["x"]},
        "voices": [{"id": "v", "languages": ["en"]}],
    })  # fmt: skip
    return SpendGuard({"E": engine}, {}, [], SpendingCaps.model_validate({"a_run": caps}), today=date(2026, 5, 1),
                 **({"convert": brief.in_currency} if brief else {}))  # type: ignore[arg-type]  # fmt: skip


def test_a_cap_holds_plans_of_other_currencies_by_the_briefs_rates_or_says_that_it_cannot() -> None:
    one = Usage(characters=Decimal(1), sound_s=Decimal(1), requests=1, by_model={"m": Decimal(1)})
    assert "the brief gives no exchange rate: nothing would hold it" in purse({"EUR": "5"}).reserve(("E", "USD"), one)
    brief = Brief(currency="EUR", exchange_rates=(ExchangeRate(currency="USD", rate=Decimal("0.5")),
                                                  ExchangeRate(currency="GBP", rate=Decimal(2))))  # fmt: skip
    held = purse({"EUR": "3"}, brief=brief)
    spent = Decimal(0)
    for currency, worth in [("GBP", 2), ("USD", Decimal("0.5")), ("USD", Decimal("0.5")), ("EUR", 1)]:
        refused = held.reserve(("E", currency), one)
        assert bool(refused) == (spent + worth > 3), "by hand"
        if not refused:
            held.settle(("E", currency), one, one)
            spent += worth
    assert spent == 3
    in_pounds = purse({"GBP": "1"}, brief=brief)
    assert in_pounds.reserve(("E", "EUR"), one) == "", "two euros are a pound"
    in_pounds.settle(("E", "EUR"), one, one)
    assert in_pounds.reserve(("E", "EUR"), one) == ""
    in_pounds.settle(("E", "EUR"), one, one)
    assert "The cap of 1.00 GBP a run would be broken by the next request (0.25 GBP)" in in_pounds.reserve(
        ("E", "USD"), one
    )


def test_a_run_dearer_than_what_is_left_is_asked_about(project: Project) -> None:
    with SmallService(lambda heard: said(heard.json["text"])) as service:
        with_engine(project, priced_engine(service.address, price="6"))
        assert "states no budget, and this is over 20.00 EUR" in left_of_budget(project, plan_run(project))
        project.set_brief(project.brief.model_copy(update={"budget_per_month": Decimal(30)}))
        assert left_of_budget(project, plan_run(project)) == ""
        made(project, plan_run(project, passages=project.texts.all()[:2]))
        said_ = left_of_budget(project, plan_run(project, repeats=3))
        assert said_ == "Of the budget of 30.00 EUR a month 18.00 EUR are left."
        project.set_brief(project.brief.model_copy(update={"currency": "GBP"}))
        assert "no exchange rate" in left_of_budget(project, plan_run(project))


# -- waits that a service asks for


@pytest.mark.parametrize("said_wait", ["0", "-5", "²", "soon", "1e9"])
def test_a_service_that_asks_for_no_wait_is_not_run_against(
    project: Project, said_wait: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    waited: list[float] = []
    monkeypatch.setattr(
        "zestpanel.core.runs.execute.asking.backoff_s", lambda attempt, _: waited.append(attempt) or 0.05
    )
    limit = Answer(b"slowly", 429, {"Retry-After": said_wait})
    with SmallService(lambda _: limit) as service:
        with_engine(project, priced_engine(service.address), texts=TEXTS[:1])
        began = datetime.now(UTC)
        assert made(project).failed == 1
        assert len(service.heard) == 8
        assert (datetime.now(UTC) - began).total_seconds() > 7 * 0.05
    assert waited == list(range(1, 9))


def test_a_service_that_asks_to_wait_for_years_holds_its_engine_and_is_told(project: Project) -> None:
    def answer(heard: Heard) -> Answer:
        return Answer(b"later", 503, {"Retry-After": "978307200"})

    with SmallService(answer) as service:
        with_engine(project, priced_engine(service.address))
        progress = made(project)
        assert len(service.heard) == 1
    assert "It asks to wait 31 years: go on then." in progress.held
    assert verb(["run", str(project.folder), "--estimate"]) == 0


def test_a_wait_is_shown(project: Project) -> None:
    answers = [Answer(b"slowly", 429, {"Retry-After": "2"})]
    seen: list[str] = []
    with SmallService(lambda heard: answers.pop() if answers else said(heard.json["text"])) as service:
        with_engine(project, priced_engine(service.address), texts=TEXTS[:1])
        run = BenchRun(project, plan_run(project), executor=Unmeasured(), on_event=lambda e: seen.append(e.text))
        run.start()
        shown = set()
        while not run.wait(0.1):
            shown.add(run.progress().waiting)
    assert "Priced waits 2 s, as its service asks" in shown
    assert run.progress().waiting == ""
    assert any("Tried again after 2 s." in text for text in seen)
    assert [duration_words(seconds) for seconds in (0.4, 90, 7300, 978_307_200)] == ["1 s", "90 s", "3 h", "31 years"]


# -- without a window


def test_a_run_that_is_held_says_how_many_and_why_and_ends_with_a_status(
    project: Project, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    with SmallService(lambda _: Answer(b"no", 401)) as service:
        with_engine(project, priced_engine(service.address))
        assert verb(["run", str(project.folder), "--render"]) == 1
        printed = capsys.readouterr().out
        assert "0 done, 0 failed, 4 held" in printed
        assert "held: The service answered 401" in printed


def test_a_name_with_a_slip_makes_no_project(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert verb(["run", str(tmp_path / "Typo.zest")]) == 2
    assert "There is no project at" in capsys.readouterr().err
    assert list(tmp_path.iterdir()) == []


def test_takes_that_a_killed_run_left_unmeasured_are_measured_by_the_next(project: Project) -> None:
    with SmallService(lambda heard: said(heard.json["text"])) as service:
        with_engine(project, priced_engine(service.address), texts=TEXTS[:2])
        planned = plan_run(project, passages=project.texts.all()[:1])
        run = BenchRun(project, planned, executor=Unmeasured())
        run._measurer.drop()  # as if it had been killed before
        run.start()
        assert run.wait(60)
        assert len(project.takes.unmeasured({"loudness": 99})) == 1
        assert made(project).done == 1
    assert project.takes.unmeasured({"loudness": 1}) == []

"""A line that is heard or tried is a request like those of a run."""

from __future__ import annotations

from decimal import Decimal
from pathlib import Path

import pytest

from tests.conftest import Unmeasured, add_demo_engine
from zestpanel.command_line import run
from zestpanel.core.errors import InputError, SynthesisFailure
from zestpanel.core.runs.execute.auditioning import Line, described, hear, line_for, purse_of
from zestpanel.core.runs.execute.running import BenchRun
from zestpanel.core.runs.plan.estimates import used_so_far
from zestpanel.core.runs.plan.planning import plan_run
from zestpanel.core.runs.spending.caps import CAPS
from zestpanel.core.runs.spending.left_to_spend import spent
from zestpanel.core.store.project import Project
from zestpanel.core.text.lexicon.lexicon import Entry
from zestpanel.standins.service import StandInService

LINE = "Keep the russet at three degrees."


def line(project: Project, text: str = LINE) -> Line:
    engine = project.shortlist.engines()["Tangor"]
    return line_for(
        project.sending, project.own_voices, engine, text, voice="ilseth", model=engine.models[0].id,
        plan=engine.plans[0].name, settings={}, language="en-GB",
    )  # fmt: skip


@pytest.fixture
def tangor(project: Project, service: StandInService) -> Project:
    add_demo_engine(project, "tangor")
    return project


def test_a_line_is_journaled_counted_and_asked_for_once(tangor: Project, service: StandInService) -> None:
    first = hear(tangor, line(tangor))
    (row,) = tangor.auditions.rows()
    assert (row.state, row.characters, row.requests) == ("done", len(LINE), 1)
    used = used_so_far(tangor.auditions, tangor.shortlist, [], {})[("Tangor", row.plan)]
    assert [u.characters for u in used.values()] == [len(LINE)]
    asked = service.behaviour.requests
    again = hear(tangor, line(tangor))
    assert service.behaviour.requests == asked
    assert again.asked_on == row.opened
    assert (again.clip.samples == first.clip.samples).all() or abs(again.clip.samples - first.clip.samples).max() < 1e-6
    hear(tangor, line(tangor), again=True)
    assert service.behaviour.requests == asked + 1
    assert len(tangor.auditions.rows()) == 2


def test_what_a_run_rendered_is_heard_without_a_request(tangor: Project, service: StandInService) -> None:
    tangor.shortlist.add(tangor.shortlist.engines()["Tangor"], voice="ilseth")
    tangor.texts.add([LINE], language="en-GB")
    run = BenchRun(tangor, plan_run(tangor), executor=Unmeasured())
    run.start()
    assert run.wait(60)
    asked = service.behaviour.requests
    assert hear(tangor, line(tangor)).asked_on == tangor.takes.all()[0].created
    assert service.behaviour.requests == asked
    assert tangor.auditions.rows() == []


def test_a_line_is_held_to_the_caps_and_counts_for_the_next_run(tangor: Project) -> None:
    """18.00 EUR a million characters: 33 of them are 0.000594, twice as many more than the cap."""
    add_demo_engine(tangor, "citrange")
    engine = tangor.shortlist.engines()["Citrange"]

    def of_citrange(text: str) -> Line:
        return line_for(
            tangor.sending, tangor.own_voices, engine, text, voice=engine.voices[0].id, model=engine.models[0].id,
            plan=engine.plans[0].name, settings={}, language=engine.voices[0].languages[0],
        )  # fmt: skip

    (currency,) = {plan.tariff.currency for plan in engine.plans}
    tangor.documents.put(CAPS.name, {"a_day": {currency: "0.0008"}})
    hear(tangor, of_citrange(LINE))
    with pytest.raises(InputError, match=r"cap of 0.* a day would be broken.*Nothing was sent"):
        hear(tangor, of_citrange(LINE + " And in the dark."))
    assert len(tangor.auditions.rows()) == 1


def test_a_line_is_written_as_a_run_would_write_it(tangor: Project, service: StandInService) -> None:
    tangor.pronunciations.put([Entry(word="russet", language="en", respelling="russ it")])
    assert "russ it" in described(tangor.own_voices, line(tangor))
    hear(tangor, line(tangor))
    assert service.behaviour.used == sum(len(r.text) for r in line(tangor).job.sent.requests)


def test_a_line_that_fails_is_in_the_journal(tangor: Project, service: StandInService) -> None:
    service.behaviour.faults.extend(["limit", "web page"])
    for kind in ("limited", "wrong content"):
        with pytest.raises(SynthesisFailure):
            hear(tangor, line(tangor))
        assert (tangor.auditions.rows()[-1].state, tangor.auditions.rows()[-1].failure_kind) == ("failed", kind)
    (days,) = used_so_far(tangor.auditions, tangor.shortlist, [], {}).values()
    assert [use.requests for use in days.values()] == [1], "what was read may have been billed, what was refused not"
    assert spent(tangor).unsure == 1
    assert "Of these 1 brought no sound and may not have been billed" in spent(tangor).words()
    # what came back was no sound, and may have been billed all the same: caps count it
    engine = tangor.shortlist.engines()["Tangor"]
    assert purse_of(tangor, engine).used_today("Tangor", engine.plans[0].name).characters == len(LINE)


def test_a_line_from_the_command_line(tangor: Project, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    folder = str(tangor.folder)
    assert run(["hear", folder, "Tangor", "ilseth", LINE, "--to", str(tmp_path / "a.wav")]) == 0
    assert "asked for just now" in capsys.readouterr().out
    assert run(["hear", folder, "Tangor", "ilseth", LINE]) == 0
    assert "kept from" in capsys.readouterr().out
    assert run(["hear", folder, "Tangor", "nobody", LINE]) == 2
    assert "no voice 'nobody' of Tangor" in capsys.readouterr().err
    assert (tmp_path / "a.wav").stat().st_size > 10_000
    assert Decimal(tangor.auditions.rows()[0].characters) == len(LINE)

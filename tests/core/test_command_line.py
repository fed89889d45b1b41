"""The whole job without a window, and what bad input gets."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from datetime import datetime, timedelta
from pathlib import Path

import pytest

from tests.conftest import COMMAND_ENGINE, Unmeasured, demo_engine_source
from zestpanel.__main__ import main
from zestpanel.core.runs.schedule.schedule import Schedule
from zestpanel.core.store.project import Project
from zestpanel.standins.service import StandInService


def run(capsys: pytest.CaptureFixture[str], *arguments: str) -> tuple[int, dict[str, object]]:
    status = main([*arguments, "--json"])
    return status, json.loads(capsys.readouterr().out)


def test_from_a_brief_to_a_record(tmp_path: Path, capsys: pytest.CaptureFixture[str], service: StandInService) -> None:
    script, engine, kitchen = tmp_path / "own.md", tmp_path / "citrange.yaml", tmp_path / "kitchen.yaml"
    script.write_text("# Notes\n\nThe pear keeps until March.\n\nIt was planted in 1846.", encoding="utf-8")
    engine.write_text(demo_engine_source("citrange"), encoding="utf-8")
    kitchen.write_text(COMMAND_ENGINE, encoding="utf-8")
    name = str(tmp_path / "Mine.zest")
    assert run(capsys, "new", name, "--channel", "Mine")[0] == 0
    status, out = run(capsys, "import", name, str(script), str(engine), str(kitchen), "--shortlist")
    assert (status, out["passages"], out["engines"]) == (0, 2, ["Citrange", "Kitchen Table"])
    status, out = run(capsys, "run", name, "--estimate")
    assert (status, out["jobs"]) == (0, 8)
    assert service.behaviour.requests == 0, "an estimate sends nothing"
    status, out = run(capsys, "run", name, "--render")
    assert (status, out["done"], out["failed"]) == (0, 8, 0)
    assert out["spent"] == out["estimate"] == ["under 0.01 EUR"]
    assert run(capsys, "measure", name)[1]["measured"] == 0
    table = tmp_path / "r.csv"
    rows = [f"L{k},{p},{c},{5 - c + (k + p) % 2}" for k in range(6) for p in (1, 2) for c in (1, 2, 4)]
    table.write_text("\n".join(["listener,passage,candidate,score", *rows]), encoding="utf-8")
    status, out = run(capsys, "ratings", name, str(table))
    assert (status, out["added"]) == (0, 36)
    scores = out["scores"]
    assert isinstance(scores, list)
    assert [s["candidate"] for s in scores] == sorted(s["candidate"] for s in scores)
    status, out = run(capsys, "cost", name)
    costs = out["costs"]
    assert isinstance(costs, list)
    assert costs[0]["month"].endswith(" EUR")
    assert costs[-1]["why"] == "no price stated"
    status, out = run(capsys, "report", name)
    assert status == 0
    assert Path(str(out["record"])).is_file()


def test_runs_once_more_and_what_changed(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], service: StandInService, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("zestpanel.core.runs.execute.running.LocalExecutor", Unmeasured)
    monkeypatch.setattr("zestpanel.core.runs.execute.elsewhere._CONNECT_S", 1)
    service.behaviour.delay_s = dict.fromkeys(service.behaviour.delay_s, 0.0)
    script, engine = tmp_path / "own.txt", tmp_path / "citrange.yaml"
    script.write_text("Rain.\n\nSnow.\n\nThaw.", encoding="utf-8")
    engine.write_text(demo_engine_source("citrange"), encoding="utf-8")
    name = str(tmp_path / "Mine.zest")
    run(capsys, "new", name)
    run(capsys, "import", name, str(script), str(engine), "--shortlist")
    first = run(capsys, "run", name, "--render")[1]
    assert first["held"] == ""
    assert run(capsys, "run", name, "--render", "--at-once", "1,2")[1]["done"] == 2 * int(str(first["done"]))
    asked = service.behaviour.requests
    status, out = run(capsys, "runs", name, "--again", "1")
    assert (status, out["done"]) == (0, first["done"])
    assert service.behaviour.requests == asked + int(str(first["done"]))
    runs = run(capsys, "runs", name)[1]["runs"]
    assert isinstance(runs, list)
    assert [(r["kind"], r["at_once"], r["of_run"]) for r in runs] == [
        ("bench", 0, None), ("load", 1, None), ("load", 2, None), ("again", 0, 1)
    ]  # fmt: skip
    changes = run(capsys, "runs", name, "--compare", "1", "4")[1]["changes"]
    assert isinstance(changes, list)
    assert {c["verdict"] for c in changes} == {"the same to the sample"}
    assert main(["runs", name, "--compare", "1", "9"]) == 2
    assert "There is no run 9." in capsys.readouterr().err
    assert main(["run", name, "--render", "--at-once", "many"]) == 2
    assert "are no levels of requests at once" in capsys.readouterr().err
    assert main(["run", name, "--render", "--scheduler", "tcp://127.0.0.1:9"]) == 2
    assert "No scheduler answers at tcp://127.0.0.1:9" in capsys.readouterr().err
    # from the run that was made once more on, its first candidate is another one
    status, out = run(capsys, "runs", name, "--keep-apart", "1", "4")
    assert (status, out["earlier"], out["lines"]) == (
        0, 1, [f"What was made of candidate 1 in run 4 and since is candidate {out['later']} now: 3 takes."]
    )  # fmt: skip
    changes = run(capsys, "runs", name, "--compare", "1", "4")[1]["changes"]
    assert isinstance(changes, list)
    assert out["later"] in [c["id"] for c in changes]
    assert "has ended already" in str(run(capsys, "runs", name, "--keep-apart", "1", "4")[1]["error"])


def test_a_timer_renders_what_is_due_and_nothing_twice(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], service: StandInService, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("zestpanel.core.runs.execute.elsewhere._CONNECT_S", 1)
    name, script, engine = str(tmp_path / "Hours.zest"), tmp_path / "one.txt", tmp_path / "citrange.yaml"
    script.write_text("The pear keeps until March.", encoding="utf-8")
    engine.write_text(demo_engine_source("citrange"), encoding="utf-8")
    run(capsys, "new", name)
    run(capsys, "import", name, str(script), str(engine), "--shortlist")
    assert "No runs are set for hours" in str(run(capsys, "run", name, "--due")[1]["lines"])
    project = Project.open(Path(name))
    first = datetime.now().astimezone() - timedelta(minutes=61)
    plan = Schedule(first=first, every_minutes=60, times=3, candidate_ids=(1,), passage_ids=(1,), repeats=2)
    project.documents.put("schedule", plan.model_dump(mode="json"))
    project.close()
    assert "rendered, not estimated" in str(run(capsys, "run", name, "--due", "--estimate")[1]["error"])
    # workers that do not answer leave the occasion for the next look
    nowhere = run(capsys, "run", name, "--due", "--scheduler", "tcp://127.0.0.1:9")
    assert "No scheduler answers" in str(nowhere[1]["error"])
    status, out = run(capsys, "run", name, "--due")
    assert (status, out["done"], service.behaviour.requests) == (0, 2, 2)
    assert "1 were missed, as nothing looked at their time." in str(out["lines"])
    assert run(capsys, "run", name, "--due")[1]["jobs"] == 0
    assert service.behaviour.requests == 2


@pytest.mark.parametrize(
    ("arguments", "complaint"),
    [
        (["ratings", "{p}", "{t}/none.csv"], "none.csv cannot be read"),
        (["import", "{p}", "{t}/good.txt", "{t}/bad.yaml"], "bad.yaml, line 1: this is no connector file"),
        (["cost", "{t}/nowhere.zest"], "There is no project at"),
        (["new", "{p}"], "already there and not empty"),
        (["run", "{p}", "--render", "--repeats", "0"], "0 repeats are outside 1 to 100"),
        (["report", "{p}"], "nothing to record"),
    ],
)
def test_bad_input_gets_one_sentence_status_2_and_changes_nothing(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], arguments: list[str], complaint: str
) -> None:
    (tmp_path / "good.txt").write_text("Words.")
    (tmp_path / "bad.yaml").write_text("hello: there")
    folder = tmp_path / "P.zest"
    assert main(["new", str(folder)]) == 0
    capsys.readouterr()
    assert main([a.format(p=folder, t=tmp_path) for a in arguments]) == 2
    out = capsys.readouterr()
    assert complaint in out.err
    assert out.err.startswith("zestpanel: ")
    assert out.err.count("\n") == 1
    assert "Traceback" not in out.err
    project = Project.open(folder)
    assert project.texts.all() == []
    assert project.shortlist.engines() == {}
    project.close()


def test_every_verb_has_help_and_the_core_runs_without_qt(tmp_path: Path) -> None:
    """The verbs run in a process in which Qt cannot be imported."""
    code = "import sys; sys.modules['PyQt6'] = None; from zestpanel.__main__ import main; sys.exit(main(sys.argv[1:]))"
    for verb in ("new", "import", "run", "measure", "ratings", "cost", "report"):
        done = subprocess.run([sys.executable, "-c", code, verb, "--help"], capture_output=True, text=True, check=True)
        assert "--json" in done.stdout
    wanted = "('sqlalchemy', 'numpy', 'pydantic')"
    heavy = f"import sys, zestpanel.command_line; print([m for m in {wanted} if m in sys.modules])"
    done = subprocess.run([sys.executable, "-c", heavy], capture_output=True, text=True, check=True)
    assert done.stdout == "[]\n", "help is there at once: what a verb needs is loaded by the verb"
    folder = str(tmp_path / "Q.zest")
    several = json.dumps([["new", folder], ["cost", folder], ["measure", folder], ["ratings", folder]])
    code = ("import json, sys; sys.modules['PyQt6'] = None; from zestpanel.command_line import run; "
            "sys.exit(any(run(one) for one in json.loads(sys.argv[1])))")  # fmt: skip
    subprocess.run([sys.executable, "-c", code, several], check=True, capture_output=True)


def test_without_a_display_the_demo_says_what_to_do() -> None:
    environment = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY")}
    done = subprocess.run([sys.executable, "-m", "zestpanel", "demo"], env=environment, capture_output=True, text=True)
    assert done.returncode == 2
    assert done.stderr.count("\n") == 1
    assert "--offscreen --shots DIR" in done.stderr

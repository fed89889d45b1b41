"""A whole bench from the command line, what a run tells while it goes on, and the help that is made from the parser."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import pytest

from tests.conftest import COMMAND_ENGINE, add_demo_engine
from tests.small_service import Answer, SmallService, as_json, wav
from zestpanel.command_line import SCRIPTS, _parser
from zestpanel.command_line import run as verb
from zestpanel.core.runs.execute.events import RunEvent
from zestpanel.core.runs.plan.job import Job
from zestpanel.core.runs.plan.planning import plan_run
from zestpanel.core.store.project import Project
from zestpanel.core.text.readers.reading import READABLE
from zestpanel.verbs.manual import page
from zestpanel.verbs.telling import told


def said(capsys: pytest.CaptureFixture[str], *arguments: str, status: int = 0) -> str:
    assert verb(list(arguments)) == status, capsys.readouterr().err
    out = capsys.readouterr()
    return out.out + out.err


def test_from_nothing_to_a_choice(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    folder = str(tmp_path / "Channel.zest")
    engine, script, table = tmp_path / "kitchen.yaml", tmp_path / "texts.txt", tmp_path / "scores.csv"
    engine.write_text(COMMAND_ENGINE)
    script.write_text("Three degrees, in the dark.\n\nNot four.")
    said(capsys, "new", folder, "--channel", "Orchard")
    brief = said(capsys, "brief", folder, "--set", "budget_per_month=1,000", "--set", "languages=en-gb", "--set",
                 "must_haves=", "--line", "en=A plain line.")  # fmt: skip
    assert "budget_per_month: 1000" in brief
    assert "languages: en-GB" in brief
    for wrong in ("budget_per_month=1,5", "colour=red", "currency=EUX", "languages=klingonish", "days_of_work=40"):
        assert "Nothing was changed." in said(capsys, "brief", folder, "--set", wrong, status=2)
    said(capsys, "import", folder, str(engine), str(script))
    assert "Kitchen Table  ansgild  Ansgild  en-GB" in said(capsys, "voices", folder, "--language", "en")
    said(capsys, "shortlist", folder, "--add", "Kitchen Table", "hesk")
    listed = said(capsys, "shortlist", folder, "--add", "Kitchen Table", "ansgild")
    assert [line.split()[0] for line in listed.splitlines()] == ["1", "2"]
    assert "no voice 'odrine'" in said(capsys, "shortlist", folder, "--add", "Kitchen Table", "odrine", status=2)
    assert "It has Kitchen Table." in said(capsys, "shortlist", folder, "--add", "Kitchen", "hesk", status=2)
    assert "4 done, 0 failed, spent nothing" in said(capsys, "run", folder, "--render")
    project = Project.open(Path(folder))
    titles = [p.title for p in project.texts.all()]
    project.close()
    names = ["Kitchen Table Hesk", "Kitchen Table Ansgild"]
    rows = [f'{who},"{title}",{name},{score}' for who in ("ann", "bo", "cy") for title in titles
            for name, score in zip(names, (4, 2), strict=True)]  # fmt: skip
    table.write_text("listener,passage,candidate,score\n" + "\n".join(rows))
    capsys.readouterr()
    verb(["ratings", folder, str(table)])
    printed = capsys.readouterr()
    assert "12 ratings from scores.csv." in printed.out, printed.err
    ranked = said(capsys, "choice", folder)
    assert {line.split()[0] for line in ranked.splitlines() if line.startswith("  ")} == {"1", "2"}
    unknown = "'at most 1000 EUR a month' is unknown (no price stated)"
    assert ranked.count(unknown) == 4, "in each of the two roles"
    assert unknown in said(capsys, "choice", folder, "--choose", "1", "--why", "Steady.", status=2)
    said(capsys, "brief", folder, "--set", "budget_per_month=")
    assert "needs its reason" in said(capsys, "choice", folder, "--choose", "1", status=2)
    assert "or add --unheard" in said(capsys, "choice", folder, "--choose", "1", "--why", "Steady.", status=2)
    chosen = said(capsys, "choice", folder, "--choose", "1", "--why", "Steady.", "--by", "Ann", "--unheard")
    assert "main narrator: candidate 1, Steady." in chosen
    set_to = said(capsys, "weights", folder, "--set", "failures=30:20:1", "--set", "defects=5")
    assert "failures: weight 30, from 20 % to 1 %" in set_to
    assert "names no figure" in said(capsys, "weights", folder, "--set", "charm=5", status=2)
    assert "are the same" in said(capsys, "weights", folder, "--set", "wait=5:2:2", status=2)
    said(capsys, "shortlist", folder, "--remove", "2")
    assert len(json.loads(said(capsys, "shortlist", folder, "--json"))["candidates"]) == 1


def test_a_services_list_of_voices_is_fetched(project: Project, capsys: pytest.CaptureFixture[str]) -> None:
    with SmallService(lambda _: as_json(["hesk", "odrine"])) as service:
        source = json.dumps({
            "zest-connector": 1, "engine": "Words",
            "voices_from": {"address": f"{service.address}/v", "each": {"id": "_value"},
                            "otherwise": {"languages": "fr"}},
            "speak": {"kind": "http", "address": f"{service.address}/speak", "body": {"t": "{text}", "v": "{voice}"}},
        })  # fmt: skip
        file = project.folder.parent / "words.json"
        file.write_text(source)
        said(capsys, "import", str(project.folder), str(file))
        assert "No voice is known" in said(capsys, "voices", str(project.folder))
        assert "Words  odrine  odrine  fr" in said(capsys, "voices", str(project.folder), "--fetch", "Words")


def failed(job: Job, text: str) -> RunEvent:
    return RunEvent(kind="failed", job=job, text=text, run_id=1)


def test_failures_name_whom_and_what_and_equal_reasons_are_counted(
    project: Project, capsys: pytest.CaptureFixture[str]
) -> None:
    with SmallService(lambda _: Answer(wav())) as service:
        file = project.folder.parent / "e.json"
        file.write_text(json.dumps({
            "zest-connector": 1, "engine": "E", "voices": [{"id": "v", "languages": ["en-GB"]}],
            "speak": {"kind": "http", "address": f"{service.address}/s", "body": {"t": "{text}"}},
        }))  # fmt: skip
        verb(["import", str(project.folder), str(file), "--shortlist"])
    project.look_again()
    project.texts.add([f"Line {n} of the text." for n in range(9)], language="en-GB")
    jobs = plan_run(project).jobs
    capsys.readouterr()
    with told(len(jobs)) as teller:
        for job in jobs[:7]:
            teller.on_event(failed(job, "The cellar is locked."))
        teller.on_event(failed(jobs[7], "The moon is full."))
        for _ in range(3):
            teller.on_event(RunEvent(kind="held", text="No key."))
    lines = capsys.readouterr().err.splitlines()
    assert lines[0] == f"  failed: E v, '{jobs[0].passage.title}', take 1: The cellar is locked."
    assert sum("The cellar is locked." in line for line in lines) == 4
    assert lines[-1] == "  7 takes failed alike: The cellar is locked."
    assert sum("held: No key." in line for line in lines) == 1


def test_the_manual_and_the_shells_know_every_verb(tmp_path: Path) -> None:
    text = "\n".join(page(_parser()))
    published = (Path(__file__).parents[2] / "docs" / "zestpanel.1").read_text("utf-8")
    assert published == text + "\n", "write it anew: ./zest cli man > docs/zestpanel.1"
    formatted = subprocess.run(["man", "-l", "-"], input=text, capture_output=True, text=True, check=False,
                               env={"PATH": "/usr/bin:/bin", "MANPAGER": "cat"})  # fmt: skip
    if formatted.returncode == 0 and "ZESTPANEL(1)" in formatted.stdout:  # where man is installed
        assert "--budget" not in formatted.stdout
        assert "shortlist" in formatted.stdout
    script = subprocess.run([sys.executable, "-m", "zestpanel", "completion", "bash"], capture_output=True, text=True,
                            check=True).stdout  # fmt: skip
    probe = tmp_path / "probe.sh"
    probe.write_text(script + '\nCOMP_WORDS=(zestpanel sh); COMP_CWORD=1; '
                     '_shtab_zestpanel zestpanel sh zestpanel; printf "%s\\n" "${COMPREPLY[@]}"')  # fmt: skip
    offered = subprocess.run(["bash", str(probe)], capture_output=True, text=True, check=True).stdout.split()
    assert offered == ["shortlist", "sheet"]
    assert set(SCRIPTS) == set(READABLE)


def test_the_licence_is_there() -> None:
    text = (Path(__file__).parents[2] / "LICENSE").read_text("utf-8")
    assert "GNU GENERAL PUBLIC LICENSE" in text
    assert "Version 3, 29 June 2007" in text


def test_caps_are_set_and_hold_without_a_window(project: Project, capsys: pytest.CaptureFixture[str]) -> None:
    add_demo_engine(project, "citrange")
    folder = str(project.folder)
    assert verb(["caps", folder]) == 0
    assert capsys.readouterr().out == "No cap is set.\n"
    assert verb(["caps", folder, "--run", "0", "--day", "5", "--plan", "Citrange", "By the character", "1.50"]) == 0
    said = capsys.readouterr().out
    assert "0 EUR a run" in said
    assert "5 EUR a day, by your clock" in said
    assert "1.50 a month under Citrange / By the character" in said
    assert verb(["caps", folder, "--plan", "Citrange", "No such", "1"]) == 2
    assert verb(["caps", folder, "--run", "none"]) == 0
    assert "a run" not in capsys.readouterr().out
    project.documents.put("spending caps", {"a_run": "nonsense"})
    assert verb(["caps", folder]) == 2
    assert "spending caps make no sense" in capsys.readouterr().err
    assert verb(["caps", folder, "--run", "2"]) == 0
    assert project.documents.get("set aside: spending caps") == {"a_run": "nonsense"}

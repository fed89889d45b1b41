"""A key never leaks: not into a project, an export, a report, an error or a file that somebody passes on."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import add_demo_engine, demo_engine_source
from zestpanel.command_line import run as main
from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.errors import ConnectorError
from zestpanel.core.report.bug_report import bug_report
from zestpanel.core.report.catalogue_file import as_json, as_yaml, export_catalogue, voices_as_csv
from zestpanel.core.report.record import write_record
from zestpanel.core.runs.execute.unattended import render_missing
from zestpanel.core.store.project import Project
from zestpanel.standins.service import StandInService

SECRET = "sk-0a1b2c3d4e5f-very-secret"


def test_nothing_that_leaves_holds_the_key(
    project: Project, service: StandInService, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    service.behaviour.key = SECRET
    monkeypatch.setenv("ZEST_SECRET_LIMONAIA", SECRET)
    add_demo_engine(project, "tangor")
    tangor = project.shortlist.engines()["Tangor"]
    project.shortlist.add(tangor, voice="ilseth")
    project.texts.add(["A short text."], language="en-GB")
    service.behaviour.faults.extend(["web page"])
    render_missing(project)
    service.behaviour.other_voice = SECRET  # the service repeats the key in what it complains about
    project.texts.add(["Another text."], language="en-GB")
    _, progress = render_missing(project)
    assert progress.failed >= 1
    assert "••••" in "".join(row.failure_text for row in project.journal.rows())
    report = bug_report(project)
    assert "wrong content 1" in report
    catalogue = export_catalogue(project)
    record = write_record(project, None)
    texts = [report, as_json(catalogue), as_yaml(catalogue), voices_as_csv([tangor]), record.record.read_text("utf-8")]
    texts += [table.read_text("utf-8") for table in record.tables]
    assert all(SECRET not in text for text in texts)
    folder = project.folder
    project.close()
    assert main(["bug-report", str(folder)]) == 0
    assert main(["catalogue", str(folder)]) == 0
    assert SECRET not in capsys.readouterr().out
    for path in folder.rglob("*"):
        assert path.is_dir() or SECRET.encode() not in path.read_bytes(), path


@pytest.mark.parametrize(
    ("before", "after", "where"),
    [
        ('X-Key: "{secret}"', f'X-Key: "{SECRET}"', "headers.X-Key"),
        ('X-Key: "{secret}"', f'Authorization: "Bearer {SECRET}"', "headers.Authorization"),
        ("  secret: limonaia", f"  query: {{api_key: {SECRET}}}\n  secret: limonaia", "query.api_key"),
    ],
)
def test_a_key_written_into_a_connector_file_is_refused(before: str, after: str, where: str) -> None:
    source = demo_engine_source("tangor")
    assert before in source
    with pytest.raises(ConnectorError, match=f"{where} looks like a key; write {{secret}}") as caught:
        parse_connector(source.replace(before, after), name="t.yaml")
    assert SECRET not in str(caught.value)


def test_a_catalogue_is_written_and_taken_in_from_the_command_line(
    project: Project, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    add_demo_engine(project, "tangor")
    folder = project.folder
    project.close()
    out = tmp_path / "c.yaml"
    assert main(["catalogue", str(folder), "--out", str(out)]) == 0
    other = tmp_path / "Other.zest"
    Project.create(other).close()
    assert main(["catalogue", str(other), "--take-in", str(out)]) == 0
    assert "new     engine: Tangor" in capsys.readouterr().out
    opened = Project.open(other)
    assert opened.shortlist.files() == {}
    opened.close()
    assert main(["catalogue", str(other), "--take-in", str(out), "--yes"]) == 0
    opened = Project.open(other)
    assert list(opened.shortlist.files()) == ["Tangor"]
    opened.close()
    assert main(["catalogue", str(other), "--take-in", str(tmp_path / "none.yaml")]) == 2
    assert main(["schemas", str(tmp_path / "s")]) == 0
    assert len(list((tmp_path / "s").iterdir())) == 6

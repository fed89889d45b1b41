"""Nothing in a project's folder leads to a file elsewhere: not to read it, not to send it, not to write over it."""

from __future__ import annotations

import os
import zlib
from collections.abc import Callable
from datetime import date
from pathlib import Path

import pytest

from tests.conftest import tone
from tests.core.test_connector_kinds import raw_server, saying
from tests.core.test_limits import drip_body, drip_headers
from zestpanel.core.audio.files import write_wav
from zestpanel.core.errors import AudioError, ProjectError, SynthesisFailure, TextError
from zestpanel.core.own_files import append_to, is_own_file, write_whole
from zestpanel.core.report.tables import write_csv
from zestpanel.core.runs.execute.run_log import RunLog
from zestpanel.core.store.own_voices import Consent
from zestpanel.core.store.project import Project
from zestpanel.core.store.schema import recordings
from zestpanel.core.table_rows import as_text
from zestpanel.core.text.readers.address import read_address
from zestpanel.core.text_files import write_text


@pytest.fixture
def private(tmp_path: Path) -> Path:
    path = tmp_path / "private"
    path.write_text("mine")
    return path


WRITERS: list[Callable[[Path], object]] = [
    lambda path: write_whole(path, b"x"),
    lambda path: write_csv(path, [["x"]]),
    lambda path: write_text(path, "x", kept=""),
    lambda path: write_wav(path, tone(220, -12, 0.1, 16_000)),
]


@pytest.mark.parametrize("write", WRITERS)
def test_a_link_in_the_place_of_a_file_is_replaced_and_not_followed(
    write: Callable[[Path], object], tmp_path: Path, private: Path
) -> None:
    target = tmp_path / "out.wav"
    target.symlink_to(private)
    (tmp_path / "out.wav.part").symlink_to(private)  # a name that could be guessed
    write(target)
    assert private.read_text() == "mine"
    assert not target.is_symlink()
    assert target.read_bytes()
    assert sorted(p.name for p in tmp_path.iterdir()) == ["out.wav", "out.wav.part", "private"]


def test_a_log_is_not_written_through_a_link(tmp_path: Path, private: Path) -> None:
    (tmp_path / "runs").mkdir()
    (tmp_path / "runs" / "1.log").symlink_to(private)
    RunLog(tmp_path / "runs" / "1.log").write("a line")  # a log stops no run
    assert private.read_text() == "mine"
    os.mkfifo(tmp_path / "pipe")
    with pytest.raises(OSError):
        append_to(tmp_path / "pipe", "x")
    append_to(tmp_path / "own", "x")
    append_to(tmp_path / "own", "y")
    assert (tmp_path / "own").read_text() == "xy"


@pytest.mark.parametrize("part", ["runs", "exports", "clips", "project.sqlite", "project.sqlite-wal"])
def test_a_project_whose_parts_are_links_is_not_opened(project: Project, tmp_path: Path, part: str) -> None:
    project.close()
    place = project.folder / part
    elsewhere = tmp_path / "elsewhere"
    if place.exists():
        place.rename(elsewhere)
    else:
        elsewhere.mkdir()
    place.symlink_to(elsewhere)
    with pytest.raises(ProjectError, match=f"'{part}' is a link to another place"):
        Project.open(project.folder)


NAMES = ["../../private", "/etc/hostname", "..", "", "a" * 64 + "/../x.flac", "0" * 64 + ".flac\n"]


@pytest.mark.parametrize("name", NAMES)
def test_a_clip_has_a_name_of_its_own_kind(project: Project, name: str) -> None:
    consent = Consent(who="Ilse", given=date(2026, 1, 1), use="narration")
    own = project.own_voices
    kept = own.add_recording(tone(180, -12, 2), name="Ilse", language="en-GB", checks=[], consent=consent)
    own.add_voice("E", voice="own", name="Own", language="en-GB", recording_id=kept.id)
    with project._database.writing() as connection:  # as a stranger's program would write it
        connection.execute(recordings.update().values(clip=name))
    (changed,) = own.recordings()
    with pytest.raises(AudioError, match="no clip of this project"):
        own.load(changed)
    with pytest.raises(SynthesisFailure, match="The recording was not sent"):
        own.source_of("E", "own")


@pytest.mark.parametrize("kind", ["link", "pipe", "device", "folder"])
def test_a_clip_is_a_file_and_nothing_that_never_ends(project: Project, private: Path, kind: str) -> None:
    kept = project.own_voices.add_recording(tone(180, -12, 2), name="Ilse", language="en-GB", checks=[])
    path = project.own_voices.path(kept)
    assert is_own_file(path)
    path.unlink()
    match kind:
        case "link":
            path.symlink_to(private)
        case "pipe":
            os.mkfifo(path)
        case "device":
            path.symlink_to("/dev/zero")
        case "folder":
            path.mkdir()
    with pytest.raises(AudioError, match="no clip of this project"):
        project.own_voices.load(kept)


# signs that begin a formula in spreadsheets: OWASP, "CSV Injection"
@pytest.mark.parametrize("cell", ["=1+1", "+cmd|' /C calc'!A0", "-2+3+cmd", "@SUM(A1)", "\t=1", "\r=1"])
def test_an_exported_cell_starts_no_formula(tmp_path: Path, cell: str) -> None:
    write_csv(tmp_path / "t.csv", [[cell, "plain", "-24.2", "+3 %", "−61"]])
    assert as_text(cell) == f"'{cell}"
    content = (tmp_path / "t.csv").read_bytes().decode("utf-8-sig")
    assert f"'{cell}"[:2] in content
    assert content.rstrip().endswith("plain,-24.2,+3 %,−61")


def test_a_page_packed_twice_or_dripping_is_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    once = zlib.compress(bytes(60_000_000), 9)
    twice = zlib.compress(once, 9)
    assert len(twice) < 10_000
    for body, packed in ((twice, "deflate, deflate"), (once, "deflate")):
        with raw_server(saying(body, f"Content-Encoding: {packed}", "Content-Type: text/plain")) as address, \
                pytest.raises(TextError, match=r"not asked for|larger than 20 MB"):  # fmt: skip
            read_address(address)
    monkeypatch.setattr("zestpanel.core.text.readers.address._LONGEST_S", 1.0)
    for drip in (drip_body, drip_headers):
        with raw_server(drip) as address, pytest.raises(TextError, match=r"whole after 1 s|larger"):
            read_address(address)


@pytest.mark.parametrize("address", ["https://[::1", "http://a:99999/", "https://", "https://a b/", "http://\u0000/"])
def test_a_malformed_address_is_said_to_be_one(address: str) -> None:
    with pytest.raises(TextError):
        read_address(address, timeout_s=1)


def test_checking_follows_no_link_and_no_lock_is_taken_through_one(project: Project, tmp_path: Path) -> None:
    from zestpanel.command_line import run as verb
    from zestpanel.core.errors import ProjectError
    from zestpanel.core.store.one_asker import asking

    outside = tmp_path / "outside.txt"
    outside.write_text("not yours")
    project.close()
    for name in ("asking.lock", "project.before-0001.sqlite"):
        (project.folder / name).symlink_to(outside)
        for options in ([], ["--repair"], ["--from-backup"]):
            assert verb(["check", str(project.folder), *options]) == 2
        if name == "asking.lock":
            with pytest.raises(ProjectError, match="Nothing was sent"), asking(project.folder):
                pass
        (project.folder / name).unlink()
    assert outside.read_text() == "not yours"
    os.mkfifo(project.folder / "asking.lock")
    with pytest.raises(ProjectError, match="Nothing was sent"), asking(project.folder):
        pass

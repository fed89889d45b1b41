"""What a project outlives: kills while it is made and migrated, full and read-only disks, locks, damage, odd paths."""

from __future__ import annotations

import json
import os
import shutil
import signal
import sqlite3
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from sqlalchemy import Engine, event

from tests.old_projects import project_of
from zestpanel.core.errors import ProjectError, ZestError
from zestpanel.core.store.database import FILE
from zestpanel.core.store.opening import APPLICATION_ID, REVISIONS
from zestpanel.core.store.project import Project
from zestpanel.core.store.storage_trouble import StorageTrouble

EVERY = 1 if os.environ.get("ZEST_DEEP") else 11


def killed_at(statement: int, work: Callable[[], object]) -> bool:
    """Run in a process of its own that is killed before its nth statement; False when it ended before."""
    child = os.fork()
    if not child:
        count = 0

        @event.listens_for(Engine, "before_cursor_execute")
        def _(*_: object) -> None:
            nonlocal count
            count += 1
            if count == statement:
                os.kill(os.getpid(), signal.SIGKILL)

        try:
            work()
        finally:
            os._exit(0)
    return os.waitpid(child, 0)[1] != 0


def tried_with_kills(trial: Callable[[int], bool], *, first: int) -> int:
    """Kill at one statement after the other until the work gets through; how many kills that were."""
    for kills, statement in enumerate(range(first, 2_000, EVERY)):
        if not trial(statement):
            return kills
    raise AssertionError("it never ended")


@pytest.mark.usefixtures("made_anew")
def test_a_project_whose_making_was_killed_anywhere_is_gone_on_with(tmp_path: Path) -> None:
    def trial(statement: int) -> bool:
        folder = tmp_path / f"Made {statement}.zest"
        killed = killed_at(statement, lambda: Project.create(folder).close())
        opened = Project.open(folder) if statement % 2 else Project.create(folder) if killed else Project.open(folder)
        opened.documents.put("brief", {"channel": "Goes on"})
        assert opened.brief.channel == "Goes on"
        opened.close()
        return killed

    assert tried_with_kills(trial, first=1) > 20 // EVERY


@pytest.mark.parametrize("revision", REVISIONS[:-1])
def test_a_migration_killed_anywhere_is_gone_on_with_and_its_backup_is_whole(tmp_path: Path, revision: str) -> None:
    old = project_of(tmp_path / "Old.zest", revision)

    def trial(statement: int) -> bool:
        folder = tmp_path / f"{statement}.zest"
        shutil.copytree(old, folder)
        killed = killed_at(statement, lambda: Project.open(folder).close())
        opened = Project.open(folder)
        assert opened.brief.channel == "Kept"
        assert opened.auditions.rows() == []
        opened.close()
        [backup] = folder.glob("project.before-*.sqlite")
        with sqlite3.connect(backup) as copy:
            assert copy.execute("SELECT version_num FROM alembic_version").fetchone() == (revision,)
        copy.close()
        return killed

    assert tried_with_kills(trial, first=2) > 0


def test_what_the_log_still_holds_is_in_the_backup(tmp_path: Path) -> None:
    old = project_of(tmp_path / "Old.zest", "0006")
    script = (
        "import os, sqlite3, sys; c = sqlite3.connect(sys.argv[1]); c.execute('PRAGMA journal_mode=WAL');"
        "c.execute(\"UPDATE documents SET value = json_object('channel', 'In the log')\"); c.commit(); os._exit(9)"
    )
    subprocess.run([sys.executable, "-c", script, str(old / FILE)], check=False)
    assert (old / f"{FILE}-wal").stat().st_size > 0
    Project.open(old).close()
    with sqlite3.connect(old / f"project.before-{REVISIONS[-1]}.sqlite") as copy:
        assert "In the log" in copy.execute("SELECT value FROM documents").fetchone()[0]
    copy.close()


@pytest.mark.parametrize("name", ["A?b.zest", "50 %25.zest", "#1.zest", "a&b=c;d 'e'.zest", "Äpfel\nund.zest"])
def test_a_path_may_hold_any_sign(tmp_path: Path, name: str) -> None:
    old = project_of(tmp_path / name, "0001")
    Project.open(old).close()
    again = Project.open(old)
    assert again.brief.channel == "Kept"
    again.close()
    made = Project.create(tmp_path / f"New {name}")
    made.close()
    assert {p.name for p in tmp_path.iterdir()} == {name, f"New {name}"}
    assert (tmp_path / f"New {name}" / FILE).stat().st_size > 0


def test_somebody_elses_database_is_not_written_to(tmp_path: Path) -> None:
    folder = tmp_path / "Other.zest"
    (folder / "clips").mkdir(parents=True)
    for statements in (
        "CREATE TABLE recipes (name TEXT); INSERT INTO recipes VALUES ('marmalade')",
        "CREATE TABLE alembic_version (version_num TEXT); INSERT INTO alembic_version VALUES ('0003')",
        "PRAGMA application_id = 252006674; CREATE TABLE a (b)",
    ):
        (folder / FILE).unlink(missing_ok=True)
        with sqlite3.connect(folder / FILE) as other:
            other.executescript(statements)
        other.close()
        before = (folder / FILE).read_bytes()
        for attempt in (Project.open, Project.create):
            with pytest.raises(ProjectError, match=r"another program|not empty"):
                attempt(folder)
        assert (folder / FILE).read_bytes() == before
        assert [p.name for p in folder.iterdir() if p.name != FILE] == ["clips"]


def test_the_database_says_whose_it_is(project: Project) -> None:
    with sqlite3.connect(project.folder / FILE) as connection:
        assert connection.execute("PRAGMA application_id").fetchone() == (APPLICATION_ID,)
    connection.close()


def test_a_locked_project_is_said_to_be_locked(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("zestpanel.core.store.database._WAIT_S", 0.05)
    with sqlite3.connect(project.folder / FILE) as other:
        other.execute("BEGIN IMMEDIATE")
        project.close()
        opened = Project.open(project.folder)
        assert opened.brief.channel == "Test", "others may look meanwhile"
        with pytest.raises(StorageTrouble, match=r"is locked by another program\. Nothing was changed"):
            opened.documents.put("brief", {})
        other.rollback()
        opened.documents.put("brief", {"channel": "After"})
        assert opened.brief.channel == "After"
        opened.close()
    other.close()


def test_a_database_that_is_full_says_so_and_keeps_what_was(project: Project) -> None:
    with project._database.writing() as connection:
        pages = connection.exec_driver_sql("PRAGMA page_count").scalar_one()
        connection.exec_driver_sql(f"PRAGMA max_page_count = {pages + 2}")
    with pytest.raises(StorageTrouble, match="the disk is full"):
        project.documents.put("drafts", "x" * 100_000)
    assert project.brief.channel == "Test"
    assert project.documents.get("drafts") is None


VERBS_THAT_READ = (["cost"], ["run", "--estimate"], ["agree"])
VERBS_THAT_WRITE = (["run", "--render"], ["import", "SCRIPT"], ["hear", "Kitchen Table", "hesk", "Line"])


# verbs one after another in one program, which takes a second to start: what each ends with, says, and complains of
IN_A_ROW = """
import contextlib, io, json, sys
from zestpanel.__main__ import main
out = []
for words in json.loads(sys.argv[1]):
    said, complained = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(said), contextlib.redirect_stderr(complained):
        try:
            status = main(words)
        except SystemExit as end:
            status = end.code
    out.append([status, said.getvalue(), complained.getvalue()])
print(json.dumps(out))
"""


def in_a_namespace(folder: Path, mount: str, verbs: list[list[str]]) -> list[subprocess.CompletedProcess[str]]:
    """Run verbs where ``mount``, a shell line, has been done before; only they see it. Skipped where the system gives
    nobody a namespace of their own."""
    if subprocess.run(["unshare", "--map-root-user", "--mount", "true"], capture_output=True, check=False).returncode:
        pytest.skip("no mount namespace to be had here")
    words = json.dumps([[verb[0], str(folder), *verb[1:]] for verb in verbs])
    ran = subprocess.run(
        ["unshare", "--map-root-user", "--mount", "sh", "-c", f"{mount}\nexec $PYTHON -c \"$SCRIPT\" \"$WORDS\""],
        env={**os.environ, "PYTHON": sys.executable, "SCRIPT": IN_A_ROW, "WORDS": words},
        capture_output=True, text=True, timeout=300, check=False,
    )  # fmt: skip
    assert ran.returncode == 0, ran.stderr
    return [
        subprocess.CompletedProcess(verb, *one)
        for verb, one in zip(verbs, json.loads(ran.stdout.splitlines()[-1]), strict=True)
    ]


def test_a_read_only_project_is_read_and_nothing_more(small_project: Project, tmp_path: Path) -> None:
    folder = small_project.folder
    small_project.close()
    script = tmp_path / "script.txt"
    script.write_text("One more line.")
    reads = [*VERBS_THAT_READ, ["report", "--to", str(tmp_path / "report")]]
    writes = [[w.replace("SCRIPT", str(script)) for w in verb] for verb in VERBS_THAT_WRITE]
    before = {p.name: p.stat().st_mtime_ns for p in folder.rglob("*")}
    ran = in_a_namespace(folder, f"mount --bind '{folder}' '{folder}' && mount -o remount,bind,ro '{folder}'",
                         [*reads, *writes])  # fmt: skip
    for one in ran[: len(reads)]:
        assert one.returncode == 0, (one.args, one.stderr)
    for one in ran[len(reads) :]:
        assert one.returncode == 2, (one.args, one.stdout, one.stderr)
        assert "Traceback" not in one.stderr
        assert "zestpanel: " in one.stderr
    assert {p.name: p.stat().st_mtime_ns for p in folder.rglob("*")} == before
    assert (tmp_path / "report").is_dir()


def test_on_a_full_disk_every_verb_says_one_sentence(small_project: Project, tmp_path: Path) -> None:
    folder = small_project.folder
    small_project.close()
    big = tmp_path / "big.txt"
    big.write_text("A line that needs some room. " * 20_000)
    small = tmp_path / "small"
    small.mkdir()
    mount = (f"mount -t tmpfs -o size=1600k none '{small}' && cp -r '{folder}' '{small}/P.zest' && "
             f"dd if=/dev/zero of='{small}/filler' bs=1k 2>/dev/null; true")  # fmt: skip
    verbs = [["import", str(big)], ["run", "--render"], ["hear", "Kitchen Table", "ansgild", "A new line"], ["cost"]]
    for one in in_a_namespace(small / "P.zest", mount, verbs):
        assert "Traceback" not in one.stderr, (one.args, one.stderr)
        assert one.returncode in ((0,) if one.args == ["cost"] else (1, 2)), (one.args, one.stdout, one.stderr)


@pytest.fixture
def small_project(tmp_path: Path) -> Project:
    """One engine, one voice on the shortlist, one passage, nothing rendered."""
    from tests.conftest import add_command_engine

    made = Project.create(tmp_path / "Small.zest")
    made.documents.put("brief", {"channel": "Small"})
    add_command_engine(made)
    made.shortlist.add(made.shortlist.engines()["Kitchen Table"], voice="hesk")
    made.texts.add(["Three degrees, in the dark."], language="en-GB")
    return made


def test_errors_are_ours(project: Project) -> None:
    with pytest.raises(ZestError):
        Project.create(project.folder)


# -- damage


def flipped(data: bytes, seed: int) -> bytes:
    """A few bytes of a database changed, as a bad disk would."""
    import random

    chance = random.Random(seed)
    out = bytearray(data)
    for _ in range(chance.choice((1, 8, 60))):
        out[chance.randrange(100, len(out))] = chance.randrange(256)
    return bytes(out)


def test_sixty_damaged_databases_end_in_sentences_and_are_put_right_as_far_as_they_can(
    small_project: Project, tmp_path: Path
) -> None:
    from tests.conftest import pretend_take
    from zestpanel.command_line import run as verb
    from zestpanel.core.store.checking import damage_in, repair

    version = small_project.texts.all()[0].version_id
    for number in range(40):
        pretend_take(small_project, 1, version, repeat=number + 1, hz=200 + number)
    small_project.close()
    whole = (small_project.folder / FILE).read_bytes()
    mended = 0
    for seed in range(60 * (10 if EVERY == 1 else 1)):
        folder = tmp_path / f"{seed}.zest"
        folder.mkdir()
        shutil.copytree(small_project.folder / "clips", folder / "clips")
        (folder / FILE).write_bytes(flipped(whole, seed))
        before = (folder / FILE).read_bytes()
        arguments = (["cost"], ["runs"], ["run", "--estimate"])[seed % 3]
        assert verb([arguments[0], str(folder), *arguments[1:]]) in (0, 1, 2)
        kept = [folder / FILE, *folder.glob("project.damaged-*.sqlite")]
        assert before in [path.read_bytes() for path in kept], "what it was is kept, whatever was put right"
        if found := damage_in(folder):
            assert all(len(str(one)) < 300 for one in found)
            try:
                repair(folder)
            except ZestError:
                continue
            assert [one for one in damage_in(folder) if "clip" not in one.what] == []
            again = Project.open(folder)
            assert again.takes.all() is not None
            again.close()
            mended += 1
        shutil.rmtree(folder)
    assert mended > 2


def test_a_row_that_cannot_be_read_is_named_and_mended(
    small_project: Project, capsys: pytest.CaptureFixture[str]
) -> None:
    from zestpanel.command_line import run as verb

    folder = small_project.folder
    small_project.close()
    with sqlite3.connect(folder / FILE) as other:
        other.execute("UPDATE candidates SET settings = '{\"pace\": '")
        other.execute("UPDATE passages SET title = CAST(x'ff41' AS TEXT)")
    other.close()
    assert verb(["check", str(folder)]) == 1
    listed = capsys.readouterr().out
    assert "candidates, row 1: the settings cannot be read" in listed
    assert "passages, row 1: the title cannot be read" in listed
    assert verb(["check", str(folder), "--repair"]) == 0
    said = capsys.readouterr().out
    assert "mended: candidates, row 1: the settings cannot be read" in said
    assert list(folder.glob("project.damaged-*.sqlite"))
    assert verb(["check", str(folder)]) == 0
    again = Project.open(folder)
    assert (again.shortlist.candidates()[0].settings, again.texts.all()[0].text) == ({}, "Three degrees, in the dark.")
    again.close()


def test_a_project_with_rows_that_make_no_sense_opens_without_them_and_says_so(
    small_project: Project, capsys: pytest.CaptureFixture[str]
) -> None:
    from zestpanel.command_line import run as verb

    folder = small_project.folder
    small_project.close()
    with sqlite3.connect(folder / FILE) as other:
        other.execute("UPDATE candidates SET settings = '[1, 2]'")
    other.close()
    assert verb(["cost", str(folder)]) == 0
    said = capsys.readouterr().err
    assert "Small.zest held 1 place that made no sense: candidates, row 1: the settings cannot be read." in said
    (aside,) = folder.glob("project.damaged-*.sqlite")
    assert aside.name in said
    assert verb(["cost", str(folder)]) == 0
    assert not capsys.readouterr().err
    assert verb(["check", str(folder)]) == 0


def test_the_copy_from_before_a_migration_is_offered_and_taken(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    from zestpanel.command_line import run as verb

    folder = project_of(tmp_path / "Old.zest", "0003")
    Project.open(folder).close()
    (folder / FILE).write_bytes(b"gone" * 3000)
    with pytest.raises(ProjectError, match=r"'zestpanel check Old.zest --from-backup' opens with project.before-"):
        Project.open(folder)
    assert verb(["check", str(folder), "--from-backup"]) == 0
    assert "is in place" in capsys.readouterr().out
    opened = Project.open(folder)
    assert opened.brief.channel == "Kept"
    opened.close()

"""Projects as wholes: copies, archives, and what a stranger's archive may not do."""

from __future__ import annotations

import stat
import zipfile
from pathlib import Path

import pytest

from tests.conftest import add_demo_engine, pretend_take
from zestpanel.core.choice.decided import DECISIONS, Decision
from zestpanel.core.errors import ProjectError
from zestpanel.core.store.checking import damage_in
from zestpanel.core.store.copies import archive, duplicate, unpack
from zestpanel.core.store.project import Project


@pytest.fixture
def worked_on(project: Project) -> Project:
    """With a take, a rating, a decision, and a file of its own in exports."""
    add_demo_engine(project, "tangor")
    project.shortlist.add(project.shortlist.engines()["Tangor"], voice="ilseth")
    project.texts.add(["The last frost falls in May."], language="en-GB")
    candidate, passage = project.shortlist.candidates()[0], project.texts.all()[0]
    take = pretend_take(project, candidate.id, passage.version_id, repeat=7)
    listener = project.panel.add_listener("Ash", languages=["en"])
    rating = {"listener_id": listener.id, "candidate_id": candidate.id, "take_id": take, "score": 4.0}
    project.answers.add_ratings([{**rating, "passage_version_id": passage.version_id, "origin": "booth"}])
    DECISIONS.write(project.documents, (Decision(role="main-narrator", candidate_id=candidate.id, why="x", by="",
                                                 decided="2026-12-01"),))  # fmt: skip
    (project.folder / "exports" / "note.txt").write_text("kept")
    return project


def test_a_copy_is_whole_and_a_project_of_its_own(worked_on: Project, tmp_path: Path) -> None:
    to = tmp_path / "Other.zest"
    duplicate(worked_on.folder, to)  # while it is open
    assert damage_in(to) == []
    copy = Project.open(to)
    assert [t.clip for t in copy.takes.all()] == [t.clip for t in worked_on.takes.all()]
    assert len(copy.answers.ratings()) == 1
    assert DECISIONS.read(copy.documents) == DECISIONS.read(worked_on.documents)
    assert (to / "exports" / "note.txt").read_text() == "kept"
    copy.texts.add(["Another."], language="en-GB")
    assert len(copy.texts.all()) == len(worked_on.texts.all()) + 1
    copy.close()
    with pytest.raises(ProjectError, match="There is something at"):
        duplicate(worked_on.folder, to)


def test_a_copy_without_takes_begins_another_channel(worked_on: Project, tmp_path: Path) -> None:
    to = tmp_path / "Fresh.zest"
    duplicate(worked_on.folder, to, with_takes=False)
    assert damage_in(to) == []
    copy = Project.open(to)
    assert copy.takes.all() == []
    assert copy.answers.ratings() == []
    assert copy.panel.tests() == []
    assert copy.journal.runs() == {}
    assert DECISIONS.read(copy.documents) == ()
    assert copy.brief == worked_on.brief
    assert [c.voice for c in copy.shortlist.candidates()] == [c.voice for c in worked_on.shortlist.candidates()]
    assert [p.text for p in copy.texts.all()] == [p.text for p in worked_on.texts.all()]
    assert list((to / "clips").iterdir()) == []
    copy.close()


def test_an_archive_comes_back_as_it_was(worked_on: Project, tmp_path: Path) -> None:
    file = tmp_path / "a.zip"
    archive(worked_on.folder, file)
    into = tmp_path / "not yet" / "elsewhere"
    to = unpack(file, into)
    assert to.name == worked_on.folder.name
    assert damage_in(to) == []
    back = Project.open(to)
    take = back.takes.all()[0]
    assert back.takes.load(take).duration_s > 0
    assert len(back.answers.ratings()) == 1
    back.close()
    with pytest.raises(ProjectError, match="something at"):
        unpack(file, into)
    assert sorted(p.name for p in into.iterdir()) == [to.name], "nothing half-made is left"


def _packed(path: Path, entries: dict[str, bytes], *, link: str = "") -> Path:
    with zipfile.ZipFile(path, "w") as packed:
        for name, data in entries.items():
            info = zipfile.ZipInfo(name)
            info.external_attr = ((stat.S_IFLNK if name == link else stat.S_IFREG) | 0o644) << 16
            packed.writestr(info, data)
    return path


@pytest.mark.parametrize(("entries", "link"), [
    ({"A.zest/project.sqlite": b"", "A.zest/../../evil": b"x"}, ""),
    ({"A.zest/project.sqlite": b"", "/etc/evil": b"x"}, ""),
    ({"A.zest/project.sqlite": b"", "A.zest/clips/a": b"/etc/passwd"}, "A.zest/clips/a"),
    ({"A.zest/project.sqlite": b"", "B.zest/clips/a": b"x"}, ""),
    ({"A.zest/project.sqlite": b"", "A.zest/clips/x/y/z": b"x"}, ""),
    ({"A.zest/project.sqlite": b"", "A.zest/evil.so": b"x"}, ""),
    ({"A/project.sqlite": b""}, ""),
    ({"A.zest/clips/a": b"x"}, ""),
    ({}, ""),
])  # fmt: skip
def test_what_is_no_archive_makes_nothing(tmp_path: Path, entries: dict[str, bytes], link: str) -> None:
    into = tmp_path / "into"
    into.mkdir()
    with pytest.raises(ProjectError, match="is no archive of a project"):
        unpack(_packed(tmp_path / "a.zip", entries, link=link), into)
    assert list(into.iterdir()) == []


def test_a_file_that_is_cut_off_or_no_zip_makes_nothing(worked_on: Project, tmp_path: Path) -> None:
    file, into = tmp_path / "a.zip", tmp_path / "into"
    into.mkdir()
    archive(worked_on.folder, file)
    for data in (file.read_bytes()[:-200], b"PK\x03\x04 nothing", b""):
        file.write_bytes(data)
        with pytest.raises(ProjectError, match="is no archive of a project"):
            unpack(file, into)
        assert list(into.iterdir()) == []

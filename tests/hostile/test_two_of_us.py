"""Two of us at once, and files that lie in two places."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

from zestpanel.core.errors import InputError, ProjectError
from zestpanel.core.store.one_asker import asking
from zestpanel.core.store.project import Project
from zestpanel.core.store.seats import get_up, sit_down


def test_a_session_is_heard_in_one_window(project: Project) -> None:
    """In this program and in another one; free again when it is left, or its program was killed."""
    code = (
        "import sys; from pathlib import Path; from zestpanel.core.store.seats import sit_down\n"
        "sit_down(Path(sys.argv[1]), 7); print('sits', flush=True); sys.stdin.read()"
    )
    sit_down(project.folder, 8)
    with pytest.raises(InputError, match="at this test in another window"):
        sit_down(project.folder, 8)
    get_up(project.folder, 8)
    sit_down(project.folder, 8)
    with subprocess.Popen([sys.executable, "-c", code, str(project.folder)], stdin=subprocess.PIPE,
                          stdout=subprocess.PIPE, text=True) as other:  # fmt: skip
        assert other.stdout is not None
        assert other.stdout.readline() == "sits\n"
        with pytest.raises(InputError, match="at this test in another window"):
            sit_down(project.folder, 7)
        other.kill()
        other.wait()
    sit_down(project.folder, 7)
    for number in (7, 8):
        get_up(project.folder, number)


@pytest.mark.parametrize("name", ["asking.lock", "project.sqlite", "run.log", "listening.lock"])
def test_nothing_is_written_through_a_hard_link(project: Project, tmp_path: Path, name: str) -> None:
    """link(2): a name in a project for a file of the person's own."""
    project.close()
    own = tmp_path / "own"
    own.write_text("mine")
    (project.folder / name).unlink(missing_ok=True)
    os.link(own, project.folder / name)
    with pytest.raises(ProjectError, match="lies there, too"):
        Project.open(project.folder)
    assert own.read_text() == "mine"


def test_a_lock_that_is_linked_later_is_not_written_through(project: Project, tmp_path: Path) -> None:
    own = tmp_path / "own"
    own.write_text("mine")
    os.link(own, project.folder / "asking.lock")
    with pytest.raises(ProjectError, match="nothing can be written there"), asking(project.folder):
        pass
    assert own.read_text() == "mine"

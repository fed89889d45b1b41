"""Projects of strangers in the window: whatever stands in whichever cell, every page opens and nothing is thrown."""

from __future__ import annotations

import os
from pathlib import Path

from pytestqt.qtbot import QtBot

from tests.desk.conftest import Opener, settle
from tests.hostile.test_projects import odd_copies
from tests.hostile.whole_project import whole_project
from zestpanel.core.store.project import Project
from zestpanel.desk.viewmodels.steps import PAGE_CLASSES

MANY = 120 if os.environ.get("ZEST_DEEP") else 2


def test_whatever_stands_in_a_cell_every_page_opens(qtbot: QtBot, open_window: Opener, tmp_path: Path) -> None:
    whole, folder = whole_project(tmp_path / "Whole.zest"), tmp_path / "Odd.zest"
    for where in odd_copies(whole, folder, MANY):
        project = Project.open(folder)
        window = open_window(project)
        with qtbot.captureExceptions() as thrown:
            for page in PAGE_CLASSES:
                window.go_to(page)
                settle(qtbot, window)
        assert not thrown, where
        window.close()
        project.close()

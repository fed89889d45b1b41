"""The window's menu: all actions, by part, and the projects that were opened lately."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from pathlib import Path

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QMenu, QWidget

from zestpanel.core.texts import tr, word
from zestpanel.desk.actions import ACTIONS


def menu_of(
    parent: QWidget, actions: Mapping[str, QAction], lately: Sequence[Path], open_project: Callable[[Path], None]
) -> QMenu:
    """actions: by the names of ``ACTIONS``."""
    menu = QMenu(parent)
    for title in dict.fromkeys(one.menu for one in ACTIONS if one.menu):
        part = menu.addMenu(word(title))
        assert part is not None
        if title == "Project" and lately:
            projects = part.addMenu(tr("Opened lately"))
            assert projects is not None
            for folder in lately:
                projects.addAction(folder.stem, partial(open_project, folder))
        for one in ACTIONS:
            if one.menu == title:
                part.addAction(actions[one.id])
    return menu

"""What the desk remembers between starts, beside the projects: the window's place, the page, projects opened lately."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QByteArray, QSettings
from PyQt6.QtWidgets import QMainWindow

MOST_RECENT = 8


def settings() -> QSettings:
    return QSettings("zestpanel", "zestpanel")


def recent() -> list[Path]:
    """Projects opened lately that are still there, the last first."""
    names = settings().value("recent", [], type=list) or []
    return [Path(name) for name in names if Path(name).is_dir()]


def add_recent(folder: Path) -> None:
    names = [str(folder.absolute()), *(str(one) for one in recent() if one != folder.absolute())]
    settings().setValue("recent", names[:MOST_RECENT])


def keep_place(window: QMainWindow, folder: Path, page: str) -> None:
    """Where the window stands, and which page of the project is open."""
    kept = settings()
    kept.setValue("geometry", window.saveGeometry())
    kept.setValue(f"page/{folder.name}", page)


def put_in_place(window: QMainWindow) -> None:
    """As it was left, and never larger than the screen there is now."""
    geometry = settings().value("geometry")
    if isinstance(geometry, QByteArray):
        window.restoreGeometry(geometry)
    screen = window.screen()
    if screen is not None and not window.isMaximized():
        room = screen.availableGeometry()
        window.resize(min(window.width(), room.width()), min(window.height(), room.height()))
        if not room.contains(window.frameGeometry().topLeft()):
            window.move(room.topLeft())


def page_of(folder: Path) -> str:
    """The page of the project that was open last, '' for none."""
    return str(settings().value(f"page/{folder.name}", "") or "")

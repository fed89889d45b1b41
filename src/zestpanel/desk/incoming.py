"""Files that are dropped on the window or chosen: each to the page where its kind belongs."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint

from zestpanel.core.texts import tr
from zestpanel.desk.files import sort_files

if TYPE_CHECKING:
    from zestpanel.desk.window import MainWindow


def bring_in(window: MainWindow, paths: Sequence[Path]) -> None:
    """What is of no known kind is explained."""
    found = sort_files(list(paths))
    for path in found["unknown"]:
        window.state.complain(
            tr(
                "{name} was not imported: it is no script, no engine, no table and no sound that is known here.",
                name=path.name,
            )
        )
    if found["engine"]:
        window.at_engines().add_files(found["engine"])
    if found["script"]:
        window.at_passages().import_files(found["script"])
    for table in found["ratings"]:
        window.at_listening().add_table(table)
    for table in (*found["voices"], *found["votes"]):
        window.at_engines().add_table(table)
    for table in found["clips"]:
        window.at_renders().add_table(table)
    if found["sound"]:
        sound_dropped(window, found["sound"])


def dropped(window: MainWindow, paths: Sequence[Path], at: QPoint) -> None:
    """Sound alone goes to the cell under it."""
    sound = sort_files(list(paths))["sound"]
    if sound and len(sound) == len(paths):
        sound_dropped(window, sound, at)
    else:
        bring_in(window, paths)


def sound_dropped(window: MainWindow, paths: Sequence[Path], at: QPoint | None = None) -> None:
    """Sound becomes takes; on the view of own voices it becomes recordings."""
    if window.current == "engines" and (engines := window.at_engines()).view == "Own voices":
        for path in paths:
            engines.recordings.add_file(path)
        return
    on_cell = window.at_renders().cell_at(at) if at is not None and window.current == "renders" else None
    window.at_renders().bring_in(list(paths), on_cell)
